// Package adl reads and writes audio decision lists as AES31-3 has them: a text of sections in angle brackets and of
// keywords in parentheses, with tracks, an index of sources, and events that say which samples of which source sound
// where, how they fade, and at what gain. Times are exact to the sample: hours, minutes, seconds, frames, and samples
// beyond the frame. Sections, keywords and the order of fields are from memory of the standard:
//
//	(Index) 0001 (F) "URL:file://localhost/takes/oda.wav" _ 10.00.00.00/0000 00.01.00.00/0000 "oda" _
//	(Entry) 0001
//	(Cut) I 0001 1~2 1~2 10.00.05.00/0000 01.00.00.00/0000 01.00.04.00/0120 _
//	(Infade) 00.00.00.02/0000 LIN _ _ _
//	(Outfade) 00.00.00.05/0000 CURVE -3.0 _ _
//	(Gain) _ -4.50
//	(Rem) NAME "Oda"
//
// A crossfade is two events that overlap, the one fading out while the other fades in. What a list has no keyword for
// but a remark can hold, remarks of ours hold: rates as fractions, purposes, the law and the cut of a crossfade,
// curves.
package adl

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
)

func init() {
	interchange.Register(interchange.Format{
		Name:       "AES31-3",
		Extensions: []string{".adl"},
		MediaType:  "text/plain; charset=utf-8",
		Lacks:      []string{"picture", "level lines", "lulls", "rooms, filters and ducking of AES31-3", "built tone"},
		Loses:      Loses,
		Each:       func(s *scene.Scene) []interchange.Loss { return tally(s).Each() },
		Read:       Read,
		Write:      Write,
		Targets:    Targets,
	})
}

// Loses tells what of a scene an audio decision list does not carry.
func Loses(s *scene.Scene) []string { return tally(s).List() }

func tally(s *scene.Scene) *interchange.Tally {
	lost := &interchange.Tally{}
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound {
			lost.Track(t)
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			lost.At(s, t, c)
			if t.Kind == scene.Picture {
				lost.Add("%s of picture", "clip", true)
				continue
			}
			lost.Clip(s, c)
			lost.Add("the level line of %s", "clip", len(c.Level) > 0)
		}
	}
	lost.Each() // what follows is of no clip
	lost.Rest(s)
	return lost
}

var urlOf = regexp.MustCompile(`"URL:([^"]*)"`)

// Targets are the files that a list names.
func Targets(raw []byte) (list []string) {
	for _, m := range urlOf.FindAllStringSubmatch(string(raw), -1) {
		if url := local(m[1]); !slices.Contains(list, url) {
			list = append(list, url)
		}
	}
	return list
}

// local is a URL of a list as scenes name files: a relative one stays relative.
func local(url string) string {
	if rest, ok := strings.CutPrefix(url, "file://localhost/./"); ok {
		return rest
	}
	return url
}

// url is what a list calls a scene's file.
func url(file string) string {
	if strings.Contains(file, "://") {
		return file
	}
	if strings.HasPrefix(file, "/") {
		return "file://localhost" + file
	}
	return "file://localhost/./" + file
}

// separators stand ahead of the frames of a time, and say which frames are counted; others are read as well.
var separators = map[int64]string{24: "=", 25: ".", 30: "|", 50: ".", 60: "|"}

// clock prints a time in samples: hh.mm.ss.ff/ssss.
func clock(rate timecode.Rate, sampleRate, at int64) string {
	rate.Drop = false
	frame := rate.FrameOf(at, sampleRate)
	n := rate.Nominal()
	sep := separators[n]
	s := frame / n
	return fmt.Sprintf("%02d%s%02d%s%02d%s%02d/%04d", s/3600, sep, s/60%60, sep, s%60, sep, frame%n,
		at-rate.SampleOf(frame, sampleRate))
}

var clockForm = regexp.MustCompile(`^(\d{2,3})[.:;=|,](\d\d)[.:;=|,](\d\d)[.:;=|,](\d\d)/(\d{1,5})$`)

// parseClock reads a time in samples.
func parseClock(rate timecode.Rate, sampleRate int64, text string) (int64, error) {
	m := clockForm.FindStringSubmatch(text)
	if m == nil {
		return 0, fmt.Errorf("%q is no time; they have the form 01.00.00.00/0000", text)
	}
	var v [5]int64
	for i := range v {
		fmt.Sscanf(strings.TrimLeft(m[i+1], "0"), "%d", &v[i])
	}
	n := rate.Nominal()
	rate.Drop = false
	if v[1] > 59 || v[2] > 59 || v[3] >= n {
		return 0, fmt.Errorf("%q is no time at %s frames a second", text, rate)
	}
	frame := ((v[0]*60+v[1])*60+v[2])*n + v[3]
	if at := rate.SampleOf(frame, sampleRate); v[4] < rate.SampleOf(frame+1, sampleRate)-at {
		return at + v[4], nil
	}
	return 0, fmt.Errorf("%q has %d samples beyond its frame, which is not that long", text, v[4])
}
