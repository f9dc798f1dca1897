package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/core/timecode"
	"blendseam/core/tone"
	"blendseam/media"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
)

// A toneView is a tone of the library as the page shows it.
type toneView struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Place   string    `json:"place"`
	Seconds float64   `json:"seconds"`
	LevelDB float64   `json:"level_db"`
	Thirds  []float64 `json:"thirds"`
	MadeUp  bool      `json:"made_up"`
}

// kept are all tones of the library; the made-up rooms are made when they are first asked for.
func (s *Server) kept(ctx context.Context) ([]store.Tone, error) {
	s.roomsMade.Lock()
	defer s.roomsMade.Unlock()
	list, err := s.Store.Tones(ctx)
	if err != nil || s.roomsThere {
		return list, err
	}
	if err := s.intake.Rooms(ctx, list); err != nil {
		return nil, err
	}
	s.roomsThere = true
	return s.Store.Tones(ctx)
}

func (s *Server) toneViews(ctx context.Context) ([]toneView, error) {
	list, err := s.kept(ctx)
	views := make([]toneView, 0, len(list))
	for _, t := range list {
		views = append(views, toneView{t.ID, t.Name, t.Place, float64(t.To-t.From) / float64(t.Rate), t.LevelDB, t.Thirds, t.MadeUp != ""})
	}
	return views, err
}

