package scene

import (
	"fmt"

	"blendseam/core/scene/phrase"
)

// LengthWords returns a length in words, such as "6 frames", or frames and samples where it is not whole frames.
func LengthWords(s *Scene, samples int64) string {
	if samples < 0 {
		samples = -samples
	}
	if tenths := (samples*10 + s.SampleRate/2) / s.SampleRate; tenths >= 600 { // nobody counts so many frames
		minutes := fmt.Sprintf("%d min %.1f s", tenths/600%60, float64(tenths%600)/10)
		return phrase.Either(tenths >= 36000, fmt.Sprintf("%d h ", tenths/36000), "") + minutes
	}
	f := s.Frames(samples)
	off := samples - s.Rate.SampleOf(f, s.SampleRate)
	switch {
	case f == 0 && samples != 0 && samples*20 < FramesAt(s, 0, 1):
		return phrase.Count(int(samples), "sample")
	case max(off, -off) <= Rounding(s) && f == 1:
		return "1 frame"
	case max(off, -off) <= Rounding(s):
		return fmt.Sprintf("%d frames", f)
	}
	return fmt.Sprintf("%.1f frames (%s)", float64(samples)*s.Rate.Float()/float64(s.SampleRate),
		phrase.Count(int(samples), "sample"))
}

// Rounding is by how many samples a length in whole frames depends on where it begins: by none where a frame is a whole
// number of samples.
func Rounding(s *Scene) int64 {
	if s.SampleRate*s.Rate.Den%s.Rate.Num == 0 {
		return 0
	}
	return 1
}

// nameOf is a clip's name as refusals say it; its id, in quotes, if there is no such clip.
func ClipName(s *Scene, id ClipID) string {
	if _, c := s.Clip(id); c != nil {
		return c.Name
	}
	return fmt.Sprintf("%q", id)
}
