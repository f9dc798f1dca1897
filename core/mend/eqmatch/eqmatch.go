// Package eqmatch brings a voice as near as it comes to another's: to the level of its words, then to their long-term
// spectrum, by one curve over frequency. It measures words alone, and says what the curve does to what lies behind
// them.
package eqmatch

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

const (
	mostDB     = 12.0 // a third-octave is turned by no more than this
	leastS     = 0.4  // seconds of words, in either
	mostS      = 60.0 // more of them are not listened to
	overRoomDB = 6.0  // a band that stands less over its room is trusted less
	rounds     = 4    // of measuring what the curve made
	warmMS     = 100

	aroundFrames = 400 / analysis.HopMS // of silence before a clip and after it: blocks reach over the ends of words
)

// colourBands are those that differences of colour are taken over: 125 Hz to 6.3 kHz.
const colourBands = analysis.Bands - 1

// A Difference is how far a voice lies from another's.
type Difference struct {
	LevelLU  float64 `json:"level_lu"`  // of its words
	ColourDB float64 `json:"colour_db"` // of their third-octaves from 125 Hz to 6.3 kHz, root mean square about their mean
}

// A Plan brings a clip near another's voice.
type Plan struct {
	Clip    scene.ClipID `json:"id"`
	Name    string       `json:"clip"`
	As      string       `json:"as"`
	Before  Difference   `json:"before"`
	After   Difference   `json:"after"`
	Thirds  []float64    `json:"thirds_db"`
	GainDB  float64      `json:"gain_db"`
	NoiseDB float64      `json:"noise_db"` // by how much its background is turned up, K-weighted
	WasDB   []float64    `json:"was_db"`   // the words' third-octaves, dBFS
	AsDB    []float64    `json:"as_db"`    // those of the other's words
	Tapered int          `json:"tapered"`  // bands of which too little is heard over the rooms
	Why     string       `json:"why"`      // what speaks against it; "": nothing

	Like *eq.Like `json:"-" tstype:"-"`
}

// Edit is what it does to the scene.
func (p *Plan) Edit() edit.Edit { return &edit.SetLike{Clips: []scene.ClipID{p.Clip}, Like: p.Like} }

// A voice is what was measured of a clip's words: powers without those of its background.
type voice struct {
	bands [analysis.Bands]float64
	trust [analysis.Bands]float64 // 0 to 1
	lufs  float64
	back  float64 // of the background, K-weighted
}

// NewPlan measures a clip and whom it is to be like, and plans the curve, of which strength per cent are heard.
// Refusals say which of them has too few words.
func NewPlan(ctx context.Context, m *meter.Meter, clip, as scene.ClipID, strength float64) (*Plan, error) {
	t, c := m.Scene.Clip(clip)
	ot, other := m.Scene.Clip(as)
	switch {
	case c == nil || other == nil:
		return nil, refuse.Errorf("there is no clip %q in this scene", clip)
	case t.Kind != scene.Sound || ot.Kind != scene.Sound:
		return nil, refuse.Errorf("voices are brought near one another, not pictures; take the clip of sound in hand")
	case clip == as:
		return nil, refuse.Errorf("%s is like itself already; take another clip in hand as well", c.Name)
	case !(strength >= 0 && strength <= 100):
		return nil, refuse.Errorf("the strength is 0 to 100 per cent, not %g", strength)
	}
	want, err := measured(ctx, m, ot, other, other.Like)
	if err != nil {
		return nil, err
	}
	was, err := measured(ctx, m, t, c, nil)
	if err != nil {
		return nil, err
	}
	p := &Plan{Clip: c.ID, Name: c.Name, As: other.Name, Before: apart(was, want)}
	like := &eq.Like{ThirdsDB: make([]float64, eq.Thirds), As: other.Name}
	now := was
	for range rounds {
		step, trust := [analysis.Bands]float64{}, [analysis.Bands]float64{}
		for b := range step {
			step[b] = level.OfPower(max(want.bands[b], 1e-30)) - level.OfPower(max(now.bands[b], 1e-30))
			trust[b] = min(was.trust[b], want.trust[b])
		}
		mean := weighted(step, trust)
		for b := range step {
			step[b] -= mean
		}
		for b, d := range spread(step, trust) {
			like.ThirdsDB[b] = max(-mostDB, min(mostDB, like.ThirdsDB[b]+d))
		}
		if now, err = measured(ctx, m, t, c, like); err != nil {
			return nil, err
		}
		like.GainDB += want.lufs - now.lufs
		if now, err = measured(ctx, m, t, c, like); err != nil {
			return nil, err
		}
	}
	for b := range like.ThirdsDB {
		like.ThirdsDB[b] = math.Round(100*like.ThirdsDB[b]) / 100
		if min(was.trust[b], want.trust[b]) < 1 {
			p.Tapered++
		}
	}
	like.GainDB = math.Round(100*like.GainDB) / 100
	if like.Strength = strength; strength == 100 {
		like.Strength = 0
	}
	if now, err = measured(ctx, m, t, c, like); err != nil {
		return nil, err
	}
	p.After, p.Like, p.Thirds, p.GainDB = apart(now, want), like, like.ThirdsDB, like.GainDB
	if was.back > 0 && now.back > 0 {
		p.NoiseDB = math.Round(10*level.OfPower(now.back/was.back)) / 10
	}
	for b := range was.bands {
		p.WasDB = append(p.WasDB, math.Round(10*level.OfPower(max(was.bands[b], 1e-20)))/10)
		p.AsDB = append(p.AsDB, math.Round(10*level.OfPower(max(want.bands[b], 1e-20)))/10)
	}
	if p.NoiseDB > 6 {
		p.Why = fmt.Sprintf("its background comes up by %.1f dB with it; even the rooms, or take less", p.NoiseDB)
	}
	return p, nil
}

