package edit

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// An Edit is one thing an editor does, as a small value. Times in it are samples.
type Edit interface {
	// apply changes the draft or gives a Refusal.
	apply(d *draft) error
	// words says what the edit does, to a scene as it is before and after it.
	words(before, after *scene.Scene) string
}

// edits is the table of all edits by their name on the wire.
var edits = map[string]func() Edit{
	"several":        func() Edit { return new(Batch) },
	"rename":         func() Edit { return new(Rename) },
	"bring":          func() Edit { return new(Bring) },
	"add":            func() Edit { return new(Add) },
	"move":           func() Edit { return new(Move) },
	"trim":           func() Edit { return new(Trim) },
	"nudge":          func() Edit { return new(Nudge) },
	"roll":           func() Edit { return new(Roll) },
	"place_cut":      func() Edit { return new(PlaceCut) },
	"slip":           func() Edit { return new(Slip) },
	"slide":          func() Edit { return new(Slide) },
	"swap":           func() Edit { return new(Swap) },
	"duplicate":      func() Edit { return new(Duplicate) },
	"fill":           func() Edit { return new(Fill) },
	"divide":         func() Edit { return new(Divide) },
	"fit":            func() Edit { return new(Fit) },
	"join":           func() Edit { return new(Join) },
	"reopen":         func() Edit { return new(Reopen) },
	"add_take":       func() Edit { return new(AddTake) },
	"drop_take":      func() Edit { return new(DropTake) },
	"use_take":       func() Edit { return new(UseTake) },
	"recut":          func() Edit { return new(Recut) },
	"merge":          func() Edit { return new(Merge) },
	"link_source":    func() Edit { return new(LinkSource) },
	"remove":         func() Edit { return new(Remove) },
	"remove_range":   func() Edit { return new(RemoveRange) },
	"close_gap":      func() Edit { return new(CloseGap) },
	"paste":          func() Edit { return new(Paste) },
	"gain":           func() Edit { return new(Gain) },
	"fade":           func() Edit { return new(FadeEdge) },
	"set_clip":       func() Edit { return new(SetClip) },
	"set_level":      func() Edit { return new(SetLevel) },
	"raise":          func() Edit { return new(Raise) },
	"set_filters":    func() Edit { return new(SetFilters) },
	"dissolve":       func() Edit { return new(Dissolve) },
	"speed":          func() Edit { return new(Speed) },
	"treat_range":    func() Edit { return new(TreatRange) },
	"set_treatments": func() Edit { return new(SetTreatments) },
	"set_like":       func() Edit { return new(SetLike) },
	"set_ducks":      func() Edit { return new(SetDucks) },
	"know":           func() Edit { return new(SetSpeech) },
	"duck_to_line":   func() Edit { return new(DuckToLine) },
	"lull":           func() Edit { return new(AddLull) },
	"set_room":       func() Edit { return new(SetRoom) },
	"set_lull":       func() Edit { return new(SetLull) },
	"remove_lull":    func() Edit { return new(RemoveLull) },
	"lay_tone":       func() Edit { return new(LayTone) },
	"keep":           func() Edit { return new(Keep) },
	"accept":         func() Edit { return new(Accept) },
	"set_blend":      func() Edit { return new(SetBlend) },
	"overlap":        func() Edit { return new(Overlap) },
	"remove_blend":   func() Edit { return new(RemoveBlend) },
	"set_pair":       func() Edit { return new(SetPair) },
	"remove_pair":    func() Edit { return new(RemovePair) },
	"link":           func() Edit { return new(Link) },
	"unlink":         func() Edit { return new(Unlink) },
	"lead":           func() Edit { return new(Lead) },
	"lead_all":       func() Edit { return new(LeadAll) },
	"resync":         func() Edit { return new(Resync) },
	"add_track":      func() Edit { return new(AddTrack) },
	"set_track":      func() Edit { return new(SetTrack) },
	"move_track":     func() Edit { return new(MoveTrack) },
	"remove_track":   func() Edit { return new(RemoveTrack) },
	"add_marker":     func() Edit { return new(AddMarker) },
	"set_marker":     func() Edit { return new(SetMarker) },
	"remove_marker":  func() Edit { return new(RemoveMarker) },
	"rename_source":  func() Edit { return new(RenameSource) },
	"set_start":      func() Edit { return new(SetStart) },
	"correct":        func() Edit { return new(Correct) },
	"set_stretch":    func() Edit { return new(SetStretch) },
	"drop_stretch":   func() Edit { return new(DropStretch) },
}

