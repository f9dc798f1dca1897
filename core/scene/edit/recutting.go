package edit

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"unicode"

	"blendseam/core/conform"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// RecutChanges is the change list of a new cut, whose shots are the picture's: what became of it, row by row.
func RecutChanges(s *scene.Scene, e *Recut) (list []conform.Change, pieces []conform.Piece) {
	i := pictureTrack(s)
	if i < 0 {
		return nil, nil
	}
	r := &recutting{d: newDraft(s), picture: i}
	r.unfold()
	shots := e.shots()
	pieces = conform.Match(r.old, shots, r.last())
	for _, c := range conform.Changes(r.old, shots, pieces) {
		if c.Old.From >= r.end && !c.Old.Empty() {
			if c.New.Empty() { // it stays aside
				continue
			}
			c.What, c.Back = conform.Inserted, true
			c.Old = pcm.Span{}
		}
		list = append(list, c)
	}
	return list, pieces
}

// RecutFates returns what a new cut does to the clips of sound that it moves, cuts or keeps aside, track by track in
// order of time. Its errors are those of the edit.
func RecutFates(s *scene.Scene, e *Recut) ([]scene.Fate, error) {
	r, err := e.done(newDraft(s))
	if err != nil {
		return nil, err
	}
	return r.fates, nil
}

// Without is a new cut in which some changes of the list, by their place in it, are not made.
func (e *Recut) Without(s *scene.Scene, skip []int) *Recut {
	i := pictureTrack(s)
	if i < 0 || len(skip) == 0 {
		return e
	}
	changes, pieces := RecutChanges(s, e)
	old := s.Tracks[i].Clips
	from := make([]scene.NewShot, len(old))
	for k, c := range old {
		from[k] = scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Start: c.Start, Length: c.Length}
	}
	type op struct {
		at, drop int64
		put      pcm.Span // of the old cut
	}
	var ops []op
	for _, k := range skip {
		if k < 0 || k >= len(changes) {
			continue
		}
		switch c := changes[k]; c.What {
		case conform.Moved, conform.Swapped:
			ops = append(ops, op{c.New.From, c.New.Len(), pcm.Span{}}, op{conform.Place(pieces, c), 0, c.Old})
		default:
			at := c.New.From
			for _, k := range skip { // the end of a shot goes back with it
				if k < 0 || k >= len(changes) || c.Edge == "" || c.Old.Empty() {
					continue
				}
				of := changes[k]
				if (of.What == conform.Moved || of.What == conform.Swapped) &&
					(of.Old.From == c.Old.To || of.Old.To == c.Old.From) {
					at = conform.Place(pieces, of)
				}
			}
			ops = append(ops, op{at, c.New.Len(), c.Old})
		}
	}
	// From the end on, so that places hold; at one place what goes before what comes, and that from its end on, too.
	slices.SortStableFunc(ops, func(a, b op) int {
		return cmp.Or(cmp.Compare(b.at, a.at), cmp.Compare(b.drop, a.drop), cmp.Compare(b.put.From, a.put.From))
	})
	shots := slices.Clone(e.Shots)
	for _, o := range ops {
		put, length := within(from, o.put)
		shots = spliced(shots, o.at, o.drop, put, length)
	}
	now := *e
	now.Shots = shots
	return &now
}

// within are the parts of shots that lie in a span, from its start on.
func within(shots []scene.NewShot, span pcm.Span) (list []scene.NewShot, length int64) {
	for _, s := range shots {
		now := pcm.Span{From: s.Start, To: s.Start + s.Length}.Intersect(span)
		if now.Empty() {
			continue
		}
		s.In += now.From - s.Start
		s.Start, s.Length = now.From-span.From, now.Len()
		list = append(list, s)
	}
	return list, span.Len()
}

// spliced takes some frames out of a cut at one of its frames, and puts others in.
func spliced(shots []scene.NewShot, at, drop int64, put []scene.NewShot, length int64) (list []scene.NewShot) {
	head, _ := within(shots, pcm.Span{To: at})
	list = append(list, head...)
	for _, s := range put {
		s.Start += at
		list = append(list, s)
	}
	tail, _ := within(shots, pcm.Span{From: at + drop, To: 1 << 40})
	for _, s := range tail {
		s.Start += at + length
		list = append(list, s)
	}
	return list
}

