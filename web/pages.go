package web

import (
	"bytes"
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	"blendseam/store"
)

//go:embed templates/*.html
var templateFiles embed.FS

// templates has each page under the name of its file; all share layout.html.
var templates = func() map[string]*template.Template {
	all := map[string]*template.Template{}
	files, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is right
	}
	for _, file := range files {
		name := strings.TrimSuffix(path.Base(file), ".html")
		if name == "layout" {
			continue
		}
		all[name] = template.Must(template.New("").Funcs(template.FuncMap{"ago": ago, "minutes": minutes}).
			ParseFS(templateFiles, "templates/layout.html", "templates/"+name+".html"))
	}
	return all
}()

// A view is what a page is made from.
type view struct {
	Title   string
	Scene   string // id
	Name    string
	Screen  string // its name
	Here    string // the screen of the navigation that it belongs to
	Data    any    // what the page's script begins with
	List    any
	Problem string
	Person  *store.Caller // who looks at it, nil where nobody is asked
	Role    store.Role    // theirs in the scene
}

// Signed tells whether somebody is signed in.
func (v view) Signed() bool { return v.Person != nil && v.Person.Account != "" }

// May tells whether whoever looks may edit in a production, or with "" in any.
func (v view) May(production string) bool { return v.covers(production, store.Editor) }

// Owns tells whether whoever looks may do what owners of a production do.
func (v view) Owns(production string) bool { return v.covers(production, store.Owner) }

func (v view) covers(production string, least store.Role) bool {
	if v.Person == nil {
		return true
	}
	role := v.Person.Best()
	if production != "" {
		role = v.Person.Roles[production]
	}
	return role.Covers(least)
}

// JSON is the data for the page's script.
func (v view) JSON() (template.JS, error) {
	raw, err := json.Marshal(v.Data) // escapes <, > and &
	return template.JS(raw), err
}

func (s *Server) page(w http.ResponseWriter, r *http.Request, name string, v view) error {
	return s.pageAs(w, r, http.StatusOK, name, v)
}

func (s *Server) pageAs(w http.ResponseWriter, r *http.Request, status int, name string, v view) error {
	v.Screen = name
	v.Person = store.CallerOf(r.Context())
	if v.Scene != "" && v.Person != nil {
		var err error
		if v.Role, err = s.Store.RoleIn(r.Context(), "scene", v.Scene); err != nil {
			return err
		}
	}
	if v.Here == "" {
		v.Here = name
	}
	var b bytes.Buffer
	if err := templates[name].ExecuteTemplate(&b, "layout.html", v); err != nil {
		return fmt.Errorf("the page %s could not be made: %w", name, err)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	w.Write(b.Bytes())
	return nil
}

func ago(t time.Time) string {
	switch d := time.Since(t); {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", int(d.Minutes()))
	case d < 24*time.Hour:
		return fmt.Sprintf("%d h ago", int(d.Hours()))
	}
	return t.Format("2 January 2006")
}

func minutes(seconds float64) string {
	n := int(seconds + 0.5)
	return fmt.Sprintf("%d:%02d", n/60, n%60)
}

func (s *Server) scenesPage(w http.ResponseWriter, r *http.Request) error {
	list, err := s.Store.Scenes(r.Context())
	if err != nil {
		return err
	}
	productions, err := s.Store.Productions(r.Context())
	if err != nil {
		return err
	}
	productions = slices.DeleteFunc(productions, func(p store.Production) bool { return !p.Role.Covers(store.Editor) })
	s.MeasureLeft(r.Context(), list) // what was never opened since it was brought in
	var rates []string
	for _, rate := range timecode.Rates {
		rates = append(rates, rate.String())
	}
	return s.page(
		w, r,
		"scenes",
		view{
			Title: "Scenes",
			List:  list,
			Data: map[string]any{"rates": rates, "endings": interchange.Endings(","),
				"productions": productions},
		},
	)
}

// A NewScene says which scene is made.
type NewScene struct {
	Name       string `json:"name"`
	Rate       string `json:"rate" doc:"Frames a second: 23.976, 24, 25, 29.97, 29.97 drop, 30 ... 25 if not given."`
	SampleRate int64  `json:"sample_rate" doc:"48000 if not given."`
	Channels   int    `json:"channels" doc:"1 or 2; 2 if not given."`
	Tracks     bool   `json:"tracks" doc:"Begin with a track of each purpose."`
	Production string `json:"production" doc:"Its id; needed where whoever asks edits in several."`
}

func (s *Server) newScene(w http.ResponseWriter, r *http.Request) error {
	q := NewScene{Rate: "25", SampleRate: 48000, Channels: 2}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	rate, err := timecode.ParseRate(q.Rate)
	switch {
	case err != nil:
	case strings.TrimSpace(q.Name) == "":
		err = errors.New("A scene needs a name of at least one letter.")
	case q.SampleRate < 8000 || q.SampleRate > 192000:
		err = fmt.Errorf("A sample rate of %d is outside 8000 to 192000.", q.SampleRate)
	case q.Channels != 1 && q.Channels != 2:
		err = fmt.Errorf("A scene has 1 or 2 channels, not %d.", q.Channels)
	}
	if err != nil {
		return refuse.Because(err)
	}
	sc := scene.New(strings.TrimSpace(q.Name), rate, q.SampleRate)
	sc.Channels = q.Channels
	if q.Tracks {
		for _, t := range edit.FirstTracks {
			if sc, err = edit.Apply(sc, &t); err != nil {
				return err
			}
		}
	}
	home, err := store.Home(r.Context(), q.Production)
	if err != nil {
		return err
	}
	id, err := s.Store.Create(r.Context(), sc, home)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusCreated, map[string]string{"id": id})
}

