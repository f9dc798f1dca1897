// Package scenetest makes scenes and random edits of them, for tests.
package scenetest

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
)

// Must applies edits that have to work.
func Must(t testing.TB, s *scene.Scene, list ...edit.Edit) *scene.Scene {
	t.Helper()
	for _, e := range list {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatalf("%#v: %s", e, edit.Message(err))
		}
		s = next
	}
	return s
}

// Mixed is a scene with a picture track t1, a dialogue track t2 with linked clips that touch, and an effects track t3.
func Mixed(t testing.TB, rate timecode.Rate) *scene.Scene {
	s := scene.New("test", rate, 48000)
	list := []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "s1", Name: "one", Samples: 48000 * 30, Frames: 24 * 30, Channels: 1}},
		&edit.Bring{Source: scene.Source{ID: "s2", Name: "two", Samples: 48000 * 20, Channels: 2}},
		&edit.AddTrack{
			Name:    "Picture",
			Purpose: scene.ForPicture,
		},
		&edit.AddTrack{Name: "Dialogue", Purpose: scene.ForDialogue},
		&edit.AddTrack{Name: "Effects", Purpose: scene.ForEffects},
	}
	frame := func(f int64) int64 { return rate.SampleOf(f, 48000) }
	for i := int64(0); i < 6; i++ {
		list = append(
			list,
			&edit.Add{
				Track:   "t2",
				Picture: "t1",
				Source:  "s1",
				In:      frame(50*i + 10),
				Start:   frame(60 * i),
				Length:  frame(60*i+60) - frame(60*i),
			},
		)
	}
	for i := int64(0); i < 5; i++ {
		list = append(list, &edit.Add{Track: "t3", Source: "s2", In: 9000 * i, Start: 70000 * i, Length: 50000})
	}
	return Must(t, s, list...)
}

// levelling is an edit of how tracks make way for words, or of how a clip is filtered.
func levelling(s *scene.Scene, rng *rand.Rand, t *scene.Track, id scene.ClipID, from int64) edit.Edit {
	duck := scene.NewDuck(s, []scene.TrackID{"t2"}, 1+9*rng.Float64())
	if rng.IntN(2) == 0 {
		duck.Clips = []scene.ClipID{id}
	}
	if rng.IntN(2) == 0 {
		duck.Except = []pcm.Span{{From: from, To: from + 1 + rng.Int64N(90000)}}
	}
	like := &eq.Like{ThirdsDB: make([]float64, eq.Thirds), GainDB: 6 * rng.Float64(), As: "another"}
	filters := &eq.Filters{LowCutHz: 50 + 100*rng.Float64(), Bells: []eq.Bell{{Hz: 900, DB: 3, Q: 1}}}
	return []edit.Edit{
		&edit.SetDucks{Track: "t3", Ducks: []scene.Duck{duck}},
		&edit.SetDucks{Track: "t3", Ducks: []scene.Duck{duck, scene.NewDuck(s, []scene.TrackID{"t2"}, 3)}},
		&edit.DuckToLine{Track: "t3"},
		&edit.SetSpeech{Words: map[string][]pcm.Span{
			"s1": {{From: 20000, To: 40000 + rng.Int64N(9000)}, {From: 90000, To: 99000}},
		}},
		&edit.SetLike{Clips: []scene.ClipID{id}, Like: like},
		&edit.SetFilters{Clips: []scene.ClipID{id}, Filters: filters},
		&edit.SetFilters{Tracks: []scene.TrackID{t.ID}, Filters: filters},
	}[rng.IntN(7)]
}

// fitting gives an edit that fits a clip, or part of it, or takes that off.
func fitting(s *scene.Scene, rng *rand.Rand, c *scene.Clip) edit.Edit {
	e := &edit.Fit{Clip: c.ID, Unlink: rng.IntN(4) > 0}
	span := scene.FitSpan(s, c)
	if rng.IntN(3) == 0 {
		span.From += span.Len() / 3
		e.From, e.To = span.From, span.To
	}
	kinds := []timing.Kind{timing.Words, timing.Pause, timing.Music}
	if n := span.Len(); rng.IntN(5) > 0 {
		middle := span.From + 1 + rng.Int64N(max(1, n-1))
		for _, p := range []pcm.Span{{From: span.From, To: middle}, {From: middle, To: span.To}} {
			length := int64(float64(p.Len()) * (0.6 + 0.6*rng.Float64()))
			e.Parts = append(e.Parts, timing.Part{From: p.From, To: p.To, Length: length, Kind: kinds[rng.IntN(3)]})
		}
	}
	return e
}

