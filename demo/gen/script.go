package main

import "blendseam/core/sound/level"

func decibels(db float64) float64 { return level.Amplitude(db) }

// The rooms: what is heard where nobody speaks.
var (
	shed    = func(n int) []float64 { return sum(at(noise(n, 60, 900), -57), at(hum(n, 50), -66)) }
	nearer  = func(n int) []float64 { return sum(at(noise(n, 180, 3800), -51), at(hum(n, 50), -70)) }
	doorway = func(n int) []float64 { return sum(at(noise(n, 40, 400), -60), at(hum(n, 100), -72)) }
	yard    = func(n int) []float64 { return sum(at(noise(n, 90, 1600), -50), at(hum(n, 50), -64)) }
	booth   = func(n int) []float64 { return at(noise(n, 100, 5000), -74) }
	wet     = func(n int) []float64 { return sum(doorway(n), at(rain(n), -43)) }
)

var takes = []take{
	{file: "wide.mkv", name: "wide", shot: "wide", bed: yard, after: 3, lines: []line{
		{key: "damper", who: "oda", words: "Close the damper a little. Slowly.", pause: 9, far: true},
		{key: "likethis", who: "pell", words: "Like this?", pause: 0.9, far: true},
		{key: "justso", who: "oda", words: "Just like that. Now we wait for the morning.", pause: 0.7, far: true},
	}},
	{file: "oda-take-1.mkv", name: "Oda, take 1", shot: "oda", bed: shed, after: 3, lines: []line{
		{key: "cone", who: "oda", words: "The first cone is bending. Eleven hundred degrees, I would say.", pause: 2.4},
		{key: "breathe", who: "oda", words: "Breathing. You can hear it breathe now, if you listen.", pause: 1.6},
		{key: "stall", who: "oda", words: "If it stalls, we wait. If it climbs too fast, we wait as well.", pause: 1.8},
		{key: "logs", who: "oda", words: "Put two more logs on the left side.", pause: 2.2},
	}},
	{file: "oda-take-2.mkv", name: "Oda, take 2", shot: "oda", bed: nearer, after: 3, shovelAt: "teacher", lines: []line{
		{
			key:   "teacher",
			who:   "oda",
			words: "My teacher slept through her first firing, and lost every pot but one.",
			pause: 2.6,
		},
		{key: "nosleep", who: "oda", words: "So we do not sleep. Not you, not me, and not the fire.", pause: 2.8},
		{key: "over", who: "pell", words: "I was not going to.", pause: 1.3, over: true, gainDB: -11},
		{key: "plain", who: "oda", words: "The one that she had thought was too plain to keep.", pause: 2},
		{key: "kiln", who: "oda", words: "Kilns are patient. Potters have to learn it.", pause: 2.4},
	}},
	{file: "pell-take-1.mkv", name: "Pell, take 1", shot: "pell", bed: doorway, after: 3, lines: []line{
		{key: "gauge", who: "pell", words: "How do you know that without a gauge?", pause: 2.2},
		{key: "sea", who: "pell", words: "It sounds, it sounds like the sea at night.", pause: 1.8},
		{key: "crack", who: "pell", words: "And which pot was it, the one that lived?", pause: 1.8},
		{key: "side", who: "pell", words: "Which side is hotter?", pause: 2},
	}},
	{file: "pell-take-2.mkv", name: "Pell, take 2", shot: "pell-rain", bed: wet, after: 4, lines: []line{
		{key: "raining", who: "pell", words: "It is raining. Will the water get in?", pause: 2.4},
		{key: "tired", who: "pell", words: "I am not tired at all. I could watch it for a week.", pause: 2.4},
		{key: "goodnight", who: "pell", words: "Good night, kiln.", pause: 2.2},
	}},
	{file: "narrator.flac", name: "narrator", bed: booth, after: 1.5, lines: []line{
		{
			key: "narration",
			who: "narrator",
			words: "Behind the house, the kiln had been burning for nineteen hours. Oda had fired it forty times. For Pell, " +
				"it was the first.",
			pause: 1,
		},
	}},
	{file: "kiln-roar.flac", name: "kiln roar", bed: roar, after: 46},
	{file: "rain.flac", name: "rain", bed: rain, after: 52},
	{file: "evening-tune.flac", name: "evening tune", stereo: func() [2][]float64 {
		t := tune(seconds(40))
		for c := range t {
			at(t[c], -23)
		}
		return t
	}},
	{file: "workshop-tone.flac", name: "workshop tone", bed: shed, after: 14},
}
