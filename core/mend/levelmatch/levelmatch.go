// Package levelmatch brings voices to one loudness: it measures the words of each clip of dialogue alone, and says by
// how much each is to be turned up or down.
package levelmatch

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/audit/overs"
	"blendseam/core/listen/analysis"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// What is turned up by more than wrongDB starts to sound wrong (common practice, no source), and is left unless it is
// asked for by hand. Clips with less than leastMS of words say nothing of their loudness.
const (
	wrongDB = 6.0
	leastMS = 400
	leastDB = 0.1 // a change of less is none

	aroundFrames = 400 / analysis.HopMS // of silence before a clip and after it: blocks reach over the ends of words
)

// A Wish says how loud the words of all clips of dialogue in a span are to be: LUFS, or as those of a clip, or else the
// median of what they are. An empty span is the whole scene.
type Options struct {
	Span    pcm.Span
	LUFS    *float64
	As      scene.ClipID
	ByTrack bool // each track is a speaker of its own, and has its own median
}

// A Voice is what was measured of the words of a clip, and what is proposed.
type Voice struct {
	Clip     scene.ClipID `json:"id"`
	Name     string       `json:"clip"`
	Track    string       `json:"track"`
	At       int64        `json:"at"`      // sample of the scene
	S        float64      `json:"words_s"` // seconds of words
	WasLUFS  float64      `json:"was_lufs"`
	PeakDBFS float64      `json:"peak_dbfs"` // of its words, at samples
	PeakDBTP float64      `json:"peak_dbtp"` // and between them
	GainDB   float64      `json:"gain_db"`   // the change
	Target   float64      `json:"target_lufs"`
	OverDB   float64      `json:"over_db"` // by how much its peaks would lie over the band; below 0: under its top
	Ticked   bool         `json:"ticked"`  // it is part of the edit
	Why      string       `json:"why"`     // what speaks against it; "": nothing
}

// A Plan brings all voices to one loudness.
type Plan struct {
	TargetLUFS float64  `json:"target_lufs"`
	Voices     []Voice  `json:"voices"`
	Short      []string `json:"short"` // clips with too few words to be measured

	Edit edit.Edit `json:"-" tstype:"-"` // nil if there is nothing to do
}

// NewPlan plans it. The error is a refuse.Error where a wish cannot be met.
func NewPlan(ctx context.Context, m *meter.Meter, w Options, threads int) (*Plan, error) {
	if w.LUFS != nil && !(*w.LUFS >= -60 && *w.LUFS <= 0) {
		return nil, refuse.Errorf("voices can be brought to -60 to 0 LUFS, not to %g", *w.LUFS)
	}
	if w.Span.Empty() {
		w.Span = pcm.Span{To: m.Scene.Length()}
	}
	if err := m.Prepare(ctx, m.Scene, threads); err != nil {
		return nil, err
	}
	type place struct {
		track *scene.Track
		clip  *scene.Clip
	}
	var places []place
	for t, c := range scene.Dialogue(m.Scene) {
		if !t.Locked && c.Span().Overlaps(w.Span) {
			places = append(places, place{t, c})
		}
	}
	slices.SortStableFunc(places, func(a, b place) int { return cmp.Compare(a.clip.Start, b.clip.Start) })
	found := make([]*Voice, len(places))
	err := parallel.Each(ctx, len(places), threads, func(i int) (err error) {
		found[i], err = voiceOf(ctx, m, places[i].track, places[i].clip)
		return err
	})
	if err != nil {
		return nil, err
	}
	p := &Plan{Voices: []Voice{}, Short: []string{}}
	for i, v := range found {
		if v == nil {
			p.Short = append(p.Short, places[i].clip.Name)
			continue
		}
		p.Voices = append(p.Voices, *v)
	}
	if len(p.Voices) == 0 {
		return nil, refuse.Errorf("no clip of dialogue there has enough words to be measured; %d ms are needed", leastMS)
	}
	if err := p.aim(w); err != nil {
		return nil, err
	}
	p.propose(m.Scene)
	return p, nil
}

// aim says what each voice is to have.
func (p *Plan) aim(w Options) error {
	median := func(track string) float64 {
		var list []float64
		for _, v := range p.Voices {
			if track == "" || v.Track == track {
				list = append(list, v.WasLUFS)
			}
		}
		return math.Round(10*measure.Percentile(list, 0.5)) / 10
	}
	p.TargetLUFS = median("")
	switch i := slices.IndexFunc(p.Voices, func(v Voice) bool { return v.Clip == w.As }); {
	case w.LUFS != nil:
		p.TargetLUFS = *w.LUFS
	case w.As != "" && i < 0:
		return refuse.Errorf("the clip in hand has too few words to be measured; take another one, or give a figure")
	case w.As != "":
		p.TargetLUFS = p.Voices[i].WasLUFS
	}
	for i := range p.Voices {
		v := &p.Voices[i]
		if v.Target = p.TargetLUFS; w.ByTrack && w.LUFS == nil && w.As == "" {
			v.Target = median(v.Track)
		}
	}
	return nil
}