// Names are the names of all edits, in order.
func Names() []string { return slices.Sorted(maps.Keys(edits)) }

// editNames is the table the other way round.
var editNames = func() map[reflect.Type]string {
	m := map[reflect.Type]string{}
	for name, make := range edits {
		m[reflect.TypeOf(make()).Elem()] = name
	}
	return m
}()

// Parse reads an edit from its JSON: {"edit":"trim","clip":"c7",...}. Unknown edits and fields are errors, and so are
// batches within batches and numbers that no scene has.
func Parse(raw []byte) (Edit, error) {
	e, err := parse(raw, 1)
	if err != nil {
		return nil, err
	}
	if where := beyond(reflect.ValueOf(e), ""); where != "" {
		return nil, fmt.Errorf("edit %s: %s is beyond anything that a scene has", NameOf(e), strings.TrimPrefix(where, "."))
	}
	return e, nil
}

// ParseKept reads an edit that was done before, as an earlier release may have kept it.
func ParseKept(raw []byte) (Edit, error) { return parse(raw, keptDepth) }

// keptDepth is how deep earlier releases may have put batches into batches.
const keptDepth = 16

// parse reads an edit; batches may lie so deep in one another.
func parse(raw []byte, depth int) (Edit, error) {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(raw, &fields); err != nil {
		return nil, fmt.Errorf("edit is not a JSON object: %w", err)
	}
	var name string
	if err := json.Unmarshal(fields["edit"], &name); err != nil {
		return nil, errors.New(`edit without its name, {"edit":"trim",...}`)
	}
	build, ok := edits[name]
	if !ok {
		short, _ := limit.Cut(name, 40)
		return nil, fmt.Errorf("edit %q is not one of %s", short, strings.Join(Names(), ", "))
	}
	delete(fields, "edit")
	rest, err := json.Marshal(fields)
	if err != nil {
		return nil, err
	}
	e := build()
	dec := json.NewDecoder(bytes.NewReader(rest))
	dec.DisallowUnknownFields()
	if batch, ok := e.(*Batch); ok {
		err = batch.decode(dec, depth)
	} else {
		err = dec.Decode(e)
	}
	if err != nil {
		return nil, fmt.Errorf("edit %s: %w", name, err)
	}
	return e, nil
}

// highest is above all numbers in an edit, with room for what is reckoned from them.
const highest = int64(1) << 46

// beyond names a field with a number that no scene has, or with nothing where something must be; "" if there is none.
func beyond(v reflect.Value, name string) string {
	switch v.Kind() {
	case reflect.Int, reflect.Int64:
		if n := v.Int(); n > highest || n < -highest {
			return name
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return beyond(v.Elem(), name)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				if where := beyond(v.Field(i), name+"."+strings.ToLower(f.Name)); where != "" {
					return where
				}
			}
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k == reflect.Uint8 || k == reflect.String || k == reflect.Float64 {
			return ""
		}
		for i := range v.Len() {
			item, at := v.Index(i), fmt.Sprintf("%s %d", name, i+1)
			if item.Kind() == reflect.Pointer && item.IsNil() {
				return at
			}
			if where := beyond(item, at); where != "" {
				return where
			}
		}
	case reflect.Map:
		for key, item := range v.Seq2() {
			if where := beyond(item, name+" "+key.String()); where != "" {
				return where
			}
		}
	}
	return ""
}

// NameOf is the name of an edit on the wire.
func NameOf(e Edit) string { return editNames[reflect.Indirect(reflect.ValueOf(e)).Type()] }

// Marshal writes an edit as Parse reads it.
func Marshal(e Edit) ([]byte, error) {
	v := reflect.Indirect(reflect.ValueOf(e))
	name, ok := editNames[v.Type()]
	if !ok {
		return nil, fmt.Errorf("%T is not in the table of edits", e)
	}
	body, err := json.Marshal(v.Addr().Interface())
	if err != nil {
		return nil, err
	}
	head := []byte(`{"edit":"` + name + `"`)
	if len(body) > 2 {
		head = append(head, ',')
	}
	return append(head, body[1:]...), nil
}

// Apply gives the scene after an edit. s is left as it is, and shares with the result the tracks that the edit
// did not touch. An edit that cannot be done gives a Refusal.
func Apply(s *scene.Scene, e Edit) (*scene.Scene, error) {
	return finish(newDraft(s), e)
}

