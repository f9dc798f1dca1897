package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/app"
	"blendseam/core/audit"
	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/timecode"
	"blendseam/export"
	"blendseam/interchange"
	"blendseam/media"
	"blendseam/media/peaks"
	"blendseam/store"
	"blendseam/web/commands"
	"blendseam/workspace"
)

// A StateView is a whole scene as its page needs it.
type StateView struct {
	*scene.Scene `tstype:",extends,required"`
	Revision     int64  `json:"revision"`
	Undo         string `json:"undo"` // what undo would take back, in words
	Redo         string `json:"redo"`
}

// ScenePage is what the scene page begins with.
type ScenePage struct {
	ID       string             `json:"id"`
	State    StateView          `json:"state"`
	Rate     RateView           `json:"rate"`
	Commands []commands.Command `json:"commands"`
	Hues     []string           `json:"hues"`
	Rooms    []string           `json:"rooms"` // made-up ones, for reverberation
	Laws     []LawView          `json:"laws"`
	Shapes   []ShapeView        `json:"shapes"`
	Blends   []scene.Style      `json:"blends"` // by name, the default one first
	Measures []audit.Measure    `json:"measures"`
	Media    MediaView          `json:"media"`
	Formats  []FormatView       `json:"formats"` // of scene files, the usual one first
	Kinds    []KindView         `json:"kinds"`   // of files of sound
}

// A FormatView is a way of writing the scene down.
type FormatView struct {
	Name   string   `json:"name"`
	Ending string   `json:"ending"`
	Lacks  []string `json:"lacks"` // what it cannot carry
	Loses  []string `json:"loses"` // what of this scene it does not, in a few words
	Lost   []string `json:"lost"`  // the same clip by clip
	Joins  bool     `json:"joins"` // what it cannot can be in recordings of its own
}

// formats are the ways of writing a scene down, the usual one first.
func formats(s *scene.Scene) []FormatView {
	usual := interchange.DefaultFormat()
	list := []FormatView{}
	for _, f := range interchange.Formats() {
		v := FormatView{Name: f.Name, Ending: f.Extensions[0], Lacks: append([]string{}, f.Lacks...),
			Loses: append([]string{}, f.Lost(s)...), Lost: []string{}, Joins: export.Joins(s, f)}
		for _, l := range f.LostOf(s) {
			v.Lost = append(v.Lost, l.Words(s))
		}
		if f.Name == usual.Name {
			list = slices.Insert(list, 0, v)
		} else {
			list = append(list, v)
		}
	}
	return list
}

type RateView struct {
	Num     int64  `json:"num"`
	Den     int64  `json:"den"`
	Drop    bool   `json:"drop"`
	Nominal int64  `json:"nominal"`
	Words   string `json:"words,omitempty"` // "29.97 fps, drop-frame"
}

type MediaView struct {
	PeakSteps []int64 `json:"peak_steps"`
	TileBins  int64   `json:"tile_bins"`
	Width     int     `json:"width"`
	Height    int     `json:"height"`
	Columns   int     `json:"columns"`
}

// sheets is how peaks and pictures are kept.
var sheets = MediaView{peaks.Steps, peaks.TileBins, media.PictureWidth, media.PictureHeight, media.SheetColumns}

func rateWords(r timecode.Rate) string {
	name, _ := strings.CutSuffix(r.String(), " drop")
	words := name + " fps"
	if r.Drop {
		return words + ", drop-frame"
	}
	if r.Den != 1 && r.Nominal()%30 == 0 {
		return words + ", non-drop"
	}
	return words
}

func rateOf(r timecode.Rate) RateView {
	return RateView{r.Num, r.Den, r.Drop, r.Nominal(), rateWords(r)}
}

func (s *Server) scenePage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, err := s.Open(r.Context(), id)
	if err != nil {
		return err
	}
	if err := s.Renew(r.Context(), st); err != nil {
		return err
	}
	commands, err := s.commands(r)
	if err != nil {
		return err
	}
	production, err := s.Store.ProductionOf(r.Context(), id)
	if err != nil {
		return err
	}
	blends, err := s.Store.Blends(r.Context(), production)
	if err != nil {
		return err
	}
	data := ScenePage{
		ID:       id,
		State:    StateView{st.Scene, st.Revision, st.Undo, st.Redo},
		Rate:     rateOf(st.Scene.Rate),
		Commands: commands,
		Hues:     scene.Hues,
		Rooms:    effects.RoomNames(),
		Laws:     lawViews(),
		Shapes:   shapeViews(),
		Blends:   blends,
		Measures: audit.Table,
		Media:    sheets,
		Kinds:    kinds(),
		Formats:  formats(&scene.Scene{}), // what of it is lost is said where it is handed over
	}
	return s.page(w, r, "scene", view{Title: st.Scene.Name, Scene: id, Name: st.Scene.Name, Data: data})
}

