package tone

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Partial is a steady sine in a background: mains hum and its multiples, a fan, a fridge.
type Partial struct {
	Hz      float64 `json:"hz"`
	LevelDB float64 `json:"level_db"` // RMS, dBFS
	Above   float64 `json:"above_db"` // over the noise beside it in one resolution of the look, dB
}

// A partial is a sine in every channel: cos and sin parts at the first sample of its sound.
type partial struct {
	turn     float64 // cycles a sample
	cos, sin []float64
	gain     float64
}

// Hum is looked for in this range, Hz, and taken for one where it stands so far, in dB, over the median of what lies
// beside it.
const (
	humLow   = 30.0
	humHigh  = 2500.0
	humAbove = 15.0
	humMost  = 16
)

// findPartials finds the steady sines of a sound, the strongest first, and takes them off it. A sine is steady if both
// halves of the sound hold it at one level and in one phase.
func findPartials(b pcm.Block, rate int) (list []partial, above []float64) {
	n := int(b.Len())
	if n < rate/10 {
		return nil, nil
	}
	size := 1
	for size < 2*n {
		size *= 2
	}
	fft := fourier.NewFFT(size)
	power := make([]float64, size/2+1)
	x, out := make([]float64, size), make([]complex128, size/2+1)
	for _, ch := range b {
		clear(x)
		for i, v := range ch {
			x[i] = v * (0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n)))
		}
		for k, c := range fft.Coefficients(out, x) {
			power[k] += real(c)*real(c) + imag(c)*imag(c)
		}
	}
	bin := float64(rate) / float64(size)
	wide := max(4, int(4*float64(size)/float64(n))) // bins of the main lobe
	beside := max(4*wide, int(40/bin))
	type peak struct {
		k     int
		above float64
	}
	var peaks []peak
	median := make([]float64, 0, 2*beside)
	for k := max(wide, int(humLow/bin)); k < min(len(power)-wide, int(humHigh/bin)); k++ {
		if power[k] < power[k-1] || power[k] < power[k+1] {
			continue
		}
		median = median[:0]
		least, under := power[k]/level.Power(humAbove)*1.001, 0
		for o := wide; o <= beside; o++ {
			if k-o > 0 {
				median = append(median, power[k-o])
			}
			if k+o < len(power) {
				median = append(median, power[k+o])
			}
		}
		for _, p := range median {
			if p < least {
				under++
			}
		}
		if under <= len(median)/2 {
			continue // the median is no lower than that: most peaks are told so, without sorting
		}
		slices.Sort(median)
		if a := level.OfPower((power[k] + 1e-30) / (median[len(median)/2] + 1e-30)); a > humAbove {
			peaks = append(peaks, peak{k, a})
		}
	}
	slices.SortFunc(peaks, func(a, b peak) int { return cmp.Compare(power[b.k], power[a.k]) })
	var taken []int
	for _, p := range peaks {
		if len(list) == humMost {
			break
		}
		if slices.ContainsFunc(taken, func(k int) bool { return max(k-p.k, p.k-k) < 2*wide }) {
			continue
		}
		taken = append(taken, p.k)
		if one, ok := steady(b, parabola(power, p.k)*bin/float64(rate)); ok {
			list, above = append(list, one), append(above, p.above)
		}
	}
	for range 2 { // what the others leave of each
		for i := range list {
			list[i].put(b, 1)
			list[i] = fitted(b, list[i].turn)
			list[i].put(b, -1)
		}
	}
	return list, above
}

// parabola is where the top of a peak lies between its bins.
func parabola(p []float64, k int) float64 {
	a, m, z := math.Log(p[k-1]+1e-30), math.Log(p[k]+1e-30), math.Log(p[k+1]+1e-30)
	if d := a - 2*m + z; d < 0 {
		return float64(k) + 0.5*(a-z)/d
	}
	return float64(k)
}

