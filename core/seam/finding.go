package seam

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/speech"
	"blendseam/core/stray"
	"blendseam/core/tone"
)

// SpokenOver is the kind of a stretch in which somebody speaks over another track's line.
const SpokenOver stray.Kind = "spoken_over"

// A Finding is something in a scene that should not be heard, and the lull that would take it out. Times are samples of the scene.
type Finding struct {
	ID        string     `json:"id"`
	Kind      stray.Kind `json:"kind"`
	Track     string     `json:"track"`
	TrackName string     `json:"track_name"`
	Clip      string     `json:"clip"`
	ClipName  string     `json:"clip_name"`
	Span      pcm.Span   `json:"span"`
	AboveDB   float64    `json:"above_db"` // its loudest 10 ms over the background
	PeakDB    float64    `json:"peak_db"`  // dBFS
	Lull      pcm.Span   `json:"lull"`
	FadeIn    int64      `json:"fade_in"`
	FadeOut   int64      `json:"fade_out"`
	Why       string     `json:"why"`
}

// A Hum is the steady partials of a clip's background. It is named, not lulled: it is there all the time.
type Hum struct {
	Clip     string         `json:"clip"`
	ClipName string         `json:"clip_name"`
	At       int64          `json:"at"` // where it was measured, sample of the scene
	Partials []tone.Partial `json:"partials"`
	Words    string         `json:"words"`
}