func (s *Server) state(w http.ResponseWriter, r *http.Request) error {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, StateView{st.Scene, st.Revision, st.Undo, st.Redo})
}

// sceneFile sends the scene as a scene file. Recordings are named as they were brought in.
func (s *Server) sceneFile(w http.ResponseWriter, r *http.Request) error {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	ending := "." + chi.URLParam(r, "format")
	format, err := interchange.FormatOf(ending)
	if err != nil {
		return store.ErrNotFound
	}
	noted, err := s.Noted(r.Context(), chi.URLParam(r, "scene"), st.Scene)
	if err != nil {
		return err
	}
	raw, err := format.Write(scene.SavedFrom(noted, scene.Origin{Scene: chi.URLParam(r, "scene"), State: st.Node}))
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", format.MediaType)
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", fileName(st.Scene.Name)+ending))
	w.Write(raw)
	return nil
}

// An editRequest is an edit from a page, at the revision that the page shows.
type editRequest struct {
	Revision int64           `json:"revision"`
	Edit     json.RawMessage `json:"edit"`
	Page     string          `json:"page"` // which page asks, so that it need not be told
	Last     bool            `json:"last"` // of undo and redo: the scene's last, whoever did it
}

// An EditAnswer says what an edit changed.
type EditAnswer struct {
	Revision int64   `json:"revision"`
	Words    string  `json:"words"`
	Undo     string  `json:"undo"`
	Redo     string  `json:"redo"`
	Changes  Changes `json:"changes"`
}

func (s *Server) editRequest(w http.ResponseWriter, r *http.Request) (q editRequest, err error) {
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit.RequestBytes))
	if err == nil {
		err = json.Unmarshal(raw, &q)
	}
	if err != nil {
		return q, refuse.Errorf(`the request is not {"revision": ..., "edit": {...}}: %w`, err)
	}
	return q, nil
}

// An admission puts what the library knows of recordings in the place of what an edit of a scene says of them: s.Admit
// for an edit that is done, s.Look for one that is only tried.
type admission func(ctx context.Context, scene string, e edit.Edit) error

// editAsked reads a request with an edit in it.
func (s *Server) editAsked(
	w http.ResponseWriter, r *http.Request, admit admission,
) (q editRequest, e edit.Edit, err error) {
	if q, err = s.editRequest(w, r); err != nil {
		return q, nil, err
	}
	e, err = s.parseEdit(r, q.Edit, admit)
	return q, e, err
}

// parseEdit reads an edit of a request's scene.
func (s *Server) parseEdit(r *http.Request, raw []byte, admit admission) (edit.Edit, error) {
	e, err := edit.Parse(raw)
	if err != nil {
		return nil, refuse.Because(err)
	}
	if err := s.fromPage(r.Context(), e); err != nil {
		return nil, err
	}
	return e, admit(r.Context(), chi.URLParam(r, "scene"), e)
}

// fromPage refuses what no page sends: a merge is made here, of a scene file. Words of a batch that name somebody else
// of the accounts are not taken, so that nobody writes for another; the edits tell themselves then.
func (s *Server) fromPage(ctx context.Context, e edit.Edit) error {
	switch e := e.(type) {
	case *edit.Merge:
		return refuse.Errorf("another version is taken on the page Come back, from its scene file")
	case *edit.Batch:
		for _, one := range e.Edits {
			if err := s.fromPage(ctx, one.Edit); err != nil {
				return err
			}
		}
		c := store.CallerOf(ctx)
		if e.Words == "" || c == nil {
			return nil
		}
		others, err := s.Store.Accounts(ctx)
		if err != nil {
			return err
		}
		said := strings.ToLower(e.Words)
		for _, a := range others {
			if a.ID != c.Account && (strings.Contains(said, strings.ToLower(a.Shown)) ||
				strings.Contains(said, strings.ToLower(a.Name))) {
				e.Words = ""
			}
		}
	}
	return nil
}

func (s *Server) edit(w http.ResponseWriter, r *http.Request) error {
	q, e, err := s.editAsked(w, r, s.Admit)
	if err != nil {
		return err
	}
	if e, err = s.knowing(r, e); err != nil {
		return err
	}
	c, err := s.Store.EditSince(r.Context(), chi.URLParam(r, "scene"), q.Revision, e)
	return s.edited(w, r, q, c, err)
}