// apart is how far a voice lies from another.
func apart(a, b *voice) (d Difference) {
	step, one := [analysis.Bands]float64{}, [analysis.Bands]float64{}
	for k := range colourBands {
		one[k] = min(a.trust[k], b.trust[k])
		step[k] = level.OfPower(max(a.bands[k], 1e-30)) - level.OfPower(max(b.bands[k], 1e-30))
	}
	mean, sum, all := weighted(step, one), 0.0, 0.0
	for k := range colourBands {
		sum += one[k] * (step[k] - mean) * (step[k] - mean)
		all += one[k]
	}
	d.ColourDB = math.Round(100*math.Sqrt(sum/max(all, 1e-9))) / 100
	d.LevelLU = math.Round(100*(a.lufs-b.lufs)) / 100
	return d
}

func weighted(v, w [analysis.Bands]float64) float64 {
	sum, all := 0.0, 1e-9
	for k := range v {
		sum, all = sum+w[k]*v[k], all+w[k]
	}
	return sum / all
}

// spread gives bands that are not trusted what those beside them have: each is the mean of its neighbours by their
// trust, the nearer the more, but for its own share of trust.
func spread(step, trust [analysis.Bands]float64) (out [analysis.Bands]float64) {
	for b := range step {
		sum, all := 0.0, 1e-9
		for k := range step {
			if w := trust[k] * math.Exp(-math.Abs(float64(k-b))/1.5); k != b {
				sum, all = sum+w*step[k], all+w
			}
		}
		out[b] = trust[b]*step[b] + (1-trust[b])*sum/all
	}
	return out
}

// measured listens to the words of a clip as they would be heard with what brings it near another.
func measured(ctx context.Context, m *meter.Meter, t *scene.Track, c *scene.Clip, like *eq.Like) (*voice, error) {
	own := *c
	own.Like = nil
	a, err := m.Says(ctx, &own)
	if err != nil {
		return nil, err
	}
	sound, err := m.Sound(&own)
	if err != nil {
		return nil, err
	}
	by := eq.Curve{Like: like}
	sound, a = eq.New(sound, by), a.Through(by)
	inside := pcm.Span{From: c.In, To: c.In + c.Length}
	back, err := a.Background(inside)
	if err != nil {
		return nil, err
	}
	rate := int64(a.Rate)
	bands := measure.GetBands(a.Rate, int(rate/50), 125, 8000)
	defer bands.Done()
	window, warm := int64(bands.Window()), rate*warmMS/1000
	hop, channels := rate*analysis.HopMS/1000, a.LoudIn(m.Scene.Channels)
	loud := make([]float64, c.Length/hop+2*aroundFrames) // silent but where there are words
	v, frames, samples := &voice{}, 0.0, int64(0)
	var powers []float64
	said, err := a.Spoken(inside)
	if err != nil {
		return nil, err
	}
	for _, on := range said {
		if on.Len() < window || float64(samples) > mostS*float64(rate) {
			continue
		}
		b, err := pcm.Read(sound, pcm.Span{From: on.From - warm, To: on.To})
		if err != nil {
			return nil, err
		}
		gain := level.Power(c.GainDB + t.GainDB + c.LevelDB((on.From+on.To)/2))
		mono := measure.Mono(b)[warm:]
		for from := int64(0); from+window <= int64(len(mono)); from += window / 2 {
			powers = bands.Powers(powers[:0], mono[from:from+window])
			for k, p := range powers {
				v.bands[k] += gain * p
			}
			frames++
		}
		for _, ch := range b {
			k := measure.NewKFilter(a.Rate)
			k.Energy(ch[:warm])
			for from, ch := 0, ch[warm:]; from+int(hop) <= len(ch); from += int(hop) {
				at := (on.From-c.In+int64(from))/hop + aroundFrames
				loud[at] += gain * k.Energy(ch[from:from+int(hop)]) / float64(hop)
			}
		}
		for at := (on.From-c.In)/hop + aroundFrames; at < (on.To-c.In)/hop+aroundFrames; at++ {
			loud[at] = max(0, channels*(loud[at]-gain*back.Loud))
		}
		samples += on.Len()
	}
	if s := float64(samples) / float64(rate); s < leastS {
		return nil, refuse.Errorf(
			"%s has %.1f s of words; %.1f s are needed to know its voice. Take a clip with more of it", c.Name, s, leastS,
		)
	}
	gain := level.Power(c.GainDB + t.GainDB)
	v.back = gain * back.Loud
	v.lufs = measure.IntegratedLUFS(analysis.Blocks(loud))
	for k := range v.bands {
		p := v.bands[k] / frames
		over := level.OfPower(p / max(gain*back.Bands[k], 1e-30))
		v.trust[k] = max(0, min(1, over/overRoomDB))
		v.bands[k] = max(p-gain*back.Bands[k], 0.02*p)
	}
	return v, nil
}