// joining gives an edit that joins a clip with those behind it, or with one of another track, and one that opens what
// is joined.
func joining(s *scene.Scene, rng *rand.Rand, t *scene.Track, i int) edit.Edit {
	var ids []scene.ClipID
	for _, c := range t.Clips[i:min(len(t.Clips), i+1+rng.IntN(3))] {
		ids = append(ids, c.ID)
	}
	for _, o := range s.Tracks {
		for _, c := range o.Clips {
			if s.Sources[c.Source].Joined != nil && rng.IntN(3) > 0 {
				return &edit.Reopen{Clip: c.ID}
			}
			if o.Kind == scene.Sound && o != t && rng.IntN(30) == 0 {
				ids = append(ids, c.ID)
			}
		}
	}
	e := Joined(s, ids...)
	if rng.IntN(20) == 0 {
		e.Source.Samples++
	}
	return e
}

// taking gives an edit that puts a take under a clip, or lets one sound in its place or in part of it.
func taking(s *scene.Scene, rng *rand.Rand, c *scene.Clip) edit.Edit {
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if t.Clips[i].Takes != nil && (c.Takes == nil || rng.IntN(2) == 0) && rng.IntN(4) > 0 {
				c = &t.Clips[i]
			}
		}
	}
	if c.Takes == nil || rng.IntN(4) == 0 {
		source := []string{"s1", "s2"}[rng.IntN(2)]
		return &edit.AddTake{Clip: c.ID, Source: source, Shift: rng.Int64N(400000) - 200000}
	}
	number := c.Takes.Others[rng.IntN(len(c.Takes.Others))].Number
	switch rng.IntN(5) {
	case 0:
		return &edit.DropTake{Clip: c.ID, Number: number + rng.IntN(2)}
	case 1:
		return &edit.UseTake{Clip: c.ID, Number: number}
	}
	from := c.Start + rng.Int64N(c.Length)
	return &edit.UseTake{Clip: c.ID, Number: number, From: from, To: from + 1 + rng.Int64N(40000)}
}

// missing brings a recording that is missing, or links it.
func missing(s *scene.Scene) edit.Edit {
	for id := range s.Sources {
		if scene.IsMissing(id) {
			return &edit.LinkSource{Source: id, To: s.Sources["s2"]}
		}
	}
	return &edit.Bring{Source: scene.Source{ID: "missing-0", Name: "gone", URL: "gone.wav", Samples: 48000, Channels: 1}}
}

// merging takes what another version has, which some edits more made of the scene.
func merging(s *scene.Scene, rng *rand.Rand) edit.Edit {
	other := s
	for range 3 {
		e := Random(other, rng)
		if _, merge := e.(*edit.Merge); merge {
			continue
		}
		if next, err := edit.Apply(other, e); err == nil {
			other = next
		}
	}
	return edit.NewMerge(s, other, "")
}

// recutting is a new cut of the picture: shots are left out, swapped, trimmed, and put in.
func recutting(s *scene.Scene, rng *rand.Rand) edit.Edit {
	e := &edit.Recut{Own: rng.IntN(4) > 0, CutBeds: rng.IntN(4) == 0, Trim: rng.IntN(4) == 0, Extend: rng.IntN(4) == 0}
	for _, t := range s.Tracks {
		if t.Kind != scene.Picture {
			continue
		}
		for _, c := range t.Clips {
			shot := scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Length: c.Length}
			switch n := 1 + rng.Int64N(9); rng.IntN(6) {
			case 0:
				continue
			case 1:
				if shot.Length > n {
					shot.In, shot.Length = shot.In+n, shot.Length-n
				}
			case 2:
				shot.In, shot.Length = max(0, shot.In-n), shot.Length+min(n, shot.In)
			}
			e.Shots = append(e.Shots, shot)
		}
		break
	}
	InTurn(e, rng)
	return e
}

