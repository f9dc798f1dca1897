// Package reverb hears how a room answers a voice, from how fast the voice dies away in each band, and says what answer
// of a room the words of a drier take lack. It reads analyses; core/sound/ambience makes the sound.
//
// A voice stops at once, a room does not: however the words are, it lets no band fall faster than it dies away itself.
// So the steepest falls of many tell how a room answers (J. Y. C. Wen, E. A. P. Habets, P. A. Naylor, "Blind estimation
// of reverberation time based on the distribution of signal decay rates", ICASSP 2008; from memory).
package reverb

import (
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/hashnoise"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A voice is heard in these of an analysis's third-octaves: 250 Hz to 4 kHz.
const (
	lowThird  = -6 - ambience.ThirdLow
	highThird = 6 - ambience.ThirdLow
	bands     = highThird - lowThird + 1
)

// Falls are looked at over each of lags, in frames of 10 ms, where a band stands so many dB over its background that
// one by mostFallDB stays over it; what falls further counts as falling by that.
var lags = [...]int{4, 8, 16}

const (
	mostFallDB = 20
	overDB     = mostFallDB + 5
)

// Of all falls over a lag these shares are steeper than what a Profile says.
var shares = [...]float64{0.05, 0.1, 0.2, 0.35}

// leastFalls are the least over each lag, some seconds of words, that anything is said by.
const leastFalls = 2000

// A Voice is how loud a voice is in each band, every 10 ms.
type Voice struct {
	runs []run
	back [bands]float64 // power of the background
}

// A run is a stretch of it, band by band.
type run [bands][]float64

// A Profile is by how many dB a voice falls over each lag, at most but for each of shares.
type Profile [len(lags)][len(shares)]float64

// Analyze hears the voice in some spans of a recording.
func Analyze(a *analysis.Recording, spans []pcm.Span) (*Voice, error) {
	v := &Voice{}
	back, err := a.Background(spans...)
	if err != nil {
		return nil, err
	}
	copy(v.back[:], back.Bands[lowThird:])
	for _, s := range spans {
		f, err := a.Frames(s)
		if err != nil {
			return nil, err
		}
		var r run
		for b := range r {
			r[b] = make([]float64, f.Count)
		}
		for i := range f.Count {
			for b, p := range f.Of(i)[lowThird : highThird+1] {
				r[b][i] = max(0, float64(p)-v.back[b])
			}
		}
		v.runs = append(v.runs, r)
	}
	return v, nil
}

// cells is how finely falls are counted: in so many to a dB.
const cells = 4

// Profile tells how the voice dies away; ok is false where there is too little of it.
func (v *Voice) Profile() (p Profile, ok bool) {
	var counted [len(lags)][mostFallDB*cells + 1]int
	var all [len(lags)]int
	for _, r := range v.runs {
		for b, powers := range r {
			least := v.back[b] * level.Power(overDB)
			for i, from := range powers {
				if from < least || from == 0 {
					continue
				}
				for k, lag := range lags {
					if i+lag >= len(powers) {
						break
					}
					fall := max(0, min(mostFallDB, level.OfPower(from/(powers[i+lag]+from*1e-9))))
					counted[k][int(fall*cells)]++
					all[k]++
				}
			}
		}
	}
	for k := range lags {
		if all[k] < leastFalls {
			return p, false
		}
		for s, share := range shares {
			left := int(share * float64(all[k]))
			c := len(counted[k]) - 1
			for ; c > 0 && counted[k][c] <= left; c-- {
				left -= counted[k][c]
			}
			p[k][s] = (float64(c) + 1 - float64(left)/float64(max(1, counted[k][c]))) / cells
		}
	}
	return p, true
}

// DifferenceDB is by how many dB a voice falls further than another, on average; below 0 it does less far.
func (p Profile) DifferenceDB(o Profile) (db float64) {
	for k := range p {
		for s := range p[k] {
			db += p[k][s] - o[k][s]
		}
	}
	return db / float64(len(lags)*len(shares))
}

// off is how far two profiles lie apart: the mean square of all differences.
func (p Profile) off(o Profile) (sum float64) {
	for k := range p {
		for s := range p[k] {
			sum += (p[k][s] - o[k][s]) * (p[k][s] - o[k][s]) / float64(len(lags)*len(shares))
		}
	}
	return sum
}

// A voice is drier than another from leastDB on; what it is given must halve what lies between them.
const leastDB = 1.5

// What a voice is given dies away within these times, at these levels; it is looked for in steps of stepDB and a factor
// of stepS, and then in a third of them.
const (
	leastS, mostS, stepS         = 0.15, 1.0, 1.3
	leastLevelDB, mostDB, stepDB = -24.0, 3.0, 3.0
	finerS, finerDB, finerSteps  = 1.09, 1.0, 2
)

// Lacking is what answer of a room a voice lacks to die away as a profile says, and by how many dB it falls further
// before and after; ok is false where it lacks nothing that can be told, or nothing that is found helps. It is the best
// of many in which the powers of the voice are folded.
func (v *Voice) Lacking(wanted Profile) (d recipe.Decay, beforeDB, afterDB float64, ok bool) {
	own, ok := v.Profile()
	if beforeDB = own.DifferenceDB(wanted); !ok || beforeDB < leastDB {
		return d, beforeDB, beforeDB, false
	}
	least := own.off(wanted)
	swell := v.swells()
	try := func(s, db float64) {
		s, db = min(mostS, max(leastS, math.Round(100*s)/100)), min(mostDB, max(leastLevelDB, db))
		one := recipe.Decay{S: s, LevelDB: db}
		now, _ := v.with(one, swell).Profile()
		if off := now.off(wanted); off < least {
			least, d, afterDB = off, one, now.DifferenceDB(wanted)
		}
	}
	for s := leastS; s <= mostS; s *= stepS {
		for db := leastLevelDB; db <= mostDB; db += stepDB {
			try(s, db)
		}
	}
	if d.S == 0 {
		return d, beforeDB, beforeDB, false
	}
	near := d
	for k := -finerSteps; k <= finerSteps; k++ {
		for j := -finerSteps; j <= finerSteps; j++ {
			try(near.S*math.Pow(finerS, float64(k)), near.LevelDB+finerDB*float64(j))
		}
	}
	return d, beforeDB, afterDB, math.Abs(afterDB) < beforeDB/2
}

// swells are by how much the power of noise in each band swells and sinks from frame to frame, by chance, for each run:
// the mean of as many exponential chances as the band's width times the length of a frame. An answer is such noise, and
// so falls by more than it dies away.
func (v *Voice) swells() []run {
	all := make([]run, len(v.runs))
	for n := range all {
		for b := range all[n] {
			low, high := ambience.Third(b + lowThird + ambience.ThirdLow)
			count := max(1, int((high-low)*2*analysis.HopMS/1000))
			out := make([]float64, len(v.runs[n][b]))
			for i := range out {
				for k := range count {
					out[i] -= math.Log(hashnoise.Unit(hashnoise.Bits(uint64(b), uint64(i*count+k)))+1e-12) / float64(count)
				}
			}
			for i := len(out) - 1; i > 0; i-- { // frames lie over one another by half
				out[i] = (out[i] + out[i-1]) / 2
			}
			all[n][b] = out
		}
	}
	return all
}

// with is the voice with the answer of a room to it, which swells as it does.
func (v *Voice) with(d recipe.Decay, swell []run) *Voice {
	out := &Voice{back: v.back, runs: make([]run, len(v.runs))}
	stays := level.Power(-60 * analysis.HopMS / 1000.0 / d.S) // of the answer, after 10 ms
	size := level.Power(d.LevelDB) * (1 - stays)
	for n, r := range v.runs {
		for b, powers := range r {
			own, answer := make([]float64, len(powers)), 0.0
			for k, p := range powers {
				answer = answer*stays + p*size
				own[k] = p + answer*swell[n][b][k]
			}
			out.runs[n][b] = own
		}
	}
	return out
}
