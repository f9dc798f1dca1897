package web

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/store"
	"blendseam/workspace"
)

// A UseView is a clip that uses a source.
type UseView struct {
	Clip  scene.ClipID `json:"clip"`
	Name  string       `json:"name"`
	Track string       `json:"track"`
	TC    string       `json:"tc"`
	In    int64        `json:"in"` // samples of the source
	Out   int64        `json:"out"`
}

// usesOf gives the clips of a source, as it is or fitted; of picture and sound that are linked, the sound.
func usesOf(sc *scene.Scene, source string) []UseView {
	uses := []UseView{}
	heard := map[scene.LinkID]bool{}
	for _, t := range sc.Tracks {
		for _, c := range t.Clips {
			if c.Source == source && t.Kind == scene.Sound && c.Link != "" {
				heard[c.Link] = true
			}
		}
	}
	for _, t := range sc.Tracks {
		for _, c := range t.Clips {
			if scene.FitOf(sc, c.Source).Of != source || t.Kind != scene.Sound && heard[c.Link] {
				continue
			}
			shown := scene.FitSpan(sc, &c)
			uses = append(uses, UseView{
				c.ID, c.Name, t.Name, sc.Timecode(sc.Time(t, c.Start)), sc.Time(t, shown.From), sc.Time(t, shown.To),
			})
		}
	}
	return uses
}

// A sourceState is what of a recording's page changes with edits.
type SourceState struct {
	Revision int64        `json:"revision"`
	Source   scene.Source `json:"source"`
	Uses     []UseView    `json:"uses"`
}

func (s *Server) sourceState(w http.ResponseWriter, r *http.Request) error {
	st, src, err := s.sourceAsked(r)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, SourceState{st.Revision, src, usesOf(st.Scene, src.ID)})
}

// sourceAsked gives the scene and its source that a request is about.
func (s *Server) sourceAsked(r *http.Request) (st *workspace.Scene, src scene.Source, err error) {
	if st, err = s.opened(r); err != nil {
		return st, src, err
	}
	src, ok := st.Scene.Sources[chi.URLParam(r, "source")]
	if !ok {
		err = store.ErrNotFound
	}
	return st, src, err
}

// sourcePage is where one recording is listened through and its stretches are marked.
func (s *Server) sourcePage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, src, err := s.sourceAsked(r)
	if err != nil {
		return err
	}
	commands, err := s.commands(r)
	if err != nil {
		return err
	}
	type TrackView struct {
		ID   scene.TrackID `json:"id"`
		Name string        `json:"name"`
	}
	purpose, err := st.PurposeOf(r.Context(), src.ID)
	if err != nil {
		return err
	}
	kind := scene.Sound
	if src.Samples == 0 {
		kind = scene.Picture
	}
	tracks, picture, offered := []TrackView{}, scene.TrackID(""), scene.TrackID("")
	for _, t := range st.Scene.Tracks {
		if t.Kind == kind {
			tracks = append(tracks, TrackView{t.ID, t.Name})
			if t.Purpose == purpose && !t.Locked && offered == "" {
				offered = t.ID
			}
		}
		if t.Kind == scene.Picture && picture == "" && src.Samples > 0 && src.Frames > 0 {
			picture = t.ID
		}
	}
	if offered == "" {
		tracks = append(tracks, TrackView{"", "a new track, " + edit.TrackName(purpose)})
	}
	return s.page(
		w,
		r,
		"source",
		view{Title: src.Name, Scene: id, Name: st.Scene.Name, Here: "sources", Data: map[string]any{
			"id":          id,
			"rate":        rateOf(st.Scene.Rate),
			"sample_rate": st.Scene.SampleRate,
			"start_frame": st.Scene.StartFrame,
			"state": SourceState{
				st.Revision,
				src,
				usesOf(st.Scene, src.ID),
			},
			"tracks":   tracks,
			"offered":  offered,
			"kind":     kind,
			"picture":  picture,
			"commands": commands,
			"media":    sheets,
			"kinds":    kinds(),
		}},
	)
}

