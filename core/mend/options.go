package mend

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/listen/speech"
	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// An option is one way to mend a seam.
type option struct {
	did     string
	reasons []string
	edits   []edit.Edit
	becomes audit.SeamID // id of the seam afterwards, if it is another
	wide    bool         // the edit reaches to the neighbouring seams
}

// advice is what the options are made from.
type advice struct {
	*Adviser
	ctx         context.Context // of this one proposal
	before      *audit.Result
	track       *scene.Track
	left, right *scene.Clip
	sounds      [2]*meter.Surroundings
	grades      map[audit.Cause]float64

	// How far a change can reach before and after the seam: within handles and neighbouring blends, without a word of
	// the other recording being heard, and without a word of the clip itself being covered.
	reachBefore, reachAfter int64
	quietBefore, quietAfter int64
	clearBefore, clearAfter int64
}

// The recordings are looked at this far beyond a seam for a proposal, in milliseconds.
const adviceMS = 2500

func (m *Adviser) advise(ctx context.Context, before *audit.Result) (*advice, error) {
	a := &advice{
		Adviser: m,
		ctx:     ctx,
		before:  before,
		track:   m.Scene.Track(before.Track),
		grades:  before.Grades(m.Scene.SampleRate),
	}
	_, a.left = m.Scene.Clip(before.Left)
	_, a.right = m.Scene.Clip(before.Right)
	for i, c := range []*scene.Clip{a.left, a.right} {
		if c == nil {
			continue
		}
		var err error
		if a.sounds[i], err = m.Around(ctx, c, before.At, adviceMS, adviceMS); err != nil {
			return nil, err
		}
	}
	if before.Kind == audit.Cut {
		a.reachBefore, a.reachAfter = m.Scene.Reach(a.track, *a.left, *a.right)
		a.limits()
	}
	return a, nil
}