// steady fits a sine near a frequency, and takes it off the sound if it is one that goes on.
func steady(b pcm.Block, turn float64) (partial, bool) {
	n := b.Len()
	for range 3 { // the turn from the first half to the second says how far off the frequency is
		one, two := fitted(b.Slice(0, n/2), turn), fitted(b.Slice(n/2, n), turn)
		sum := complex(0, 0)
		for c := range b {
			sum += complex(two.cos[c], -two.sin[c]) * complex(one.cos[c], one.sin[c])
		}
		turned := math.Atan2(imag(sum), real(sum))/(2*math.Pi) - turn*float64(n/2)
		turned -= math.Round(turned)
		if math.Abs(turned) > 0.3 {
			return partial{}, false
		}
		turn += turned / float64(n-n/2)
	}
	one, two, all := fitted(b.Slice(0, n/2), turn), fitted(b.Slice(n/2, n), turn), fitted(b, turn)
	if d := level.OfPower(one.power() / two.power()); math.Abs(d) > 4 || turn <= 0 {
		return partial{}, false
	}
	all.put(b, -1)
	return all, true
}

// power is the mean square, summed over the channels.
func (p partial) power() float64 {
	sum := 1e-30
	for c := range p.cos {
		sum += (p.cos[c]*p.cos[c] + p.sin[c]*p.sin[c]) / 2
	}
	return sum
}

// fitted is the sine of a frequency that comes nearest to a sound: least squares with cosine and sine.
func fitted(b pcm.Block, turn float64) partial {
	p := partial{turn: turn, gain: 1}
	var cc, ss, cs float64
	type sums struct{ xc, xs float64 }
	x := make([]sums, len(b))
	pointer(turn, 0, b.Len(), func(i int64, c, s float64) {
		cc, ss, cs = cc+c*c, ss+s*s, cs+c*s
		for ch := range b {
			x[ch].xc += b[ch][i] * c
			x[ch].xs += b[ch][i] * s
		}
	})
	det := cc*ss - cs*cs
	if det == 0 {
		det = 1
	}
	for _, v := range x {
		p.cos = append(p.cos, (v.xc*ss-v.xs*cs)/det)
		p.sin = append(p.sin, (v.xs*cc-v.xc*cs)/det)
	}
	return p
}

// put adds the sine, times by, to the sound that it was fitted to.
func (p partial) put(b pcm.Block, by float64) {
	pointer(p.turn, 0, b.Len(), func(i int64, c, s float64) {
		for ch := range b {
			b[ch][i] += by * (p.cos[ch]*c + p.sin[ch]*s)
		}
	})
}

// add adds a cell of the sine to dst, which lies in span, a quarter turn ahead. origin is the moment of its first
// sample.
func (p partial) add(dst pcm.Block, span pcm.Span, from, to, origin int64, weight float64) {
	over := pcm.Span{From: from, To: to}.Intersect(span)
	pointer(p.turn, from-origin, to-from, func(i int64, c, s float64) {
		at := from + i
		if at < over.From || at >= over.To {
			return
		}
		for ch := range dst {
			dst[ch][at-span.From] += p.gain * weight * (p.sin[ch]*c - p.cos[ch]*s)
		}
	})
}

// pointer gives cosine and sine of a turning pointer for n samples from one on. It is set anew every so often, so that
// it stays exact.
func pointer(turn float64, from, n int64, do func(i int64, cos, sin float64)) {
	ds, dc := math.Sincos(2 * math.Pi * turn)
	var c, s float64
	for i := range n {
		if i%cell == 0 {
			cycles := turn * float64(from+i)
			s, c = math.Sincos(2 * math.Pi * (cycles - math.Floor(cycles)))
		}
		do(i, c, s)
		c, s = c*dc-s*ds, s*dc+c*ds
	}
}

// hums gives the steady partials of a sound, the strongest first.
func hums(b pcm.Block, rate int) (list []Partial) {
	own := make(pcm.Block, len(b))
	for c := range b {
		own[c] = slices.Clone(b[c])
	}
	found, above := findPartials(own, rate)
	for i, p := range found {
		list = append(
			list,
			Partial{Hz: p.turn * float64(rate), LevelDB: level.OfPower(p.power() / float64(len(b))), Above: above[i]},
		)
	}
	return list
}