// copyScene makes another scene of a scene as it is now, without its past.
func (s *Server) copyScene(w http.ResponseWriter, r *http.Request) error {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	sc := *st.Scene
	sc.Name, _ = limit.Cut("Copy of "+sc.Name, limit.Names)
	home, err := s.Store.ProductionOf(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	id, err := s.Store.Create(r.Context(), &sc, home)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusCreated, map[string]string{"id": id})
}

// moveScene gives a scene to another production, of which whoever asks is an editor too.
func (s *Server) moveScene(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Production string `json:"production"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	id := chi.URLParam(r, "scene")
	was, err := s.Store.ProductionOf(r.Context(), id)
	if err != nil {
		return err
	}
	to, err := s.Store.Production(r.Context(), q.Production)
	if errors.Is(err, store.ErrNotFound) {
		return refuse.Errorf("There is no such production among yours.")
	} else if err != nil {
		return err
	}
	if _, err := store.Home(r.Context(), to.ID); err != nil {
		return err
	}
	if was == to.ID {
		return refuse.Errorf("The scene is in %s already.", to.Name)
	}
	if err := s.Store.Move(r.Context(), id, to.ID); err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]string{"production": to.Name})
}

func (s *Server) loadDemo(w http.ResponseWriter, r *http.Request) error {
	home, err := store.Home(r.Context(), r.URL.Query().Get("production"))
	if err != nil {
		return err
	}
	id, err := s.Demo(context.WithoutCancel(r.Context()), home)
	if err != nil {
		return err
	}
	s.Returned() // a recording of it may have been gone
	if err := s.AnalyseScene(r.Context(), id); err != nil {
		return err
	}
	return s.answer(w, http.StatusCreated, map[string]string{"id": id})
}

func (s *Server) deleteScene(w http.ResponseWriter, r *http.Request) error {
	if err := s.ForgetAllMade(r.Context(), chi.URLParam(r, "scene")); err != nil {
		return err
	}
	if err := s.Store.Delete(r.Context(), chi.URLParam(r, "scene")); err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}