// Findings are the sounds in the pauses of a scene's dialogue that should not be there, in order of time, and the hum of its recordings.
func Findings(sc *scene.Scene, m *Meter, threads int) ([]Finding, []Hum, error) {
	type job struct {
		t *scene.Track
		c *scene.Clip
	}
	var jobs []job
	for _, t := range sc.Tracks {
		if t.Kind != scene.Sound || t.Purpose != "dialogue" {
			continue
		}
		for i := range t.Clips {
			if c := &t.Clips[i]; !c.Muted && sc.Sources[c.Source].Tone == nil {
				jobs = append(jobs, job{t, c})
			}
		}
	}
	found, hums := make([][]Finding, len(jobs)), make([]*Hum, len(jobs))
	err := spread(len(jobs), threads, func(i int) (err error) {
		if found[i], err = m.strays(jobs[i].t, jobs[i].c); err == nil {
			hums[i], err = m.hum(jobs[i].c)
		}
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	list := slices.Concat(found...)
	over, err := m.spokenOver()
	if err != nil {
		return nil, nil, err
	}
	list = append(list, over...)
	slices.SortStableFunc(list, func(a, b Finding) int { return cmp.Compare(a.Span.From, b.Span.From) })
	var named []Hum
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

// beyondClipMS is how much of a clip's recording beyond its edges is looked at, for its background.
const beyondClipMS = 2500

// strays are the stray sounds of one clip that no lull has taken out.
func (m *Meter) strays(t *scene.Track, c *scene.Clip) (list []Finding, err error) {
	r, err := m.recording(c)
	if err != nil {
		return nil, err
	}
	span := pcm.Span{From: c.Start - m.ms(beyondClipMS), To: c.End() + m.ms(beyondClipMS)}.Intersect(pcm.Span{To: r.Len()}.Add(c.Shift()))
	b, err := m.raw(c, span)
	if err != nil {
		return nil, err
	}
	for _, s := range stray.Find(measure.Mono(b), int(m.scene.SampleRate)) {
		f := Finding{Kind: s.Kind, Track: t.ID, TrackName: t.Name, Clip: c.ID, ClipName: c.Name, Span: s.Span.Add(span.From), AboveDB: s.AboveDB, PeakDB: s.PeakDB,
			Lull: s.Lull.Add(span.From).Intersect(c.Span()), FadeIn: s.FadeIn, FadeOut: s.FadeOut}
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
func (f *Finding) fit(m *Meter) {
	f.ID = fmt.Sprintf("%s:%s:%d", f.Kind, f.Clip, f.Span.From)
	f.FadeIn, f.FadeOut = min(f.FadeIn, f.Lull.Len()/3), min(f.FadeOut, f.Lull.Len()/3)
	if f.Lull.Len() < m.ms(6) {
		f.Lull = pcm.Span{}
	}
}

// lulled tells whether a lull of a clip has a sound already.
func lulled(c *scene.Clip, s pcm.Span) bool {
	return slices.ContainsFunc(c.Lulls, func(l scene.Lull) bool {
		return c.LullSpan(l).Intersect(s).Len() >= s.Len()/2 && !l.Off || c.LullSpan(l).Overlaps(s)
	})
}

// hum names the steady partials of a clip's longest quiet stretch; nil if there are none.
func (m *Meter) hum(c *scene.Clip) (*Hum, error) {
	middle := c.Start + c.Length/2
	list, sound, span, err := m.quiets(c, pcm.Span{From: middle, To: middle}, 10)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	q := slices.MaxFunc(list, func(a, b tone.Quiet) int { return cmp.Compare(a.Span.Len(), b.Span.Len()) }).Span
	q.To = min(q.To, q.From+3*m.scene.SampleRate)
	if q.Len() < m.ms(400) { // too short to tell hum from noise
		return nil, nil
	}
	h := &Hum{Clip: c.ID, ClipName: c.Name, At: q.From, Partials: tone.Partials(sound.Slice(q.From-span.From, q.To-span.From), int(m.scene.SampleRate))}
	if len(h.Partials) == 0 {
		return nil, nil
	}
	h.Words = "hum at "
	for i, p := range h.Partials[:min(4, len(h.Partials))] {
		h.Words += fmt.Sprintf("%s%.1f Hz (%.0f dBFS)", either(i > 0, ", ", ""), p.Hz, p.LevelDB)
	}
	return h, nil
}

// A voice holds the line against another one if it began earlier and lasts at least as long; what runs beside it for leastOverMS is spoken
// over it. A voice that reaches another one's microphone starts with it, and is no other voice.
const (
	leastOverMS = 200
	bleedMS     = 60
)

// spokenOver finds speech on one dialogue track while another track's speaker holds the line.
func (m *Meter) spokenOver() (list []Finding, err error) {
	type said struct {
		t     *scene.Track
		c     *scene.Clip
		words []speech.Stretch
		back  float64
	}
	var all []said
	for _, t := range m.scene.Tracks {
		if t.Kind != scene.Sound || t.Purpose != "dialogue" {
			continue
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			if c.Muted || !m.overlapped(t, c) {
				continue
			}
			r, err := m.Recording(c, c.Start, beyondMS, m.inMS(c.Length)+beyondMS)
			if err != nil {
				return nil, err
			}
			all = append(all, said{t, c, r.Stretches, r.BackgroundDB})
		}
	}
	for _, a := range all {
		for _, b := range all {
			if a.t == b.t || !a.c.Span().Overlaps(b.c.Span()) {
				continue
			}
			for _, w := range a.words { // over which of b's lines?
				span := w.Span.Intersect(a.c.Span())
				if w.Kind != speech.Word || span.Len() < m.ms(leastOverMS) || lulled(a.c, span) {
					continue
				}
				own, _ := holding(a.words, span, m.ms(600))
				line, holds := holding(b.words, span, m.ms(600))
				if !holds || own.From-line.From < m.ms(bleedMS) || line.Len() < own.Len() || line.Intersect(span).Len() < span.Len()*6/10 {
					continue
				}
				fade := m.ms(30)
				f := Finding{Kind: SpokenOver, Track: a.t.ID, TrackName: a.t.Name, Clip: a.c.ID, ClipName: a.c.Name, Span: span, AboveDB: w.PeakDB - a.back, PeakDB: w.PeakDB,
					Lull: pcm.Span{From: span.From - fade, To: span.To + m.ms(100) + fade}.Intersect(a.c.Span()), FadeIn: fade, FadeOut: fade}
				if f.fit(m); f.Lull.Empty() {
					continue
				}
				f.Why = fmt.Sprintf("speech over the line on %s, %.0f dB over the background", b.t.Name, f.AboveDB)
				list = append(list, f)
			}
		}
	}
	return list, nil
}

// overlapped tells whether another dialogue track sounds at the same time as a clip.
func (m *Meter) overlapped(t *scene.Track, c *scene.Clip) bool {
	for _, o := range m.scene.Tracks {
		if o == t || o.Kind != scene.Sound || o.Purpose != "dialogue" {
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

// holding is the line that goes on at a span: words with breaks of at most so many samples.
func holding(words []speech.Stretch, span pcm.Span, breaks int64) (line pcm.Span, ok bool) {
	for _, w := range words {
		if w.Kind != speech.Word {
			continue
		}
		if !line.Empty() && w.Span.From-line.To <= breaks {
			line.To = w.Span.To
		} else if line.Overlaps(span) {
			break
		} else {
			line = w.Span
		}
	}
	return line, line.Overlaps(span)
}

// Name is what a finding is called within a sentence.
func (f Finding) Name() string {
	if f.Kind == SpokenOver {
		return "speech over the line"
	}
	return string(f.Kind)
}

// Edit is the lull that takes a finding out.
func (f Finding) Edit() *scene.AddLull {
	return &scene.AddLull{Clip: f.Clip, Lull: fmt.Sprintf("u%s.%d", f.Clip, f.Lull.From), From: f.Lull.From, To: f.Lull.To, FadeIn: &f.FadeIn, FadeOut: &f.FadeOut}
}
