package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/merge"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/interchange"
	"blendseam/store"
	"blendseam/workspace"
)

// A MergeRow is what one of two versions did in one place.
type MergeRow struct {
	By       string   `json:"by"` // mine, theirs or both
	TC       string   `json:"tc"`
	At       int64    `json:"at"`
	Words    []string `json:"words"`
	Conflict int      `json:"conflict"` // index into the places that both touch, -1: none
}

// A MergeConflict is a place that both touch: one of them is taken.
type MergeConflict struct {
	Why    string `json:"why"`
	Mine   []int  `json:"mine"` // rows
	Theirs []int  `json:"theirs"`
}

// A MergeBase is a version that both may have begun with.
type MergeBase struct {
	Name  string `json:"name"` // "" is what the files say, "beginning", or a named version
	Words string `json:"words"`
}

// A MergeAnswer is what two versions of a scene did since what both began with.
type MergeAnswer struct {
	Revision  int64           `json:"revision"`
	From      string          `json:"from"` // what both began with, in words; "": it has to be said
	Bases     []MergeBase     `json:"bases"`
	Rows      []MergeRow      `json:"rows"`
	Conflicts []MergeConflict `json:"conflicts"`
	Warnings  []string        `json:"warnings"`
	Problem   string          `json:"problem"` // why what is chosen does not go together
}

// merging is a comparison that a request asks for.
type merging struct {
	st       *workspace.Scene
	answer   MergeAnswer
	found    *merge.Comparison // nil: nobody said what both began with
	now      *scene.Scene
	theirs   map[int]bool
	without  map[int]bool
	fileName string
}

// aFile says that what both began with was sent along.
const aFile = "a file"

// mergeForm is how much of a form with two scene files is held in memory.
const mergeForm = 1 << 20

// merging reads another version from a form (theirs, and from if what both began with is a file as well), and compares.
func (s *Server) merging(w http.ResponseWriter, r *http.Request) (*merging, error) {
	st, err := s.opened(r)
	if err != nil {
		return nil, err
	}
	m := &merging{st: st, answer: MergeAnswer{Revision: st.Revision, Bases: []MergeBase{}, Rows: []MergeRow{},
		Conflicts: []MergeConflict{}, Warnings: []string{}}}
	r.Body = http.MaxBytesReader(w, r.Body, 2*limit.SceneFileBytes+mergeForm)
	if err := r.ParseMultipartForm(mergeForm); err != nil {
		return nil, refuse.Errorf("the other version did not arrive whole, or is larger than %s",
			limit.Bytes(limit.SceneFileBytes))
	}
	defer r.MultipartForm.RemoveAll()
	theirs, name, err := s.versionSent(r, m, "theirs")
	if err != nil {
		return nil, err
	}
	if theirs == nil {
		return nil, refuse.Errorf("send the other version as theirs")
	}
	m.fileName = name
	base, err := s.beganWith(r, m, theirs)
	if err != nil || base == nil {
		return m, err
	}
	if m.found, err = merge.Compare(base, st.Scene, theirs, m.known()); err != nil {
		return nil, refuse.Errorf("%s is no version of this scene: %w", name, err)
	}
	if m.theirs, err = places(r.FormValue("conflicts")); err != nil {
		return nil, refuse.Because(err)
	}
	if m.without, err = places(r.FormValue("without")); err != nil {
		return nil, refuse.Because(err)
	}
	if m.now, err = m.found.Scene(m.theirs, m.without); err != nil {
		m.now, m.answer.Problem = nil, edit.Message(err)
	}
	m.rows()
	return m, nil
}

// places are numbers of rows.
func places(text string) (map[int]bool, error) {
	list, err := skipped(text)
	set := map[int]bool{}
	for _, n := range list {
		set[n] = true
	}
	return set, err
}

// versionSent reads a scene file of the form with its recordings as they are here; nil if there is none.
func (s *Server) versionSent(r *http.Request, m *merging, field string) (*scene.Scene, string, error) {
	f, head, err := r.FormFile(field)
	if errors.Is(err, http.ErrMissingFile) {
		return nil, "", nil
	}
	if err != nil {
		return nil, "", refuse.Because(err)
	}
	defer f.Close()
	name, _ := limit.Cut(head.Filename, limit.Names)
	if format, err := interchange.FormatOf(name); err != nil || len(format.Lacks) > 0 {
		return nil, "", refuse.Errorf("%q is no scene file that holds all of a scene; those end in %s", name,
			strings.Join(interchange.DefaultFormat().Extensions, " or "))
	}
	raw, err := io.ReadAll(io.LimitReader(f, limit.SceneFileBytes+1))
	if err != nil || len(raw) > limit.SceneFileBytes {
		return nil, "", refuse.Errorf("%s did not arrive whole, or is larger than %s", name,
			limit.Bytes(limit.SceneFileBytes))
	}
	sc, warnings, err := s.Ingester.Read(r.Context(), raw, name, nil)
	if err != nil {
		return nil, "", refuse.Because(err)
	}
	m.answer.Warnings = append(m.answer.Warnings, warnings...)
	return sc, name, nil
}