// Replay does again an edit that was done before. It does not ask whether the edit is of use or keeps sync, which an
// earlier release may have seen otherwise: what was done once can always be done again.
func Replay(s *scene.Scene, e Edit) (*scene.Scene, error) {
	d := newDraft(s)
	d.replay = true
	return finish(d, e)
}

func finish(d *draft, e Edit) (*scene.Scene, error) {
	if err := e.apply(d); err != nil {
		return nil, refused(err)
	}
	d.dropLostBlends()
	d.fitPairs()
	d.fitPatches()
	if !d.replay {
		if err := d.keepsSync(e); err != nil {
			return nil, err
		}
	}
	for _, t := range d.Tracks {
		if !d.own[t] {
			continue
		}
		if t.Clips == nil { // on the wire a list is never null
			t.Clips = []scene.Clip{}
		}
		err := scene.CheckTrack(d.Scene, t)
		if err == nil && !d.replay {
			err = scene.CheckBounds(d.Scene, t)
		}
		err = refused(err)
		if _, ok := err.(Refusal); err != nil && !ok {
			err = notPossible("This cannot be done: %s.", err)
		}
		if err != nil {
			return nil, err
		}
	}
	if !d.replay {
		if err := checkWeight(d.base, d.Scene); err != nil {
			return nil, err
		}
	}
	if len(d.Tracks) > max(limit.Tracks, len(d.base.Tracks)) {
		return nil, notPossible("A scene has at most %d tracks.", limit.Tracks)
	}
	return d.Scene, nil
}

// Describe says in words what an edit did: the edit itself, what it took with it, and what it did to the
// scene's length.
func Describe(before, after *scene.Scene, e Edit) string {
	parts := append([]string{e.words(before, after)}, cutWords(e)...)
	if n := lostBlends(before, after); n > 0 {
		_, removed := e.(*RemoveBlend)
		if _, joined := e.(*Join); !removed && !joined { // those of what is joined are heard in it
			parts = append(parts, fmt.Sprintf("%s taken off", phrase.Count(n, "blend")))
		}
	}
	if n := scene.LostPatches(before, after); n > 0 {
		parts = append(parts, fmt.Sprintf("%s gone with its hole", phrase.Count(n, "patch")))
	}
	if by := after.Length() - before.Length(); by > 0 {
		parts = append(parts, "scene "+scene.LengthWords(before, by)+" longer")
	} else if by < 0 {
		parts = append(parts, "scene "+scene.LengthWords(before, by)+" shorter")
	}
	parts[0] = limit.Told(parts[0])
	return strings.Join(parts, "; ")
}

func lostBlends(before, after *scene.Scene) int {
	n := 0
	for i, t := range before.Tracks {
		if i < len(after.Tracks) && after.Tracks[i] == t {
			continue
		}
		now := after.Track(t.ID)
		for _, b := range t.Blends {
			if now == nil || !now.HasBlend(b.Left, b.Right) {
				n++
			}
		}
	}
	return n
}

// A draft is a scene being edited. Tracks are copied when first touched.
type draft struct {
	*scene.Scene
	base   *scene.Scene // as it was before the edit
	own    map[*scene.Track]bool
	trial  bool                  // only asks whether an alternative would work
	replay bool                  // does again what was done before
	free   map[scene.LinkID]bool // links that are made on purpose, in sync or not
}

func newDraft(s *scene.Scene) *draft {
	c := *s
	c.Tracks = slices.Clone(s.Tracks)
	return &draft{Scene: &c, base: s, own: map[*scene.Track]bool{}, free: map[scene.LinkID]bool{}}
}

// suggest offers an edit in place of a refused one if it works on the scene as it was.
func (d *draft) suggest(to *options, words string, e Edit) {
	if d.trial {
		return
	}
	try := newDraft(d.base)
	try.trial = true
	if _, err := finish(try, e); err == nil {
		to.offer(words, e)
	}
}

// touch gives a track that may be changed.
func (d *draft) touch(i int) *scene.Track {
	t := d.Tracks[i]
	if d.own[t] {
		return t
	}
	c := *t
	c.Clips = slices.Clone(t.Clips)
	c.Blends = slices.Clone(t.Blends)
	d.Tracks[i] = &c
	d.own[&c] = true
	return &c
}

// open gives a clip that may be changed, with its track; a Refusal if there is none or the track is locked.
func (d *draft) open(id scene.ClipID) (*scene.Track, *scene.Clip, error) {
	ti, ci, ok := d.Find(id)
	if !ok {
		return nil, nil, notPossible("There is no clip %q in this scene; it may have been removed.", id)
	}
	if err := d.unlocked(d.Tracks[ti]); err != nil {
		return nil, nil, err
	}
	t := d.touch(ti)
	return t, &t.Clips[ci], nil
}

