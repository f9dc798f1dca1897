package measure

import (
	"math"
	"slices"
	"sync"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/simd"
)

// A biquad is one second-order section in transposed direct form II, a0 = 1.
type biquad struct{ b0, b1, b2, a1, a2 float64 }

// kWeighting gives the two sections of the K-weighting filter of ITU-R BS.1770-4 (Annex 1, tables 1 and
// 2) for any sample rate: the analogue prototypes behind the tables, transformed bilinearly. At
// 48000 Hz they give the tables' own coefficients.
func kWeighting(rate int) [2]biquad {
	fs := float64(rate)
	k := math.Tan(math.Pi * 1681.974450955533 / fs)
	q := 0.7071752369554196
	vh := math.Pow(10, 3.999843853973347/20)
	vb := math.Pow(vh, 0.4996667741545416)
	a0 := 1 + k/q + k*k
	shelf := biquad{
		(vh + vb*k/q + k*k) / a0,
		2 * (k*k - vh) / a0,
		(vh - vb*k/q + k*k) / a0,
		2 * (k*k - 1) / a0,
		(1 - k/q + k*k) / a0,
	}
	k = math.Tan(math.Pi * 38.13547087602444 / fs)
	q = 0.5003270373238773
	a0 = 1 + k/q + k*k
	high := biquad{1, -2, 1, 2 * (k*k - 1) / a0, (1 - k/q + k*k) / a0}
	return [2]biquad{shelf, high}
}

// A KFilter weighs a stream of one channel as ITU-R BS.1770-4 does before it measures loudness.
type KFilter struct {
	filter [2]biquad
	state  [4]float64
}

// NewKFilter is for rate samples a second.
func NewKFilter(rate int) *KFilter { return &KFilter{filter: kWeighting(rate)} }

// Energy is the sum of squares of the next samples, weighted.
func (k *KFilter) Energy(samples []float64) float64 {
	f, g := k.filter[0], k.filter[1]
	s0, s1, s2, s3 := k.state[0], k.state[1], k.state[2], k.state[3]
	sum := 0.0
	for _, x := range samples {
		y := f.b0*x + s0
		s0 = f.b1*x - f.a1*y + s1
		s1 = f.b2*x - f.a2*y
		z := y + s2
		s2 = -2*y - g.a1*z + s3
		s3 = y - g.a2*z
		sum += z * z
	}
	k.state = [4]float64{s0, s1, s2, s3}
	return sum
}

// IntegratedLUFS is the loudness of blocks of 400 ms, each the sum over the channels of the mean square of K-weighted
// samples, with both gates of ITU-R BS.1770-4; level.Silence where no block passes them.
func IntegratedLUFS(blocks []float64) float64 { return lufs(gated(blocks, -10)) }

// energies is Energy of two streams at once, which takes hardly longer than one: neither waits for the other.
func energies(one, two *KFilter, x, y []float64) (a, b float64) {
	f, g := one.filter[0], one.filter[1]
	s0, s1, s2, s3 := one.state[0], one.state[1], one.state[2], one.state[3]
	t0, t1, t2, t3 := two.state[0], two.state[1], two.state[2], two.state[3]
	y = y[:len(x)]
	for i, v := range x {
		w := y[i]
		p, q := f.b0*v+s0, f.b0*w+t0
		s0, t0 = f.b1*v-f.a1*p+s1, f.b1*w-f.a1*q+t1
		s1, t1 = f.b2*v-f.a2*p, f.b2*w-f.a2*q
		r, z := p+s2, q+t2
		s2, t2 = -2*p-g.a1*r+s3, -2*q-g.a1*z+t3
		s3, t3 = p-g.a2*r, q-g.a2*z
		a, b = a+r*r, b+z*z
	}
	one.state, two.state = [4]float64{s0, s1, s2, s3}, [4]float64{t0, t1, t2, t3}
	return a, b
}

// A LoudnessMeter measures a stream of sound.
type LoudnessMeter struct {
	step     int // samples of a tenth of a second
	filled   int
	channels []channelMeter
}

// A channelMeter adds up the energy of each tenth of a second of one channel, and finds its peaks.
type channelMeter struct {
	filter *KFilter
	sum    float64
	energy []float64 // mean square of each full step
	top    float64
	peak   TruePeak
}

// NewLoudnessMeter measures channels of rate samples a second. All channels weigh the same, which is
// right for mono and stereo.
func NewLoudnessMeter(rate, channels int) *LoudnessMeter {
	m := &LoudnessMeter{step: (rate + 5) / 10, channels: make([]channelMeter, channels)}
	for c := range m.channels {
		m.channels[c].filter = NewKFilter(rate)
		m.channels[c].peak.Add(make([]float64, ahead))
	}
	return m
}

// manySamples is from how many samples on a block is worth being measured by several threads.
const manySamples = 1 << 14

