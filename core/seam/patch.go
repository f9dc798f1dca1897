package seam

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"blendseam/core/blend"
	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/speech"
	"blendseam/core/tone"
)

// A Filling is tone for a hole, where it comes from and why, and the edit that lays it.
type Filling struct {
	tone.Candidate              // its span is in samples of the source
	Source         string       `json:"source"`
	SourceName     string       `json:"source_name"`
	From           string       `json:"from"` // recording, set-up or library
	Did            string       `json:"did"`
	Edit           scene.Edit   `json:"-"`
	sides          [2]*room     // of the hole, at the level at which the scene has them
	used           []tone.Quiet // that the tone is made from
	lay            *scene.LayTone
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

// holeAt finds a hole in the scene.
func (m *Meter) holeAt(h scene.Hole) (hole, error) {
	span, ok := m.scene.HoleSpan(h)
	if !ok || span.Empty() {
		return hole{}, fmt.Errorf("the hole is not there any more")
	}
	out := hole{Hole: h, span: span}
	_, out.left = m.scene.Clip(h.Clip)
	out.right = out.left
	if h.Lull == "" {
		_, out.right = m.scene.Clip(h.Next)
	}
	return out, nil
}

// beside are the rooms on both sides of a hole as the scene has them; where one side is nothing but words the other stands for both.
func (m *Meter) beside(h hole) (sides [2]*room, err error) {
	for i, c := range []*scene.Clip{h.left, h.right} {
		if c == nil {
			continue
		}
		own, err := m.rooms(c, h.span)
		if err != nil {
			return sides, err
		}
		side := own[i]
		if side == nil || h.Lull == "" && own[1-i] != nil && own[1-i].sound.Len() > 4*side.sound.Len() {
			side = own[1-i] // beyond its edge a clip's recording goes on
		}
		if side != nil {
			t, _ := m.scene.Clip(c.ID)
			sides[i] = side.turned(t.GainDB)
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

// Fillings are the tones that could fill a hole, the likest first: of its own recording, of recordings from the same set-up, and of a library.
func (m *Meter) Fillings(h scene.Hole, library []LibraryTone) ([]Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return m.fillings(at, library, true)
}

func (m *Meter) fillings(at hole, library []LibraryTone, others bool) ([]Filling, error) {
	sides, err := m.beside(at)
	if err != nil {
		return nil, err
	}
	var like []tone.Side
	for _, s := range sides {
		if s != nil {
			like = append(like, tone.Side{LevelDB: s.level, Thirds: s.thirds})
		}
	}
	rate := int(m.scene.SampleRate)
	var list []Filling
	add := func(quiet []tone.Quiet, src scene.Source, from string, away func(tone.Quiet) float64, shift int64) {
		for _, c := range tone.Rank(quiet, like, m.inMS(at.span.Len())/1000, rate, away) {
			c.Span = c.Span.Add(-shift)
			f := Filling{Candidate: c, Source: src.ID, SourceName: src.Name, From: from, sides: sides}
			if _, known := m.scene.Sources[src.ID]; from == InLibrary && !known {
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
		quiet, _, _, err := m.quiets(c, at.span, nearS)
		if err != nil {
			return nil, err
		}
		add(quiet, m.scene.Sources[c.Source], SameRecording, func(q tone.Quiet) float64 {
			return m.inMS(max(0, q.Span.From-at.span.To, at.span.From-q.Span.To)) / 1000
		}, c.Shift())
	}
	if others {
		if err := m.elseFillings(at, heard, library, like, add); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(list, func(a, b Filling) int { return cmp.Compare(a.Cost(), b.Cost()) })
	return list, nil
}

// elseFillings adds those of other recordings: of the nearest clips on dialogue tracks whose room is like that of a side, which makes them the same
// set-up, and of the library.
func (m *Meter) elseFillings(at hole, heard map[string]bool, library []LibraryTone, like []tone.Side, add func([]tone.Quiet, scene.Source, string, func(tone.Quiet) float64, int64)) error {
	var clips []*scene.Clip
	for _, t := range m.scene.Tracks {
		if t.Kind != scene.Sound || t.Purpose != "dialogue" {
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
		if src := m.scene.Sources[c.Source]; heard[c.Source] || src.Tone != nil || len(heard) > mostOthers {
			continue
		}
		heard[c.Source] = true
		middle := c.Start + c.Length/2
		quiet, _, _, err := m.quiets(c, pcm.Span{From: middle, To: middle}, nearS)
		if err != nil {
			return err
		}
		quiet = slices.DeleteFunc(quiet, func(q tone.Quiet) bool {
			return !slices.ContainsFunc(like, func(s tone.Side) bool {
				return tone.ColourDB(q.Thirds, s.Thirds) < 3 && math.Abs(q.LevelDB-s.LevelDB) < 6
			})
		})
		add(quiet, m.scene.Sources[c.Source], SameSetUp, elsewhere, c.Shift())
	}
	for _, l := range library {
		quiet, err := m.quietOf(l)
		if err != nil {
			continue // a tone whose file is gone is none
		}
		src := l.Source
		src.Name = l.Name
		add(quiet[:min(1, len(quiet))], src, InLibrary, elsewhere, 0)
	}
	return nil
}

// quietOf are the quiet stretches of a tone of the library, the longest first.
func (m *Meter) quietOf(l LibraryTone) ([]tone.Quiet, error) {
	r, err := m.open(l.Source)
	if err != nil {
		return nil, err
	}
	b, err := pcm.Read(r, pcm.Span{From: l.Span.From, To: min(l.Span.To, r.Len(), l.Span.From+10*m.scene.SampleRate)})
	if err != nil {
		return nil, err
	}
	list := tone.Find(b, int(m.scene.SampleRate))
	for i := range list {
		list[i].Span = list[i].Span.Add(l.Span.From)
	}
	slices.SortStableFunc(list, func(a, b tone.Quiet) int { return cmp.Compare(b.Span.Len(), a.Span.Len()) })
	return list, nil
}

// FromLibrary is a tone of the library as a filling, for Bed.
func (m *Meter) FromLibrary(l LibraryTone) (*Filling, error) {
	quiet, err := m.quietOf(l)
	if err != nil {
		return nil, err
	}
	if len(quiet) == 0 {
		return nil, fmt.Errorf("%s has no quiet stretch to make tone from", l.Name)
	}
	f := &Filling{Source: l.Source.ID, SourceName: l.Name, From: InLibrary, used: tone.Alike(quiet, tone.EnoughS*m.scene.SampleRate)}
	if _, known := m.scene.Sources[l.Source.ID]; !known {
		f.library = &l.Source
	}
	return f, nil
}

// Patch is the filling of a hole that fits best, with its edit; nil if no quiet stretch was found.
func (m *Meter) Patch(h scene.Hole) (*Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	for _, others := range []bool{false, true} {
		list, err := m.fillings(at, nil, others)
		if err != nil {
			return nil, err
		}
		if len(list) > 0 {
			return &list[0], m.fillIn(at, list, 0)
		}
	}
	return nil, nil
}

// Near are the tones of a hole's own recording, the likest first.
func (m *Meter) Near(h scene.Hole) ([]Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return m.fillings(at, nil, false)
}

// Choose makes the edit of one of a hole's fillings.
func (m *Meter) Choose(h scene.Hole, list []Filling, i int) (*Filling, error) {
	at, err := m.holeAt(h)
	if err != nil {
		return nil, err
	}
	return &list[i], m.fillIn(at, list, i)
}

// A patch's fades in a gap, in milliseconds.
const gapFadeMS = 60

// fillIn makes the edit of a filling, out of what else of its recording is like it.
func (m *Meter) fillIn(at hole, list []Filling, i int) error {
	f := &list[i]
	own := []tone.Quiet{f.Quiet}
	for k, o := range list {
		if k != i && o.Source == f.Source {
			own = append(own, o.Quiet)
		}
	}
	f.used = tone.Alike(own, tone.EnoughS*m.scene.SampleRate)
	span, fades, edits := at.span, [2]int64{}, []scene.Edit(nil)
	depth := 0.0
	if at.Lull != "" {
		u := at.left.Lull(at.Lull)
		fades = [2]int64{min(u.FadeIn, span.Len()/2), min(u.FadeOut, span.Len()/2)}
		depth = u.DepthDB
	} else {
		var err error
		if edits, span, fades, err = m.edges(at); err != nil {
			return err
		}
	}
	in := m.scene.ToneMiddle()
	recipe := scene.Tone{Seed: seedOf(at.Hole), From: in, To: in + span.Len()}
	// Where the hum of the recording would be now.
	for _, c := range []*scene.Clip{at.left, at.right} {
		if c != nil && c.Source == f.Source {
			recipe.Phase = in + c.Shift() - span.From
			break
		}
	}
	var err error
	left, right := f.sides[0], f.sides[1]
	if left == nil { // nothing to set its level by
		left = &room{level: f.LevelDB, thirds: f.Thirds}
		right = left
	}
	wish := tone.Wish{Span: pcm.Span{From: in, To: in + span.Len()}, Left: left.level, Right: right.level, Thirds: between(left.thirds, right.thirds)}
	if at.Lull != "" && depth == 0 {
		if wish.Under, err = m.lulledSound(at); err != nil {
			return err
		}
		wish.FadeIn, wish.FadeOut = fades[0], fades[1]
	}
	colour := colourOf(f.used)
	if math.Abs(left.level-right.level) > 1.5 || tone.ColourDB(left.thirds, right.thirds) > 2.5 {
		recipe.LeftDB, recipe.RightDB = left.thirds, right.thirds
		recipe.Right = materialOf(at.right, right.at)
	} else if tone.ColourDB(colour, wish.Thirds) > 2 {
		recipe.LeftDB = wish.Thirds
	}
	recipe, gain, err := m.settle(f, recipe, wish)
	if err != nil {
		return err
	}
	if depth > 0 { // what the lull leaves of the room is there already
		gain += 10 * math.Log10(1-math.Pow(10, -depth/10))
	}
	if i := m.scene.ToneTrack(span); i >= 0 {
		gain -= m.scene.Tracks[i].GainDB
	}
	gain = math.Round(100*max(-100, min(40, gain))) / 100
	patch := &scene.LayTone{Tone: recipe, Name: "Tone of " + f.SourceName, From: span.From, To: span.To, In: in, GainDB: gain, FadeIn: fades[0], FadeOut: fades[1], Fills: &at.Hole}
	f.Did = fmt.Sprintf("patch of %s from %s", m.lengthWords(span.Len()), f.SourceName)
	f.finish(patch, edits)
	return nil
}

// settle makes a filling's material the start of a recipe and picks the seed that suits a wish best, with the gain that it needs.
func (m *Meter) settle(f *Filling, recipe scene.Tone, wish tone.Wish) (scene.Tone, float64, error) {
	for _, q := range f.used {
		recipe.Left = append(recipe.Left, scene.Material{Source: f.Source, From: q.Span.From, To: q.Span.To})
	}
	src, err := m.scene.ToneSource(recipe, "")
	if err != nil {
		return recipe, 0, err
	}
	if f.library != nil {
		src.Channels = max(src.Channels, f.library.Channels)
	}
	f.source = src
	return tone.Settle(recipe, int(m.scene.SampleRate), src.Channels, src.Samples, wish, m.materials(f))
}

// finish makes the filling's edit: after what has to be done first, its tone is laid.
func (f *Filling) finish(lay *scene.LayTone, first []scene.Edit) {
	if f.library != nil {
		first = append([]scene.Edit{&scene.Bring{Source: *f.library}}, first...)
	}
	f.lay, f.Edit = lay, lay
	if len(first) > 0 {
		f.Edit = scene.InOrder(f.Did, append(first, lay)...)
	}
}

// materials gives the sound that a filling's tone is made from.
func (m *Meter) materials(f *Filling) func(scene.Material) (pcm.Block, error) {
	return func(q scene.Material) (r pcm.Block, err error) {
		var from pcm.ReaderAt
		if f.library != nil && f.library.ID == q.Source {
			from, err = m.open(*f.library)
		} else {
			from, err = m.source(q.Source)
		}
		if err != nil {
			return nil, err
		}
		return pcm.Read(from, q.Span())
	}
}

// lulledSound is what a lull leaves of its clip, as its track sounds.
func (m *Meter) lulledSound(at hole) (pcm.Block, error) {
	b, err := m.raw(at.left, at.span)
	t, _ := m.scene.Clip(at.Clip)
	gain, u := measure.Amplitude(t.GainDB), at.left.Lull(at.Lull)
	for c := range b {
		for i := range b[c] {
			b[c][i] *= gain * u.Gain(at.span.From+int64(i)-at.left.Shift())
		}
	}
	return b, err
}

// materialOf are stretches of the scene as tone can be made from them: of a clip's recording.
func materialOf(c *scene.Clip, list []pcm.Span) (out []scene.Material) {
	for _, q := range list {
		q = q.Add(-c.Shift())
		out = append(out, scene.Material{Source: c.Source, From: q.From, To: q.To})
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

// colourOf is the colour of some quiet stretches together.
func colourOf(list []tone.Quiet) []float64 {
	out := make([]float64, scene.ToneBands)
	n := 0.0
	for _, q := range list {
		n += float64(q.Span.Len())
		for i, v := range q.Thirds {
			out[i] += math.Pow(10, v/10) * float64(q.Span.Len())
		}
	}
	for i := range out {
		out[i] = 10 * math.Log10(out[i]/n+1e-15)
	}
	return out
}

// seedOf is a number that is the same for the same hole.
func seedOf(h scene.Hole) uint64 {
	hash := fnv.New32a()
	fmt.Fprintf(hash, "%s/%s/%s", h.Clip, h.Lull, h.Next)
	return uint64(hash.Sum32())
}

// edges are what has to be done with the edges of a gap so that they go over into tone, and where the tone lies: over the gap and over what the
// clips beside it fade within. The pause that a clip ends with is faded; where it has none its edge is drawn out into the gap, if its recording has
// that much without a word; else the tone comes up under the word.
func (m *Meter) edges(at hole) (edits []scene.Edit, span pcm.Span, fades [2]int64, err error) {
	span = at.span
	n := min(m.ms(gapFadeMS), span.Len()/3)
	for i, c := range []*scene.Clip{at.left, at.right} {
		if c == nil {
			continue
		}
		tail := i == 0
		pause, err := m.pauseAt(c, tail)
		if err != nil {
			return nil, span, fades, err
		}
		free := int64(0) // looked for only where the pause does not do
		if pause < n {
			if free, err = m.free(c, tail, span.Len()); err != nil {
				return nil, span, fades, err
			}
		}
		edge, has, inner, out := "head", c.FadeIn.Length, c.FadeOut.Length, int64(-1)
		if tail {
			edge, has, inner, out = "tail", c.FadeOut.Length, c.FadeIn.Length, 1
		}
		curve := blend.Curve{Shape: blend.QuarterSine}
		if has > 0 {
			edits = append(edits, &scene.FadeEdge{Clip: c.ID, Edge: edge})
		}
		if pause < n && free >= n && n > 0 {
			at := c.Start
			if tail {
				at = c.End()
			}
			fades[i] = n
			edits = append(edits, &scene.Trim{Clip: c.ID, Edge: edge, To: at + out*n, Alone: true}, &scene.FadeEdge{Clip: c.ID, Edge: edge, Length: n, Curve: curve})
			continue
		}
		fades[i] = min(m.ms(gapFadeMS), pause, c.Length-inner)
		if fades[i] >= m.ms(4) {
			edits = append(edits, &scene.FadeEdge{Clip: c.ID, Edge: edge, Length: fades[i], Curve: curve})
		} else {
			fades[i] = min(m.ms(20), c.Length/2)
		}
		if tail {
			span.From -= fades[i]
		} else {
			span.To += fades[i]
		}
	}
	return edits, span, fades, nil
}

// pauseAt is how long a clip has no word inside its tail or its head.
func (m *Meter) pauseAt(c *scene.Clip, tail bool) (int64, error) {
	at := c.Start
	if tail {
		at = c.End()
	}
	r, err := m.Recording(c, at, beyondMS, beyondMS)
	if err != nil {
		return 0, err
	}
	pause := m.ms(beyondMS)
	for _, s := range r.Stretches {
		if tail && s.Span.From < at {
			pause = min(pause, max(0, at-s.Span.To-m.ms(wordMarginMS)))
		}
		if !tail && s.Span.To > at {
			pause = min(pause, max(0, s.Span.From-at-m.ms(wordMarginMS)))
		}
	}
	return pause, nil
}

// free is how far a clip's edge can be drawn out into a gap of a length without a word of its recording being heard.
func (m *Meter) free(c *scene.Clip, tail bool, gap int64) (int64, error) {
	t, _ := m.scene.Clip(c.ID)
	at, before, after := c.Start, m.inMS(gap)+600, 100.0
	head, end := m.scene.Handles(t, *c)
	n := head
	if tail {
		at, before, after, n = c.End(), after, before, end
	}
	r, err := m.Recording(c, at, before, after)
	if err != nil {
		return 0, err
	}
	for _, s := range r.Stretches {
		if s.Kind == speech.Breath && s.PeakDB < r.BackgroundDB+6 {
			continue
		}
		if tail && s.Span.To > at {
			n = min(n, max(0, s.Span.From-at-m.ms(30)))
		}
		if !tail && s.Span.From < at {
			n = min(n, max(0, at-s.Span.To-m.ms(40)))
		}
	}
	return n, nil
}

// patches are ways to mend a hole with tone.
func (a *advice) patches() []option {
	h := scene.Hole{Clip: a.before.Left, Lull: a.before.Lull}
	if a.before.Kind != Lull {
		left, right, _, ok := a.gap()
		if !ok || a.grades[DeadSilence] < 1 {
			return nil
		}
		h = scene.Hole{Clip: left.ID, Next: right.ID}
	}
	if p := a.scene.Patch(h); p != nil {
		if by := a.before.Measures.BackgroundStepDB; by != nil && a.grades[BackgroundStep] >= 1 {
			db := math.Round(100*max(-100, min(40, p.GainDB-*by))) / 100
			return []option{{did: fmt.Sprintf("patch at %+.1f dB", db), reasons: []string{fmt.Sprintf("it is %.1f dB off the room beside it", *by)}, edits: []scene.Edit{&scene.Gain{Clips: []string{p.ID}, DB: db}}}}
		}
		return nil
	}
	f, err := a.Patch(h)
	if err != nil || f == nil {
		return nil
	}
	return []option{{did: f.Did, reasons: f.Reasons, edits: []scene.Edit{f.Edit}, wide: true}}
}

// Stray proposes for a stray sound: its lull, and the patch that fills it.
func (m *Meter) Stray(f Finding) (Proposal, error) {
	s := Seam{ID: f.ID, Track: f.Track, TrackName: f.TrackName, Kind: Lull, At: (f.Lull.From + f.Lull.To) / 2, From: f.Lull.From, To: f.Lull.To, Left: f.Clip, LeftName: f.ClipName}
	before, err := m.Seam(s)
	if err != nil {
		return Proposal{}, err
	}
	if before.Verdict == Clean || before.Cause == Peak || before.Cause == DeadSilence {
		before.Verdict, before.Cause, before.worst = Audible, BackgroundStep, 1
	}
	if f.AboveDB >= 12 {
		before.Verdict, before.worst = Rough, max(2, before.worst)
	}
	before.Why = f.Why
	p := Proposal{Before: before, stray: &f}
	take := f.Edit()
	next, err := scene.Apply(m.scene, take)
	if err != nil {
		p.Left = before.Why + ": " + err.Error()
		return p, nil
	}
	meter, err := NewMeter(next, m.plain)
	if err != nil {
		return p, err
	}
	fill, err := meter.Patch(scene.Hole{Clip: f.Clip, Lull: take.Lull})
	if err != nil {
		return p, err
	}
	if fill == nil {
		p.Left = before.Why + ": no quiet stretch was found to fill its lull with"
		return p, nil
	}
	did := fmt.Sprintf("%s lulled for %s, %s", f.Name(), m.lengthWords(f.Lull.Len()), fill.Did)
	o := option{did: did, edits: []scene.Edit{take, fill.Edit}, becomes: "lull:" + f.Clip + ":" + take.Lull, wide: true}
	after, edit, err := m.try(before, o)
	if err != nil {
		return p, err
	}
	if after == nil {
		p.Left = before.Why + ": a lull with a patch spoils what lies beside it"
		return p, nil
	}
	p.After, p.Did, p.Edit = after, did, edit
	p.Reasons = append([]string{"the lull leaves the words beside it whole"}, fill.Reasons...)
	p.Left = stays(p)
	return p, nil
}
