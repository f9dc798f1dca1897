package eartest

import (
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/roomtest"
)

// Rate is the sample rate of all that is made, in Hz, and Hop the samples of a frame of 10 ms.
const (
	Rate = 48000
	Hop  = Rate / 100
)

// A Recording is a voice in a room.
type Recording struct {
	About   string
	Sound   []float64
	Voice   []float64 // without the room's noise, with its reverberation
	Spoken  []bool    // of each frame: the dry voice is within spokenDB of its usual level, and not lost in the noise
	Silent  []bool    // nothing of the voice is left over the noise, nor near it in time
	Fluent  bool
	NoiseDB float64 // level of the room's noise above 30 Hz, dBFS
	Noise   []float64
	Begin   int64   // the first sample at which the voice is at all there
	Phrases []Span  // of the dry voice
	OverDB  float64 // voice over noise
	DecayS  float64 // reverberation time
}

// A Span is a stretch of samples.
type Span = pcm.Span

// A Wish says what a recording should be like.
type Wish struct {
	Fluent  bool
	OverDB  float64
	DecayS  float64
	Seconds float64
	Gain    float64 // of the whole, dB
}

// Draw draws a wish: half of them fluent, 5 to 35 dB over the room, reverberation of 0 to 0.8 s.
func Draw(r *rand.Rand) Wish {
	w := Wish{Fluent: r.IntN(2) == 0, OverDB: 5 + 30*r.Float64(), DecayS: 0.8 * r.Float64(), Seconds: 12 + 12*r.Float64()}
	if r.IntN(4) == 0 {
		w.DecayS = 0
	}
	w.Gain = -20 * r.Float64()
	return w
}

const (
	spokenDB   = 25.0 // under the voice's usual level
	closureMS  = 60   // what is shorter between two spoken frames is spoken too
	besideMS   = 60   // what lies so near to a spoken frame is neither spoken nor silent
	levelDBFS  = -18.0
	leastWordS = 0.15
	cleanDB    = 50.0 // that a recording has between its loudest and its softest 10 ms
)

// New makes a recording of a speaker.
func New(r *rand.Rand, s Speaker, w Wish) *Recording {
	n := int(w.Seconds * Rate)
	dry := make([]float64, n)
	out := &Recording{Fluent: w.Fluent, OverDB: w.OverDB, DecayS: w.DecayS, About: s.Name}
	at := int(Rate * (0.3 + r.Float64()))
	if w.Fluent {
		at = r.IntN(Rate / 4)
	}
	for at < n {
		v := phrase(r, s)
		if at+len(v) > n-Rate/4 {
			if w.Fluent && at < n { // it stops with the recording
				v = v[:min(len(v), n-at)]
			} else {
				break
			}
		}
		copy(dry[at:], v)
		out.Phrases = append(out.Phrases, Span{From: int64(at), To: int64(at + len(v))})
		at += len(v)
		if w.Fluent {
			at += r.IntN(Rate / 25)
		} else {
			at += int(Rate * (0.35 + 1.2*r.Float64()))
		}
	}
	out.Spoken = spoken(dry)
	out.Voice = reverberated(r, dry, w.DecayS)
	rooms := roomtest.All()
	kind := rooms[r.IntN(len(rooms))]
	out.About += ", " + kind.Name
	noise := kind.Sound(int64(n), Rate, 1, r.Uint64())[0]
	usual := usualDB(out.Voice, out.Spoken)
	gain := level.Amplitude(usual - w.OverDB - db(noise))
	for i := range noise {
		noise[i] *= gain
	}
	all := level.Amplitude(levelDBFS - usual + w.Gain)
	out.Sound = make([]float64, n)
	for i := range noise {
		noise[i], out.Voice[i] = all*noise[i], all*out.Voice[i]
		out.Sound[i] = noise[i] + out.Voice[i]
	}
	out.Noise = noise
	out.drown()
	out.NoiseDB = tone.LevelDB(pcm.Block{noise}, Rate)
	out.Silent = out.silent()
	return out
}

// phrase is one of a speaker's recordings, with edges that do not click.
func phrase(r *rand.Rand, s Speaker) []float64 {
	out := slices.Clone(s.phrases[r.IntN(len(s.phrases))])
	const edge = Rate / 500
	for i := range min(edge, len(out)/2) {
		out[i] *= float64(i) / edge
		out[len(out)-1-i] *= float64(i) / edge
	}
	return out
}