// limits finds how far from the cut the words lie.
func (a *advice) limits() {
	at, margin := a.before.At, a.Samples(fill.WordMarginMS)
	last := func(r *meter.Surroundings) int64 { // from the cut back to the end of the last word before it
		d := int64(math.MaxInt32)
		for _, s := range r.Stretches {
			if s.Kind == speech.Word && s.Span.From < at {
				d = min(d, max(0, at-s.Span.To-margin))
			}
		}
		return d
	}
	first := func(r *meter.Surroundings) int64 { // from the cut on to the next word after it
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
func (a *advice) options() (list []option, err error) {
	var ways []func() ([]option, error)
	switch {
	case a.before.Pair:
		return a.pairLaws(), nil
	case a.before.Kind == audit.Cut:
		ways = []func() ([]option, error){a.lawsThere, a.rolls, a.blends, a.levels}
	case a.before.Kind == audit.Lull:
		return a.patches()
	default:
		ways = []func() ([]option, error){a.closeHole, a.patches, a.extend, a.fades}
	}
	for _, way := range ways {
		more, err := way()
		if err != nil {
			return nil, err
		}
		list = append(list, more...)
	}
	return list, nil
}

// law is the one that fits the likeness of both sides over a blend, with the reason.
func (a *advice) law(before, after int64) (blend.Law, string, error) {
	b := scene.Blend{Left: a.left.ID, Right: a.right.ID, Before: before, After: after}
	out, in, err := mix.Sides(a.track, b, func(c scene.Clip) (pcm.ReaderAt, error) { return a.Sound(&c) })
	if err != nil {
		return "", "", err
	}
	switch r := measure.Correlation(out, in); {
	case r > 0.9:
		return blend.ConstantGain, fmt.Sprintf("the sides are alike (%.2f), so constant gain holds the level", r), nil
	case math.Abs(r) < 0.12:
		why := fmt.Sprintf("over it the sides are unlike (%.2f), so constant power holds the level", r)
		return blend.ConstantPower, why, nil
	default:
		return blend.Matched, fmt.Sprintf("the sides are alike by %.2f, which the matched law follows", r), nil
	}
}

// share gives the halves of a blend of a length within two limits, as near to its middle as they allow.
func share(length, before, after int64) (b, f int64) {
	b = min(length/2, before)
	f = min(length-b, after)
	b = min(length-f, before)
	return b, f
}

// lengths are those to try, in samples: short ones for clicks, and as long as a step in the background needs to pass
// unheard.
func (a *advice) lengths() (list []int64) {
	add := func(ms float64) { list = append(list, a.Samples(ms)) }
	frame := a.MS(a.Scene.Rate.SampleOf(1, a.Scene.SampleRate))
	step := max(a.over(audit.BackgroundStep), a.over(audit.ColourStep))
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
func (a *advice) over(cause audit.Cause) float64 {
	for _, x := range audit.Table {
		if v := x.Figure(&a.before.Measures); x.Cause == cause && v != nil {
			return math.Abs(*v) / x.Audible
		}
	}
	return 0
}

// blends are crossfades of the cut, first where they cover no word, then where no word of the other recording is heard.
func (a *advice) blends() ([]option, error) { return a.blendsAt(nil) }

func (a *advice) blendsAt(first []edit.Edit) (list []option, err error) {
	tried := map[[2]int64]bool{}
	for round, limits := range [][2]int64{{a.clearBefore, a.clearAfter}, {a.quietBefore, a.quietAfter},
		{a.reachBefore, a.reachAfter}} {
		for _, n := range a.lengths() {
			b, f := share(n, limits[0], limits[1])
			if round == 2 && n > a.Samples(25) {
				continue // a word that is cut into is not blended for longer
			}
			if b+f < a.Samples(2) || tried[[2]int64{b, f}] {
				continue
			}
			tried[[2]int64{b, f}] = true
			law, why, err := a.law(b, f)
			if err != nil {
				return nil, err
			}
			o := option{did: fmt.Sprintf("blend of %s, %s", a.blendWords(b+f), lawName(law)), reasons: []string{why}}
			if max(b-f, f-b) > a.Samples(1) {
				o.did += ", " + a.halvesWords(b, f)
			}
			o.reasons = append(o.reasons, a.lengthReason(n, b, f), a.leanReason(b, f))
			o.reasons = slices.DeleteFunc(o.reasons, func(s string) bool { return s == "" })
			blend := &edit.SetBlend{Left: a.left.ID, Right: a.right.ID, Before: b, After: f, Law: law}
			o.edits = append(slices.Clone(first), blend)
			list = append(list, o)
		}
	}
	return list, nil
}

// lawsThere are the other laws, over the blend that is there.
func (a *advice) lawsThere() (list []option, err error) {
	b := a.track.Blend(a.left.ID, a.right.ID)
	if b == nil || a.before.Verdict == audit.Clean {
		return nil, nil
	}
	for _, l := range blend.Laws {
		if l.Law == b.Law && b.CurveOut == nil && b.CurveIn == nil {
			continue
		}
		list = append(list, option{
			did:     fmt.Sprintf("the blend that is there by %s", lawName(l.Law)),
			reasons: []string{"its length and its lean are left as they are"},
			edits: []edit.Edit{
				&edit.SetBlend{Left: b.Left, Right: b.Right, Before: b.Before, After: b.After, Law: l.Law},
			},
		})
	}
	return list, nil
}

// lawName is a law's name within a sentence.
func lawName(l blend.Law) string { return strings.ToLower(l.Name()) }

func (a *advice) lengthReason(wanted, b, f int64) string {
	m := &a.before.Measures
	switch {
	case b+f < wanted-a.Samples(5):
		return fmt.Sprintf("%s is as long as handles and words allow", a.LengthWords(b+f))
	case a.over(audit.BackgroundStep) >= 1 && b+f >= a.Samples(100):
		return fmt.Sprintf(
			"the backgrounds are %.1f dB apart and take %s to go over unheard",
			math.Abs(*m.BackgroundStepDB),
			a.LengthWords(b+f),
		)
	case a.over(audit.ColourStep) >= 1 && b+f >= a.Samples(100):
		return fmt.Sprintf(
			"the backgrounds' colours are %.1f dB apart and take %s to go over unheard",
			*m.ColourStepDB,
			a.LengthWords(b+f),
		)
	case a.grades[audit.Click] >= 1:
		return fmt.Sprintf("%s take the click away", a.LengthWords(b+f))
	}
	return fmt.Sprintf("%s are enough for sides that fit", a.LengthWords(b+f))
}

// blendWords is a blend's length as its field has it, in frames, and in milliseconds.
func (a *advice) blendWords(samples int64) string {
	n := a.inFrames(samples)
	if n < 1 {
		return a.LengthWords(samples)
	}
	return fmt.Sprintf("%s %s (%s)", figure(n), either(n == 1, "frame", "frames"), a.LengthWords(samples))
}

func (a *advice) halvesWords(before, after int64) string {
	if a.inFrames(before+after) < 1 {
		return fmt.Sprintf("%s before and %s after", a.LengthWords(before), a.LengthWords(after))
	}
	return fmt.Sprintf("%s before and %s after", figure(a.inFrames(before)), figure(a.inFrames(after)))
}

// inFrames is a length in frames, to a tenth.
func (a *advice) inFrames(samples int64) float64 {
	s := a.Meter.Scene
	return math.Round(10*float64(samples)*s.Rate.Float()/float64(s.SampleRate)) / 10
}

// figure is a number with a decimal where it has one.
func figure(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }

// leanReason says which word the lean leaves whole.
func (a *advice) leanReason(b, f int64) string {
	switch {
	case max(b-f, f-b) <= a.Samples(1):
	case b > f:
		if d := a.clearAfter + a.Samples(fill.WordMarginMS); d < a.reachAfter {
			return fmt.Sprintf(
				"it leans onto the outgoing side: the next word begins %.0f ms after the cut and stays whole",
				a.MS(d),
			)
		}
		return "it leans onto the outgoing side, where there is handle"
	case f > b:
		if d := a.clearBefore + a.Samples(fill.WordMarginMS); d < a.reachBefore {
			return fmt.Sprintf(
				"it leans onto the incoming side: the last word ends %.0f ms before the cut and stays whole",
				a.MS(d),
			)
		}
		return "it leans onto the incoming side, where there is handle"
	}
	return ""
}

// rolls move the sound's cut out of a word, and blend it there.
func (a *advice) rolls() (list []option, err error) {
	lost := a.before.Measures.WordCutMS
	if a.grades[audit.WordCut] < 1 || lost == nil {
		return nil, nil
	}
	cut := a.before.At
	for side, r := range a.sounds {
		w, ok := r.WordAt(audit.InaudibleAt(a.before.Seam, side == 1))
		if !ok {
			continue
		}
		to, words := w.Span.To+a.Samples(30), fmt.Sprintf("the outgoing word goes on for %.0f ms behind the cut", *lost)
		if side == 1 {
			to, words = w.Span.From-a.Samples(30), fmt.Sprintf("the incoming word begins %.0f ms before the cut", *lost)
		}
		if max(to-cut, cut-to) > a.Scene.SampleRate {
			continue
		}
		var roll []edit.Edit
		if a.before.Blend {
			roll = append(roll, &edit.RemoveBlend{Left: a.left.ID, Right: a.right.ID})
		}
		roll = append(roll, &edit.PlaceCut{Left: a.left.ID, Right: a.right.ID, To: to})
		next, err := edit.Apply(a.Scene, edit.NewBatch("", roll...))
		if err != nil {
			continue
		}
		// The blend is that which fits the cut where it lies then.
		moved := *a.before
		moved.At, moved.From, moved.To, moved.Blend = to, to, to, false
		then, err := a.near(next, moved.Seam).advise(a.ctx, &moved)
		if err != nil {
			return nil, err
		}
		where := fmt.Sprintf(
			"the sound's cut %s %s",
			a.LengthWords(max(to-cut, cut-to)),
			either(to < cut, "earlier", "later"),
		)
		there, err := then.blendsAt(roll)
		if err != nil {
			return nil, err
		}
		for _, o := range there {
			o.did = where + ", " + o.did
			o.reasons = append([]string{words}, o.reasons...)
			o.wide = true
			list = append(list, o)
		}
		list = append(list, option{did: where, reasons: []string{words}, edits: roll, wide: true})
	}
	return list, nil
}

// levels bring the voices of both sides together: by the gain of a clip where its background is off by as much, else by
// a level line over its words.
func (a *advice) levels() (list []option, err error) {
	v := a.before.Measures.LevelStepLU
	if a.grades[audit.LevelStep] < 1 || v == nil {
		return nil, nil
	}
	const most = 12.0 // dB
	if math.Abs(*v) > most {
		return nil, nil
	}
	var blends []option
	if a.grades[audit.Click] >= 1 || a.grades[audit.BackgroundStep] >= 1 || a.grades[audit.ColourStep] >= 1 {
		if blends, err = a.blends(); err != nil {
			return nil, err
		}
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
			list = append(
				list,
				option{
					did:     fmt.Sprintf("%s at %+.1f dB", side.c.Name, db),
					wide:    true,
					edits:   []edit.Edit{&edit.Gain{Clips: []scene.ClipID{side.c.ID}, DB: db}},
					reasons: []string{reason, "its background is off by as much, so the whole clip is turned"},
				},
			)
		}
	}
	for _, side := range sides {
		points, err := a.wordLine(side.c, side.by)
		if err != nil {
			return nil, err
		}
		if len(points) == 0 {
			continue
		}
		o := option{
			did:  fmt.Sprintf("the words of %s %.1f dB %s", side.c.Name, math.Abs(side.by), either(side.by < 0, "down", "up")),
			wide: true,
			edits: []edit.Edit{
				&edit.SetLevel{Clip: side.c.ID, Points: points},
			},
			reasons: []string{reason, "a level line turns the words alone, so that the backgrounds stay as they are"},
		}
		for _, b := range blends {
			list = append(
				list,
				option{
					did:     o.did + ", " + b.did,
					wide:    true,
					edits:   append(slices.Clone(o.edits), b.edits...),
					reasons: append(slices.Clone(o.reasons), b.reasons...),
				},
			)
		}
		list = append(list, o)
	}
	return list, nil
}

// wordLine is a clip's level line with its words turned by so many dB, with slopes of 50 ms beside them.
func (a *advice) wordLine(c *scene.Clip, db float64) ([]scene.LevelPoint, error) {
	if c.Length > 600*a.Scene.SampleRate {
		return nil, nil
	}
	mid := c.Start + c.Length/2
	r, err := a.Around(a.ctx, c, mid, a.MS(c.Length/2)+200, a.MS(c.Length/2)+200)
	if err != nil {
		return nil, err
	}
	slope, hold := a.Samples(50), a.Samples(15)
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
	moments := map[int64]bool{}
	for _, p := range append(slices.Clone(raised), c.Level...) {
		moments[p.At] = true
	}
	var line []scene.LevelPoint
	for at := range moments {
		line = append(line, scene.LevelPoint{At: at, DB: math.Round(100*(c.LevelDB(at)+scene.LevelAt(raised, at))) / 100})
	}
	slices.SortFunc(line, func(x, y scene.LevelPoint) int { return int(x.At - y.At) })
	return line, nil
}

// gap gives the clips on both sides of a gap at the seam, and the gap.
func (a *advice) gap() (left, right *scene.Clip, hole pcm.Span, ok bool) {
	i := a.before.Index()
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

// closeHole draws both clips over a hole of dead silence, with what their recordings hold there, and blends where they
// meet.
func (a *advice) closeHole() (list []option, err error) {
	left, right, hole, ok := a.gap()
	if !ok || a.grades[audit.DeadSilence] < 1 || hole.Len() > 20*a.Scene.SampleRate {
		return nil, nil
	}
	tail, err := a.Free(a.ctx, left, true, hole.Len())
	if err != nil {
		return nil, err
	}
	head, err := a.Free(a.ctx, right, false, hole.Len())
	if err != nil {
		return nil, err
	}
	overlap := a.Samples(120)
	if tail+head < hole.Len()+a.Samples(8) {
		return nil, nil
	}
	overlap = min(overlap, tail+head-hole.Len())
	meet := hole.From + min(max(hole.Len()/2, hole.Len()-head+overlap/2), tail-overlap/2)
	meet = min(max(meet, hole.From), hole.To)
	o := option{
		becomes: audit.CutID(left.ID, right.ID),
		wide:    true,
		did: fmt.Sprintf(
			"%s and %s drawn over the hole of %s, blend of %s",
			left.Name,
			right.Name,
			a.LengthWords(hole.Len()),
			a.LengthWords(overlap),
		),
		reasons: []string{
			"both recordings hold room tone there, without a word",
			"where they meet they go over into each other at constant power",
		},
	}
	if meet > hole.From {
		o.edits = append(o.edits, &edit.Trim{Clip: left.ID, Edge: "tail", To: meet, Alone: true})
	}
	if meet < hole.To {
		o.edits = append(o.edits, &edit.Trim{Clip: right.ID, Edge: "head", To: meet, Alone: true})
	}
	before, after := overlap/2, overlap-overlap/2
	o.edits = append(
		o.edits,
		&edit.SetBlend{Left: left.ID, Right: right.ID, Before: before, After: after, Law: blend.ConstantPower},
	)
	return []option{o}, nil
}

// extend draws an edge that cuts into a word out to the word's end, into the gap beside it.
func (a *advice) extend() (list []option, err error) {
	if a.grades[audit.WordCut] < 1 {
		return nil, nil
	}
	for side, c := range []*scene.Clip{a.left, a.right} {
		if c == nil {
			continue
		}
		w, ok := a.sounds[side].WordAt(audit.InaudibleAt(a.before.Seam, side == 1))
		if !ok {
			continue
		}
		edge, to, fade := scene.Tail, w.Span.To+a.Samples(40), a.Samples(20)
		if side == 1 {
			edge, to = scene.Head, w.Span.From-a.Samples(30)
		}
		if _, _, hole, ok := a.gap(); ok {
			to = min(max(to, hole.From), hole.To)
		}
		trim := &edit.Trim{Clip: c.ID, Edge: edge, To: to, Alone: true}
		list = append(
			list,
			option{
				did: fmt.Sprintf(
					"%s of %s drawn out by %.0f ms to the end of its word",
					edge,
					c.Name,
					a.MS(max(to-a.before.At, a.before.At-to)),
				),
				wide: true,
				edits: []edit.Edit{
					&edit.FadeEdge{Clip: c.ID, Edge: edge},
					trim,
					&edit.FadeEdge{Clip: c.ID, Edge: edge, Length: fade, Curve: blend.Curve{Shape: blend.QuarterSine}},
				},
				reasons: []string{"the recording holds the whole word", "a fade of 20 ms lets the background begin and end softly"},
			},
		)
	}
	return list, nil
}

// fades let an edge beside nothing begin or end softly.
func (a *advice) fades() (list []option, err error) {
	c, edge, side := a.left, scene.Tail, 0
	if c == nil {
		c, edge, side = a.right, scene.Head, 1
	}
	if c == nil {
		return nil, nil
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
		if n = min(n, room, c.Length/2); n >= a.Samples(2) {
			list = append(
				list,
				option{
					did:     fmt.Sprintf("%s of %s faded over %s", edge, c.Name, a.blendWords(n)),
					reasons: []string{reason},
					edits: []edit.Edit{
						&edit.FadeEdge{Clip: c.ID, Edge: edge, Length: n, Curve: blend.Curve{Shape: blend.QuarterSine}},
					},
				},
			)
		}
	}
	if a.grades[audit.AbruptEnd] >= 1 || a.grades[audit.AbruptStart] >= 1 {
		ends := either(side == 0, "ends", "begins")
		switch a.track.Purpose { // in proportion to what begins or ends (common practice, no source)
		case scene.ForMusic:
			if side == 0 {
				add(a.Samples(4000), "music ends within 2 to 6 s")
				add(a.Samples(2000), "music ends within 2 to 6 s")
				break
			}
			add(a.Samples(2000), "music begins within 1 to 3 s")
			add(a.Samples(3000), "music begins within 1 to 3 s")
			add(a.Samples(1000), "music begins within 1 to 3 s")
		case scene.ForEffects, scene.ForTone:
			add(a.Samples(500), "location sound "+ends+" within half a second")
		}
		add(min(clear/2, a.Samples(300)), "it "+ends+" softly, without covering a word") // and leaves some of its pause
		add(min(clear, a.Samples(1000)), "it "+ends+" softly, without covering a word")
		for _, ms := range []float64{1000, 2000} {
			if n := a.Samples(ms); n <= clear || a.track.Purpose != scene.ForDialogue { // never over what is said
				add(n, "it "+ends+" softly")
			}
		}
	}
	if a.grades[audit.BackgroundStep] >= 1 {
		for _, ms := range []float64{120, 300, 600, 1000} {
			if n := a.Samples(ms); n <= clear {
				add(n, "the background comes and goes softly")
			}
		}
		add(min(clear, a.Samples(1000)), "the background comes and goes softly, as long as no word is covered")
	}
	if a.grades[audit.Click] >= 1 {
		add(a.Samples(5), "it takes the click away")
		add(a.Samples(20), "it takes the click away")
	}
	return list, nil
}

// pairLaws are the laws for two clips that go over into each other on two tracks.
func (a *advice) pairLaws() (list []option) {
	if a.grades[audit.BlendLevel] < 1 {
		return nil
	}
	for _, law := range []blend.Law{blend.Matched, blend.ConstantPower, blend.ConstantGain} {
		list = append(
			list,
			option{
				did:     "both fades by " + lawName(law),
				reasons: []string{"it holds the level for sides that are as alike as these"},
				edits: []edit.Edit{
					&edit.SetPair{Out: a.left.ID, In: a.right.ID, From: a.before.From, To: a.before.To, Law: law},
				},
			},
		)
	}
	return list
}

// patches are ways to mend a hole with tone.
func (a *advice) patches() (list []option, err error) {
	if !a.track.Purpose.HasRoom() {
		return nil, nil
	}
	h := scene.Hole{Clip: a.before.Left, Lull: a.before.Lull}
	if a.before.Kind != audit.Lull {
		left, right, _, ok := a.gap()
		if !ok || a.grades[audit.DeadSilence] < 1 {
			return nil, nil
		}
		h = scene.Hole{Clip: left.ID, Next: right.ID}
	}
	if p := a.Scene.Patch(h); p != nil {
		if by := a.before.Measures.BackgroundStepDB; by != nil && a.grades[audit.BackgroundStep] >= 1 {
			db := math.Round(100*max(-100, min(40, p.GainDB-*by))) / 100
			return []option{
				{
					did:     fmt.Sprintf("patch at %+.1f dB", db),
					reasons: []string{fmt.Sprintf("it is %.1f dB off the room beside it", *by)},
					edits:   []edit.Edit{&edit.Gain{Clips: []scene.ClipID{p.ID}, DB: db}},
				},
			}, nil
		}
		return nil, nil
	}
	f, err := a.Patch(a.ctx, h)
	if err != nil || f == nil {
		return nil, err
	}
	return []option{{did: f.Did, reasons: f.Reasons, edits: []edit.Edit{f.Edit}, wide: true}}, nil
}
