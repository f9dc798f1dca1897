// Package timecode converts between picture frames, sound samples and printed timecode.
//
// Frame rates are exact fractions; no conversion goes through a floating-point number.
// Nothing here knows of scenes or files.
package timecode

import (
	"encoding/json"
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

// A Rate is a number of picture frames a second, Num/Den, with or without drop-frame counting.
// Drop changes how frames are numbered in print, never how long they last.
type Rate struct {
	Num, Den int64
	Drop     bool
}

// The rates in use for sound with picture.
var (
	F23976 = Rate{24000, 1001, false}
	F24    = Rate{24, 1, false}
	F25    = Rate{25, 1, false}
	F2997  = Rate{30000, 1001, false}
	F2997D = Rate{30000, 1001, true}
	F30    = Rate{30, 1, false}
	F50    = Rate{50, 1, false}
	F5994  = Rate{60000, 1001, false}
	F5994D = Rate{60000, 1001, true}
	F60    = Rate{60, 1, false}
)

// Rates lists every rate that a scene may have, in rising order.
var Rates = []Rate{F23976, F24, F25, F2997, F2997D, F30, F50, F5994, F5994D, F60}

// FromFloat gives the rate of Rates nearest to fps, without drop-frame, where one lies within
// 0.005 frames a second; ok is false otherwise.
func FromFloat(fps float64) (r Rate, ok bool) {
	for _, r := range Rates {
		if d := r.Float() - fps; !r.Drop && d < 0.005 && d > -0.005 {
			return r, true
		}
	}
	return Rate{}, false
}

// ParseRate reads "24", "23.976", "29.97 drop", "30000/1001".
func ParseRate(s string) (Rate, error) {
	text, drop := strings.CutSuffix(strings.TrimSpace(s), "drop")
	text = strings.TrimSpace(text)
	var fps float64
	if n, d, fraction := strings.Cut(text, "/"); fraction {
		num, err1 := strconv.ParseInt(n, 10, 64)
		den, err2 := strconv.ParseInt(d, 10, 64)
		if err1 != nil || err2 != nil || den <= 0 {
			return Rate{}, fmt.Errorf("frame rate %q is not a fraction", s)
		}
		fps = float64(num) / float64(den)
	} else {
		var err error
		if fps, err = strconv.ParseFloat(text, 64); err != nil {
			return Rate{}, fmt.Errorf("frame rate %q is not a number", s)
		}
	}
	r, ok := FromFloat(fps)
	if !ok {
		return Rate{}, fmt.Errorf("frame rate %q is not one of 23.976, 24, 25, 29.97, 30, 50, 59.94, 60", s)
	}
	if drop && r.Den == 1 {
		return Rate{}, fmt.Errorf("frame rate %q: only 29.97 and 59.94 have drop-frame counting", s)
	}
	r.Drop = drop
	return r, nil
}

// Float is the rate as frames a second, for print and for foreign formats only.
func (r Rate) Float() float64 { return float64(r.Num) / float64(r.Den) }

// Nominal is the number of frames that the frames field of a timecode counts: 30 for 29.97.
func (r Rate) Nominal() int64 { return (r.Num + r.Den - 1) / r.Den }

// String gives "25", "23.976", "29.97 drop".
func (r Rate) String() string {
	s := strconv.FormatInt(r.Num/r.Den, 10)
	if r.Num%r.Den != 0 {
		s = strings.TrimRight(fmt.Sprintf("%.3f", r.Float()), "0")
	}
	if r.Drop {
		s += " drop"
	}
	return s
}

// MarshalJSON writes the rate as a string of the form "30000/1001 drop".
func (r Rate) MarshalJSON() ([]byte, error) {
	s := fmt.Sprintf("%d/%d", r.Num, r.Den)
	if r.Drop {
		s += " drop"
	}
	return json.Marshal(s)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (r *Rate) UnmarshalJSON(b []byte) error {
	var s string
	if err := json.Unmarshal(b, &s); err != nil {
		return err
	}
	parsed, err := ParseRate(s)
	*r = parsed
	return err
}

// SampleOf is the sample at which frame f starts: round(f * sampleRate * Den / Num), halves up.
func (r Rate) SampleOf(f, sampleRate int64) int64 {
	return floorDiv(2*f*sampleRate*r.Den+r.Num, 2*r.Num)
}

// FrameOf is the frame that sounds at a sample: the last one that starts at or before it.
func (r Rate) FrameOf(sample, sampleRate int64) int64 {
	f := floorDiv(sample*r.Num, sampleRate*r.Den)
	if r.SampleOf(f+1, sampleRate) <= sample {
		return f + 1
	}
	if r.SampleOf(f, sampleRate) > sample {
		return f - 1
	}
	return f
}

// Nearest is the frame whose start lies nearest to a sample, the later one of two equally near.
func (r Rate) Nearest(sample, sampleRate int64) int64 {
	f := r.FrameOf(sample, sampleRate)
	if sample-r.SampleOf(f, sampleRate) >= r.SampleOf(f+1, sampleRate)-sample {
		return f + 1
	}
	return f
}

// Frames is a length in samples as whole frames, to the nearest.
func (r Rate) Frames(samples, sampleRate int64) int64 {
	return floorDiv(2*samples*r.Num+sampleRate*r.Den, 2*sampleRate*r.Den)
}

// Units is a time in exact seconds in whole units of num/den a second: the nearest, halves up.
func Units(seconds *big.Rat, num, den int64) int64 {
	x := new(big.Rat).Mul(seconds, big.NewRat(num, den))
	x.Add(x, big.NewRat(1, 2))
	return new(big.Int).Div(x.Num(), x.Denom()).Int64()
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q
}

// dropped is how many frame numbers are left out at the start of each minute but every tenth:
// 2 at 29.97, 4 at 59.94 (SMPTE ST 12-1:2014, 5.2.2).
func (r Rate) dropped() int64 {
	if !r.Drop {
		return 0
	}
	return r.Nominal() / 15
}

// Format prints a frame count as hh:mm:ss:ff, with a semicolon before the frames when drop-frame.
// Counts wrap at 24 hours; those before zero are printed with a leading minus.
func (r Rate) Format(frame int64) string {
	if frame < 0 {
		return "-" + r.Format(-frame)
	}
	n, colon := r.Nominal(), ":"
	if r.Drop {
		perMinute := n*60 - r.dropped()
		perTen := n*600 - 9*r.dropped()
		tens, rest := frame/perTen, frame%perTen
		frame += tens * 9 * r.dropped()
		if rest >= n*60 {
			frame += ((rest-n*60)/perMinute + 1) * r.dropped()
		}
		colon = ";"
	}
	s := frame / n
	return fmt.Sprintf("%02d:%02d:%02d%s%02d", s/3600%24, s/60%60, s%60, colon, frame%n)
}

// Parse reads hh:mm:ss:ff (or with ; before the frames) as a frame count. Fields may be left out
// from the left: "12:05" is twelve seconds and five frames. A frame number that drop-frame
// counting leaves out is an error.
func (r Rate) Parse(s string) (int64, error) {
	text, minus := strings.CutPrefix(strings.TrimSpace(s), "-")
	fields := strings.FieldsFunc(text, func(c rune) bool { return c == ':' || c == ';' })
	if len(fields) == 0 || len(fields) > 4 || strings.Count(text, ":")+strings.Count(text, ";") != len(fields)-1 {
		return 0, fmt.Errorf("timecode %q is not of the form hh:mm:ss:ff", s)
	}
	limits := [4]int64{24, 60, 60, r.Nominal()}
	var v [4]int64
	for i, field := range fields {
		at := 4 - len(fields) + i
		n, err := strconv.ParseUint(field, 10, 31)
		if err != nil {
			return 0, fmt.Errorf("timecode %q is not of the form hh:mm:ss:ff", s)
		}
		if i > 0 && int64(n) >= limits[at] || i == 0 && at < 3 && int64(n) >= limits[at]*1000 {
			return 0, fmt.Errorf(
				"timecode %q: %d is past the last of its field, %d, at %s frames a second",
				s,
				n,
				limits[at]-1,
				r,
			)
		}
		v[at] = int64(n)
	}
	minutes := v[0]*60 + v[1]
	if r.Drop && v[2] == 0 && v[3] < r.dropped() && v[1]%10 != 0 {
		return 0, fmt.Errorf(
			"timecode %q does not exist: drop-frame counting leaves out frames 0 to %d of this minute",
			s,
			r.dropped()-1,
		)
	}
	f := (minutes*60+v[2])*r.Nominal() + v[3] - r.dropped()*(minutes-minutes/10)
	if minus {
		f = -f
	}
	return f, nil
}