// takeOut lays stretches of a source on a track.
func (s *Server) takeOut(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Names  []string       `json:"names"`
		Marked *scene.Stretch `json:"marked"` // or what is marked alone
		Track  scene.TrackID  `json:"track"`  // "": the one for what the recording is, made if there is none
		At     int64          `json:"at"`     // -1: the end of the track
		How    string         `json:"how"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, src, err := s.sourceAsked(r)
	if err != nil {
		return err
	}
	x := edit.Taking{Source: src.ID, Names: q.Names, Marked: q.Marked, Track: q.Track, At: q.At, How: q.How}
	if x.Track == "" {
		if x.Purpose, err = st.PurposeOf(r.Context(), src.ID); err != nil {
			return err
		}
	}
	return s.editNewest(w, r, x.TakeOut)
}

// sourceSound sends a recording's sound as a WAV file, or a part of it as browsers ask.
func (s *Server) sourceSound(w http.ResponseWriter, r *http.Request) error {
	rate, err := number(r, "rate", 1, 1<<20)
	if err != nil {
		return err
	}
	id := chi.URLParam(r, "source")
	file, err := s.Library.SoundFile(id, rate)
	if err != nil {
		return noFile(err)
	}
	defer file.Close()
	w.Header().Set("Content-Type", "audio/wav")
	w.Header().Set("ETag", fmt.Sprintf(`"%s-%d"`, id, rate)) // what lies under an id never changes
	http.ServeContent(w, r, "", time.Time{}, io.NewSectionReader(file, 0, file.Size()))
	return nil
}

// noFile is what is answered where a file could not be opened: that there is none, if that, or one of none, is why.
func noFile(err error, none ...error) error {
	if errors.Is(err, fs.ErrNotExist) || slices.ContainsFunc(none, func(n error) bool { return errors.Is(err, n) }) {
		return store.ErrNotFound
	}
	return err
}

// longestStretch bounds what is written as a file of a stretch, in samples: three hours at 48 kHz.
const longestStretch = 3 * 3600 * 48000

// stretchFile sends a stretch of a recording as a file of its own: 24 bits, at the scene's rate.
func (s *Server) stretchFile(w http.ResponseWriter, r *http.Request) error {
	st, src, err := s.sourceAsked(r)
	if err != nil {
		return err
	}
	var from, to int64
	if err := numbers(r, map[string]*int64{"from": &from, "to": &to}, 0, farthest); err != nil {
		return err
	}
	if to <= from || to > src.Samples || to-from > longestStretch {
		return refuse.Errorf("The stretch must lie in the sound of %s, its in point before its out point.", src.Name)
	}
	sound, err := st.Sound(src)
	if err != nil {
		return err
	}
	name := r.URL.Query().Get("name")
	if name == "" {
		name = src.Name
	}
	return sendSound(w, sound, pcm.Span{From: from, To: to}, int(st.Scene.SampleRate), "attachment", name)
}

// sendSound sends a span of a sound as a WAV file of 24 bits, made as it goes.
func sendSound(w http.ResponseWriter, sound pcm.ReaderAt, span pcm.Span, rate int, how, name string) error {
	e := pcm.Encoder{Format: pcm.Format{Rate: rate, Channels: sound.Format().Channels, Bits: 24}}
	head, err := wav.Head(e.Format, span.Len())
	if err != nil {
		return err
	}
	const step = 1 << 16
	block := pcm.NewBlock(e.Format.Channels, step)
	raw := make([]byte, e.Size(step))
	for at := span.From; at < span.To; at += step {
		part := block.Slice(0, min(step, span.To-at))
		if err := sound.ReadSamplesAt(part, at); err != nil {
			if at > span.From {
				panic(http.ErrAbortHandler) // the head promised more
			}
			return err
		}
		if at == span.From {
			size := e.Size(span.Len())
			h := w.Header()
			h.Set("Content-Type", "audio/wav")
			h.Set("Content-Length", strconv.FormatInt(int64(len(head))+size+size&1, 10))
			h.Set("Content-Disposition", fmt.Sprintf("%s; filename=%q", how, fileName(name)+".wav"))
			w.Write(head)
		}
		piece := raw[:e.Size(part.Len())]
		e.Encode(piece, part, at-span.From)
		if _, err := w.Write(piece); err != nil {
			return nil // whoever asked has gone
		}
	}
	if e.Size(span.Len())&1 == 1 {
		w.Write([]byte{0})
	}
	return nil
}
