package seam

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"blendseam/core/blend"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/speech"
)

// An option is one way to mend a seam.
type option struct {
	did     string
	reasons []string
	edits   []scene.Edit
	becomes string // id of the seam afterwards, if it is another
	wide    bool   // the edit reaches to the neighbouring seams
}

// advice is what the options are made from.
type advice struct {
	*Meter
	before      *Result
	track       *scene.Track
	left, right *scene.Clip
	sounds      [2]*Recording
	grades      map[Cause]float64

	// How far a change can reach before and after the seam: within handles and neighbouring blends, without a word of the
	// other recording being heard, and without a word of the clip itself being covered.
	reachBefore, reachAfter int64
	quietBefore, quietAfter int64
	clearBefore, clearAfter int64
}

// The recordings are looked at this far beyond a seam for a proposal, in milliseconds.
const adviceMS = 2500

func (m *Meter) advise(before *Result) (*advice, error) {
	a := &advice{Meter: m, before: before, track: m.scene.Track(before.Track), grades: before.grades(m.scene.SampleRate)}
	_, a.left = m.scene.Clip(before.Left)
	_, a.right = m.scene.Clip(before.Right)
	for i, c := range []*scene.Clip{a.left, a.right} {
		if c == nil {
			continue
		}
		var err error
		if a.sounds[i], err = m.Recording(c, before.At, adviceMS, adviceMS); err != nil {
			return nil, err
		}
	}
	if before.Kind == Cut {
		a.reachBefore, a.reachAfter = m.scene.Reach(a.track, *a.left, *a.right)
		a.limits()
	}
	return a, nil
}

// wordMarginMS is left between a blend and a word, in milliseconds.
const wordMarginMS = 15

// limits finds how far from the cut the words lie.
func (a *advice) limits() {
	at, margin := a.before.At, a.ms(wordMarginMS)
	last := func(r *Recording) int64 { // from the cut back to the end of the last word before it
		d := int64(math.MaxInt32)
		for _, s := range r.Stretches {
			if s.Kind == speech.Word && s.Span.From < at {
				d = min(d, max(0, at-s.Span.To-margin))
			}
		}
		return d
	}
	first := func(r *Recording) int64 { // from the cut on to the next word after it
		d := int64(math.MaxInt32)
		for _, s := range r.Stretches {
			if s.Kind == speech.Word && s.Span.To > at {
				d = min(d, max(0, s.Span.From-at-margin))
			}
		}
		return d
	}
	a.quietBefore, a.quietAfter = min(a.reachBefore, last(a.sounds[1])), min(a.reachAfter, first(a.sounds[0]))
	a.clearBefore, a.clearAfter = min(a.quietBefore, last(a.sounds[0])), min(a.quietAfter, first(a.sounds[1]))
}

// options are the ways to mend the seam, the gentlest first.
func (a *advice) options() (list []option) {
	switch {
	case a.before.Pair:
		return a.pairLaws()
	case a.before.Kind == Cut:
		list = append(list, a.rolls()...)
		list = append(list, a.blends()...)
		list = append(list, a.levels()...)
	case a.before.Kind == Lull:
		return a.patches()
	default:
		list = append(list, a.closeHole()...)
		list = append(list, a.patches()...)
		list = append(list, a.extend()...)
		list = append(list, a.fades()...)
	}
	return list
}

// law is the one that fits the likeness of both sides over a blend, with the reason.
func (a *advice) law(before, after int64) (blend.Law, string) {
	b := scene.Blend{Left: a.left.ID, Right: a.right.ID, Before: before, After: after}
	out, in, err := mix.Sides(a.track, b, func(c scene.Clip) (pcm.ReaderAt, error) { return a.recording(&c) })
	if err != nil {
		return blend.ConstantPower, ""
	}
	switch r := measure.Correlation(out, in); {
	case r > 0.9:
		return blend.ConstantGain, fmt.Sprintf("the sides are alike (%.2f), so constant gain holds the level", r)
	case math.Abs(r) < 0.12:
		return blend.ConstantPower, fmt.Sprintf("the sides are unlike (%.2f), so constant power holds the level", r)
	default:
		return blend.Matched, fmt.Sprintf("the sides are alike by %.2f, which the matched law follows", r)
	}
}

