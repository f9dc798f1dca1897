package main

import (
	"math"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
)

const frame = rate / 25

// layOut cuts the scene together as an editor's first assembly would be: in order, in sync, and with every
// trouble that the product is there to mend left in it.
func layOut(recordings map[string]*recording) []byte {
	s := scene.New("Kiln Night", timecode.F25, rate)
	apply := func(e edit.Edit) {
		next, err := edit.Apply(s, e)
		check(err)
		s = next
	}
	for _, t := range takes {
		r := recordings[t.file]
		src := scene.Source{
			ID:       t.file,
			Name:     t.name,
			URL:      "recordings/" + t.file,
			Samples:  int64(r.len()),
			Channels: len(r.sound),
		}
		if t.shot != "" {
			src.Frames = int64(r.len()) / frame
		}
		apply(&edit.Bring{Source: src})
	}
	tracks := map[string]scene.TrackID{}
	for _, t := range []struct {
		name    string
		purpose scene.Purpose
	}{{"Picture", "picture"}, {"Dialogue", "dialogue"}, {"Narrator", "dialogue"}, {"Effects", "effects"},
		{"Rain", "effects"}, {"Music", "music"}} {
		apply(&edit.AddTrack{Name: t.name, Purpose: t.purpose})
		for _, made := range s.Tracks {
			if made.Name == t.name {
				tracks[t.name] = made.ID
			}
		}
	}
	at := int64(0)
	var wides []pcm.Span // where the kiln is seen, and heard
	// cut adds a stretch of a take, picture and sound, at the end of what is there.
	cut := func(file, name string, from, to int64) {
		from, to = from/frame*frame, (to+frame-1)/frame*frame
		apply(
			&edit.Add{
				Track:   tracks["Dialogue"],
				Picture: tracks["Picture"],
				Source:  file,
				Name:    name,
				In:      from,
				Start:   at,
				Length:  to - from,
			},
		)
		if file == "wide.mkv" {
			wides = append(wides, pcm.Span{From: at, To: at + to - from})
		}
		at += to - from
	}
	// said is a line with so many frames of its take before and after.
	said := func(file, key string, before, after int64) (from, to int64) {
		p := recordings[file].at[key]
		return p.From - before*frame, p.To + after*frame
	}
	line := func(file, name, key string, before, after int64) {
		from, to := said(file, key, before, after)
		cut(file, name, from, to)
	}
	lay := func(track, file, name string, in, start, length int64) {
		apply(&edit.Add{Track: tracks[track], Source: file, Name: name, In: in, Start: start, Length: length})
	}

	// The picture under the narration is shorter than the narration.
	cut("wide.mkv", "wide", 2*rate, 2*rate+170*frame)
	from, to := said("narrator.flac", "narration", 6, 6)
	lay("Narrator", "narrator.flac", "narrator", from, 14*frame, to-from)

	line("oda-take-1.mkv", "Oda, take 1", "cone", 22, 9)
	line("pell-take-1.mkv", "Pell, take 1", "gauge", 12, 10) // another room
	line("oda-take-1.mkv", "Oda, take 1", "breathe", -3, 6)  // the first word is cut into
	at += 17 * frame                                         // dead silence
	line("oda-take-1.mkv", "Oda, take 1", "stall", 6, 20)
	line("oda-take-1.mkv", "Oda, take 1", "logs", 4, 10)
	sea := recordings["pell-take-1.mkv"]
	out, in := stutter(sea.sound[0], sea.at["sea"].From)
	from, to = said("pell-take-1.mkv", "sea", 10, 12)
	cut("pell-take-1.mkv", "Pell, take 1", from, out) // taken out of the middle of a vowel: a click
	cut("pell-take-1.mkv", "Pell, take 1", in, to)
	from, _ = said("wide.mkv", "damper", 20, 0)
	_, to = said("wide.mkv", "justso", 0, 14)
	cut("wide.mkv", "wide", from, to) // too far from the microphone
	from, _ = said("oda-take-2.mkv", "teacher", 10, 0)
	_, to = said("oda-take-2.mkv", "nosleep", 0, 12)
	cut("oda-take-2.mkv", "Oda, take 2", from, to) // a shovel in the pause, and Pell over the line
	line("pell-take-1.mkv", "Pell, take 1", "crack", 10, 9)
	line("oda-take-2.mkv", "Oda, take 2", "plain", 10, 14)
	rainFrom := at
	line("pell-take-2.mkv", "Pell, take 2", "raining", 14, 10) // the rain has begun
	line("oda-take-2.mkv", "Oda, take 2", "kiln", 12, 8)       // would read better if the sound led
	musicFrom := at - 50*frame
	line("pell-take-2.mkv", "Pell, take 2", "tired", 16, 14)
	line("pell-take-1.mkv", "Pell, take 1", "side", 8, 12)
	cut("wide.mkv", "wide", 3*rate, 3*rate+140*frame)
	line("pell-take-2.mkv", "Pell, take 2", "goodnight", 20, 60)
	end := at

	for i, shot := range wides {
		lay("Effects", "kiln-roar.flac", "kiln roar", int64(1+12*i)*rate, shot.From, shot.Len())
	}
	lay("Rain", "rain.flac", "rain", 2*rate, rainFrom, end-rainFrom)
	lay("Music", "evening-tune.flac", "evening tune", 0, musicFrom, end-musicFrom) // drowns the voice, and stops dead
	for _, c := range s.Track(tracks["Effects"]).Clips {
		apply(&edit.Gain{Clips: []scene.ClipID{c.ID}, DB: -14})
		for _, edge := range []scene.Side{scene.Head, scene.Tail} {
			if c.Start > 0 || edge == scene.Tail {
				apply(&edit.FadeEdge{Clip: c.ID, Edge: edge, Length: 20 * frame, Curve: blend.Curve{Shape: blend.QuarterSine}})
			}
		}
	}
	for _, c := range s.Track(tracks["Music"]).Clips {
		apply(&edit.Gain{Clips: []scene.ClipID{c.ID}, DB: 4})
	}
	apply(&edit.AddMarker{At: rainFrom, Name: "rain begins"})
	apply(&edit.AddMarker{At: musicFrom, Name: "tune"})
	raw, err := otio.Write(s)
	check(err)
	return raw
}

// stutter finds where to cut the first half of a stutter out so that it clicks as loudly as it can: two
// frame borders, within vowels, between which the sound jumps most.
func stutter(v []float64, from int64) (out, in int64) {
	most := 0.0
	start := (from + frame - 1) / frame * frame
	for a := start + 8*frame; a < start+14*frame; a += frame {
		for b := a + 14*frame; b < a+24*frame; b += frame {
			if jump := math.Abs(v[a-1] - v[b]); jump > most {
				most, out, in = jump, a, b
			}
		}
	}
	return out, in
}
