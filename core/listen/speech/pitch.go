package speech

import (
	"math"

	"blendseam/core/sound/pcm"
)

// voiced is from the first to the last 30 ms of a span in which the sound repeats itself 70 to 400 times a second.
func voiced(mono []float64, span pcm.Span, rate int64) pcm.Span {
	window, step := rate*30/1000, rate/100
	last := (span.Len() - window) / step
	is := func(i int64) bool {
		at := span.From + i*step
		return pitched(mono[at:at+window], int(rate))
	}
	for i := int64(0); i <= last && span.Len() >= window; i++ {
		if !is(i) {
			continue
		}
		for last > i && !is(last) { // what lies between does not matter
			last--
		}
		return pcm.Span{From: span.From + i*step, To: span.From + last*step + window}
	}
	return pcm.Span{}
}

// pitched tells whether a sound repeats itself within 70 to 400 Hz: its autocorrelation there reaches half of its
// power.
func pitched(x []float64, rate int) bool {
	step := max(1, rate/8000) // 8 kHz are enough for a pitch
	y := make([]float64, len(x)/step)
	for i := range y {
		for k := range step {
			y[i] += x[i*step+k]
		}
	}
	energy := make([]float64, len(y)+1) // up to each sample
	for i, v := range y {
		energy[i+1] = energy[i] + v*v
	}
	n := len(y)
	for lag := rate / step / 400; lag <= rate/step/70 && lag < n*2/3; lag++ {
		sum := 0.0
		for i, v := range y[lag:] {
			sum += v * y[i]
		}
		if sum > 0 && sum > 0.55*math.Sqrt((energy[n]-energy[lag])*energy[n-lag]) {
			return true
		}
	}
	return false
}
