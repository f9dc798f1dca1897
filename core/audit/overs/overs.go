// Package overs finds what is too loud in a scene: speech whose peaks pass the band that dialogue is kept in, and a mix
// that reaches full scale. It is no fault of a seam, and no seam is needed for it.
package overs

import (
	"cmp"
	"context"
	"math"
	"slices"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// The peaks of speech should lie from BandLowDB to BandDB, in dBFS, and nothing may reach FullDB (common practice, no
// source).
const (
	BandLowDB = -12.0

	BandDB = -6.0
	FullDB = 0.0
)

// Kind says what is too loud.
type Kind string

// The kinds.
const (
	OverBand Kind = "over_band" // a dialogue track, its peaks over BandDB
	OverFull Kind = "over_full" // the mix, its true peak at FullDB or over it
)

// A Place is where something is too loud. Times are samples of the scene.
type Place struct {
	Kind      Kind          `json:"kind"`
	Track     scene.TrackID `json:"track"` // of the clip that is loudest there
	TrackName string        `json:"track_name"`
	Clip      scene.ClipID  `json:"clip"`
	ClipName  string        `json:"clip_name"`
	Span      pcm.Span      `json:"span"`      // from the first sample over the limit to behind the last
	At        int64         `json:"at"`        // of the largest
	PeakDBFS  float64       `json:"peak_dbfs"` // of speech at its samples, of the mix between them too: its true peak
	OverDB    float64       `json:"over_db"`   // by how much it passes its limit
	TurnDB    float64       `json:"turn_db"`   // what the clip must be turned by; 0 if that alone cannot help
	own       float64       // amplitude of the clip at At
}

// Turn is the edit that turns the clip of a place down as far as it must; nil if that alone does not help.
func (p Place) Turn(s *scene.Scene) edit.Edit {
	_, c := s.Clip(p.Clip)
	if c == nil || p.TurnDB == 0 {
		return nil
	}
	return &edit.Gain{Clips: []scene.ClipID{p.Clip}, DB: math.Round((c.GainDB+p.TurnDB)*10) / 10}
}

// mostTurnDB is how far a clip is turned down at most: what needs more is no matter of one clip's gain.
const mostTurnDB = -24

// turned says by how much the clip must be turned down, in tenths of a dB, for the sum to stay below the limit
// by half a tenth or more.
func (p *Place) turned(limit float64) {
	rest := 1 - (level.Amplitude(p.PeakDBFS)-limit)/p.own
	if p.TurnDB = math.Floor(level.DB(rest)*10-0.5) / 10; rest <= 0 || p.TurnDB < mostTurnDB {
		p.TurnDB = 0
	}
}

// Places apart by less than joinedMS are one, and so much is rendered at a time.
const (
	joinedMS = 1000
	pieceMS  = 10000
)

// Find gives all places of a scene, in order of time, on so many threads, 0 being one for each processor. Tracks that
// are not heard have none.
func Find(ctx context.Context, m *meter.Meter, threads int) ([]Place, error) {
	piece := m.Samples(pieceMS)
	n := int((m.Scene.Length() + piece - 1) / piece)
	found := make([][]Place, n)
	err := parallel.Each(ctx, n, threads, func(i int) (err error) {
		span := pcm.Span{From: int64(i) * piece, To: min(m.Scene.Length(), int64(i+1)*piece)}
		found[i], err = within(m, span)
		return err
	})
	if err != nil {
		return nil, err
	}
	list := slices.Concat(found...)
	slices.SortStableFunc(list, func(a, b Place) int { return cmp.Compare(a.Span.From, b.Span.From) })
	list = joined(list, m.Samples(joinedMS))
	for i := range list {
		list[i].turned(level.Amplitude(limitOf(list[i].Kind)))
	}
	return slices.DeleteFunc(slices.Clone(list), func(p Place) bool {
		return p.Kind == OverFull && slices.ContainsFunc(list, p.goesWith)
	}), nil
}

// goesWith tells whether what takes another place back into the band of speech takes this one from full scale, too.
func (p Place) goesWith(o Place) bool {
	return o.Kind == OverBand && o.Clip == p.Clip && o.Span.Overlaps(p.Span) && o.TurnDB != 0 && o.TurnDB <= p.TurnDB
}

func limitOf(k Kind) float64 {
	if k == OverFull {
		return FullDB
	}
	return BandDB
}

// within gives the places of a stretch.
func within(m *meter.Meter, span pcm.Span) (list []Place, err error) {
	whole, err := m.Mixer("")
	if err != nil {
		return nil, err
	}
	if list, err = over(m, whole, span, OverFull, list); err != nil {
		return nil, err
	}
	for _, t := range m.Scene.Tracks {
		if t.Purpose != scene.ForDialogue || !m.Heard(t.ID) {
			continue
		}
		x, err := m.Mixer(t.ID)
		if err != nil {
			return nil, err
		}
		if list, err = over(m, x, span, OverBand, list); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// over adds the places at which a mix reaches a limit.
func over(m *meter.Meter, x *mix.Mixer, span pcm.Span, kind Kind, list []Place) ([]Place, error) {
	limitDB := limitOf(kind)
	if len(x.Voices(span)) == 0 {
		return list, nil
	}
	b, err := meter.Render(x, pcm.Span{From: span.From - aroundPoint, To: span.To + aroundPoint})
	if err != nil {
		return nil, err
	}
	limit := level.Amplitude(limitDB)
	var p *Place
	loudest := 0.0
	end := func() error {
		if p == nil {
			return nil
		}
		p.PeakDBFS = level.DB(loudest)
		p.OverDB = p.PeakDBFS - limitDB
		err := p.whose(m, x)
		list = append(list, *p)
		p, loudest = nil, 0
		return err
	}
	for i, v := range magnitudes(b, kind == OverFull) {
		if v < limit {
			continue
		}
		at := span.From + int64(i)
		if p != nil && at-p.Span.To > m.Samples(joinedMS) {
			if err := end(); err != nil {
				return nil, err
			}
		}
		if p == nil {
			p = &Place{Kind: kind, Span: pcm.Span{From: at}}
		}
		if p.Span.To = at + 1; v > loudest {
			loudest, p.At = v, at
		}
	}
	return list, end()
}

// Between samples a sound can reach higher than at any of them, by a few dB at most: where these come near full scale,
// groupSamples are looked at together, with aroundPoint on both sides.
const (
	aroundPoint  = 32
	groupSamples = 64
	nearFull     = 0.5
)

// magnitudes are the largest of a block's channels at every sample but the aroundPoint at either end; between, where
// they come near full scale, the true peak of a group of samples stands at its largest one.
func magnitudes(b pcm.Block, between bool) []float64 {
	list := make([]float64, b.Len()-2*aroundPoint)
	for _, ch := range b {
		for i := range list {
			list[i] = max(list[i], math.Abs(ch[aroundPoint+i]))
		}
	}
	for from := 0; between && from < len(list); from += groupSamples {
		to := min(from+groupSamples, len(list))
		at := from
		for i := from; i < to; i++ {
			if list[i] > list[at] {
				at = i
			}
		}
		if list[at] < nearFull {
			continue
		}
		for _, ch := range b {
			list[at] = max(list[at], measure.InterSamplePeak(ch[from+aroundPoint-15:to+aroundPoint+16]))
		}
	}
	return list
}

// whose names the clip that is loudest at the place's largest sample.
func (p *Place) whose(m *meter.Meter, x *mix.Mixer) error {
	most := -1.0
	for _, v := range x.Voices(pcm.Span{From: p.At, To: p.At + 1}) {
		r, err := m.Sound(v.Clip)
		if err != nil {
			return err
		}
		in := v.In + p.At - v.Span.From
		b, err := pcm.Read(r, pcm.Span{From: in, To: in + 1})
		if err != nil {
			return err
		}
		gain, err := v.Gain(p.At)
		if err != nil {
			return err
		}
		for _, ch := range b {
			if a := math.Abs(ch[0]) * gain; a > most {
				most, p.own = a, a
				p.Track, p.TrackName, p.Clip, p.ClipName = v.Track.ID, v.Track.Name, v.Clip.ID, v.Clip.Name
			}
		}
	}
	return nil
}

// joined makes one of those that lie apart by less than gap, in one clip.
func joined(list []Place, gap int64) []Place {
	out := []Place{}
	last := map[Kind]map[scene.ClipID]int{OverBand: {}, OverFull: {}} // index in out
	for _, p := range list {
		i, ok := last[p.Kind][p.Clip]
		if !ok || p.Span.From-out[i].Span.To > gap {
			last[p.Kind][p.Clip] = len(out)
			out = append(out, p)
			continue
		}
		was := &out[i]
		was.Span.To = max(was.Span.To, p.Span.To)
		if p.PeakDBFS > was.PeakDBFS {
			was.At, was.PeakDBFS, was.OverDB, was.own = p.At, p.PeakDBFS, p.OverDB, p.own
		}
	}
	return out
}