// Add takes the next block of all channels. The loudness of all channels and the peaks of each are measured in
// parallel.
func (m *LoudnessMeter) Add(b pcm.Block) {
	var group sync.WaitGroup
	do := func(work func()) { work() }
	if b.Len() >= manySamples {
		do = group.Go
	}
	for c := range b {
		do(func() {
			m.channels[c].top = max(m.channels[c].top, simd.Peak(b[c]))
			m.channels[c].peak.Add(b[c])
		})
	}
	m.weigh(b)
	group.Wait()
}

// weigh adds up the energies.
func (m *LoudnessMeter) weigh(b pcm.Block) {
	for from := 0; from < int(b.Len()); {
		n := min(int(b.Len())-from, m.step-m.filled)
		for c := 0; c < len(b); c += 2 {
			one := &m.channels[c]
			if c+1 == len(b) {
				one.sum += one.filter.Energy(b[c][from : from+n])
				break
			}
			two := &m.channels[c+1]
			x, y := energies(one.filter, two.filter, b[c][from:from+n], b[c+1][from:from+n])
			one.sum, two.sum = one.sum+x, two.sum+y
		}
		m.filled += n
		from += n
		if m.filled < m.step {
			continue
		}
		for c := range m.channels {
			m.channels[c].energy = append(m.channels[c].energy, m.channels[c].sum/float64(m.step))
			m.channels[c].sum = 0
		}
		m.filled = 0
	}
}

// Loudness is what a programme measures. Figures that the sound is too short or too quiet for are level.Silence,
// the range then 0.
type Loudness struct {
	IntegratedLUFS   float64 `json:"integrated_lufs"`
	RangeLU          float64 `json:"range_lu"`
	MomentaryMaxLUFS float64 `json:"momentary_max_lufs"`
	ShortTermMaxLUFS float64 `json:"short_term_max_lufs"`
	SamplePeakDBFS   float64 `json:"sample_peak_dbfs"`
	TruePeakDBTP     float64 `json:"true_peak_dbtp"`
}

// Result gives the figures of all that was added: integrated loudness with the gates of ITU-R BS.1770-4
// (400 ms blocks overlapping by 75 %, -70 LUFS absolute, -10 LU relative); momentary (400 ms) and
// short-term (3 s) maxima of EBU Tech 3341; the range of EBU Tech 3342 (3 s blocks each tenth of a second,
// -70 LUFS absolute, -20 LU relative, 10th to 95th percentile).
func (m *LoudnessMeter) Result() Loudness {
	momentary, short := m.windows(4), m.windows(30)
	r := Loudness{
		IntegratedLUFS:   lufs(gated(momentary, -10)),
		MomentaryMaxLUFS: lufs(largest(momentary)),
		ShortTermMaxLUFS: lufs(largest(short)),
	}
	if above := overGate(short, -20); len(above) > 0 {
		r.RangeLU = lufs(Percentile(above, 0.95)) - lufs(Percentile(above, 0.10))
	}
	var top, truePeak float64
	for c := range m.channels {
		top = max(top, m.channels[c].top)
		truePeak = max(truePeak, m.channels[c].peak.Peak())
	}
	r.SamplePeakDBFS, r.TruePeakDBTP = level.DB(top), level.DB(truePeak)
	return r
}

// windows gives the mean energy, summed over channels, of every run of n tenths of a second.
func (m *LoudnessMeter) windows(n int) []float64 {
	var w []float64
	steps := len(m.channels[0].energy)
	for i := 0; i+n <= steps; i++ {
		var sum float64
		for c := range m.channels {
			for _, e := range m.channels[c].energy[i : i+n] {
				sum += e
			}
		}
		w = append(w, sum/float64(n))
	}
	return w
}

func lufs(energy float64) float64 { return max(level.Silence, -0.691+level.OfPower(energy)) }

const absoluteGateLUFS = -70

// overGate gives the energies above the absolute gate and, of these, above the mean plus relative LU.
func overGate(energies []float64, relative float64) []float64 {
	above := slices.DeleteFunc(slices.Clone(energies), func(e float64) bool { return lufs(e) <= absoluteGateLUFS })
	gate := lufs(mean(above)) + relative
	return slices.DeleteFunc(above, func(e float64) bool { return lufs(e) <= gate })
}

func gated(energies []float64, relative float64) float64 { return mean(overGate(energies, relative)) }

func mean(v []float64) float64 {
	var sum float64
	for _, x := range v {
		sum += x
	}
	return sum / float64(max(1, len(v)))
}

func largest(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	return slices.Max(v)
}

// LoudnessOf measures a block in memory.
func LoudnessOf(b pcm.Block, rate int) Loudness {
	m := NewLoudnessMeter(rate, len(b))
	m.Add(b)
	return m.Result()
}