// knowing is an edit with what it needs to know besides; a scene in which no track makes way for words needs nothing.
func (s *Server) knowing(r *http.Request, e edit.Edit) (edit.Edit, error) {
	st, err := s.opened(r)
	if err != nil {
		return nil, err
	}
	return st.Knowing(r.Context(), e)
}

func (s *Server) undo(w http.ResponseWriter, r *http.Request) error {
	return s.travel(w, r, s.Store.UndoMine, s.Store.Undo, app.NothingToUndo)
}

func (s *Server) redo(w http.ResponseWriter, r *http.Request) error {
	return s.travel(w, r, s.Store.RedoMine, s.Store.Redo, app.NothingToRedo)
}

func (s *Server) travel(
	w http.ResponseWriter,
	r *http.Request,
	mine, last func(context.Context, string, int64) (store.Change, bool, error),
	none string,
) error {
	q, err := s.editRequest(w, r)
	if err != nil {
		return err
	}
	step := mine
	if q.Last {
		step = last
	}
	c, ok, err := step(r.Context(), chi.URLParam(r, "scene"), q.Revision)
	if err == nil && !ok {
		none = s.NoStep(r.Context(), chi.URLParam(r, "scene"), none)
		return s.answer(w, http.StatusUnprocessableEntity, problem{Message: none})
	}
	return s.edited(w, r, q, c, err)
}

// edited answers an edit, and tells the other pages.
func (s *Server) edited(w http.ResponseWriter, r *http.Request, q editRequest, c store.Change, err error) error {
	s.figures.edits.WithLabelValues(outcome(err)).Inc()
	if err != nil {
		return err
	}
	err = s.answer(w, http.StatusOK, EditAnswer{c.Revision, c.Words, c.Undo, c.Redo, compare(c.Before, c.Scene)})
	s.TellEdited(r.Context(), chi.URLParam(r, "scene"), q.Page, c)
	return err
}

// changes is what differs between two states of a scene: what is not named stayed as it was.
type Changes struct {
	Name    *string                 `json:"name,omitempty"`
	Markers *[]scene.Marker         `json:"markers,omitempty"`
	Pairs   *[]scene.Pair           `json:"pairs,omitempty"`
	Sources map[string]scene.Source `json:"sources,omitempty"` // new or changed
	Order   []scene.TrackID         `json:"order,omitempty"`   // ids of all tracks
	Tracks  []TrackChanges          `json:"tracks,omitempty"`
}

// TrackChanges has a track without its clips, and the clips that are new, changed or gone.
type TrackChanges struct {
	Track scene.Track     `json:"track"`
	Set   []scene.Clip    `json:"set,omitempty"`
	Moved workspace.Moved `json:"moved,omitempty"` // changed in nothing but their start, in the track's unit
	Gone  []scene.ClipID  `json:"gone,omitempty"`
}

func compare(before, after *scene.Scene) Changes {
	var c Changes
	if before.Name != after.Name {
		c.Name = &after.Name
	}
	if !reflect.DeepEqual(before.Markers, after.Markers) {
		c.Markers = &after.Markers
	}
	if !reflect.DeepEqual(before.Pairs, after.Pairs) {
		c.Pairs = &after.Pairs
	}
	if reflect.ValueOf(before.Sources).Pointer() != reflect.ValueOf(after.Sources).Pointer() {
		c.Sources = maps.Clone(after.Sources)
		maps.DeleteFunc(c.Sources, func(id string, s scene.Source) bool { return reflect.DeepEqual(before.Sources[id], s) })
	}
	ids := func(s *scene.Scene) (list []scene.TrackID) {
		for _, t := range s.Tracks {
			list = append(list, t.ID)
		}
		return list
	}
	if order := ids(after); !slices.Equal(ids(before), order) {
		c.Order = order
	}
	for _, t := range after.Tracks {
		if was := before.Track(t.ID); was != t {
			c.Tracks = append(c.Tracks, compareTrack(was, t))
		}
	}
	return c
}

func compareTrack(before, after *scene.Track) TrackChanges {
	c := TrackChanges{Track: *after}
	c.Track.Clips = nil
	was := map[scene.ClipID]scene.Clip{}
	if before != nil {
		for _, clip := range before.Clips {
			was[clip.ID] = clip
		}
	}
	for _, clip := range after.Clips {
		old, there := was[clip.ID]
		delete(was, clip.ID)
		if there && old.Equal(clip) {
			continue
		}
		by := clip.Start - old.Start
		if old.Start = clip.Start; !there || !old.Equal(clip) {
			c.Set = append(c.Set, clip)
			continue
		}
		c.Moved.Add(by, string(clip.ID))
	}
	c.Gone = slices.Sorted(maps.Keys(was))
	return c
}