func (d *draft) unlocked(t *scene.Track) error {
	if !t.Locked {
		return nil
	}
	off := false
	r := &LockedTrack{Track: t.ID, words: fmt.Sprintf("Track %s is locked.", t.Name)}
	r.offer("unlock track "+t.Name, &SetTrack{Track: t.ID, Locked: &off})
	return r
}

// newLink is a link that no clip has: scene files bring links of their own naming.
func (d *draft) newLink() scene.LinkID {
	for {
		if link := scene.NewID(d.Scene, scene.ALink); len(linkedBy(d.Scene, link)) == 0 {
			return link
		}
	}
}

// place puts a clip into a track in order of time; a Refusal if another lies there.
func (d *draft) place(t *scene.Track, c scene.Clip) error {
	if c.Start < 0 {
		return notPossible("%s would start %s before the scene.", c.Name, scene.LengthWords(d.Scene, d.Time(t, -c.Start)))
	}
	i := t.At(c.Start)
	if i < len(t.Clips) && t.Clips[i].Start < c.End() {
		other := t.Clips[i]
		return inTheWay(d.Scene, t, c, other, d.Time(t, min(c.End(), other.End())-max(c.Start, other.Start)))
	}
	t.Clips = slices.Insert(t.Clips, i, c)
	return nil
}

// dropLostBlends takes off the blends whose clips no longer touch, or that no longer fit their handles or
// the lengths of their clips.
func (d *draft) dropLostBlends() {
	for t := range d.own {
		if len(t.Blends) == 0 {
			continue
		}
		index := make(map[scene.ClipID]int, len(t.Clips))
		for i, c := range t.Clips {
			index[c.ID] = i
		}
		room := map[scene.ClipID]int64{}
		t.Blends = slices.DeleteFunc(t.Blends, func(b scene.Blend) bool {
			l, okL := index[b.Left]
			r, okR := index[b.Right]
			if !okL || !okR || r != l+1 || !t.Touches(l) {
				return true
			}
			left, right := t.Clips[l], t.Clips[r]
			if scene.BlendFits(d.Scene, t, left, right, b.Before, b.After) != nil ||
				room[b.Left]+b.Before > left.Length || room[b.Right]+b.After > right.Length {
				return true
			}
			room[b.Left] += b.Before
			room[b.Right] += b.After
			return false
		})
	}
}

// keepsSync refuses an edit after which clips that are linked run apart in a way that none of their sources did
// before: by more than the few samples by which frames may be no whole number of them. Links that the edit makes on
// purpose are free.
func (d *draft) keepsSync(e Edit) error {
	known := map[[2]string][]int64{}
	was := map[[2]scene.ClipID]int64{} // of the very same clips
	of := func(a, b scene.Clip) [2]string {
		return [2]string{scene.FirstTake(a).Source, scene.FirstTake(b).Source}
	}
	pairsInSync(d.base, nil, func(a, b scene.Clip, by int64) bool {
		known[of(a, b)] = append(known[of(a, b)], by)
		was[[2]scene.ClipID{a.ID, b.ID}] = by
		return true
	})
	var refusal error
	pairsInSync(d.Scene, d.free, func(a, b scene.Clip, by int64) bool {
		ran, same := was[[2]scene.ClipID{a.ID, b.ID}]
		most := 2 * scene.Rounding(d.Scene)
		apart := same && abs(by) >= abs(ran) && (abs(by-ran) > most || abs(ran) <= most && abs(by) > most)
		alike := func(was int64) bool { return abs(by-was) <= drift }
		if !apart && (scene.FirstTake(a).Source == scene.FirstTake(b).Source && alike(0) ||
			slices.ContainsFunc(known[of(a, b)], alike)) {
			return true
		}
		r := &LosesSync{Clip: b.ID, By: by}
		r.words = fmt.Sprintf(
			"%s would run %s %s than %s, which it is linked to. Move both, or unlink it first.",
			b.Name,
			scene.LengthWords(d.Scene, by),
			phrase.Either(by < 0, "earlier", "later"),
			a.Name,
		)
		if a.Name == b.Name {
			r.words = fmt.Sprintf(
				"%s would run %s %s than the clip that it is linked to. Move both, or unlink it first.",
				b.Name,
				scene.LengthWords(d.Scene, by),
				phrase.Either(by < 0, "earlier", "later"),
			)
		}
		d.suggest(&r.options, "unlink "+b.Name, &Unlink{Clips: []scene.ClipID{b.ID}})
		if x, ok := e.(interface{ inSync() []Alternative }); ok {
			for _, a := range x.inSync() {
				d.suggest(&r.options, a.Words, a.Edit)
			}
		}
		refusal = r
		return false
	})
	return refusal
}