func (s *Server) toneList(w http.ResponseWriter, r *http.Request) {
	list, err := s.toneViews(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.answer(w, http.StatusOK, list)
}

// inScene is a tone of the library as a scene could have it: its recording is prepared for the scene's rate.
func (s *Server) inScene(ctx context.Context, t store.Tone, sc *scene.Scene) (l seam.LibraryTone, err error) {
	src, err := s.Store.Source(ctx, t.Source)
	if err != nil {
		return l, err
	}
	var info media.Info
	if err := json.Unmarshal(src.Info, &info); err != nil {
		return l, err
	}
	if err := s.Library.Prepare(ctx, info, sc.SampleRate, sc.Rate); err != nil {
		return l, err
	}
	l.Name = t.Name
	if l.Source, err = s.intake.Source(info, sc); err != nil {
		return l, err
	}
	l.Span = pcm.Span{From: t.From * sc.SampleRate / t.Rate, To: min(l.Source.Samples, t.To*sc.SampleRate/t.Rate)}
	return l, nil
}

// library is the library of tones for a scene. A tone whose recording is gone is left out.
func (s *Server) library(ctx context.Context, sc *scene.Scene) (list []seam.LibraryTone, err error) {
	all, err := s.kept(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range all {
		if l, err := s.inScene(ctx, t, sc); err == nil {
			list = append(list, l)
		}
	}
	return list, nil
}

func (s *Server) toneNamed(ctx context.Context, id string) (store.Tone, error) {
	list, err := s.kept(ctx)
	if err != nil {
		return store.Tone{}, err
	}
	i := slices.IndexFunc(list, func(t store.Tone) bool { return t.ID == id })
	if i < 0 {
		return store.Tone{}, store.ErrNotFound
	}
	return list[i], nil
}

// toneAsked is the tone of the library that a request names for a scene, nil if it names none.
func (s *Server) toneAsked(r *http.Request, sc *scene.Scene) (*seam.Filling, error) {
	id := r.URL.Query().Get("tone")
	if id == "" {
		return nil, nil
	}
	t, err := s.toneNamed(r.Context(), id)
	if err != nil {
		return nil, err
	}
	l, err := s.inScene(r.Context(), t, sc)
	if err != nil {
		return nil, err
	}
	m, err := s.sound.meter(sc)
	if err != nil {
		return nil, err
	}
	return m.FromLibrary(l)
}

// A foundView is a quiet stretch of one of the scene's recordings.
type foundView struct {
	Source  string    `json:"source"`
	Name    string    `json:"name"`
	From    int64     `json:"from"`
	To      int64     `json:"to"`
	TC      string    `json:"tc"` // in the recording, minutes and seconds
	LevelDB float64   `json:"level_db"`
	Thirds  []float64 `json:"thirds"`
	Words   string    `json:"words"`
	Seconds float64   `json:"seconds"`
}

// Of each recording so many stretches are shown, and of so many recordings.
const (
	shownStretches  = 3
	shownRecordings = 8
)

// foundIn are the quiet stretches of a scene's dialogue recordings, the best of each first.
func (s *Server) foundIn(sc *scene.Scene) ([]foundView, error) {
	list, seen := []foundView{}, map[string]bool{}
	for _, t := range sc.Tracks {
		if t.Kind != scene.Sound || t.Purpose != "dialogue" {
			continue
		}
		for _, c := range t.Clips {
			src := sc.Sources[c.Source]
			if seen[c.Source] || src.Tone != nil || len(seen) >= shownRecordings {
				continue
			}
			seen[c.Source] = true
			r, err := s.sound.open(sc)(src)
			if err != nil {
				continue // it is said where the clip is heard
			}
			quiet, err := tone.FindIn(r)
			if err != nil {
				return nil, err
			}
			ranked := tone.Rank(quiet, nil, 2, int(sc.SampleRate), func(tone.Quiet) float64 { return -1 })
			for _, q := range ranked[:min(len(ranked), shownStretches)] {
				at := float64(q.Span.From) / float64(sc.SampleRate)
				list = append(list, foundView{src.ID, src.Name, q.Span.From, q.Span.To, fmt.Sprintf("%d:%05.2f", int(at)/60, math.Mod(at, 60)), q.LevelDB, q.Thirds,
					strings.Join(q.Reasons, "; "), float64(q.Span.Len()) / float64(sc.SampleRate)})
			}
		}
	}
	return list, nil
}

// tonePage is the library of tones beside what the scene's own recordings hold.
func (s *Server) tonePage(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	list, err := s.toneViews(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	found, err := s.foundIn(st.Scene)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, "tone", view{Title: "Tone for " + st.Scene.Name, Scene: id, Name: st.Scene.Name, Here: "tone",
		Data: map[string]any{"id": id, "revision": st.Revision, "rate": st.Scene.SampleRate, "length": st.Scene.Length(), "tones": list, "found": found}})
}

// keepTone keeps a stretch of one of the scene's recordings in the library: one that the page names, or what a range of a track covers.
func (s *Server) keepTone(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Name   string `json:"name"`
		Place  string `json:"place"`
		Source string `json:"source"`
		Track  string `json:"track"`
		From   int64  `json:"from"`
		To     int64  `json:"to"`
	}
	if err := decode(w, r, &q); err != nil {
		s.fail(w, r, err)
		return
	}
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	span := pcm.Span{From: q.From, To: q.To}
	if t := st.Scene.Track(q.Track); t != nil && q.Source == "" {
		for _, c := range t.Clips {
			if on := c.Span().Intersect(span); !on.Empty() && on.Len()*2 >= span.Len() {
				q.Source, span = c.Source, on.Add(-c.Shift())
				break
			}
		}
	}
	src, ok := st.Scene.Sources[q.Source]
	if !ok || src.Tone != nil || src.Samples == 0 || span.From < 0 || span.To > src.Samples || span.Empty() {
		s.fail(w, r, cannot("The range covers no recording of this scene. Make it over a quiet stretch of a clip."))
		return
	}
	sound, err := s.sound.open(st.Scene)(src)
	if err != nil {
		s.fail(w, r, errBadRequest{err})
		return
	}
	t, err := s.toneOf(sound, q.Source, span)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	t.Name, t.Place = strings.TrimSpace(q.Name), strings.TrimSpace(q.Place)
	if t.Name == "" {
		t.Name = "Tone of " + src.Name
	}
	if _, err := s.Store.AddTone(r.Context(), t); err != nil {
		s.fail(w, r, err)
		return
	}
	s.toneList(w, r)
}

// toneOf measures a stretch for the library. It must have a quiet stretch in it.
func (s *Server) toneOf(sound pcm.ReaderAt, source string, span pcm.Span) (store.Tone, error) {
	b, err := pcm.Read(sound, pcm.Span{From: span.From, To: min(span.To, span.From+int64(60*sound.Format().Rate))})
	if err != nil {
		return store.Tone{}, err
	}
	rate := sound.Format().Rate
	quiet := tone.Find(b, rate)
	if len(quiet) == 0 {
		return store.Tone{}, cannot("Nothing quiet of at least 0.12 s was found in this stretch: it holds a voice, a breath or a bump all along.")
	}
	spans := make([]pcm.Span, len(quiet))
	power, n := 0.0, 0.0
	for i, q := range quiet {
		spans[i] = q.Span
		power += math.Pow(10, q.LevelDB/10) * float64(q.Span.Len())
		n += float64(q.Span.Len())
	}
	return store.Tone{Source: source, From: span.From, To: span.To, Rate: int64(rate), LevelDB: 10 * math.Log10(power/n), Thirds: tone.Thirds(b, spans, rate)}, nil
}

// bringTone takes a file as the body of the request into the library, its name in the header Blendseam-Name.
func (s *Server) bringTone(w http.ResponseWriter, r *http.Request) {
	name, err := url.PathUnescape(r.Header.Get("Blendseam-Name"))
	if err != nil || name == "" {
		s.fail(w, r, cannot("the header Blendseam-Name with the file's name is missing"))
		return
	}
	a, err := s.Library.Receive(name)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer a.Close()
	if _, err := io.Copy(a, r.Body); err != nil {
		s.fail(w, r, cannot("%s did not arrive whole, and nothing of it was kept", name))
		return
	}
	const rate = 48000
	info, err := s.intake.Keep(r.Context(), a, rate, timecode.F25)
	if err != nil {
		s.fail(w, r, errBadRequest{err})
		return
	}
	if info.Rate == 0 {
		s.fail(w, r, cannot("%s has no sound", name))
		return
	}
	sound, err := s.Library.Sound(info.ID, rate)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer sound.Close()
	t, err := s.toneOf(sound, info.ID, pcm.Span{To: sound.Len()})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	t.Name, t.Place = strings.TrimSuffix(info.Name, filepath.Ext(info.Name)), "brought in as a file"
	if _, err := s.Store.AddTone(r.Context(), t); err != nil {
		s.fail(w, r, err)
		return
	}
	s.toneList(w, r)
}

// setTone names a tone and says where it was taken.
func (s *Server) setTone(w http.ResponseWriter, r *http.Request) {
	var q struct{ Name, Place string }
	err := decode(w, r, &q)
	if err == nil && strings.TrimSpace(q.Name) == "" {
		err = cannot("A tone needs a name.")
	}
	if err == nil {
		err = s.Store.SetTone(r.Context(), chi.URLParam(r, "tone"), strings.TrimSpace(q.Name), strings.TrimSpace(q.Place))
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.toneList(w, r)
}

// dropTone forgets a tone of an editor's. Made-up rooms stay.
func (s *Server) dropTone(w http.ResponseWriter, r *http.Request) {
	t, err := s.toneNamed(r.Context(), chi.URLParam(r, "tone"))
	if err == nil && t.MadeUp != "" {
		err = cannot("%s ships with the application and stays; hide it by searching for others.", t.Name)
	}
	if err == nil {
		err = s.Store.DropTone(r.Context(), t.ID)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.toneList(w, r)
}

// A tone is heard for so long, in seconds; one is built for at most longestTone.
const (
	heardTone   = 8
	longestTone = 3600
)

// toneSound sends a tone of a length, built, as a WAV file; or, for a scene, the scene from a moment on with the tone as a bed under it.
func (s *Server) toneSound(w http.ResponseWriter, r *http.Request) {
	t, err := s.toneNamed(r.Context(), chi.URLParam(r, "tone"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	const rate = 48000
	sc := scene.New("", timecode.F25, rate)
	length, from := int64(heardTone*rate), int64(0)
	if id := r.URL.Query().Get("scene"); id != "" {
		st, err := s.Store.Scene(r.Context(), id)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		sc, length = st.Scene, heardTone*st.Scene.SampleRate
		if r.URL.Query().Get("from") != "" {
			if from, err = number(r, "from", 0, farthest); err != nil {
				s.fail(w, r, err)
				return
			}
		}
	} else if r.URL.Query().Get("seconds") != "" {
		n, err := number(r, "seconds", 1, longestTone)
		if err != nil {
			s.fail(w, r, err)
			return
		}
		length = n * rate
	}
	sound, span, err := s.toneWith(r.Context(), t, sc, r.URL.Query().Get("scene") != "", from, length)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	dir, err := os.MkdirTemp("", "blendseam-")
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer os.RemoveAll(dir)
	file := dir + "/tone.wav"
	if err := writeStretch(file, sound, span, int(sc.SampleRate)); err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "audio/wav")
	how := "inline"
	if r.URL.Query().Get("as") == "file" {
		how = "attachment"
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("%s; filename=%q", how, fileName(t.Name)+".wav"))
	http.ServeFile(w, r, file)
}

// toneWith is a tone alone, or a scene with it as a bed.
func (s *Server) toneWith(ctx context.Context, t store.Tone, sc *scene.Scene, under bool, from, length int64) (pcm.ReaderAt, pcm.Span, error) {
	l, err := s.inScene(ctx, t, sc)
	if err != nil {
		return nil, pcm.Span{}, err
	}
	m, err := s.sound.meter(sc)
	if err != nil {
		return nil, pcm.Span{}, err
	}
	f, err := m.FromLibrary(l)
	if err != nil {
		return nil, pcm.Span{}, errBadRequest{err}
	}
	if !under {
		r, err := m.Built(f, t.LevelDB)
		return r, pcm.Span{From: sc.ToneMiddle(), To: sc.ToneMiddle() + length}, err
	}
	bed, err := m.Bed(pcm.Span{To: sc.Length()}, f)
	if err == nil && bed == nil {
		err = cannot("No dialogue clip of the scene has a pause to set the bed's level by.")
	}
	if err != nil {
		return nil, pcm.Span{}, err
	}
	with, err := scene.Apply(sc, bed.Edit)
	if err != nil {
		return nil, pcm.Span{}, err
	}
	whole, err := mix.New(with, s.sound.open(with), mix.Options{})
	return mixed{whole, int(with.SampleRate), with.Length()}, pcm.Span{From: from, To: min(with.Length(), from+length)}, err
}

// mixed is a scene's mix as a sound that can be read.
type mixed struct {
	*mix.Mixer
	rate   int
	length int64
}

func (m mixed) Format() pcm.Format {
	return pcm.Format{Rate: m.rate, Channels: m.Channels(), Bits: 64, Float: true}
}
func (m mixed) Len() int64                                  { return m.length }
func (m mixed) ReadSamplesAt(dst pcm.Block, at int64) error { return m.Render(dst, at) }