// InTurn lays the shots of a new cut one behind the other; now and then two of them change places first.
func InTurn(e *edit.Recut, rng *rand.Rand) {
	if n := len(e.Shots); n > 1 && rng.IntN(2) == 0 {
		i := rng.IntN(n - 1)
		e.Shots[i], e.Shots[i+1] = e.Shots[i+1], e.Shots[i]
	}
	at := int64(0)
	for i := range e.Shots {
		e.Shots[i].Start = at
		at += e.Shots[i].Length
	}
}

// Joined is an edit that joins clips into a recording that nothing is known of but its length.
func Joined(s *scene.Scene, ids ...scene.ClipID) *edit.Join {
	e := &edit.Join{Clips: ids, Source: scene.Source{Name: "joined", ID: fmt.Sprintf("j%d", s.LastID), Samples: 1}}
	if j, err := edit.PlanJoin(s, ids); err == nil {
		e.Source.Samples, e.Source.Channels = j.Sounding().Len(), j.Channels()
	}
	return e
}

// Random gives an edit of any kind for a scene. It may well be refused.
func Random(s *scene.Scene, rng *rand.Rand) edit.Edit {
	var ids []scene.ClipID
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			ids = append(ids, c.ID)
		}
	}
	if len(ids) == 0 {
		return &edit.Add{Track: "t3", Source: "s2", Length: 40000}
	}
	id := ids[rng.IntN(len(ids))]
	t, c := s.Clip(id)
	jitter := func(most int64) int64 {
		n := rng.Int64N(2*most) - most
		if rng.IntN(2) == 0 {
			return s.Rate.SampleOf(s.Rate.Nearest(n, s.SampleRate), s.SampleRate)
		}
		return n
	}
	frame := func(at int64) int64 { return s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate), s.SampleRate) }
	edge := []scene.Side{scene.Head, scene.Tail}[rng.IntN(2)]
	at := s.Time(t, c.Start)
	if edge == scene.Tail {
		at = s.Time(t, c.End())
	}
	i := 0
	for t.Clips[i].ID != id {
		i++
	}
	next := id
	if i+1 < len(t.Clips) {
		next = t.Clips[i+1].ID
	}
	track := s.Tracks[rng.IntN(len(s.Tracks))]
	how := []string{scene.Free, scene.Over, scene.Insert}[rng.IntN(3)]
	some, yes := rng.IntN(2) == 0, true
	from := max(0, frame(at+jitter(90000)))
	switch rng.IntN(62) {
	case 0:
		return &edit.Move{Clip: id, To: at + jitter(100000)}
	case 1, 2, 3, 4:
		return &edit.Trim{Clip: id, Edge: edge, To: at + jitter(30000), Close: some, Alone: rng.IntN(4) == 0}
	case 5:
		return &edit.Divide{Clips: []scene.ClipID{id}, At: s.Time(t, c.Start) + rng.Int64N(s.Time(t, c.Length)), Alone: some}
	case 6:
		return &edit.Divide{All: true, At: from}
	case 7:
		return &edit.Remove{Clips: []scene.ClipID{id}, Close: some, Alone: rng.IntN(4) == 0}
	case 8, 9, 10:
		return &edit.SetBlend{
			Left:   id,
			Right:  next,
			Before: rng.Int64N(20000),
			After:  rng.Int64N(20000),
			Law:    blend.Laws[rng.IntN(3)].Law,
		}
	case 60, 61:
		return &edit.Overlap{
			Left:      id,
			Right:     next,
			Length:    rng.Int64N(20000),
			MovesLeft: rng.IntN(3) == 0,
			Close:     some,
			Law:       blend.Laws[rng.IntN(3)].Law,
		}
	case 56, 57, 58, 59:
		return taking(s, rng, c)
	case 54, 55:
		return joining(s, rng, t, i)
	case 52, 53:
		return fitting(s, rng, c)
	case 41:
		return &edit.PlaceCut{Left: id, Right: next, To: s.Time(t, c.End()) + jitter(3000), Slip: rng.Int64N(1400) - 700}
	case 42, 43:
		fade := rng.Int64N(3000)
		return &edit.AddLull{
			Clip:    id,
			From:    at + jitter(20000),
			To:      at + jitter(30000) + 10000,
			DepthDB: float64(6 * rng.IntN(3)),
			FadeIn:  &fade,
		}
	case 44:
		for _, o := range s.Tracks {
			for _, k := range o.Clips {
				if len(k.Lulls) > 0 && (len(c.Lulls) == 0 || some) {
					id, c = k.ID, &k
				}
			}
		}
		if len(c.Lulls) > 0 {
			l := c.Lulls[rng.IntN(len(c.Lulls))]
			from, to := l.From+c.Shift()+jitter(4000), l.To+c.Shift()+jitter(4000)
			return []edit.Edit{&edit.SetLull{Clip: id, Lull: l.ID, From: &from},
				&edit.SetLull{Clip: id, Lull: l.ID, To: &to}, &edit.SetLull{Clip: id, Lull: l.ID, Off: &some},
				&edit.RemoveLull{Clip: id, Lull: l.ID}}[rng.IntN(4)]
		}
		return &edit.RemoveLull{Clip: id, Lull: "u0"}
	case 45, 46:
		e := &edit.LayTone{
			Tone: recipe.Tone{Seed: rng.Uint64(), Left: []recipe.Material{{Source: "s2", From: 1000, To: 41000}}},
			Name: "room",
			From: from,
			To:   from + 1 + rng.Int64N(90000),
			In:   s.ToneMiddle(),
		}
		for _, l := range c.Lulls {
			if hole := c.LullSpan(l); !hole.Empty() {
				e.From, e.To, e.Fills = hole.From, hole.To, &scene.Hole{Clip: id, Lull: l.ID}
			}
		}
		if next != id && t.Clips[i+1].Start > c.End() && t.Kind == scene.Sound && some {
			e.From, e.To, e.Fills = c.End(), t.Clips[i+1].Start, &scene.Hole{Clip: id, Next: next}
			e.Tone.To, e.Tone.From = s.ToneMiddle()+e.To-e.From, s.ToneMiddle()
		}
		return e
	case 47:
		if n := c.Length / 5; n > 0 {
			return &edit.Keep{
				Clip:      id,
				Stretches: []pcm.Span{{From: c.Start + n, To: c.Start + 2*n}, {From: c.Start + 3*n, To: c.Start + 4*n}},
				Fade:      900,
			}
		}
		return &edit.Keep{Clip: id}
	case 37:
		if some {
			rooms := []recipe.Room{changing(Room(rng.Uint64()))}
			e := &edit.SetRoom{Rooms: rooms, Clips: map[scene.ClipID]int{id: rng.IntN(2) - 1}}
			if rng.IntN(2) == 0 {
				e.Tones = []recipe.Tone{MadeFrom(s, &e.Rooms[0], recipe.Material{Source: "s2", From: 1000, To: 41000})}
			}
			if rng.IntN(3) == 0 {
				e.Tracks = map[scene.TrackID]int{track.ID: rng.IntN(2) - 1}
				e.Rooms[0].Decay = nil
			}
			return e
		}
		if rng.IntN(2) == 0 {
			return &edit.Raise{From: at, To: at + 1 + rng.Int64N(90000), DB: 9 * (rng.Float64() - 0.5), In: 3840, Out: 480}
		}
		return &edit.SetLevel{
			Clip:   id,
			Points: []scene.LevelPoint{{At: c.In, DB: -3}, {At: c.In + 1 + rng.Int64N(40000), DB: 2 * rng.Float64()}},
		}
	case 50, 51:
		return levelling(s, rng, t, id, from)
	case 38:
		return &edit.Accept{Left: id, Right: next, Sound: "heard", Note: "as it was"}
	case 39:
		e := &edit.SetPair{Out: id, In: next, From: at, To: at + 4000, Law: blend.Laws[rng.IntN(3)].Law}
		for _, other := range s.Tracks { // one that sets in while the clip sounds, and outlasts it
			for _, o := range other.Clips {
				if t.Kind == scene.Sound && other.Kind == scene.Sound && other != t && o.Start > c.Start && o.Start < c.End() &&
					o.End() > c.End() {
					e.In, e.From, e.To = o.ID, o.Start+jitter(2000), c.End()+jitter(2000)
				}
			}
		}
		return e
	case 40:
		if len(s.Pairs) > 0 {
			return &edit.RemovePair{Out: s.Pairs[0].Out, In: s.Pairs[0].In}
		}
		return &edit.RemovePair{Out: id, In: next}
	case 11:
		return &edit.FadeEdge{Clip: id, Edge: edge, Length: rng.Int64N(20000)}
	case 12, 13:
		return &edit.Roll{Left: id, Right: next, To: s.Time(t, c.End()) + jitter(20000), Alone: rng.IntN(3) == 0}
	case 14:
		return &edit.Add{
			Track:   "t2",
			Picture: "t1",
			Source:  "s1",
			In:      rng.Int64N(400000),
			Start:   rng.Int64N(900000),
			Length:  rng.Int64N(100000),
			How:     how,
		}
	case 15, 16:
		return &edit.Lead{Left: id, Right: next, Frames: rng.Int64N(20) - 10, More: some}
	case 17:
		return &edit.LeadAll{From: from, To: from + rng.Int64N(600000), Frames: rng.Int64N(12) - 6}
	case 18:
		return &edit.Slip{Clip: id, By: jitter(20000)}
	case 19:
		return &edit.Slide{Clip: id, By: jitter(20000)}
	case 20:
		return &edit.Swap{Left: id, Right: next}
	case 21:
		return &edit.Duplicate{Clips: []scene.ClipID{id}}
	case 22:
		return &edit.RemoveRange{From: from, To: from + rng.Int64N(60000), Close: some}
	case 23:
		return &edit.RemoveRange{From: from, To: from + rng.Int64N(60000), Close: some, Tracks: []scene.TrackID{track.ID}}
	case 24, 25:
		if p, _, err := edit.Copy(s, pcm.Span{From: from, To: from + 1 + rng.Int64N(90000)}, nil); err == nil {
			return &edit.Paste{Clipboard: p, At: max(0, from+jitter(200000)), How: how}
		}
		return &edit.RemoveMarker{Marker: "m0"}
	case 26:
		return &edit.Fill{
			Track:   "t2",
			Picture: "t1",
			Source:  "s1",
			From:    from,
			To:      from + rng.Int64N(60000),
			Fit:     []string{"start", "end", "moment"}[rng.IntN(3)],
			Moment:  rng.Int64N(800000),
			At:      from + 1000,
		}
	case 27:
		return &edit.Nudge{Edges: []scene.Edge{{Left: id}, {Right: next}}, Frames: rng.Int64N(6) - 3, Close: some}
	case 28:
		return &edit.Nudge{Edges: []scene.Edge{{Left: id, Right: next}}, Samples: rng.Int64N(200) - 100}
	case 29:
		return &edit.Unlink{Clips: []scene.ClipID{id}}
	case 30:
		for _, o := range s.Tracks {
			for _, k := range o.Clips { // what runs in sync may be linked
				if k.Link == "" && c.Link == "" && k.ID != id && k.Source == c.Source &&
					abs(s.Time(o, k.Start)-s.Time(o, k.In)-s.Time(t, c.Start)+s.Time(t, c.In)) <= 2 {
					return &edit.Link{Clips: []scene.ClipID{id, k.ID}}
				}
			}
		}
		return &edit.Gain{Clips: []scene.ClipID{id}, DB: float64(rng.IntN(20) - 10)}
	case 31:
		if off := s.Offsets(); len(off) > 0 {
			id = slices.Min(slices.Collect(maps.Keys(off)))
		}
		return &edit.Resync{Clip: id, By: []string{"move", "slip"}[rng.IntN(2)]}
	case 32:
		return &edit.MoveTrack{Track: track.ID, To: rng.IntN(len(s.Tracks))}
	case 33:
		return &edit.SetTrack{Track: track.ID, Locked: &some, Stays: new(bool)}
	case 34:
		if len(s.Markers) > 0 && some {
			m := s.Markers[rng.IntN(len(s.Markers))]
			return []edit.Edit{&edit.SetMarker{Marker: m.ID, At: &from}, &edit.RemoveMarker{Marker: m.ID}}[rng.IntN(2)]
		}
		return &edit.AddMarker{At: from, Name: "here"}
	case 36:
		switch rng.IntN(6) {
		case 4:
			return merging(s, rng)
		case 5:
			return missing(s)
		case 0:
			if len(s.Sources["s1"].Stretches) > 0 && some {
				return &edit.DropStretch{Source: "s1", Name: "a stretch"}
			}
			return missing(s)
		case 1, 2:
			return &edit.CloseGap{Track: t.ID, At: max(0, at+rng.Int64N(20000))}
		}
		return recutting(s, rng)
	case 35:
		n := rng.Int64N(20000)
		if n%2 == 0 {
			return correction(n)
		}
		return &edit.CloseGap{Track: t.ID, At: max(0, at+n)}
	default:
		name, left, right, empty := "a stretch", id, next, track.ID
		for _, o := range s.Tracks {
			if len(o.Blends) > 0 {
				left, right = o.Blends[0].Left, o.Blends[0].Right
			}
			if len(o.Clips) == 0 {
				empty = o.ID
			}
		}
		return []edit.Edit{&edit.SetStretch{Source: "s1", Name: name, From: rng.Int64N(90000), To: 90000 +
			rng.Int64N(90000)}, &edit.DropStretch{Source: "s1", Name: name}, &edit.RenameSource{Source: "s1", Name: name},
			&edit.SetClip{Clip: id, Muted: &some}, &edit.Rename{Name: "again"},
			edit.NewBatch("", &edit.AddMarker{At: from, Name: "one"}, &edit.Gain{Clips: []scene.ClipID{id}, DB: 3}),
			&edit.RemoveBlend{Left: left, Right: right}, &edit.AddTrack{Name: "more", Purpose: scene.ForTone},
			&edit.RemoveTrack{Track: empty}, &edit.SetStart{Source: "s1", Offset: max(0, jitter(1000000))},
			&edit.SetTrack{Track: track.ID, Mute: &yes}}[rng.IntN(11)]
	}
}