// beganWith finds the version that both began with: the one that is asked for, else that which the files say. It is nil
// if nobody says.
func (s *Server) beganWith(r *http.Request, m *merging, theirs *scene.Scene) (*scene.Scene, error) {
	ctx, id := r.Context(), m.st.Key.Scene
	past, _, err := s.Store.History(ctx, id)
	if err != nil {
		return nil, err
	}
	versions, err := s.Store.Versions(ctx, id)
	if err != nil {
		return nil, err
	}
	node, known := common(m.st.Scene, theirs, id)
	if known = known && slices.ContainsFunc(past, func(p store.Past) bool { return p.Node == node }); known {
		m.answer.Bases = append(m.answer.Bases, MergeBase{"", "what " + m.fileName + " was saved from"})
	}
	for _, v := range versions {
		m.answer.Bases = append(m.answer.Bases, MergeBase{v.Name, "version " + v.Name})
	}
	m.answer.Bases = append(m.answer.Bases, MergeBase{"beginning", "the scene as it began"})
	if own, _, err := s.versionSent(r, m, "from"); err != nil || own != nil {
		m.answer.From = aFile
		return own, err
	}
	switch asked := r.FormValue("base"); {
	case asked == "beginning":
		m.answer.From, node = "the scene as it began", 0
	case asked != "":
		i := slices.IndexFunc(versions, func(v store.Version) bool { return v.Name == asked })
		if i < 0 {
			return nil, refuse.Errorf("there is no version named %s", asked)
		}
		m.answer.From, node = "version "+asked, versions[i].Node
	case known:
		m.answer.From = stateWords(past, node)
	default:
		return nil, nil
	}
	return s.Store.At(ctx, id, node)
}

// common is the state of a scene's log that another version comes from, as its file says: that of this scene, or the
// one that both came from, with which this log began.
func common(mine, theirs *scene.Scene, id string) (node int64, ok bool) {
	for _, o := range slices.Backward(theirs.Origins) {
		if o.Scene == id {
			return o.State, true
		}
	}
	for _, o := range theirs.Origins {
		for _, own := range mine.Origins {
			if own.Scene == o.Scene {
				return 0, true
			}
		}
	}
	return 0, false
}

// stateWords names a state of the past.
func stateWords(past []store.Past, node int64) string {
	i := slices.IndexFunc(past, func(p store.Past) bool { return p.Node == node })
	if node == 0 || i < 0 {
		return "the scene as it began"
	}
	return fmt.Sprintf("edit %d (%s)", i, past[i].Words)
}

// known tells whether what both began with is in the scene's log.
func (m *merging) known() merge.Known {
	if m.answer.From == aFile {
		return merge.None
	}
	return merge.OfBase
}

func (m *merging) rows() {
	where := cmp.Or(m.now, m.st.Scene)
	for i, x := range m.found.Rows {
		at := m.found.Where(i, where)
		row := MergeRow{By: x.By.String(), At: at, TC: where.Timecode(at), Words: x.Words, Conflict: x.Conflict}
		if x.Both {
			row.By = "both"
		}
		m.answer.Rows = append(m.answer.Rows, row)
	}
	for _, x := range m.found.Conflicts {
		m.answer.Conflicts = append(m.answer.Conflicts, MergeConflict{x.Why, append([]int{}, x.Mine...),
			append([]int{}, x.Theirs...)})
	}
}

// compare tells what two versions of a scene did.
func (s *Server) compare(w http.ResponseWriter, r *http.Request) error {
	m, err := s.merging(w, r)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, m.answer)
}

// mergedSound sends what the scene would sound like around a moment with what is chosen of the other version.
func (s *Server) mergedSound(w http.ResponseWriter, r *http.Request) error {
	m, err := s.chosen(w, r)
	if err != nil {
		return err
	}
	return sendAround(w, r, m.st, edit.NewMerge(m.st.Scene, m.now, ""), "both versions")
}

// chosen is a comparison of which something comes out.
func (s *Server) chosen(w http.ResponseWriter, r *http.Request) (*merging, error) {
	m, err := s.merging(w, r)
	switch {
	case err != nil:
		return nil, err
	case m.found == nil:
		return nil, refuse.Errorf("say which version both began with")
	case m.now == nil:
		return nil, refuse.Errorf("what is chosen does not go together: %s", m.answer.Problem)
	}
	return m, nil
}

// takeMerged puts what is chosen of the other version into the scene, as one edit.
func (s *Server) takeMerged(w http.ResponseWriter, r *http.Request) error {
	m, err := s.chosen(w, r)
	if err != nil {
		return err
	}
	revision, err := strconv.ParseInt(r.FormValue("revision"), 10, 64)
	if err != nil {
		return refuse.Errorf("revision must be the number of the edit that was compared")
	}
	n := 0
	for i, x := range m.found.Rows {
		if x.By == merge.Theirs && m.found.Takes(i, m.theirs, m.without) {
			n++
		}
	}
	if n == 0 {
		return refuse.Errorf("nothing of the other version is chosen")
	}
	words := fmt.Sprintf("%d changes taken from %s", n, m.fileName)
	if n == 1 {
		words = "one change taken from " + m.fileName
	}
	e := edit.NewMerge(m.st.Scene, m.now, words)
	c, err := s.Store.Edit(context.WithoutCancel(r.Context()), m.st.Key.Scene, revision, e)
	return s.edited(w, r, editRequest{Revision: revision, Page: cmp.Or(r.FormValue("page"), "-")}, c, err)
}
