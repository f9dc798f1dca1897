// Package edl reads and writes edit decision lists in the manner of SMPTE ST 258: text of one event a line, with reel,
// channels, transition, and timecodes of source and record in and out. One picture track and up to four sound tracks go
// into a file. The shape of lines is that of the published descriptions, from memory:
//
//	TITLE: NAME
//	FCM: NON-DROP FRAME
//	001  REEL     AA/V  C        01:00:00:00 01:00:05:00 00:00:00:00 00:00:05:00
//	002  REEL     V     C        01:00:05:00 01:00:05:00 00:00:05:00 00:00:05:00
//	002  OTHER    V     D    025 02:00:00:00 02:00:04:00 00:00:05:00 00:00:09:00
//	* FROM CLIP NAME: NAME
//	AUD   3    4
//	M2   REEL       012.5                01:00:00:00
//	SPLIT:    AUDIO DELAY=  00:00:00:10
//
// What the trade keeps in comments is kept there: clip names, the file behind a reel, and, in lines that this package
// writes and reads, what else of a scene a comment can hold: its rates, the names of tracks, where a dissolve lies on
// its cut.
package edl

import (
	"fmt"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
)

func init() {
	interchange.Register(interchange.Format{
		Name:       "EDL",
		Extensions: []string{".edl"},
		MediaType:  "text/plain; charset=utf-8",
		Lacks: []string{
			"more than one picture and four sound tracks", "gains and level lines", "lulls", "rooms, filters and ducking",
			"tone", "cuts of sound within a frame",
		},
		Loses:   Loses,
		Each:    func(s *scene.Scene) []interchange.Loss { return tally(s).Each() },
		Read:    Read,
		Write:   Write,
		Targets: Targets,
	})
}

// sounds is how many sound tracks a file holds.
const sounds = 4

// black is the reel of nothing, from which fades begin and in which they end.
const black = "BL"

// carried are the tracks of a scene that a file holds: one of picture, nil if there is none, and those of sound.
func carried(s *scene.Scene) (picture *scene.Track, sound []*scene.Track, left int) {
	for _, t := range s.Tracks {
		switch {
		case t.Kind == scene.Picture && picture == nil:
			picture = t
		case t.Kind == scene.Sound && len(sound) < sounds:
			sound = append(sound, t)
		case len(t.Clips) > 0:
			left++
		}
	}
	return picture, sound, left
}

// Loses tells what of a scene an edit decision list does not carry.
func Loses(s *scene.Scene) []string { return tally(s).List() }

func tally(s *scene.Scene) *interchange.Tally {
	picture, sound, left := carried(s)
	kept := append([]*scene.Track{}, sound...)
	if picture != nil {
		kept = append(kept, picture)
	}
	lost := &interchange.Tally{}
	for _, t := range kept {
		lost.Track(t)
		for i := range t.Clips {
			c := &t.Clips[i]
			lost.At(s, t, c)
			lost.Clip(s, c)
			lost.Add("the gain or level line of %s", "clip", c.GainDB != 0 || len(c.Level) > 0)
			lost.Add("%s, which is muted", "clip", c.Muted)
			lost.Add("the part of a frame at the ends of %s", "clip", t.Kind == scene.Sound && !onFrames(s, *c))
		}
	}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if !slices.Contains(kept, t) {
				lost.At(s, t, &t.Clips[i])
				lost.Add("%s of tracks beyond one of picture and four of sound", "clip", true)
			}
		}
	}
	lost.Each() // what follows is of no clip
	for range left {
		lost.Add("%s beyond one of picture and four of sound", "track", true)
	}
	lost.Rest(s)
	return lost
}

// onFrames tells whether a clip of sound begins and ends where frames do.
func onFrames(s *scene.Scene, c scene.Clip) bool {
	for _, at := range []int64{c.Start, c.End()} {
		if s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate), s.SampleRate) != at {
			return false
		}
	}
	return true
}

// Targets are the files that a list names.
func Targets(raw []byte) (list []string) {
	for _, line := range strings.Split(string(raw), "\n") {
		if name, value := comment(line); name == "SOURCE FILE" && value != "" && !slices.Contains(list, value) {
			list = append(list, value)
		}
	}
	return list
}

// comment gives the name and the value of a comment line: "* FROM CLIP NAME: x".
func comment(line string) (name, value string) {
	text, ok := strings.CutPrefix(strings.TrimSpace(line), "*")
	if !ok {
		return "", ""
	}
	name, value, ok = strings.Cut(text, ":")
	if !ok {
		return "", ""
	}
	return strings.ToUpper(strings.Join(strings.Fields(name), " ")), strings.TrimSpace(value)
}

// rateWords is a frame rate in a comment.
func rateWords(r timecode.Rate) string {
	if r.Drop {
		return fmt.Sprintf("%d/%d DROP", r.Num, r.Den)
	}
	return fmt.Sprintf("%d/%d", r.Num, r.Den)
}