// share gives the halves of a blend of a length within two limits, as near to its middle as they allow.
func share(length, before, after int64) (b, f int64) {
	b = min(length/2, before)
	f = min(length-b, after)
	b = min(length-f, before)
	return b, f
}

// lengths are those to try, in samples: short ones for clicks, and as long as a step in the background needs to pass unheard.
func (a *advice) lengths() (list []int64) {
	add := func(ms float64) { list = append(list, a.ms(ms)) }
	frame := a.inMS(a.scene.Rate.SampleOf(1, a.scene.SampleRate))
	step := max(a.over(BackgroundStep), a.over(ColourStep))
	if step > 1 {
		add(min(1000, max(4*frame, (step-1)/2*1000*1.08+frame)))
		add(1000)
		add(640)
	}
	if a.before.Blend {
		list = append(list, a.before.To-a.before.From)
	}
	for _, ms := range []float64{3 * frame, 2 * frame, 20, 8, 4} {
		add(ms)
	}
	return list
}

// over is how many times over what is heard at once a figure is, 0 if it was not measured.
func (a *advice) over(cause Cause) float64 {
	for _, x := range Table {
		if v := x.of(&a.before.Measures); x.Cause == cause && v != nil {
			return math.Abs(*v) / x.Audible
		}
	}
	return 0
}

// blends are crossfades of the cut, first where they cover no word, then where no word of the other recording is heard.
func (a *advice) blends() []option { return a.blendsAt(nil) }

func (a *advice) blendsAt(first []scene.Edit) (list []option) {
	tried := map[[2]int64]bool{}
	for round, limits := range [][2]int64{{a.clearBefore, a.clearAfter}, {a.quietBefore, a.quietAfter}, {a.reachBefore, a.reachAfter}} {
		for _, n := range a.lengths() {
			b, f := share(n, limits[0], limits[1])
			if round == 2 && n > a.ms(25) {
				continue // a word that is cut into is not blended for longer
			}
			if b+f < a.ms(2) || tried[[2]int64{b, f}] {
				continue
			}
			tried[[2]int64{b, f}] = true
			law, why := a.law(b, f)
			o := option{did: fmt.Sprintf("blend of %s, %s", a.lengthWords(b+f), lawName(law)), reasons: []string{why}}
			if max(b-f, f-b) > a.ms(1) {
				o.did += fmt.Sprintf(", %s before and %s after", a.lengthWords(b), a.lengthWords(f))
			}
			o.reasons = append(o.reasons, a.lengthReason(n, b, f), a.leanReason(b, f))
			o.reasons = slices.DeleteFunc(o.reasons, func(s string) bool { return s == "" })
			blend := &scene.SetBlend{Left: a.left.ID, Right: a.right.ID, Before: b, After: f, Law: law}
			o.edits = append(slices.Clone(first), blend)
			list = append(list, o)
		}
	}
	return list
}

// lawName is a law's name within a sentence.
func lawName(l blend.Law) string { return strings.ToLower(l.Name()) }

func (m *Meter) lengthWords(samples int64) string {
	return fmt.Sprintf("%.0f ms", m.inMS(samples))
}

func (a *advice) lengthReason(wanted, b, f int64) string {
	m := &a.before.Measures
	switch {
	case b+f < wanted-a.ms(5):
		return fmt.Sprintf("%s is as long as handles and words allow", a.lengthWords(b+f))
	case a.over(BackgroundStep) >= 1 && b+f >= a.ms(100):
		return fmt.Sprintf("the backgrounds are %.1f dB apart and take %s to go over unheard", math.Abs(*m.BackgroundStepDB), a.lengthWords(b+f))
	case a.over(ColourStep) >= 1 && b+f >= a.ms(100):
		return fmt.Sprintf("the backgrounds' colours are %.1f dB apart and take %s to go over unheard", *m.ColourStepDB, a.lengthWords(b+f))
	case a.grades[Click] >= 1:
		return fmt.Sprintf("%s take the click away", a.lengthWords(b+f))
	}
	return fmt.Sprintf("%s are enough for sides that fit", a.lengthWords(b+f))
}

