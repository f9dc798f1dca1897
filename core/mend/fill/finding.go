package fill

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"blendseam/core/listen/noiseevent"
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// SpokenOver is the kind of a stretch in which somebody speaks over another track's line.
const SpokenOver noiseevent.Kind = "spoken_over"

// A Finding is something in a scene that should not be heard, and the lull that would take it out. Times are samples of
// the scene.
type Finding struct {
	ID        string          `json:"id"`
	Kind      noiseevent.Kind `json:"kind"`
	Track     scene.TrackID   `json:"track"`
	TrackName string          `json:"track_name"`
	Clip      scene.ClipID    `json:"clip"`
	ClipName  string          `json:"clip_name"`
	Span      pcm.Span        `json:"span"`
	AboveDB   float64         `json:"above_db"` // its loudest 10 ms over the background
	PeakDB    float64         `json:"peak_db"`  // dBFS
	Lull      pcm.Span        `json:"lull"`
	FadeIn    int64           `json:"fade_in"`
	FadeOut   int64           `json:"fade_out"`
	Why       string          `json:"why"`
}

// A Hum is the steady partials of a clip's background. It is named, not lulled: it is there all the time.
type Hum struct {
	Clip     scene.ClipID   `json:"clip"`
	ClipName string         `json:"clip_name"`
	At       int64          `json:"at"` // where it was measured, sample of the scene
	Partials []tone.Partial `json:"partials"`
	Words    string         `json:"words"`
}

// Findings are the sounds in the pauses of a scene's dialogue that should not be there, in order of time, and the hum
// of its recordings.
func (m *Filler) Findings(ctx context.Context, threads int) ([]Finding, []Hum, error) {
	return search{m}.all(ctx, threads)
}

// A search is for what should not be heard in a scene.
type search struct{ *Filler }

func (m search) all(ctx context.Context, threads int) ([]Finding, []Hum, error) {
	sc := m.Scene
	type job struct {
		t *scene.Track
		c *scene.Clip
	}
	var jobs []job
	for t, c := range scene.Dialogue(sc) {
		jobs = append(jobs, job{t, c})
	}
	found, hums := make([][]Finding, len(jobs)), make([]*Hum, len(jobs))
	err := parallel.Each(ctx, len(jobs), threads, func(i int) (err error) {
		if found[i], err = m.strays(ctx, jobs[i].t, jobs[i].c); err == nil {
			hums[i], err = m.hum(ctx, jobs[i].c)
		}
		return unlessMissing(err)
	})
	if err != nil {
		return nil, nil, err
	}
	list := slices.Concat(append(found, []Finding{})...)
	over, err := m.spokenOver(ctx)
	if err != nil {
		return nil, nil, err
	}
	list = append(list, over...)
	slices.SortStableFunc(list, func(a, b Finding) int { return cmp.Compare(a.Span.From, b.Span.From) })
	named := []Hum{}
	heard := map[string]bool{}
	for _, h := range hums {
		if h == nil {
			continue
		}
		_, c := sc.Clip(h.Clip)
		if !heard[c.Source] { // once for each recording
			heard[c.Source] = true
			named = append(named, *h)
		}
	}
	return list, named, nil
}

// unlessMissing is an error, unless it says that a recording is missing: in what is not there nothing is found.
func unlessMissing(err error) error {
	if missing := (*meter.MissingRecording)(nil); errors.As(err, &missing) {
		return nil
	}
	return err
}

// strays are the stray sounds of one clip that no lull has taken out.
func (m search) strays(ctx context.Context, t *scene.Track, c *scene.Clip) (list []Finding, err error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	shift := c.Shift()
	for _, s := range a.StraysIn(c.Span().Add(-shift)) {
		f := Finding{Kind: s.Kind, Track: t.ID, TrackName: t.Name, Clip: c.ID, ClipName: c.Name, Span: s.Span.Add(shift),
			AboveDB: s.AboveDB, PeakDB: s.PeakDB + c.GainDB,
			Lull: s.Lull.Add(shift).Intersect(c.Span()), FadeIn: s.FadeIn, FadeOut: s.FadeOut}
		f.fit(m)
		if f.Lull.Empty() || f.Span.Intersect(c.Span()).Len() < f.Span.Len()/2 || lulled(c, f.Span) {
			continue
		}
		f.Why = fmt.Sprintf("a %s, %.0f dB over the background", f.Kind, f.AboveDB)
		list = append(list, f)
	}
	return list, nil
}