// trimmed is a recording from its first to its last sound, at one level; nil for one that is no use: too short, or with
// noise of its own, which would be taken for a voice.
func trimmed(v []float64) []float64 {
	levels := frames(v)
	if len(levels) < 10 {
		return nil
	}
	top := measure.Percentile(levels, 0.95)
	if slices.Min(levels) > top-cleanDB {
		return nil
	}
	first, last := -1, 0
	for i, l := range levels {
		if l > top-35 {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	v = v[first*Hop : min(len(v), (last+1)*Hop)]
	if len(v) < int(leastWordS*Rate) || top < -60 {
		return nil
	}
	out, gain := make([]float64, len(v)), level.Amplitude(levelDBFS-top)
	for i, x := range v {
		out[i] = gain * x
	}
	return out
}

// frames are the levels of 10 ms each.
func frames(v []float64) (list []float64) {
	for at := 0; at+Hop <= len(v); at += Hop {
		list = append(list, db(v[at:at+Hop]))
	}
	return list
}

func db(v []float64) float64 { return measure.RMSDB(pcm.Block{v}) }

func spoken(dry []float64) []bool {
	levels := frames(dry)
	var loud []float64
	for _, l := range levels {
		if l > -70 {
			loud = append(loud, l)
		}
	}
	out := make([]bool, len(levels))
	if len(loud) == 0 {
		return out
	}
	usual, last := measure.Percentile(loud, 0.8), -1000
	for i, l := range levels {
		if l < usual-spokenDB {
			continue
		}
		if (i-last)*10 <= closureMS {
			for k := last; k < i; k++ {
				out[k] = true
			}
		}
		out[i], last = true, i
	}
	return out
}

// usualDB is the level of a voice in its spoken frames.
func usualDB(v []float64, spoken []bool) float64 {
	sum, n := 0.0, 0.0
	for i, is := range spoken {
		if is {
			sum, n = sum+level.Power(db(v[i*Hop:(i+1)*Hop])), n+1
		}
	}
	return level.OfPower(sum / max(1, n))
}

// drown takes those frames out of what is spoken in which the voice with its reverberation lies under the noise in all
// third-octaves from 200 Hz to 8 kHz.
func (r *Recording) drown() {
	b := measure.GetBands(Rate, Rate/100, 200, 8000)
	defer b.Done()
	n := b.Window()
	floor := make([]float64, len(b.Centres))
	windows := 0.0
	for at := 0; at+n <= len(r.Noise); at += 5 * n {
		for i, p := range b.Powers(nil, r.Noise[at:at+n]) {
			floor[i] += p
		}
		windows++
	}
	var powers []float64
	for k, is := range r.Spoken {
		at := min(k*Hop, len(r.Voice)-n)
		if !is {
			continue
		}
		r.Spoken[k] = false
		powers = b.Powers(powers[:0], r.Voice[at:at+n])
		for i, p := range powers {
			if p > floor[i]/windows {
				r.Spoken[k] = true
			}
		}
	}
}

// silent are the frames in which the voice lies 10 dB under the noise, and in all besideMS around them.
func (r *Recording) silent() []bool {
	voice := frames(r.Voice)
	out, beside := make([]bool, len(voice)), besideMS/10
	for i := range out {
		out[i] = true
		for k := max(0, i-beside); k < min(len(out), i+beside+1); k++ {
			if r.Spoken[k] || voice[k] > r.NoiseDB-10 {
				out[i] = false
			}
		}
	}
	return out
}

// reverberated is a dry voice in a room of a reverberation time: itself, and noise that dies away, 20 ms later on; the
// longer the room answers, the more of it.
func reverberated(r *rand.Rand, dry []float64, seconds float64) []float64 {
	if seconds < 0.05 {
		return append([]float64(nil), dry...)
	}
	n := 1
	for n < len(dry)+int(seconds*Rate) {
		n *= 2
	}
	answer := make([]float64, n)
	energy, late := 0.0, Rate/200
	for i := late; i < int(seconds*Rate); i++ {
		answer[i] = r.NormFloat64() * math.Pow(10, -3*float64(i)/(seconds*Rate))
		energy += answer[i] * answer[i]
	}
	share := level.Amplitude(-12+12*seconds/0.8) / math.Sqrt(energy) // against the direct sound
	for i := range answer {
		answer[i] *= share
	}
	answer[0] = 1
	fft := fourier.NewFFT(n)
	a := fft.Coefficients(nil, answer)
	b := fft.Coefficients(nil, append(append([]float64(nil), dry...), make([]float64, n-len(dry))...))
	for i := range a {
		a[i] *= b[i]
	}
	v := fft.Sequence(nil, a)[:len(dry)]
	for i := range v {
		v[i] /= float64(n)
	}
	return v
}

// Heard compares what was heard with what is there: the share of the spoken frames that lie in words, how many of the
// silent ones do, and how many silent ones there are.
func (r *Recording) Heard(h speech.Heard) (said, silent, quiet float64) {
	spoken := 0.0
	for i := range r.Spoken {
		_, in := h.WordAt(int64(i)*Hop + Hop/2)
		switch {
		case r.Spoken[i]:
			spoken++
			if in {
				said++
			}
		case r.Silent[i]:
			quiet++
			if in {
				silent++
			}
		}
	}
	return said / max(1, spoken), silent, quiet
}