// leanReason says which word the lean leaves whole.
func (a *advice) leanReason(b, f int64) string {
	switch {
	case max(b-f, f-b) <= a.ms(1):
	case b > f:
		if d := a.clearAfter + a.ms(wordMarginMS); d < a.reachAfter {
			return fmt.Sprintf("it leans onto the outgoing side: the next word begins %.0f ms after the cut and stays whole", a.inMS(d))
		}
		return "it leans onto the outgoing side, where there is handle"
	case f > b:
		if d := a.clearBefore + a.ms(wordMarginMS); d < a.reachBefore {
			return fmt.Sprintf("it leans onto the incoming side: the last word ends %.0f ms before the cut and stays whole", a.inMS(d))
		}
		return "it leans onto the incoming side, where there is handle"
	}
	return ""
}

// rolls move the sound's cut out of a word, and blend it there.
func (a *advice) rolls() (list []option) {
	lost := a.before.Measures.WordCutMS
	if a.grades[WordCut] < 1 || lost == nil {
		return nil
	}
	cut := a.before.At
	for side, r := range a.sounds {
		w, ok := r.WordAt(gone(a.before.Seam, side == 1))
		if !ok {
			continue
		}
		to, words := w.Span.To+a.ms(30), fmt.Sprintf("the outgoing word goes on for %.0f ms behind the cut", *lost)
		if side == 1 {
			to, words = w.Span.From-a.ms(30), fmt.Sprintf("the incoming word begins %.0f ms before the cut", *lost)
		}
		if max(to-cut, cut-to) > a.scene.SampleRate {
			continue
		}
		var roll []scene.Edit
		if a.before.Blend {
			roll = append(roll, &scene.RemoveBlend{Left: a.left.ID, Right: a.right.ID})
		}
		roll = append(roll, &scene.PlaceCut{Left: a.left.ID, Right: a.right.ID, To: to})
		next, err := scene.Apply(a.scene, scene.InOrder("", roll...))
		if err != nil {
			continue
		}
		// The blend is that which fits the cut where it lies then.
		m, err := NewMeter(next, a.plain)
		if err != nil {
			continue
		}
		moved := *a.before
		moved.At, moved.From, moved.To, moved.Blend = to, to, to, false
		then, err := m.advise(&moved)
		if err != nil {
			continue
		}
		where := fmt.Sprintf("the sound's cut %s %s", a.lengthWords(max(to-cut, cut-to)), either(to < cut, "earlier", "later"))
		for _, o := range then.blendsAt(roll) {
			o.did = where + ", " + o.did
			o.reasons = append([]string{words}, o.reasons...)
			o.wide = true
			list = append(list, o)
		}
		list = append(list, option{did: where, reasons: []string{words}, edits: roll, wide: true})
	}
	return list
}

// levels bring the voices of both sides together: by the gain of a clip where its background is off by as much, else by a
// level line over its words.
func (a *advice) levels() (list []option) {
	v := a.before.Measures.LevelStepLU
	if a.grades[LevelStep] < 1 || v == nil {
		return nil
	}
	const most = 12.0 // dB
	if math.Abs(*v) > most {
		return nil
	}
	var blends []option
	if a.grades[Click] >= 1 || a.grades[BackgroundStep] >= 1 || a.grades[ColourStep] >= 1 {
		blends = a.blends()
		blends = blends[:min(3, len(blends))]
	}
	sides := []struct {
		c  *scene.Clip
		by float64 // dB
	}{{a.right, -*v}, {a.left, *v}}
	reason := fmt.Sprintf("the voice is %.1f LU %s behind the cut", math.Abs(*v), either(*v < 0, "quieter", "louder"))
	if b := a.before.Measures.BackgroundStepDB; b != nil && *b**v > 0 && math.Abs(*b-*v) < 3 {
		for _, side := range sides {
			db := math.Round(10*(side.c.GainDB+side.by)) / 10
			list = append(list, option{did: fmt.Sprintf("%s at %+.1f dB", side.c.Name, db), wide: true, edits: []scene.Edit{&scene.Gain{Clips: []string{side.c.ID}, DB: db}},
				reasons: []string{reason, "its background is off by as much, so the whole clip is turned"}})
		}
	}
	for _, side := range sides {
		points, err := a.wordLine(side.c, side.by)
		if err != nil || len(points) == 0 {
			continue
		}
		o := option{did: fmt.Sprintf("the words of %s %.1f dB %s", side.c.Name, math.Abs(side.by), either(side.by < 0, "down", "up")), wide: true,
			edits: []scene.Edit{&scene.SetLevel{Clip: side.c.ID, Points: points}}, reasons: []string{reason, "a level line turns the words alone, so that the backgrounds stay as they are"}}
		for _, b := range blends {
			list = append(list, option{did: o.did + ", " + b.did, wide: true, edits: append(slices.Clone(o.edits), b.edits...), reasons: append(slices.Clone(o.reasons), b.reasons...)})
		}
		list = append(list, o)
	}
	return list
}

