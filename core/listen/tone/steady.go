package tone

import (
	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A room's low tones come and go, and grains of it come together as they happen to. Over a passage the tone is held to
// its line: its levels of steadyWindowMS lie there, as far as mostSteady dB allow.
const (
	steadyMS       = 50
	steadyWindowMS = 400
	steadyLongestS = 60 // of a passage; a longer one shows no single rise or fall
	mostSteady     = 3.0
)

// follow measures the passage as it is built and finds the gains that hold it to its line, its mean level staying as it
// is.
func (r *Reader) follow() {
	span := pcm.Span{From: r.recipe.From, To: r.recipe.To}
	hop := int64(r.rate) * steadyMS / 1000
	if span.Len() < 4*hop || span.Len() > steadyLongestS*int64(r.rate) {
		return
	}
	b := pcm.NewBlock(r.channels, span.Len())
	r.raw(b, span.From)
	n := int(span.Len() / hop)
	power := make([]float64, n) // of each hop
	for c := range b {
		own := speech.WithoutDrift(b[c], int64(r.rate))
		for i := range power {
			for _, v := range own[int64(i)*hop : int64(i+1)*hop] {
				power[i] += v * v / float64(hop) / float64(r.channels)
			}
		}
	}
	wide := min(n, steadyWindowMS/steadyMS)
	db := make([]float64, n+1) // at the borders of the hops
	for range 6 {
		off, mean := make([]float64, n-wide+1), 0.0
		for i := range off {
			sum := 1e-30
			for k := i; k < i+wide; k++ {
				g := (db[k] + db[k+1]) / 2
				sum += power[k] * level.Power(g) / float64(wide)
			}
			x := (float64(i) + float64(wide)/2) / float64(n)
			off[i] = level.OfPower(sum) - r.rise*x
			mean += off[i] / float64(len(off))
		}
		for k := range db { // by the mean of the windows around it
			sum, count := 0.0, 0.0
			for i := max(0, k-wide*3/4); i <= min(len(off)-1, k-wide/4); i++ {
				sum, count = sum+off[i]-mean, count+1
			}
			if count == 0 { // near an end: the window there
				sum, count = off[max(0, min(len(off)-1, k-wide/2))]-mean, 1
			}
			db[k] = max(-mostSteady, min(mostSteady, db[k]-sum/count))
		}
	}
	r.steady = db
}

// steadyGain is the gain at a moment; beyond the passage it goes back to 1 within as long as a window.
func (r *Reader) steadyGain(at int64) float64 {
	hop := float64(r.rate) * steadyMS / 1000
	x := float64(at-r.recipe.From) / hop
	last := float64(len(r.steady) - 1)
	const fall = steadyWindowMS / steadyMS
	switch {
	case x <= -fall || x >= last+fall:
		return 1
	case x < 0:
		return level.Amplitude(r.steady[0] * (1 + x/fall))
	case x >= last:
		return level.Amplitude(r.steady[len(r.steady)-1] * (1 - (x-last)/fall))
	}
	i := int(x)
	return level.Amplitude(r.steady[i] + (r.steady[i+1]-r.steady[i])*(x-float64(i)))
}
