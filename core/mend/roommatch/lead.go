package roommatch

import (
	"cmp"
	"context"
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Hum that a recording has by itself is met in step by what is laid under its neighbours: there the hum runs a little
// faster or slower under words, where that is not heard, so that it comes out of one recording's and into the other's.
// How far it runs ahead is counted in samples of the scene's time, against the target's hum begun at the scene's first
// sample.

// Where a recording's own hum stands is looked for in a pause near the edge of its clip, this long at most.
const (
	nearEdgeS = 2.5
	lookS     = 0.6
	leadSteps = 1024 // of a period that are tried
	besideS   = 2.0  // the lead is known so far beyond a clip
	breakS    = 0.3  // words nearer to one another are one
	mostSpans = 5000 // of words
)

// leads fills in how far hum runs ahead, in rooms of their own for clips that need it.
func leads(
	ctx context.Context,
	m *meter.Meter,
	list []taking,
	target Room,
	edit *edit.SetRoom,
	threads int,
) error {
	if len(target.Hum) == 0 {
		return nil
	}
	rate := int(m.Scene.SampleRate)
	line := recipe.Room{} // whose lead is that of the scene
	period := periodOf(target.Hum, rate)
	var free []taking // all of whose hum is laid
	words, err := wordsOver(ctx, m, list, target)
	if err != nil {
		return err
	}
	put := func(at int64, by float64) {
		if n := len(line.Lead); n > 0 {
			last := line.Lead[n-1]
			by = nearest(by, last.By, period)
			if at <= last.At { // two lie over one another
				return
			}
			line.Lead = append(line.Lead, under(words, last, recipe.Lead{At: at, By: by})...)
		}
		line.Lead = append(line.Lead, recipe.Lead{At: at, By: math.Round(100*by) / 100})
	}
	own := make([][2][]recipe.Sine, len(list)) // of head and tail
	err = parallel.Each(ctx, len(list), threads, func(i int) (err error) {
		if hums(list[i].room, target) {
			own[i][0], own[i][1], err = ownHum(ctx, m, list[i], target.Hum)
		}
		return err
	})
	if err != nil {
		return err
	}
	for i, t := range list {
		if !hums(t.room, target) {
			free = append(free, t)
			continue
		}
		head, tail := own[i][0], own[i][1]
		if head == nil {
			continue
		}
		offset := float64(t.clip.In - t.clip.Start)
		put(t.clip.Start, offset+leadOf(head, target.Hum, period, rate))
		put(t.clip.End(), offset+leadOf(tail, target.Hum, period, rate))
		inStep(edit, t, head, tail, period, rate)
	}
	if len(line.Lead) == 0 {
		line.Lead = []recipe.Lead{{}}
	}
	for _, t := range free {
		offset := t.clip.In - t.clip.Start
		beside := int64(besideS * float64(rate))
		wide := pcm.Span{From: t.clip.Start - beside, To: t.clip.End() + beside}
		own := []recipe.Lead{{At: wide.From, By: line.LeadAt(wide.From)}}
		for _, l := range line.Lead {
			if l.At > wide.From && l.At < wide.To {
				own = append(own, l)
			}
		}
		own = append(own, recipe.Lead{At: wide.To, By: line.LeadAt(wide.To)})
		for i := range own {
			own[i].At += offset
			own[i].By = math.Round(100*(own[i].By-float64(offset))) / 100
		}
		led(edit, t, func(r *recipe.Room) { r.Lead = own })
	}
	for id, i := range edit.Tracks {
		if i >= 0 && len(line.Lead) > 1 {
			r := edit.Rooms[i]
			r.Lead = line.Lead
			edit.Tracks[id] = len(edit.Rooms)
			edit.Rooms = append(edit.Rooms, r)
		}
	}
	return nil
}

// wordsOver are the stretches of the scene's time in which words of clips are heard under which all hum is laid.
func wordsOver(ctx context.Context, m *meter.Meter, list []taking, target Room) ([]pcm.Span, error) {
	var spans []pcm.Span
	gap := int64(breakS * float64(m.Scene.SampleRate))
	for _, t := range list {
		if hums(t.room, target) {
			continue
		}
		a, err := m.Analysis(ctx, m.Scene, m.Scene.Sources[t.clip.Source])
		if err != nil {
			return nil, err
		}
		heard := pcm.Span{From: t.clip.In, To: t.clip.In + t.clip.Length}
		for _, w := range a.Within(heard) {
			s := w.Span.Intersect(heard).Add(t.clip.Start - t.clip.In)
			if w.Kind == speech.Word && !s.Empty() {
				spans = append(spans, pcm.Span{From: s.From, To: s.To + gap})
			}
		}
	}
	all := pcm.Union(spans)
	for more := gap; len(all) > mostSpans; more *= 2 { // in a long scene fewer, over the breaks between words
		for i := range spans {
			spans[i].To += more
		}
		gap += more
		all = pcm.Union(spans)
	}
	for i := range all {
		all[i].To -= gap
	}
	return all, nil
}

// under is the way from one lead to another that lies under words: as much of it under each as it is long; none where
// there are no words, so that it goes straight.
func under(words []pcm.Span, from, to recipe.Lead) (list []recipe.Lead) {
	var mine []pcm.Span
	whole := int64(0)
	for _, w := range words {
		if w = w.Intersect(pcm.Span{From: from.At + 1, To: to.At - 1}); !w.Empty() {
			mine = append(mine, w)
			whole += w.Len()
		}
	}
	by := from.By
	for _, w := range mine {
		begin := recipe.Lead{At: w.From, By: math.Round(100*by) / 100}
		by += (to.By - from.By) * float64(w.Len()) / float64(whole)
		list = append(list, begin, recipe.Lead{At: w.To, By: math.Round(100*by) / 100})
	}
	return list
}

// led gives a clip a room of its own that differs in its lead.
func led(edit *edit.SetRoom, t taking, change func(*recipe.Room)) {
	r := edit.Rooms[edit.Clips[t.clip.ID]]
	if len(r.Hum) == 0 {
		return
	}
	r.Hum = slices.Clone(r.Hum)
	change(&r)
	edit.Clips[t.clip.ID] = len(edit.Rooms)
	edit.Rooms = append(edit.Rooms, r)
}

// inStep has what is laid under a clip on top of hum of its own follow that; what it has not goes with it as the
// target's does.
func inStep(edit *edit.SetRoom, t taking, head, tail []recipe.Sine, period float64, rate int) {
	first := nearest(leadOf(head, t.room.Hum, period, rate), 0, period)
	last := nearest(leadOf(tail, t.room.Hum, period, rate), 0, period)
	led(edit, t, func(r *recipe.Room) {
		for i, h := range r.Hum {
			k := slices.IndexFunc(head, func(o recipe.Sine) bool { return o.Hz == h.Hz })
			if k < 0 {
				continue
			}
			r.Hum[i].Phase = head[k].Phase - h.Hz/float64(rate)*first
			r.Hum[i].Phase -= math.Floor(r.Hum[i].Phase)
		}
		r.Lead = []recipe.Lead{
			{At: t.clip.In, By: math.Round(100*first) / 100},
			{At: t.clip.In + t.clip.Length, By: math.Round(100*last) / 100},
		}
	})
}

// weakerDB is how much weaker hum may be that is still the target's.
const weakerDB = 10

// hums tells whether a room has hum of its own that is the target's: most of its power, some of it weaker.
func hums(r, target Room) bool {
	own := 0.0
	for _, o := range target.Hum {
		if slices.ContainsFunc(r.Hum, func(h recipe.Sine) bool {
			return math.Abs(o.Hz-h.Hz) < sameHz && h.LevelDB > o.LevelDB-weakerDB
		}) {
			own += level.Power(o.LevelDB)
		}
	}
	return own > humPower(target.Hum)/2
}

// ownHum are the sines of a target as a clip's recording has them near its head and near its tail, with their phases
// counted from the recording's first sample; nil if no pause is near.
func ownHum(ctx context.Context, m *meter.Meter, t taking, hum []recipe.Sine) (head, tail []recipe.Sine, err error) {
	a, sound, err := recordingOf(ctx, m, t.clip)
	if err != nil {
		return nil, nil, err
	}
	hz := frequencies(hum)
	at := func(edge int64) ([]recipe.Sine, error) {
		part := pauseNear(a, edge)
		if part.Empty() {
			return nil, nil
		}
		b, err := pcm.Read(sound, part)
		if err != nil {
			return nil, err
		}
		return sinesIn(measure.Mono(b), part.From, a.Rate, hz), nil
	}
	if head, err = at(t.clip.In); err != nil {
		return nil, nil, err
	}
	if tail, err = at(t.clip.In + t.clip.Length); err != nil {
		return nil, nil, err
	}
	if head == nil {
		head = tail
	} else if tail == nil {
		tail = head
	}
	return head, tail, nil
}

// pauseNear is the stretch of a pause that lies nearest to a moment.
func pauseNear(a *analysis.Recording, at int64) (best pcm.Span) {
	near, look := int64(nearEdgeS*float64(a.Rate)), int64(lookS*float64(a.Rate))
	cost := math.Inf(1)
	for _, q := range a.QuietsIn(pcm.Span{From: at - near, To: at + near}) {
		part := q.Span
		part.From = min(max(part.From, at-look/2), max(part.From, part.To-look))
		part.To = min(part.To, part.From+look)
		c := math.Abs(float64((part.From+part.To)/2-at)) + 2*float64(look-part.Len())
		if c < cost {
			cost, best = c, part
		}
	}
	return best
}

// nearest is, of the leads that are the same but for whole periods, the one nearest to another.
func nearest(by, to, period float64) float64 { return by + math.Round((to-by)/period)*period }

// periodOf is after how many samples a hum is the same again: that of its mains, or of its loudest tone.
func periodOf(hum []recipe.Sine, rate int) float64 {
	hum = slices.SortedFunc(slices.Values(hum), func(a, b recipe.Sine) int { return cmp.Compare(b.LevelDB, a.LevelDB) })
	for _, h := range hum {
		for _, base := range mains {
			if k, ok := multipleOf(h.Hz, base); ok {
				return float64(rate) * k / h.Hz
			}
		}
	}
	return float64(rate) / hum[0].Hz
}

// leadOf is how many samples later a hum would have to be heard to be as what was found, within a period: where the
// sum of the cosines of the differences of phase, weighed by power, is greatest.
func leadOf(found, hum []recipe.Sine, period float64, rate int) (by float64) {
	most := math.Inf(-1)
	score := func(s float64) (sum float64) {
		for _, f := range found {
			k := slices.IndexFunc(hum, func(h recipe.Sine) bool { return math.Abs(h.Hz-f.Hz) < sameHz })
			if k >= 0 {
				sum += level.Power(f.LevelDB) * math.Cos(2*math.Pi*(f.Hz/float64(rate)*s+hum[k].Phase-f.Phase))
			}
		}
		return sum
	}
	for i := range leadSteps {
		s := period * float64(i) / leadSteps
		if v := score(s); v > most {
			most, by = v, s
		}
	}
	for step := period / leadSteps / 2; step > 0.01; step /= 2 {
		for _, s := range []float64{by - step, by + step} {
			if v := score(s); v > most {
				most, by = v, s
			}
		}
	}
	return by
}
