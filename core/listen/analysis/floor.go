package analysis

import (
	"math"
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Floor is the background of a whole recording: what is heard where nothing stands out of it, in pauses, and in the
// dips between and within words where there are none.
type Floor struct {
	DB      float64        `json:"db"`      // level above 30 Hz, dBFS
	SureDB  float64        `json:"sure_db"` // by how much it may be off, dB
	Seconds float64        `json:"seconds"` // of it that were heard
	Bands   [Bands]float64 `json:"bands"`   // powers
	Loud    float64        `json:"loud"`    // K-weighted power
}

// UnsureDB is from how much on a background is too uncertain to act on, in dB.
const UnsureDB = 3.0

// Sure tells whether the background is known well enough to judge and to act by.
func (f Floor) Sure() bool { return f.Seconds > 0 && f.SureDB <= UnsureDB }

// levelsPerDB is how finely levels are counted.
const levelsPerDB = 4

// A floorer counts frames of background.
type floorer struct {
	bands  [Bands]float64
	loud   float64
	power  float64
	levels [int(-level.Silence)*levelsPerDB + 1]int32
	frames int32
	others float64 // power of all other frames, and their number
	busy   int32
}

func (l *floorer) add(f Frames, i int) {
	for b, p := range f.Of(i) {
		l.bands[b] += float64(p)
	}
	l.power, l.loud = l.power+float64(f.Level[i]), l.loud+float64(f.Loud[i])
	at := int((level.OfPower(float64(f.Level[i])) - level.Silence) * levelsPerDB)
	l.levels[max(0, min(at, len(l.levels)-1))]++
	l.frames++
}

func (l *floorer) addOther(f Frames, i int) {
	l.others, l.busy = l.others+float64(f.Level[i]), l.busy+1
}

// quantile is the level that a share of the frames stays under.
func (l *floorer) quantile(share float64) float64 {
	left := int32(share * float64(l.frames))
	for i, n := range l.levels {
		if left -= n; left < 0 {
			return level.Silence + (float64(i)+0.5)/levelsPerDB
		}
	}
	return 0
}

// What tells a background from words that were taken for one: the levels of 20 ms of a background spread evenly around
// their median, its lower tenth no more than mostSpreadDB below. Where they spread more, the lower tenth tells, which
// lies usualSpreadDB under the mean power of most rooms.
const (
	mostSpreadDB  = 3.8
	usualSpreadDB = 2.2
	ofTenth       = 1.2816 // standard deviations from the median of a normal variable to its tenth
	ofQuarter     = 0.6745 // and to its quarter
	// The mean of the powers lies over the median by so many times the variance of their levels in dB, if those are
	// normal: ln(10)/20.
	meanOverMedian = 0.1151
)

// farOverDB is how far words may stand over dips, dB, for those to be deep enough to reach the background.
const farOverDB = 24.0

// floor is the background of what was counted; pauses says whether any real pause was among it.
func (l *floorer) floor(pauses bool) Floor {
	if l.frames == 0 {
		return Floor{DB: level.Silence, SureDB: -level.Silence}
	}
	f := Floor{Seconds: float64(l.frames) * HopMS / 1000}
	tenth, quarter, median, upper := l.quantile(0.1), l.quantile(0.25), l.quantile(0.5), l.quantile(0.9)
	if median-tenth > mostSpreadDB {
		f.DB, f.SureDB = tenth+usualSpreadDB, UnsureDB+1
	} else {
		low := quarter + ofQuarter*(quarter-tenth)/(ofTenth-ofQuarter)
		f.DB = min(median, low+0.3)
		sd := (f.DB - tenth) / ofTenth
		f.DB += meanOverMedian * sd * sd
		f.SureDB = 0.5 + 0.4/math.Sqrt(f.Seconds) + max(0, (upper-median)-(median-tenth)-1)
	}
	words := level.OfPower(l.others / float64(max(1, l.busy)))
	if !pauses && l.busy > 0 && words-f.DB > farOverDB {
		f.SureDB = max(f.SureDB, UnsureDB+1)
	}
	gain := level.Power(f.DB) / (l.power/float64(l.frames) + 1e-30) // to what is background of it
	for b, p := range l.bands {
		f.Bands[b] = min(1, gain) * p / float64(l.frames)
	}
	f.Loud = min(1, gain) * l.loud / float64(l.frames)
	return f
}

// What stands overDB over a recording's floor, or a third-octave of it by bandOverDB, is no room but another sound,
// such as a line-up tone, a passing car or music; unless it stays, as a room does after rain has begun: it is heard in
// roomPauses pauses of their own or more, or for roomS in all, as loud within roomLikeDB, and lines have less than
// mostLines of its power. What has toneShare of its power in one third-octave from toneHz on is a tone.
const (
	overDB     = 5.0
	bandOverDB = 12.0
	roomPauses = 2
	roomS      = 3.0
	mostLines  = 0.5
	roomLikeDB = 3.0
	toneShare  = 0.9
	toneHz     = 300
	toneDB     = -65.0 // dBFS under which a tone is part of a room
)

// settle finds the floor of the whole recording, and takes out of its quiet stretches what is another sound.
func (a *Recording) settle(l *floorer, r pcm.ReaderAt) error {
	isTone := func(q tone.Quiet) bool { return q.LevelDB > toneDB && tonal(q.Thirds) }
	pauses := slices.ContainsFunc(a.Quiets, func(q tone.Quiet) bool { return !isTone(q) })
	a.Floor = l.floor(pauses)
	thirds := a.floorThirds(isTone)
	var room []tone.Quiet
	var others []speech.Part
	for _, q := range a.Quiets {
		other := isTone(q)
		if !other && a.Floor.Seconds > 0 && standsOver(q, a.Floor.DB, thirds) {
			n, long := a.pausesLike(q)
			if other = n < roomPauses && long < int64(roomS*float64(a.Rate)); !other {
				share, err := lines(pcm.Part{ReaderAt: r, Span: q.Span}, toneHz, true)
				if err != nil {
					return err
				}
				other = share > mostLines
			}
		}
		if !other {
			room = append(room, q)
			continue
		}
		others = append(others, speech.Part{Kind: speech.Other, Span: q.Span, PeakDB: q.LevelDB, Sure: sureRest})
	}
	if len(room) == 0 && len(a.Quiets) > 0 { // what seemed still is another sound
		a.Floor.SureDB = max(a.Floor.SureDB, UnsureDB+1)
	}
	a.Quiets = room
	a.Stretches = append(a.Stretches, others...)
	slices.SortStableFunc(a.Stretches, func(x, y speech.Part) int { return int(x.Span.From - y.Span.From) })
	return nil
}

// sureRest is how sure it is that a sound which stays as it is, is no room.
const sureRest = 0.8

func standsOver(q tone.Quiet, floorDB float64, thirds []float64) bool {
	if q.LevelDB > floorDB+overDB {
		return true
	}
	for i, db := range q.Thirds {
		if thirds != nil && i >= lowestThird && db > thirds[i]+bandOverDB && db > q.LevelDB-10 {
			return true
		}
	}
	return false
}

// lowestThird is the third-octave of a Quiet from which on one is looked at by itself: 100 Hz. Below it rooms rumble.
const lowestThird = -10 - recipe.BandLow

// floorThirds are the third-octaves of the quiet stretches that lie near the floor; nil if there are none.
func (a *Recording) floorThirds(isTone func(tone.Quiet) bool) []float64 {
	var near []tone.Quiet
	for _, q := range a.Quiets {
		if !isTone(q) && q.LevelDB < a.Floor.DB+overDB {
			near = append(near, q)
		}
	}
	slices.SortFunc(near, func(x, y tone.Quiet) int { return int(100 * (x.LevelDB - y.LevelDB)) })
	_, thirds := tone.Mean(near[:(len(near)+1)/2])
	return thirds
}

// pausesLike is in how many pauses between words a sound as loud as q and of its colour is heard, and for how long.
func (a *Recording) pausesLike(q tone.Quiet) (n int, long int64) {
	last := pcm.Span{From: -1, To: -1}
	for _, o := range a.Quiets {
		if math.Abs(o.LevelDB-q.LevelDB) > roomLikeDB || tone.ColourDB(o.Thirds, q.Thirds) > roomLikeDB {
			continue
		}
		between := pcm.Span{From: last.To, To: o.Span.From}
		spoken := slices.ContainsFunc(a.Within(between), func(p speech.Part) bool { return p.Kind == speech.Word })
		if last.From < 0 || spoken {
			n++
		}
		last, long = o.Span, long+o.Span.Len()
	}
	return n, long
}

// tonal tells whether one third-octave has nearly all of a sound's power.
func tonal(thirds []float64) bool {
	all, most, at := 0.0, 0.0, 0
	for i, db := range thirds {
		p := level.Power(db)
		if all += p; p > most {
			most, at = p, i
		}
	}
	_, high := ambience.Third(at + recipe.BandLow)
	return high > toneHz && most > toneShare*all
}

// changed is the floor with each band multiplied and added to; its level and loudness change as its bands do together.
func (f Floor) changed(gains, adds [Bands]float32) Floor {
	if f.Seconds == 0 {
		return f
	}
	was, is := 1e-30, 0.0
	for b, p := range f.Bands {
		was += p
		f.Bands[b] = p*float64(gains[b]) + float64(adds[b])
		is += f.Bands[b]
	}
	f.DB += level.OfPower(is / was)
	f.Loud *= is / was
	return f
}
