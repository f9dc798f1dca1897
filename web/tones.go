package web

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"path/filepath"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/tone"
	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/media"
	"blendseam/store"
	"blendseam/workspace"
)

// A ToneView is a tone of the library as the page shows it.
type ToneView struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Place   string    `json:"place"`
	Seconds float64   `json:"seconds"`
	LevelDB float64   `json:"level_db"`
	Thirds  []float64 `json:"thirds"`
	MadeUp  bool      `json:"made_up"`
}

func (s *Server) toneViews(ctx context.Context) ([]ToneView, error) {
	list, err := s.Tones(ctx)
	views := make([]ToneView, 0, len(list))
	for _, t := range list {
		views = append(
			views,
			ToneView{t.ID, t.Name, t.Place, float64(t.To-t.From) / float64(t.Rate), t.LevelDB, t.Thirds, t.MadeUp != ""},
		)
	}
	return views, err
}

func (s *Server) toneList(w http.ResponseWriter, r *http.Request) error {
	list, err := s.toneViews(r.Context())
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// toneAsked is the tone of the library that a request names for a scene, nil if it names none.
func (s *Server) toneAsked(r *http.Request, sc *workspace.Scene) (*fill.Filling, error) {
	id := r.URL.Query().Get("tone")
	if id == "" {
		return nil, nil
	}
	t, err := s.Tone(r.Context(), id)
	if err != nil {
		return nil, err
	}
	return sc.FromLibrary(r.Context(), t)
}

// A FoundView is a quiet stretch of one of the scene's recordings.
type FoundView struct {
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
func (s *Server) foundIn(ctx context.Context, st *workspace.Scene) ([]FoundView, error) {
	sc := st.Scene
	list, seen := []FoundView{}, map[string]bool{}
	for _, t := range sc.Tracks {
		if t.Kind != scene.Sound || t.Purpose != scene.ForDialogue {
			continue
		}
		for _, c := range t.Clips {
			src := sc.Sources[scene.FitOf(sc, c.Source).Of]
			if seen[src.ID] || src.Tone != nil || len(seen) >= shownRecordings {
				continue
			}
			seen[src.ID] = true
			says, err := st.Sources().Analysis(ctx, sc, src)
			if missing := (*meter.MissingRecording)(nil); errors.As(err, &missing) {
				continue // it is said where the clip is heard
			}
			if err != nil {
				return nil, err
			}
			ranked := tone.Rank(says.Quiets, nil, 2, int(sc.SampleRate), func(tone.Quiet) float64 { return -1 })
			for _, q := range ranked[:min(len(ranked), shownStretches)] {
				at := float64(q.Span.From) / float64(sc.SampleRate)
				list = append(
					list,
					FoundView{
						src.ID,
						src.Name,
						q.Span.From,
						q.Span.To,
						fmt.Sprintf("%d:%05.2f", int(at)/60, math.Mod(at, 60)),
						q.LevelDB,
						q.Thirds,
						strings.Join(q.Reasons, "; "),
						float64(q.Span.Len()) / float64(sc.SampleRate),
					},
				)
			}
		}
	}
	return list, nil
}

// tonePage is the library of tones beside what the scene's own recordings hold.
func (s *Server) tonePage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	list, err := s.toneViews(r.Context())
	if err != nil {
		return err
	}
	found, err := s.foundIn(r.Context(), st)
	if err != nil {
		return err
	}
	return s.page(w, r, "tone", view{
		Title: "Tone for " + st.Scene.Name,
		Scene: id,
		Name:  st.Scene.Name,
		Data: map[string]any{
			"id":       id,
			"revision": st.Revision,
			"rate":     st.Scene.SampleRate,
			"length":   st.Scene.Length(),
			"tones":    list,
			"found":    found,
		},
	})
}

// keepTone keeps a stretch of one of the scene's recordings in the library: one that the page names, or what a range of
// a track covers.
func (s *Server) keepTone(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Name   string        `json:"name"`
		Place  string        `json:"place"`
		Source string        `json:"source"`
		Track  scene.TrackID `json:"track"`
		From   int64         `json:"from"`
		To     int64         `json:"to"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	span := pcm.Span{From: q.From, To: q.To}
	if t := st.Scene.Track(q.Track); t != nil && q.Source == "" {
		if c, on := fill.Covered(t, span); c != nil {
			q.Source, span = c.Source, on.Add(-c.Shift())
		}
	}
	src, ok := st.Scene.Sources[q.Source]
	if !ok || src.Tone != nil || src.Samples == 0 || span.From < 0 || span.To > src.Samples || span.Empty() {
		return refuse.Errorf("The range covers no recording of this scene. Make it over a quiet stretch of a clip.")
	}
	says, err := st.Sources().Analysis(r.Context(), st.Scene, src)
	if err != nil {
		return err
	}
	t, err := toneOf(says, q.Source, span)
	if err != nil {
		return err
	}
	t.Name, t.Place = strings.TrimSpace(q.Name), strings.TrimSpace(q.Place)
	if t.Name == "" {
		t.Name = "Tone of " + src.Name
	}
	if t.Home, err = s.Store.ProductionOf(r.Context(), st.Key.Scene); err != nil {
		return err
	}
	if _, err := s.Store.AddTone(r.Context(), t); err != nil {
		return err
	}
	return s.toneList(w, r)
}

// toneOf is a stretch of a recording for the library, by what the recording says of it. It must have a quiet stretch in
// it.
func toneOf(says *analysis.Recording, source string, span pcm.Span) (store.Tone, error) {
	quiet := says.QuietsIn(span)
	if len(quiet) == 0 {
		return store.Tone{}, refuse.Errorf(
			"Nothing quiet of at least 0.12 s was found in this stretch: it holds a voice, a breath or a bump all along.",
		)
	}
	t := store.Tone{Source: source, From: span.From, To: span.To, Rate: int64(says.Rate)}
	t.LevelDB, t.Thirds = tone.Mean(quiet)
	return t, nil
}

// bringTone takes a file as the body of the request into the library, its name in the header Blendseam-Name.
func (s *Server) bringTone(w http.ResponseWriter, r *http.Request) error {
	a, name, err := s.receive(r)
	if err != nil {
		return err
	}
	defer a.Close()
	const rate = 48000
	home, err := store.Home(r.Context(), r.URL.Query().Get("production"))
	if err != nil {
		return err
	}
	info, err := s.Keep(r.Context(), a, rate, timecode.F25)
	if err == nil {
		err = s.Store.LetProduction(r.Context(), home, info.ID, name)
	}
	if none := (*media.DiskFull)(nil); errors.As(err, &none) || errors.Is(err, store.ErrUnavailable) {
		return err
	} else if err != nil {
		return refuse.Because(err)
	}
	if info.Rate == 0 {
		return refuse.Errorf("%s has no sound", name)
	}
	says, err := s.Library.Analysis(r.Context(), info.ID, rate, nil)
	if err != nil {
		return err
	}
	t, err := toneOf(says, info.ID, pcm.Span{To: says.Length})
	if err != nil {
		return err
	}
	t.Name, t.Place = strings.TrimSuffix(info.Name, filepath.Ext(info.Name)), "brought in as a file"
	t.Home = home
	if _, err := s.Store.AddTone(r.Context(), t); err != nil {
		return err
	}
	return s.toneList(w, r)
}

// setTone names a tone and says where it was taken.
func (s *Server) setTone(w http.ResponseWriter, r *http.Request) error {
	var q struct{ Name, Place string }
	err := decode(w, r, &q)
	if err == nil && strings.TrimSpace(q.Name) == "" {
		err = refuse.Errorf("A tone needs a name.")
	}
	if err == nil {
		err = s.Store.SetTone(r.Context(), chi.URLParam(r, "tone"), strings.TrimSpace(q.Name), strings.TrimSpace(q.Place))
	}
	if err != nil {
		return err
	}
	return s.toneList(w, r)
}

// dropTone forgets a tone of an editor's. Made-up rooms stay.
func (s *Server) dropTone(w http.ResponseWriter, r *http.Request) error {
	t, err := s.Tone(r.Context(), chi.URLParam(r, "tone"))
	if err == nil && t.MadeUp != "" {
		err = refuse.Errorf("%s ships with the application and stays; hide it by searching for others.", t.Name)
	}
	if err == nil {
		err = s.Store.DropTone(r.Context(), t.ID)
	}
	if err != nil {
		return err
	}
	return s.toneList(w, r)
}

// A tone is heard for so long, in seconds; one is built for at most longestTone.
const (
	heardTone   = 8
	longestTone = 3600
)

// toneSound sends a tone of a length, built, as a WAV file; or, for a scene, the scene from a moment on with the tone
// as a bed under it.
func (s *Server) toneSound(w http.ResponseWriter, r *http.Request) error {
	t, err := s.Tone(r.Context(), chi.URLParam(r, "tone"))
	if err != nil {
		return err
	}
	const rate = 48000
	sound, span, sc, err := pcm.ReaderAt(nil), pcm.Span{}, scene.New("", timecode.F25, rate), error(nil)
	if r.URL.Query().Get("scene") != "" {
		sound, span, sc, err = s.toneUnder(r, t)
	} else {
		length := int64(heardTone * rate)
		if r.URL.Query().Get("seconds") != "" {
			n, err := number(r, "seconds", 1, longestTone)
			if err != nil {
				return err
			}
			length = n * rate
		}
		sound, span, err = s.Alone(sc).Built(r.Context(), t, length)
	}
	if err != nil {
		return err
	}
	how := "inline"
	if r.URL.Query().Get("as") == "file" {
		how = "attachment"
	}
	return sendSound(w, sound, span, int(sc.SampleRate), how, t.Name)
}

// toneUnder is the scene that a request names with a tone as a bed under it, from the moment that it names on.
func (s *Server) toneUnder(r *http.Request, t store.Tone) (pcm.ReaderAt, pcm.Span, *scene.Scene, error) {
	from := int64(0)
	if r.URL.Query().Get("from") != "" {
		var err error
		if from, err = number(r, "from", 0, farthest); err != nil {
			return nil, pcm.Span{}, nil, err
		}
	}
	st, err := s.Open(r.Context(), r.URL.Query().Get("scene"))
	if err != nil {
		return nil, pcm.Span{}, nil, err
	}
	sound, err := st.WithBed(r.Context(), t)
	if err == nil && sound == nil {
		err = refuse.Errorf("No dialogue clip of the scene has a pause to set the bed's level by.")
	}
	if err != nil {
		return nil, pcm.Span{}, nil, err
	}
	return sound, pcm.Span{From: from, To: min(sound.Len(), from+heardTone*st.Scene.SampleRate)}, st.Scene, nil
}
