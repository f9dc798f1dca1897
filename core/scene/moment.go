package scene

import (
	"math"
	"regexp"
	"strconv"
	"strings"

	"blendseam/core/refuse"
)

// The ways in which a moment is typed besides timecode. Points and commas are one.
var (
	typedSeconds = regexp.MustCompile(`^(\d{1,2}|\d{1,6}\.\d{1,9}|\d{1,6}(\.\d{1,9})? ?s)$`)
	typedMinutes = regexp.MustCompile(`^(?:(\d{1,3}):)?(\d{1,3}):(\d\d\.\d{1,9})$`)
	typedDigits  = regexp.MustCompile(`^\d{3,8}$`)
)

// Moment reads a moment of a scene as it is typed, in samples: a timecode of the scene; a time from its start as a
// timecode that lies before the start, in seconds ("5", "5,5", "90 s"), or in minutes and seconds with a fraction
// ("1:05.25"). What is left out in front of a timecode is 0; three digits and more without signs are pairs from the
// end.
func Moment(s *Scene, typed string) (int64, error) {
	text := strings.ReplaceAll(strings.TrimSpace(typed), ",", ".")
	if typedSeconds.MatchString(text) {
		v, err := strconv.ParseFloat(strings.TrimRight(text, " s"), 64)
		return int64(math.Round(v * float64(s.SampleRate))), err
	}
	if m := typedMinutes.FindStringSubmatch(text); m != nil {
		v, err := strconv.ParseFloat(m[3], 64)
		hours, _ := strconv.Atoi("0" + m[1])
		minutes, _ := strconv.Atoi(m[2])
		if v >= 60 || m[1] != "" && minutes > 59 {
			return 0, refuse.Errorf("the time %q has more than 59 seconds or minutes", typed)
		}
		return int64(math.Round((float64(hours*60+minutes)*60 + v) * float64(s.SampleRate))), err
	}
	if typedDigits.MatchString(text) {
		text = strings.Repeat("0", 8-len(text)) + text
		text = text[:2] + ":" + text[2:4] + ":" + text[4:6] + ":" + text[6:]
	}
	if strings.HasPrefix(text, "-") || text == "" {
		return 0, refuse.Errorf("the time %q is none of the scene; write it as %s, or in seconds from its start", typed,
			s.Timecode(0))
	}
	frame, err := s.Rate.Parse(text)
	if err != nil {
		return 0, err
	}
	if frame >= s.StartFrame {
		frame -= s.StartFrame
	}
	return s.Rate.SampleOf(frame, s.SampleRate), nil
}