// pairsInSync calls do for pairs of clips of one link, in order of tracks; by is how much later the source of b runs.
// It ends when do gives false.
func pairsInSync(s *scene.Scene, but map[scene.LinkID]bool, do func(a, b scene.Clip, by int64) bool) {
	type one struct {
		clip   scene.Clip
		origin int64
	}
	links := map[scene.LinkID][]one{}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Link == "" || but[c.Link] {
				continue
			}
			is := scene.SyncOrigin(s, t, c)
			for _, a := range links[c.Link] {
				if !do(a.clip, c, is-a.origin) {
					return
				}
			}
			links[c.Link] = append(links[c.Link], one{c, is})
		}
	}
}

// Batch does several edits as one.
type Batch struct {
	Edits []Wire `json:"edits"`
	Words string `json:"words,omitempty"`
}

// Wire is an edit inside another, written as it is on its own.
type Wire struct{ Edit }

// MarshalJSON writes the edit as Marshal does.
func (w Wire) MarshalJSON() ([]byte, error) { return Marshal(w.Edit) }

// decode reads a batch; batches within it may lie so deep.
func (e *Batch) decode(dec *json.Decoder, depth int) error {
	var raw struct {
		Edits []json.RawMessage `json:"edits"`
		Words string            `json:"words"`
	}
	if err := dec.Decode(&raw); err != nil {
		return err
	}
	if depth == 0 {
		return errors.New("a batch cannot hold another batch; put its edits in its place")
	}
	if len(raw.Edits) > limit.Batch {
		return fmt.Errorf("a batch of %d edits is too long; %d are the most", len(raw.Edits), limit.Batch)
	}
	e.Words = raw.Words
	for _, one := range raw.Edits {
		edit, err := parse(one, depth-1)
		if err != nil {
			return err
		}
		e.Edits = append(e.Edits, Wire{edit})
	}
	return nil
}

// MapSources calls do for each recording that an edit brings to a scene, and puts what do gives in its place. Tones and
// fitted recordings are none: a piece's are what their recipes say, or refused.
func MapSources(e Edit, do func(scene.Source) (scene.Source, error)) (err error) {
	switch e := e.(type) {
	case *Batch:
		for _, one := range e.Edits {
			if err := MapSources(one.Edit, do); err != nil {
				return err
			}
		}
	case *Bring:
		e.Source, err = do(e.Source)
	case *Join:
		e.Source, err = do(e.Source)
	case *LinkSource:
		e.To, err = do(e.To)
	case *Recut:
		return bringingAll(e.Sources, do)
	case *Merge:
		return bringingAll(e.Sources, do)
	case *Paste:
		for _, id := range slices.Sorted(maps.Keys(e.Clipboard.Sources)) {
			src := e.Clipboard.Sources[id]
			if src.Made() {
				continue
			}
			if e.Clipboard.Sources[id], err = do(src); err != nil {
				return err
			}
		}
	}
	return err
}

// bringingAll calls do for those of a list that are recordings.
func bringingAll(list []scene.Source, do func(scene.Source) (scene.Source, error)) (err error) {
	for i, src := range list {
		if src.Made() {
			continue
		}
		if list[i], err = do(src); err != nil {
			return err
		}
	}
	return nil
}

// NewBatch makes one edit of several; a batch among them gives its edits.
func NewBatch(words string, list ...Edit) *Batch {
	s := &Batch{Words: words}
	for _, e := range list {
		if batch, ok := e.(*Batch); ok {
			s.Edits = append(s.Edits, batch.Edits...)
		} else {
			s.Edits = append(s.Edits, Wire{e})
		}
	}
	return s
}

func (e *Batch) apply(d *draft) error {
	for _, one := range e.Edits {
		if err := one.apply(d); err != nil {
			return err
		}
		d.dropLostBlends()
		d.fitPairs()
	}
	return nil
}

func (e *Batch) words(before, after *scene.Scene) string {
	if e.Words != "" {
		return e.Words
	}
	if len(e.Edits) == 1 {
		return e.Edits[0].words(before, after)
	}
	return phrase.Count(len(e.Edits), "edit")
}