// fit gives a finding its id, and shortens fades that its lull has no room for.
func (f *Finding) fit(m search) {
	f.ID = fmt.Sprintf("%s:%s:%d", f.Kind, f.Clip, f.Span.From)
	f.FadeIn, f.FadeOut = min(f.FadeIn, f.Lull.Len()/3), min(f.FadeOut, f.Lull.Len()/3)
	if f.Lull.Len() < m.Samples(6) {
		f.Lull = pcm.Span{}
	}
}

// lulled tells whether a lull of a clip has a sound already.
func lulled(c *scene.Clip, s pcm.Span) bool {
	return slices.ContainsFunc(c.Lulls, func(l scene.Lull) bool { return c.LullSpan(l).Overlaps(s) })
}

// hum names the steady partials of a clip's recording; nil if there are none.
func (m search) hum(ctx context.Context, c *scene.Clip) (*Hum, error) {
	a, err := m.Says(ctx, c)
	if err != nil || len(a.Hum) == 0 {
		return nil, err
	}
	h := &Hum{Clip: c.ID, ClipName: c.Name, At: a.HumAt.From + c.Shift(), Partials: slices.Clone(a.Hum), Words: "hum at "}
	if !c.Span().Contains(h.At) { // it was measured in a part that the clip does not show
		h.At = c.Start
	}
	for i := range h.Partials {
		p := &h.Partials[i]
		if p.LevelDB += c.GainDB; i < 4 {
			h.Words += fmt.Sprintf("%s%.1f Hz (%.0f dBFS)", either(i > 0, ", ", ""), p.Hz, p.LevelDB)
		}
	}
	return h, nil
}

// Two clips were recorded together if most of one lies beside the other. A voice holds the line against another one if
// it began leadMS earlier and lasts longer; what runs beside it for leastOverMS is spoken over it. What of a voice
// reaches the other microphone is no other voice: a speaker's own words stand ownDB over what usually comes across.
const (
	leastOverMS = 200
	leadMS      = 60
	ownDB       = 8.0
	aboveDB     = 10.0 // over its background a voice is one
)

// spokenOver finds speech on one dialogue track while another track's speaker holds the line.
func (m search) spokenOver(ctx context.Context) (list []Finding, err error) {
	type said struct {
		t *scene.Track
		c *scene.Clip
	}
	var all []said
	for t, c := range scene.Dialogue(m.Scene) {
		if m.overlapped(t, c) {
			all = append(all, said{t, c})
		}
	}
	for _, a := range all {
		for _, b := range all {
			if both := a.c.Span().
				Intersect(b.c.Span()); a.t != b.t && both.Len() >= m.Samples(leastOverMS) &&
				both.Len() >= min(a.c.Length, b.c.Length)*6/10 {
				over, err := m.over(ctx, a.c, b.c, both)
				if err = unlessMissing(err); err != nil {
					return nil, err
				}
				for _, f := range over {
					f.Track, f.TrackName, f.Clip, f.ClipName = a.t.ID, a.t.Name, a.c.ID, a.c.Name
					if f.fit(m); f.Lull.Empty() || lulled(a.c, f.Span) {
						continue
					}
					f.Why = fmt.Sprintf("speech over the line on %s, %.0f dB over the background", b.t.Name, f.AboveDB)
					list = append(list, f)
				}
			}
		}
	}
	return list, nil
}