// wordLine is a clip's level line with its words turned by so many dB, with slopes of 50 ms beside them.
func (a *advice) wordLine(c *scene.Clip, db float64) ([]scene.LevelPoint, error) {
	if c.Length > 600*a.scene.SampleRate {
		return nil, nil
	}
	mid := c.Start + c.Length/2
	r, err := a.Recording(c, mid, a.inMS(c.Length/2)+200, a.inMS(c.Length/2)+200)
	if err != nil {
		return nil, err
	}
	slope, hold := a.ms(50), a.ms(15)
	var raised []scene.LevelPoint // what is added to the line, in samples of the source
	for _, s := range r.Stretches {
		if s.Kind != speech.Word || !s.Span.Overlaps(c.Span()) {
			continue
		}
		span := s.Span.Add(c.In - c.Start)
		from, to := span.From-hold-slope, span.To+hold
		if n := len(raised); n > 0 && raised[n-1].At >= from {
			raised = raised[:n-2] // one with the word before
		} else {
			raised = append(raised, scene.LevelPoint{At: from}, scene.LevelPoint{At: from + slope, DB: db})
		}
		raised = append(raised, scene.LevelPoint{At: to, DB: db}, scene.LevelPoint{At: to + slope})
	}
	if len(raised) == 0 {
		return nil, nil
	}
	added := scene.Clip{Level: raised}
	moments := map[int64]bool{}
	for _, p := range append(slices.Clone(raised), c.Level...) {
		moments[p.At] = true
	}
	var line []scene.LevelPoint
	for at := range moments {
		line = append(line, scene.LevelPoint{At: at, DB: math.Round(100*(c.LevelDB(at)+added.LevelDB(at))) / 100})
	}
	slices.SortFunc(line, func(x, y scene.LevelPoint) int { return int(x.At - y.At) })
	return line, nil
}

// gap gives the clips on both sides of a gap at the seam, and the gap.
func (a *advice) gap() (left, right *scene.Clip, hole pcm.Span, ok bool) {
	i := a.before.index
	switch {
	case a.left != nil && i+1 < len(a.track.Clips):
		left, right = a.left, &a.track.Clips[i+1]
	case a.right != nil && i > 0:
		left, right = &a.track.Clips[i-1], a.right
	default:
		return nil, nil, hole, false
	}
	hole = pcm.Span{From: left.End(), To: right.Start}
	return left, right, hole, !hole.Empty()
}

// closeHole draws both clips over a hole of dead silence, with what their recordings hold there, and blends where they meet.
func (a *advice) closeHole() (list []option) {
	left, right, hole, ok := a.gap()
	if !ok || a.grades[DeadSilence] < 1 || hole.Len() > 20*a.scene.SampleRate {
		return nil
	}
	tail, err := a.free(left, true, hole.Len())
	if err != nil {
		return nil
	}
	head, err := a.free(right, false, hole.Len())
	if err != nil {
		return nil
	}
	overlap := a.ms(120)
	if tail+head < hole.Len()+a.ms(8) {
		return nil
	}
	overlap = min(overlap, tail+head-hole.Len())
	meet := hole.From + min(max(hole.Len()/2, hole.Len()-head+overlap/2), tail-overlap/2)
	meet = min(max(meet, hole.From), hole.To)
	o := option{becomes: "cut:" + left.ID + ":" + right.ID, wide: true,
		did:     fmt.Sprintf("%s and %s drawn over the hole of %s, blend of %s", left.Name, right.Name, a.lengthWords(hole.Len()), a.lengthWords(overlap)),
		reasons: []string{"both recordings hold room tone there, without a word", "where they meet they go over into each other at constant power"}}
	if meet > hole.From {
		o.edits = append(o.edits, &scene.Trim{Clip: left.ID, Edge: "tail", To: meet, Alone: true})
	}
	if meet < hole.To {
		o.edits = append(o.edits, &scene.Trim{Clip: right.ID, Edge: "head", To: meet, Alone: true})
	}
	before, after := overlap/2, overlap-overlap/2
	o.edits = append(o.edits, &scene.SetBlend{Left: left.ID, Right: right.ID, Before: before, After: after, Law: blend.ConstantPower})
	return []option{o}
}

