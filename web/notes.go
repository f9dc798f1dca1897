package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/core/audit/notes"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/store"
)

// A NoteView is a note as pages show it, with its answers.
type NoteView struct {
	ID       string       `json:"id"`
	Seam     audit.SeamID `json:"seam,omitempty"`
	Clip     scene.ClipID `json:"clip,omitempty"`
	At       int64        `json:"at"`
	Length   int64        `json:"length,omitempty"`
	TC       string       `json:"tc"`
	On       string       `json:"on"`    // what it is on, in words
	There    bool         `json:"there"` // that is still in the scene
	Text     string       `json:"text"`
	Who      string       `json:"who"`
	Mine     bool         `json:"mine"`
	Approves bool         `json:"approves,omitempty"`
	Open     bool         `json:"open"`
	Settled  string       `json:"settled"` // by whom
	Made     string       `json:"made"`
	Answers  []NoteView   `json:"answers"`
}

// noteViews are the notes of a scene as they lie in it now, in order of time.
func noteViews(sc *scene.Scene, list []store.Note, account string) []NoteView {
	views := []NoteView{}
	number := map[string]int{}
	for _, n := range list {
		v := NoteView{ID: n.ID, Text: n.Text, Who: n.Who, Mine: n.Account == account, Approves: n.Approves,
			Open: n.SettledBy == nil, Made: n.Made.Format("2006-01-02T15:04:05Z"), Answers: []NoteView{}}
		if n.SettledBy != nil {
			v.Settled = *n.SettledBy
		}
		if i, is := number[n.Of]; is {
			views[i].Answers = append(views[i].Answers, v)
			continue
		} else if n.Of != "" {
			continue
		}
		span, there := notes.SpanOf(sc, n.Place)
		v.Seam, v.Clip, v.At, v.Length, v.There = n.Place.Seam, n.Place.Clip, span.From, span.Len(), there
		v.TC, v.On = sc.Timecode(span.From), onWords(sc, n.Place)
		number[n.ID] = len(views)
		views = append(views, v)
	}
	return views
}

// onWords says what a note is on.
func onWords(sc *scene.Scene, p notes.Place) string {
	switch {
	case p.Seam != "":
		x, ok := audit.SeamAt(sc, p.Seam)
		switch {
		case !ok:
			return "a seam that is gone"
		case x.Left != "" && x.Right != "":
			return "the seam " + x.LeftName + " → " + x.RightName
		}
		return "the seam at " + x.LeftName + x.RightName
	case p.Clip != "":
		if ti, ci, ok := sc.Find(p.Clip); ok {
			return "the clip " + sc.Tracks[ti].Clips[ci].Name
		}
		return "a clip that is gone"
	case p.Length > 0:
		return "a range"
	}
	return "a moment"
}

func (s *Server) notesPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	list, err := s.notesOf(r)
	if err != nil {
		return err
	}
	return s.page(w, r, "notes", view{Title: "Notes on " + st.Scene.Name, Scene: st.Key.Scene, Name: st.Scene.Name,
		Data: map[string]any{"id": st.Key.Scene, "rate": st.Scene.SampleRate, "notes": list}})
}

// listenPage is for listening: the scene, and its worst seams.
func (s *Server) listenPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	sc := st.Scene
	return s.page(w, r, "listen", view{Title: "Listen to " + sc.Name, Scene: st.Key.Scene, Name: sc.Name, Here: "notes",
		Data: map[string]any{"id": st.Key.Scene, "rate": rateOf(sc.Rate), "sample_rate": sc.SampleRate,
			"start_frame": sc.StartFrame, "length": sc.Length()}})
}

func (s *Server) notes(w http.ResponseWriter, r *http.Request) error {
	list, err := s.notesOf(r)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// notesOf are the notes of a request's scene.
func (s *Server) notesOf(r *http.Request) ([]NoteView, error) {
	st, err := s.opened(r)
	if err != nil {
		return nil, err
	}
	list, err := s.Store.Notes(r.Context(), st.Key.Scene)
	if err != nil {
		return nil, err
	}
	account := ""
	if c := store.CallerOf(r.Context()); c != nil {
		account = c.Account
	}
	return noteViews(st.Scene, list, account), nil
}

// addNote leaves a note on a seam, a clip, a moment or a range, or answers one.
func (s *Server) addNote(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Text     string       `json:"text"`
		Of       string       `json:"of"`
		Seam     audit.SeamID `json:"seam"`
		Clip     scene.ClipID `json:"clip"`
		At       int64        `json:"at"`
		Length   int64        `json:"length"`
		Approves bool         `json:"approves"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	n := store.Note{Of: q.Of, Text: q.Text, Approves: q.Approves && q.Of == ""}
	if q.Of == "" {
		if n.Place, err = notes.NewPlace(st.Scene, q.Seam, q.Clip, q.At, q.Length); err != nil {
			return refuse.Errorf("%w", err)
		}
	}
	if _, err := s.Store.AddNote(r.Context(), st.Key.Scene, n); err != nil {
		return err
	}
	return s.notes(w, r)
}

// setNote settles a note, opens it again, or gives it other words.
func (s *Server) setNote(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Settled *bool   `json:"settled"`
		Text    *string `json:"text"`
	}
	err := decode(w, r, &q)
	id, note := chi.URLParam(r, "scene"), chi.URLParam(r, "note")
	if err == nil && q.Text != nil {
		err = s.Store.RewordNote(r.Context(), id, note, *q.Text)
	}
	if err == nil && q.Settled != nil {
		err = s.Store.SettleNote(r.Context(), id, note, *q.Settled)
	}
	if err != nil {
		return err
	}
	return s.notes(w, r)
}

func (s *Server) dropNote(w http.ResponseWriter, r *http.Request) error {
	if err := s.Store.DropNote(r.Context(), chi.URLParam(r, "scene"), chi.URLParam(r, "note")); err != nil {
		return err
	}
	return s.notes(w, r)
}

// here takes that a page is open on a scene and which seam it has in hand, and answers who else is there.
func (s *Server) here(w http.ResponseWriter, r *http.Request) error {
	var q store.Page
	if err := decode(w, r, &q); err != nil {
		return err
	}
	id := chi.URLParam(r, "scene")
	if q.Page == "" || len(q.Page) > 64 || len(q.Seam) > 255 {
		return refuse.Errorf("a page has a name of 1 to 64 letters")
	}
	if err := s.Store.Here(r.Context(), id, q); err != nil {
		return err
	}
	list, err := s.Store.Pages(r.Context(), id)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}