// propose says what each is to be turned by, and makes the edit.
func (p *Plan) propose(s *scene.Scene) {
	all := &edit.Batch{Words: fmt.Sprintf("voices brought to %.1f LUFS", p.TargetLUFS)}
	for i := range p.Voices {
		v := &p.Voices[i]
		v.GainDB = math.Round(10*(v.Target-v.WasLUFS)) / 10
		peak := v.PeakDBFS + v.GainDB
		v.OverDB = math.Round(10*(peak-overs.BandDB)) / 10
		switch {
		case v.GainDB > wrongDB:
			v.Why = fmt.Sprintf("over +%.0f dB it starts to sound wrong", wrongDB)
		case v.GainDB > 0 && peak > overs.BandDB:
			v.Why = fmt.Sprintf(
				"its peaks would reach %.1f dBFS; at %.1f LUFS they would stay at %.0f",
				peak, v.Target-peak+overs.BandDB, float64(overs.BandDB),
			)
		}
		v.Ticked = math.Abs(v.GainDB) >= leastDB && v.GainDB <= wrongDB
		if v.Ticked {
			all.Edits = append(all.Edits, edit.Wire{Edit: v.Edit(s)})
		}
	}
	if len(all.Edits) > 0 {
		p.Edit = all
	}
}

// Edit turns the voice by what is proposed.
func (v *Voice) Edit(s *scene.Scene) edit.Edit {
	_, c := s.Clip(v.Clip)
	return &edit.Gain{Clips: []scene.ClipID{v.Clip}, DB: math.Round(10*(c.GainDB+v.GainDB)) / 10}
}

// VoiceOf measures the words of one clip; nil if there are too few.
func VoiceOf(ctx context.Context, m *meter.Meter, clip scene.ClipID) (*Voice, error) {
	t, c := m.Scene.Clip(clip)
	if c == nil || t.Kind != scene.Sound {
		return nil, refuse.Errorf("there is no clip of sound %q in this scene", clip)
	}
	v, err := voiceOf(ctx, m, t, c)
	if v != nil {
		v.OverDB = math.Round(10*(v.PeakDBFS-overs.BandDB)) / 10
	}
	return v, err
}

// voiceOf measures the words of a clip at the gains of clip, line and track; nil if there are too few. What of their
// power is the background's is taken off.
func voiceOf(ctx context.Context, m *meter.Meter, t *scene.Track, c *scene.Clip) (*Voice, error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	sound, err := m.Sound(c)
	if err != nil {
		return nil, err
	}
	inside := pcm.Span{From: c.In, To: c.In + c.Length}
	back, err := a.Background(inside)
	if err != nil {
		return nil, err
	}
	v := &Voice{Clip: c.ID, Name: c.Name, Track: t.Name, At: c.Start, PeakDBFS: level.Silence, PeakDBTP: level.Silence}
	channels := a.LoudIn(m.Scene.Channels)
	words := 0
	hop := analysis.HopMS * int64(a.Rate) / 1000
	powers := make([]float64, c.Length/hop+2*aroundFrames) // silent but where there are words
	said, err := a.Spoken(inside)
	if err != nil {
		return nil, err
	}
	for _, on := range said {
		f, err := a.Frames(pcm.Span{From: on.From, To: on.To + hop})
		if err != nil {
			return nil, err
		}
		for i := range f.Count {
			from := f.Span(i).From
			gain := level.Power(c.GainDB + t.GainDB + c.LevelDB(from+hop/2))
			if at := (from-c.In)/hop + aroundFrames; at < int64(len(powers)) {
				powers[at] = channels * gain * max(0, float64(f.Loud[i])-back.Loud)
				words++
			}
		}
		b, err := pcm.Read(sound, on)
		if err != nil {
			return nil, err
		}
		gain := c.GainDB + t.GainDB + c.LevelDB((on.From+on.To)/2)
		peaks := measure.LoudnessOf(b, a.Rate)
		v.PeakDBFS = max(v.PeakDBFS, peaks.SamplePeakDBFS+gain)
		v.PeakDBTP = max(v.PeakDBTP, peaks.TruePeakDBTP+gain)
	}
	if words*analysis.HopMS < leastMS {
		return nil, nil
	}
	v.S = float64(words) * analysis.HopMS / 1000
	v.WasLUFS = measure.IntegratedLUFS(analysis.Blocks(powers))
	for _, x := range []*float64{&v.WasLUFS, &v.PeakDBFS, &v.PeakDBTP} {
		*x = math.Round(10**x) / 10
	}
	return v, nil
}
