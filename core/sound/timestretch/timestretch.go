// Package timestretch changes how long sound takes and keeps its pitch. So far: listening slower.
package timestretch

import (
	"fmt"
	"math"

	"blendseam/core/sound/pcm"
)

// MinSpeed is the lowest speed that Slower takes; its highest is 1.
const MinSpeed = 0.25

// Frames that are laid over one another, and how far each is moved to fit the one before. A frame is two hops long, so
// that Hann windows half over one another add up to 1; it holds at least one period of a voice of 50 Hz.
const (
	hopMS  = 10
	moveMS = 8
)

// Hop is the least length that goes out, in samples at a rate: Slower gives whole hops.
func Hop(rate int64) int64 { return rate * hopMS / 1000 }

// A Read gives [span.From, span.To) of a sound, also before its start and behind its end, where it is silent.
type Read func(span pcm.Span) (pcm.Block, error)

// Slower gives what begins at from so much slower as speed says (0.25 to 1), at the same pitch: hops times Hop(rate)
// samples, of channels at a rate. goesOn is the moment of the source that a listener expects next: from, where nothing
// was heard before; else what the call before gave, so that calls one after the other are one to the bit. It is an
// error if the speed is another, or the sound cannot be read.
//
// It is waveform-similarity overlap-add: frames are taken from the source a hop times speed apart, each moved by up to
// 8 ms to where it is most like what would have followed the frame before (W. Verhelst and M. Roelands, "An overlap-add
// technique based on waveform similarity (WSOLA) for high quality time-scale modification of speech", ICASSP 1993). All
// channels are moved together.
func Slower(read Read, from, goesOn, hops int64, speed float64, rate int64) (pcm.Block, int64, error) {
	if !(speed >= MinSpeed && speed <= 1) || hops < 1 || rate < 1000 {
		return nil, 0, fmt.Errorf("%g times as fast, %d hops at %d Hz: no way to listen", speed, hops, rate)
	}
	hop, move := Hop(rate), rate*moveMS/1000
	asked := func(k int64) int64 { return from + int64(math.Round(float64(k*hop)*speed)) }
	all := pcm.Span{From: min(goesOn, from-move), To: max(goesOn, asked(hops-1)+move) + 2*hop}
	in, err := read(all)
	if err != nil {
		return nil, 0, err
	}
	mono := make([]float64, all.Len())
	for _, ch := range in {
		for i, v := range ch {
			mono[i] += v
		}
	}
	window := make([]float64, hop) // the rising half
	for i := range window {
		s := math.Sin(math.Pi / 2 * (float64(i) + 0.5) / float64(hop))
		window[i] = s * s
	}
	out := pcm.NewBlock(len(in), hops*hop)
	for k := range hops {
		at := asked(k)
		if k > 0 || goesOn != from { // as the sound begins it follows nothing
			at = likest(mono, goesOn-all.From, at-all.From, hop, move) + all.From
		}
		for c, ch := range in {
			old, now, o := ch[goesOn-all.From:], ch[at-all.From:], out[c][k*hop:]
			for i, w := range window {
				o[i] = (1-w)*old[i] + w*now[i]
			}
		}
		goesOn = at + hop
	}
	return out, goesOn, nil
}

// likest is the place up to move from about at which a sound is most like itself at a place, over a hop, by the
// normalised correlation: searched in steps of 4 samples, then of 1.
func likest(v []float64, place, about, hop, move int64) int64 {
	model := v[place : place+hop]
	best, most := about, math.Inf(-1)
	try := func(at, step int64) {
		var cross, power float64
		x := v[at : at+hop]
		for i := int64(0); i < hop; i += step {
			cross += model[i] * x[i]
			power += x[i] * x[i]
		}
		if r := cross / math.Sqrt(power+1e-12); r > most {
			best, most = at, r
		}
	}
	try(about, 4) // where nothing is more like it than anything else, it stays
	for at := about - move; at <= about+move; at += 4 {
		try(at, 4)
	}
	middle := best
	most = math.Inf(-1)
	try(middle, 1)
	for at := max(about-move, middle-3); at <= min(about+move, middle+3); at++ {
		try(at, 1)
	}
	return best
}