// over finds where a clip's speaker speaks over the line that another clip's speaker holds. Levels are those of 20 ms.
func (m search) over(ctx context.Context, by, holder *scene.Clip, both pcm.Span) (list []Finding, err error) {
	look := pcm.Span{From: both.From - m.Samples(2000), To: both.To} // a line may have begun before
	var levels [2][]float64
	var back [2]float64
	for i, c := range []*scene.Clip{by, holder} {
		if levels[i], err = m.levels(ctx, c, look); err != nil {
			return nil, err
		}
		r, err := m.Around(ctx, c, (both.From+both.To)/2, m.MS(both.Len()/2)+lookMS, m.MS(both.Len()/2)+lookMS)
		if err != nil {
			return nil, err
		}
		back[i] = r.BackgroundDB
	}
	own := m.own(levels[0], levels[1], back[0], back[1])
	others := m.own(levels[1], levels[0], back[1], back[0])
	step := m.Samples(measure.FrameMS)
	spans := func(runs [][2]int) (out []pcm.Span) {
		for _, r := range runs {
			out = append(out, pcm.Span{From: int64(r[0]) * step, To: int64(r[1]) * step}.Add(look.From))
		}
		return out
	}
	for _, s := range spans(runs(own, 6)) {
		if s = s.Intersect(both); s.Len() < m.Samples(leastOverMS) {
			continue
		}
		mine := s // the line that it is part of
		for _, line := range spans(runs(own, 30)) {
			if line.Overlaps(s) {
				mine = line
			}
		}
		for _, line := range spans(runs(others, 30)) {
			during := 0
			for k := (s.From - look.From) / step; k < (s.To-look.From)/step; k++ {
				if others[k] {
					during++
				}
			}
			if !line.Overlaps(s) || mine.From-line.From < m.Samples(leadMS) || line.Len() <= mine.Len() ||
				int64(during)*step < s.Len()/10 {
				continue
			}
			f := Finding{
				Kind:    SpokenOver,
				Span:    s,
				PeakDB:  level.Silence,
				FadeIn:  m.Samples(30),
				FadeOut: m.Samples(30),
				Lull:    pcm.Span{From: s.From - m.Samples(50), To: s.To + m.Samples(130)}.Intersect(by.Span()),
			}
			for k := (s.From - look.From) / step; k < (s.To-look.From)/step; k++ {
				f.PeakDB = max(f.PeakDB, levels[0][k])
			}
			f.AboveDB = f.PeakDB - back[0]
			list = append(list, f)
			break
		}
	}
	return list, nil
}

// levels are those of each 20 ms of a clip's recording over a span of the scene, dBFS at the clip's gain.
func (m search) levels(ctx context.Context, c *scene.Clip, span pcm.Span) ([]float64, error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	f, err := a.Frames(span.Add(-c.Shift()))
	if err != nil {
		return nil, err
	}
	out := make([]float64, span.Len()/m.Samples(measure.FrameMS))
	for k := range out {
		out[k] = level.Silence
		if i := min(2*k, f.Count-1); i >= 0 {
			out[k] = level.OfPower(float64(f.Level[i])) + c.GainDB + c.LevelDB(f.Span(i).From)
		}
	}
	return out, nil
}

// own tells in which frames a microphone's own speaker is heard: over its background, and over what comes across from
// the other one, which is the quietest fifth of the differences while that one is heard.
func (m search) own(mine, others []float64, myBack, otherBack float64) []bool {
	var across []float64
	for i := range mine {
		if others[i] > otherBack+12 {
			across = append(across, mine[i]-others[i])
		}
	}
	out := make([]bool, len(mine))
	bleed := -100.0
	if len(across) >= 10 {
		bleed = min(
			-ownDB,
			measure.Percentile(across, 0.2),
		) // what comes across is never as loud as its own microphone has it
	}
	for i := range mine {
		out[i] = mine[i] > myBack+aboveDB && mine[i] > others[i]+bleed+ownDB
	}
	return out
}

// runs are the stretches of what is true, joined where they are so many frames apart.
func runs(is []bool, join int) (list [][2]int) {
	for i, v := range is {
		if !v {
			continue
		}
		if n := len(list); n > 0 && i-list[n-1][1] <= join {
			list[n-1][1] = i + 1
		} else {
			list = append(list, [2]int{i, i + 1})
		}
	}
	return list
}

// overlapped tells whether another dialogue track sounds at the same time as a clip.
func (m search) overlapped(t *scene.Track, c *scene.Clip) bool {
	for _, o := range m.Scene.Tracks {
		if o == t || o.Kind != scene.Sound || o.Purpose != scene.ForDialogue {
			continue
		}
		for i := range o.Clips {
			if o.Clips[i].Span().Overlaps(c.Span()) && !o.Clips[i].Muted {
				return true
			}
		}
	}
	return false
}

// Name is what a finding is called within a sentence.
func (f Finding) Name() string {
	if f.Kind == SpokenOver {
		return "speech over the line"
	}
	return string(f.Kind)
}

// Edit is the lull that takes a finding out.
func (f Finding) Edit() *edit.AddLull {
	return &edit.AddLull{
		Clip:    f.Clip,
		Lull:    scene.LullID(fmt.Sprintf("u%s.%d", f.Clip, f.Lull.From)),
		From:    f.Lull.From,
		To:      f.Lull.To,
		FadeIn:  &f.FadeIn,
		FadeOut: &f.FadeOut,
	}
}

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}