// NewRecut is the edit that gives a scene the picture of another cut, whose sources are found among those of the scene
// and of what it keeps aside: by hash, by file, by name, or by the eight letters of a reel. unknown are those that are
// not; they go in as sources of the edit.
func NewRecut(s, cut *scene.Scene) (e *Recut, unknown []scene.Source) {
	e = &Recut{Shots: []scene.NewShot{}, Own: true}
	i := pictureTrack(cut)
	if i < 0 {
		return e, nil
	}
	known := knownPictures(s)
	found := map[string]string{}
	for _, c := range cut.Tracks[i].Clips {
		src := cut.Sources[c.Source]
		id, seen := found[c.Source]
		if !seen {
			if id = meantBy(s, known, src); id == "" {
				id = c.Source
				for n := 2; ; n++ {
					if _, taken := s.Sources[id]; !taken {
						break
					}
					id = fmt.Sprintf("%s-%d", c.Source, n)
				}
				src.ID, src.Samples, src.Unknown = id, 0, src.Frames == 0
				e.Sources = append(e.Sources, src)
				unknown = append(unknown, src)
			}
			found[c.Source] = id
		}
		shot := scene.NewShot{Source: id, Name: c.Name, Start: c.Start, Length: c.Length,
			In: c.In + cut.Rate.Nearest(src.Offset, cut.SampleRate)}
		_, shot.Speed = c.Foreign[scene.SpeedKey]
		shot.In -= offsetIn(s, id, shot.In)
		e.Shots = append(e.Shots, shot)
	}
	return e, unknown
}

// offsetIn is the source timecode, in frames, of a recording's first moment, if a timecode counts from it: one that
// counts from the recording's start lies ahead of it.
func offsetIn(s *scene.Scene, id string, at int64) int64 {
	src := s.Sources[id]
	offset := s.Rate.Nearest(src.Offset, s.SampleRate)
	if at < offset {
		return 0
	}
	return offset
}

// knownPictures are the sources of the picture of a scene and of what it keeps aside, those first that it shows.
func knownPictures(s *scene.Scene) (list []string) {
	add := func(t *scene.Track) {
		for _, c := range t.Clips {
			if t.Kind == scene.Picture && !slices.Contains(list, c.Source) {
				list = append(list, c.Source)
			}
		}
	}
	for _, t := range s.Tracks {
		add(t)
	}
	for _, a := range s.Aside {
		for _, t := range a.Tracks {
			add(t)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(s.Sources)) {
		if src := s.Sources[id]; (src.Frames > 0 || src.Unknown) && !slices.Contains(list, id) {
			list = append(list, id)
		}
	}
	return list
}

// meantBy finds the source of a scene that a source of another cut is; "" if it is none.
func meantBy(s *scene.Scene, known []string, src scene.Source) string {
	letters := func(name string) string {
		return strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) || unicode.IsDigit(r) {
				return unicode.ToLower(r)
			}
			return -1
		}, name)
	}
	file := func(url string) string {
		base := path.Base(url)
		return letters(strings.TrimSuffix(base, path.Ext(base)))
	}
	for _, same := range []func(x scene.Source) bool{
		func(x scene.Source) bool { return src.SHA256 != "" && x.SHA256 == src.SHA256 },
		func(x scene.Source) bool { return src.URL != "" && x.URL == src.URL },
		func(x scene.Source) bool { return src.URL != "" && file(x.URL) == file(src.URL) },
		func(x scene.Source) bool { return letters(x.Name) != "" && letters(x.Name) == letters(src.Name) },
		func(x scene.Source) bool { return src.URL != "" && letters(x.Name) == file(src.URL) },
		func(x scene.Source) bool { // a reel has eight letters
			reel := letters(src.Name)
			return len(reel) == 8 && (strings.HasPrefix(letters(x.Name), reel) || strings.HasPrefix(file(x.URL), reel))
		},
	} {
		for _, id := range known {
			if same(s.Sources[id]) {
				return id
			}
		}
	}
	return ""
}