// extend draws an edge that cuts into a word out to the word's end, into the gap beside it.
func (a *advice) extend() (list []option) {
	if a.grades[WordCut] < 1 {
		return nil
	}
	for side, c := range []*scene.Clip{a.left, a.right} {
		if c == nil {
			continue
		}
		w, ok := a.sounds[side].WordAt(gone(a.before.Seam, side == 1))
		if !ok {
			continue
		}
		edge, to, fade := "tail", w.Span.To+a.ms(40), a.ms(20)
		if side == 1 {
			edge, to = "head", w.Span.From-a.ms(30)
		}
		if _, _, hole, ok := a.gap(); ok {
			to = min(max(to, hole.From), hole.To)
		}
		trim := &scene.Trim{Clip: c.ID, Edge: edge, To: to, Alone: true}
		list = append(list, option{did: fmt.Sprintf("%s of %s drawn out by %.0f ms to the end of its word", edge, c.Name, a.inMS(max(to-a.before.At, a.before.At-to))), wide: true,
			edits:   []scene.Edit{&scene.FadeEdge{Clip: c.ID, Edge: edge}, trim, &scene.FadeEdge{Clip: c.ID, Edge: edge, Length: fade, Curve: blend.Curve{Shape: blend.QuarterSine}}},
			reasons: []string{"the recording holds the whole word", "a fade of 20 ms lets the background begin and end softly"}})
	}
	return list
}

// fades let an edge beside nothing begin or end softly.
func (a *advice) fades() (list []option) {
	c, edge, side := a.left, "tail", 0
	if c == nil {
		c, edge, side = a.right, "head", 1
	}
	if c == nil {
		return nil
	}
	room := c.Length - c.FadeIn.Length - c.FadeOut.Length + a.before.To - a.before.From
	clear := room // up to the word beside the edge
	at := c.End()
	if side == 1 {
		at = c.Start
	}
	for _, s := range a.sounds[side].Stretches {
		if s.Kind != speech.Word {
			continue
		}
		if side == 0 && s.Span.From < at {
			clear = min(clear, max(0, at-s.Span.To))
		}
		if side == 1 && s.Span.To > at {
			clear = min(clear, max(0, s.Span.From-at))
		}
	}
	add := func(n int64, reason string) {
		if n = min(n, room, c.Length/2); n >= a.ms(2) {
			list = append(list, option{did: fmt.Sprintf("%s of %s faded over %s", edge, c.Name, a.lengthWords(n)), reasons: []string{reason},
				edits: []scene.Edit{&scene.FadeEdge{Clip: c.ID, Edge: edge, Length: n, Curve: blend.Curve{Shape: blend.QuarterSine}}}})
		}
	}
	if a.grades[AbruptEnd] >= 1 {
		add(min(clear/2, a.ms(300)), "it ends softly, without covering a word") // and leaves some of its pause
		add(min(clear, a.ms(1000)), "it ends softly, without covering a word")
		add(a.ms(1000), "it ends softly")
		add(a.ms(2000), "it ends softly")
	}
	if a.grades[BackgroundStep] >= 1 {
		for _, ms := range []float64{120, 300, 600, 1000} {
			if n := a.ms(ms); n <= clear {
				add(n, "the background comes and goes softly")
			}
		}
		add(min(clear, a.ms(1000)), "the background comes and goes softly, as long as no word is covered")
	}
	if a.grades[Click] >= 1 {
		add(a.ms(5), "it takes the click away")
		add(a.ms(20), "it takes the click away")
	}
	return list
}

// pairLaws are the laws for two clips that go over into each other on two tracks.
func (a *advice) pairLaws() (list []option) {
	if a.grades[BlendLevel] < 1 {
		return nil
	}
	for _, law := range []blend.Law{blend.Matched, blend.ConstantPower, blend.ConstantGain} {
		list = append(list, option{did: "both fades by " + lawName(law), reasons: []string{"it holds the level for sides that are as alike as these"},
			edits: []scene.Edit{&scene.SetPair{Out: a.left.ID, In: a.right.ID, From: a.before.From, To: a.before.To, Law: law}}})
	}
	return list
}