// correction says what a stretch of a recording holds, or forgets what was said.
func correction(n int64) edit.Edit {
	kinds := []scene.SoundKind{scene.AWord, scene.ABreath, scene.APause, scene.AnOther, ""}
	return &edit.Correct{Source: "s1", From: 3 * n, To: 3*n + 1 + n%7000, Kind: kinds[n/2%int64(len(kinds))]}
}

func abs(n int64) int64 { return max(n, -n) }

// Room is noise of one level in all bands, and hum.
func Room(seed uint64) recipe.Room {
	r := recipe.Room{
		Seed:   seed >> 12,
		FillDB: make([]float64, recipe.FineBands),
		Hum:    []recipe.Sine{{Hz: 50, LevelDB: -70}},
	}
	for i := range r.FillDB {
		r.FillDB[i] = -80
	}
	return r
}

// MadeFrom has a room be made from a stretch of a recording of a scene, and gives the tone that it is made from.
func MadeFrom(s *scene.Scene, r *recipe.Room, from recipe.Material) recipe.Tone {
	tone := recipe.Tone{Seed: 1, Left: []recipe.Material{from}, NoHum: true}
	src, err := s.ToneSource(tone, "room")
	if err != nil {
		panic(err) // a recipe can be written
	}
	r.Tone, r.ToneDB = src.ID, make([]float64, recipe.FineBands)
	return tone
}

// changing is a room that changes, whose hum is led, and that answers.
func changing(r recipe.Room) recipe.Room {
	r.Lead = []recipe.Lead{{At: -100, By: -50.5}, {At: 48000, By: 100}}
	r.Decay = &recipe.Decay{S: 0.4, LevelDB: -9}
	r.Change = &recipe.Change{FillDB: r.FillDB, Course: []recipe.Share{{At: 24000, Share: 0.25}, {At: 48000, Share: 1}}}
	return r
}
