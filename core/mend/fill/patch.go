// Package fill finds what should not be in the pauses of a scene and what is missing there, and makes the edits that
// put it right: lulls, patches of tone, beds, and clips cut down to their words. It proposes; whether that is better is
// measured elsewhere.
package fill

import (
	"cmp"
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Filling is tone for a hole, where it comes from and why, and the edit that lays it.
type Filling struct {
	tone.Candidate `tstype:",extends"` // its span is in samples of the source
	Source         string              `json:"source"`
	SourceName     string              `json:"source_name"`
	From           string              `json:"from"` // recording, set-up or library
	Did            string              `json:"did"`
	Edit           edit.Edit           `json:"-"`
	sides          [2]*side            // of the hole, at the level at which the scene has them
	used           []tone.Quiet        // that the tone is made from
	lay            *edit.LayTone
	source         scene.Source  // that the tone is
	library        *scene.Source // that it is, if the scene does not have it
}

// Where a filling comes from.
const (
	SameRecording = "recording"
	SameSetUp     = "set-up"
	InLibrary     = "library"
)

// A hole that tone is looked for: of a lull or a gap, or a stretch of a track.
type hole struct {
	scene.Hole
	span        pcm.Span
	left, right *scene.Clip // beside it; the same for a lull; either may be nil
}

// A LibraryTone is a tone that was kept for later: a stretch of a recording that the scene need not have.
type LibraryTone struct {
	Name   string
	Source scene.Source
	Span   pcm.Span // of the recording
}

// A Filler fills the holes of one scene. Its methods may be called in parallel.
type Filler struct{ *meter.Meter }

// A side is the room on one side of a hole, with its colour.
type side struct {
	*meter.Room
	thirds []float64
}

// holeAt finds a hole in the scene.
func (m *Filler) holeAt(h scene.Hole) (hole, error) {
	span, ok := m.Scene.HoleSpan(h)
	if !ok || span.Empty() {
		return hole{}, refuse.Errorf("the hole is not there any more")
	}
	out := hole{Hole: h, span: span}
	_, out.left = m.Scene.Clip(h.Clip)
	out.right = out.left
	if h.Lull == "" {
		_, out.right = m.Scene.Clip(h.Next)
	}
	return out, nil
}

// beside are the rooms on both sides of a hole as the scene has them; where one side is nothing but words the other
// stands for both.
func (m *Filler) beside(ctx context.Context, h hole) (sides [2]*side, err error) {
	for i, c := range []*scene.Clip{h.left, h.right} {
		if c == nil {
			continue
		}
		own, err := m.Rooms(ctx, c, h.span)
		if err != nil {
			return sides, err
		}
		room := own[i]
		if room == nil || h.Lull == "" && own[1-i] != nil && own[1-i].Sound.Len() > 4*room.Sound.Len() {
			room = own[1-i] // beyond its edge a clip's recording goes on
		}
		if room != nil {
			t, _ := m.Scene.Clip(c.ID)
			room = room.Turned(t.GainDB)
			sides[i] = &side{room, room.Thirds(m.Rate())}
		}
	}
	for i := range sides {
		if sides[i] == nil {
			sides[i] = sides[1-i]
		}
	}
	return sides, nil
}

// nearS is how far from a hole tone is looked for in its own recording, and in another one.
const nearS = 15.0

// mostOthers is how many other recordings are looked through.
const mostOthers = 6

// Fillings are the tones that could fill a hole, the likest first: of its own recording, of recordings from the same
// set-up, and of a library.
func (m *Filler) Fillings(ctx context.Context, h scene.Hole, library []LibraryTone) ([]Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return m.fillings(ctx, at, library, true)
}

func (m *Filler) fillings(ctx context.Context, at hole, library []LibraryTone, others bool) ([]Filling, error) {
	sides, err := m.beside(ctx, at)
	if err != nil {
		return nil, err
	}
	var like []tone.Side
	for _, s := range sides {
		if s != nil {
			like = append(like, tone.Side{LevelDB: s.LevelDB, Thirds: s.thirds})
		}
	}
	var list []Filling
	add := func(quiet []tone.Quiet, src scene.Source, from string, away func(tone.Quiet) float64, shift int64) {
		for _, c := range tone.Rank(quiet, like, m.MS(at.span.Len())/1000, m.Rate(), away) {
			c.Span = c.Span.Add(-shift)
			f := Filling{Candidate: c, Source: src.ID, SourceName: src.Name, From: from, sides: sides}
			if _, known := m.Scene.Sources[src.ID]; from == InLibrary && !known {
				f.library = &src
			}
			list = append(list, f)
		}
	}
	heard := map[string]bool{}
	for _, c := range []*scene.Clip{at.left, at.right} {
		if c == nil || heard[c.Source] {
			continue
		}
		heard[c.Source] = true
		quiet, err := m.Quiets(ctx, c, at.span, nearS)
		if err != nil {
			return nil, err
		}
		add(quiet, m.Scene.Sources[c.Source], SameRecording, func(q tone.Quiet) float64 {
			return m.MS(max(0, q.Span.From-at.span.To, at.span.From-q.Span.To)) / 1000
		}, c.Shift())
	}
	if others {
		if err := m.elseFillings(ctx, at, heard, library, like, add); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(list, func(a, b Filling) int { return cmp.Compare(a.Cost(), b.Cost()) })
	return list, nil
}

// elseFillings adds those of other recordings: of the nearest clips on dialogue tracks whose room is like that of a
// side, which makes them the same set-up, and of the library.
func (m *Filler) elseFillings(
	ctx context.Context,
	at hole,
	heard map[string]bool,
	library []LibraryTone,
	like []tone.Side,
	add func([]tone.Quiet, scene.Source, string, func(tone.Quiet) float64, int64),
) error {
	var clips []*scene.Clip
	for _, t := range m.Scene.Tracks {
		if t.Kind != scene.Sound || t.Purpose != scene.ForDialogue {
			continue
		}
		for i := range t.Clips {
			clips = append(clips, &t.Clips[i])
		}
	}
	away := func(c *scene.Clip) int64 { return max(0, c.Start-at.span.To, at.span.From-c.End()) }
	slices.SortStableFunc(clips, func(a, b *scene.Clip) int { return cmp.Compare(away(a), away(b)) })
	elsewhere := func(tone.Quiet) float64 { return -1 }
	for _, c := range clips {
		if src := m.Scene.Sources[c.Source]; heard[c.Source] || src.Tone != nil || len(heard) > mostOthers {
			continue
		}
		heard[c.Source] = true
		middle := c.Start + c.Length/2
		quiet, err := m.Quiets(ctx, c, pcm.Span{From: middle, To: middle}, nearS)
		if err != nil {
			return err
		}
		quiet = slices.DeleteFunc(quiet, func(q tone.Quiet) bool {
			return !slices.ContainsFunc(like, func(s tone.Side) bool {
				return tone.ColourDB(q.Thirds, s.Thirds) < 3 && math.Abs(q.LevelDB-s.LevelDB) < 6
			})
		})
		add(quiet, m.Scene.Sources[c.Source], SameSetUp, elsewhere, c.Shift())
	}
	for _, l := range library {
		quiet, err := m.quietOf(ctx, l)
		if err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			continue // a tone whose file is gone is none
		}
		src := l.Source
		src.Name = l.Name
		add(quiet[:min(1, len(quiet))], src, InLibrary, elsewhere, 0)
	}
	return nil
}

// quietOf are the quiet stretches of a tone of the library, the longest first.
func (m *Filler) quietOf(ctx context.Context, l LibraryTone) ([]tone.Quiet, error) {
	a, err := m.Analysis(ctx, m.Scene, l.Source)
	if err != nil {
		return nil, err
	}
	list := a.QuietsIn(pcm.Span{From: l.Span.From, To: min(l.Span.To, l.Span.From+10*m.Scene.SampleRate)})
	slices.SortStableFunc(list, func(a, b tone.Quiet) int { return cmp.Compare(b.Span.Len(), a.Span.Len()) })
	return list, nil
}

// NoQuiet says that a recording has no quiet stretch that tone can be made from.
type NoQuiet struct{ Name string }

func (e *NoQuiet) Error() string {
	return fmt.Sprintf("%s has no quiet stretch to make tone from. Choose another tone.", e.Name)
}

// FromLibrary is a tone of the library as a filling, for Bed.
func (m *Filler) FromLibrary(ctx context.Context, l LibraryTone) (*Filling, error) {
	quiet, err := m.quietOf(ctx, l)
	if err != nil {
		return nil, err
	}
	if len(quiet) == 0 {
		return nil, &NoQuiet{l.Name}
	}
	f := &Filling{
		Source:     l.Source.ID,
		SourceName: l.Name,
		From:       InLibrary,
		used:       tone.Similar(quiet, tone.EnoughS*m.Scene.SampleRate),
	}
	if _, known := m.Scene.Sources[l.Source.ID]; !known {
		f.library = &l.Source
	}
	return f, nil
}

// Patch is the filling of a hole that fits best, with its edit; nil if no quiet stretch was found.
func (m *Filler) Patch(ctx context.Context, h scene.Hole) (*Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	for _, others := range []bool{false, true} {
		list, err := m.fillings(ctx, at, nil, others)
		if err != nil {
			return nil, err
		}
		if len(list) > 0 {
			return &list[0], m.fillIn(ctx, at, list, 0)
		}
	}
	return nil, nil
}

// Nearest are the tones of a hole's own recording, the likest first.
func (m *Filler) Nearest(ctx context.Context, h scene.Hole) ([]Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return m.fillings(ctx, at, nil, false)
}

// Choose makes the edit of one of a hole's fillings.
func (m *Filler) Choose(ctx context.Context, h scene.Hole, list []Filling, i int) (*Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return &list[i], m.fillIn(ctx, at, list, i)
}

// A patch's fades in a gap, in milliseconds.
const gapFadeMS = 60

// The tone of a longer hole is chosen by so many seconds of it.
const settledS = 60

// fillIn makes the edit of a filling, out of what else of its recording is like it.
func (m *Filler) fillIn(ctx context.Context, at hole, list []Filling, i int) error {
	f := &list[i]
	own := []tone.Quiet{f.Quiet}
	for k, o := range list {
		if k != i && o.Source == f.Source {
			own = append(own, o.Quiet)
		}
	}
	f.used = tone.Similar(own, tone.EnoughS*m.Scene.SampleRate)
	span, fades, edits := at.span, [2]int64{}, []edit.Edit(nil)
	depth := 0.0
	if at.Lull != "" {
		u := at.left.Lull(at.Lull)
		fades = [2]int64{min(u.FadeIn, span.Len()/2), min(u.FadeOut, span.Len()/2)}
		depth = u.DepthDB
	} else {
		var err error
		if edits, span, fades, err = m.edges(ctx, at); err != nil {
			return err
		}
	}
	in := m.Scene.ToneMiddle()
	t := recipe.Tone{Seed: seedOf(at.Hole), From: in, To: in + span.Len()}
	// Where the hum of the recording would be now.
	for _, c := range []*scene.Clip{at.left, at.right} {
		if c != nil && c.Source == f.Source {
			t.Phase = in + c.Shift() - span.From
			break
		}
	}
	var err error
	left, right := f.sides[0], f.sides[1]
	if left == nil { // nothing to set its level by
		left = &side{&meter.Room{LevelDB: f.LevelDB}, f.Thirds}
		right = left
	}
	wish := tone.Options{
		Span:   pcm.Span{From: in, To: in + span.Len()},
		Left:   left.LevelDB,
		Right:  right.LevelDB,
		Thirds: between(left.thirds, right.thirds),
	}
	if most := settledS * m.Scene.SampleRate; span.Len() > most { // its beginning tells
		wish.Right = wish.Left + (wish.Right-wish.Left)*float64(most)/float64(span.Len())
		wish.Span.To = in + most
	} else if at.Lull != "" && depth == 0 {
		if wish.Under, err = m.lulledSound(at); err != nil {
			return err
		}
		wish.FadeIn, wish.FadeOut = fades[0], fades[1]
	}
	_, colour := tone.Mean(f.used)
	if math.Abs(left.LevelDB-right.LevelDB) > 1.5 || tone.ColourDB(left.thirds, right.thirds) > 2.5 {
		t.LeftDB, t.RightDB = left.thirds, right.thirds
		t.Right = recipe.Within(materialOf(m.Scene, at.right, right.At), m.Scene.SampleRate)
	} else if tone.ColourDB(colour, wish.Thirds) > 2 {
		t.LeftDB = wish.Thirds
	}
	t, gain, err := m.settle(ctx, f, t, wish)
	if err != nil {
		return err
	}
	if depth > 0 { // what the lull leaves of the room is there already
		gain += level.OfPower(1 - level.Power(-depth))
	}
	if i := scene.ToneTrack(m.Scene, span); i >= 0 {
		gain -= m.Scene.Tracks[i].GainDB
	}
	gain = math.Round(100*max(-100, min(40, gain))) / 100
	patch := &edit.LayTone{
		Tone:    t,
		Name:    "Tone of " + f.SourceName,
		From:    span.From,
		To:      span.To,
		In:      in,
		GainDB:  gain,
		FadeIn:  fades[0],
		FadeOut: fades[1],
		Fills:   &at.Hole,
	}
	f.Did = fmt.Sprintf("patch of %s from %s", m.LengthWords(span.Len()), f.SourceName)
	f.finish(patch, edits)
	return nil
}

// settle makes a filling's material the start of a recipe and picks the seed that suits a wish best, with the gain that
// it needs.
func (m *Filler) settle(
	ctx context.Context,
	f *Filling,
	t recipe.Tone,
	wish tone.Options,
) (recipe.Tone, float64, error) {
	for _, q := range f.used {
		t.Left = append(t.Left, scene.MaterialOf(m.Scene, f.Source, q.Span))
	}
	t.Left = recipe.Within(t.Left, m.Scene.SampleRate)
	src, err := m.Scene.ToneSource(t, "")
	if err != nil {
		return t, 0, err
	}
	if f.library != nil {
		src.Channels = max(src.Channels, f.library.Channels)
	}
	f.source = src
	return tone.Settle(t, int(m.Scene.SampleRate), src.Channels, src.Samples, wish, m.materials(f))
}

// finish makes the filling's edit: after what has to be done first, its tone is laid.
func (f *Filling) finish(lay *edit.LayTone, first []edit.Edit) {
	if f.library != nil {
		first = append([]edit.Edit{&edit.Bring{Source: *f.library}}, first...)
	}
	f.lay, f.Edit = lay, lay
	if len(first) > 0 {
		f.Edit = edit.NewBatch(f.Did, append(first, lay)...)
	}
}

// materials gives the sound that a filling's tone is made from.
func (m *Filler) materials(f *Filling) func(recipe.Material) (pcm.Block, error) {
	scenes := m.Material(m.Scene)
	return func(q recipe.Material) (pcm.Block, error) {
		if f.library == nil || f.library.ID != q.Source {
			return scenes(q)
		}
		from, err := m.Open(m.Scene, *f.library)
		if err != nil {
			return nil, err
		}
		span := q.Span().Intersect(pcm.Span{To: from.Len()})
		span.To = min(span.To, span.From+limit.MaterialS*m.Scene.SampleRate)
		return pcm.Read(from, span)
	}
}

// lulledSound is what a lull leaves of its clip, as its track sounds.
func (m *Filler) lulledSound(at hole) (pcm.Block, error) {
	b, err := m.Raw(at.left, at.span)
	t, _ := m.Scene.Clip(at.Clip)
	gain, u := level.Amplitude(t.GainDB), at.left.Lull(at.Lull)
	for c := range b {
		for i := range b[c] {
			b[c][i] *= gain * u.Gain(at.span.From+int64(i)-at.left.Shift())
		}
	}
	return b, err
}

// materialOf are stretches of the scene as tone can be made from them: of a clip's recording.
func materialOf(s *scene.Scene, c *scene.Clip, list []pcm.Span) (out []recipe.Material) {
	for _, q := range list {
		q = q.Add(-c.Shift())
		out = append(out, scene.MaterialOf(s, c.Source, q))
	}
	return out
}

// between is the middle of two colours, in dB.
func between(a, b []float64) []float64 {
	out := make([]float64, len(a))
	for i := range a {
		out[i] = (a[i] + b[i]) / 2
	}
	return out
}

// seedOf is a number that is the same for the same hole.
func seedOf(h scene.Hole) uint64 {
	hash := fnv.New32a()
	fmt.Fprintf(hash, "%s/%s/%s", h.Clip, h.Lull, h.Next)
	return uint64(hash.Sum32())
}

// edges are what has to be done with the edges of a gap so that they go over into tone, and where the tone lies: over
// the gap and over what the clips beside it fade within. The pause that a clip ends with is faded; where it has none
// its edge is drawn out into the gap, if its recording has that much without a word; else the tone comes up under the
// word.
func (m *Filler) edges(ctx context.Context, at hole) (edits []edit.Edit, span pcm.Span, fades [2]int64, err error) {
	span = at.span
	n := min(m.Samples(gapFadeMS), span.Len()/3)
	for i, c := range []*scene.Clip{at.left, at.right} {
		if c == nil {
			continue
		}
		tail := i == 0
		pause, err := m.pauseAt(ctx, c, tail)
		if err != nil {
			return nil, span, fades, err
		}
		free := int64(0) // looked for only where the pause does not do
		if pause < n {
			if free, err = m.Free(ctx, c, tail, span.Len()); err != nil {
				return nil, span, fades, err
			}
		}
		edge, has, inner, out := scene.Head, c.FadeIn.Length, c.FadeOut.Length, int64(-1)
		if tail {
			edge, has, inner, out = scene.Tail, c.FadeOut.Length, c.FadeIn.Length, 1
		}
		curve := blend.Curve{Shape: blend.QuarterSine}
		if has > 0 {
			edits = append(edits, &edit.FadeEdge{Clip: c.ID, Edge: edge})
		}
		if pause < n && free >= n && n > 0 {
			at := c.Start
			if tail {
				at = c.End()
			}
			fades[i] = n
			edits = append(
				edits,
				&edit.Trim{Clip: c.ID, Edge: edge, To: at + out*n, Alone: true},
				&edit.FadeEdge{Clip: c.ID, Edge: edge, Length: n, Curve: curve},
			)
			continue
		}
		fades[i] = min(m.Samples(gapFadeMS), pause, c.Length-inner)
		if fades[i] >= m.Samples(4) {
			edits = append(edits, &edit.FadeEdge{Clip: c.ID, Edge: edge, Length: fades[i], Curve: curve})
		} else {
			fades[i] = min(m.Samples(20), c.Length/2)
		}
		if tail {
			span.From -= fades[i]
		} else {
			span.To += fades[i]
		}
	}
	return edits, span, fades, nil
}

// The recordings are looked at for so long beside an edge, in milliseconds, for a pause.
const lookMS = 800

// WordMarginMS is left between a fade and a word, in milliseconds.
const WordMarginMS = 15

// pauseAt is how long a clip has no word inside its tail or its head.
func (m *Filler) pauseAt(ctx context.Context, c *scene.Clip, tail bool) (int64, error) {
	at := c.Start
	if tail {
		at = c.End()
	}
	r, err := m.Around(ctx, c, at, lookMS, lookMS)
	if err != nil {
		return 0, err
	}
	pause := m.Samples(lookMS)
	for _, s := range r.Stretches {
		if tail && s.Span.From < at {
			pause = min(pause, max(0, at-s.Span.To-m.Samples(WordMarginMS)))
		}
		if !tail && s.Span.To > at {
			pause = min(pause, max(0, s.Span.From-at-m.Samples(WordMarginMS)))
		}
	}
	return pause, nil
}

// Free is how far a clip's edge can be drawn out into a gap of a length without a word of its recording being heard.
func (m *Filler) Free(ctx context.Context, c *scene.Clip, tail bool, gap int64) (int64, error) {
	t, _ := m.Scene.Clip(c.ID)
	at, before, after := c.Start, m.MS(gap)+600, 100.0
	head, end := m.Scene.Handles(t, *c)
	n := head
	if tail {
		at, before, after, n = c.End(), after, before, end
	}
	r, err := m.Around(ctx, c, at, before, after)
	if err != nil {
		return 0, err
	}
	for _, s := range r.Stretches {
		if s.Kind == speech.Breath && s.PeakDB < r.BackgroundDB+6 {
			continue
		}
		if tail && s.Span.To > at {
			n = min(n, max(0, s.Span.From-at-m.Samples(30)))
		}
		if !tail && s.Span.From < at {
			n = min(n, max(0, at-s.Span.To-m.Samples(40)))
		}
	}
	return n, nil
}
