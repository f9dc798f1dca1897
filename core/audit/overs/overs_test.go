package overs_test

import (
	"context"
	"math"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/audit/overs"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
)

// tone is a sine of so many seconds whose peaks reach a level.
func tone(seconds, db float64) pcm.Block {
	b := pcm.NewBlock(1, int64(seconds*seamtest.Rate))
	for i := range b[0] {
		b[0][i] = level.Amplitude(db) * math.Sin(2*math.Pi*1000*float64(i)/seamtest.Rate)
	}
	return b
}

func find(t *testing.T, s *seamtest.Studio) []overs.Place {
	t.Helper()
	list, err := overs.Find(context.Background(), s.Meter(), 2)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

func TestPeaksOverTheBandAreOneListWithTheirPlaceClipAndFigure(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("quiet", tone(12, -7), 0) // half a second of each end is its handle
	s.Lay("loud", tone(12, -4), 20)
	list := find(t, s)
	if len(list) != 1 { // over ten seconds, and so over two pieces of the rendering
		t.Fatalf("%+v", list)
	}
	p := list[0]
	// what it should be follows from the sine itself
	if p.Kind != overs.OverBand || p.ClipName != "loud" || p.Clip != s.Scene.Tracks[0].Clips[1].ID ||
		math.Abs(p.PeakDBFS+4) > 0.01 || math.Abs(p.OverDB-2) > 0.01 ||
		p.Span.From < 20*seamtest.Rate || p.Span.From > 20*seamtest.Rate+48 || p.Span.To < 31*seamtest.Rate-48 {
		t.Errorf("%+v", p)
	}
	s.Do(p.Turn(s.Scene))
	if list := find(t, s); len(list) != 0 || p.TurnDB < -2.2 {
		t.Errorf("turned down by %.1f dB: %+v", p.TurnDB, list)
	}
}

func TestAMixThatReachesFullScaleNamesItsLoudestClip(t *testing.T) {
	s := seamtest.New(t)
	s.Do(&edit.AddTrack{Name: "Music", Purpose: scene.ForMusic})
	s.Sound["tune"] = tone(5, -3)
	s.Do(&edit.Bring{Source: scene.Source{ID: "tune", Name: "tune", Samples: 5 * seamtest.Rate, Channels: 1}})
	music := s.Scene.Tracks[len(s.Scene.Tracks)-1].ID
	s.Do(&edit.Add{Track: music, Source: "tune", Length: 4 * seamtest.Rate})
	s.Lay("voice", tone(4, -7), 1) // -3 and -7 dBFS of one phase: 0.708 + 0.447 = 1.155, that is 1.25 dBFS
	var full []overs.Place
	for _, p := range find(t, s) {
		if p.Kind != overs.OverFull {
			t.Errorf("music is held to the band of speech: %+v", p)
		}
		full = append(full, p)
	}
	if len(full) != 1 || full[0].ClipName != "tune" || math.Abs(full[0].PeakDBFS-1.25) > 0.02 ||
		full[0].Span.From < seamtest.Rate || full[0].Span.To > 4*seamtest.Rate {
		t.Errorf("%+v", full)
	}
	before := s.Scene
	s.Do(full[0].Turn(s.Scene))
	if list := find(t, s); len(list) != 0 || full[0].TurnDB < -2.5 { // 0.708 must become 0.553
		t.Errorf("turned down by %.1f dB: %+v", full[0].TurnDB, list)
	}
	s.Scene = before
	s.Do(&edit.SetTrack{Track: music, Mute: new(true)})
	if list := find(t, s); len(list) != 0 {
		t.Errorf("muted: %+v", list)
	}
}

// The figure is the peak that ffmpeg's volumedetect says of the same file: a real voice of Debian's alsa-utils.
func TestThePeakOfAVoiceIsThatOfFfmpeg(t *testing.T) {
	said := regexp.MustCompile(`max_volume: (-?[\d.]+) dB`)
	tried := 0
	for _, file := range outside.Voices(t) {
		want, err := strconv.ParseFloat(
			said.FindStringSubmatch(outside.Run(t, "ffmpeg", "-i", file, "-af", "volumedetect", "-f", "null", "-"))[1], 64)
		if err != nil {
			t.Fatal(err)
		}
		s := seamtest.New(t)
		b := outside.Decode(t, file, 1)
		s.Sound["voice"] = b
		s.Do(&edit.Bring{Source: scene.Source{ID: "voice", Name: "voice", Samples: b.Len(), Channels: 1}})
		s.Do(&edit.Add{Track: "t1", Source: "voice", Length: b.Len()})
		s.Do(&edit.Gain{Clips: []scene.ClipID{s.Scene.Tracks[0].Clips[0].ID}, DB: -want - 3}) // its peak at -3 dBFS
		most := -200.0
		for _, p := range find(t, s) {
			most = max(most, p.PeakDBFS)
		}
		if tried++; math.Abs(most+3) > 0.06 { // ffmpeg gives tenths of a dB
			t.Errorf("%s turned up by %.1f dB peaks at %.2f dBFS, -3 was wanted", filepath.Base(file), -want-3, most)
		}
	}
	if tried < 4 {
		t.Errorf("%d voices were tried", tried)
	}
}

// A sine at a quarter of the sample rate whose samples all lie at 45 degrees of its phase reaches 3.01 dB over them
// (as the test signal 16 of EBU Tech 3341 does; from memory).
func TestAMixThatPassesFullScaleBetweenItsSamplesIsFound(t *testing.T) {
	for _, at := range []int{0, 5 * seamtest.Rate, 10*seamtest.Rate - 2400, 12*seamtest.Rate - 4900} {
		passes(t, at)
	}
}

// passes looks for a burst that begins at a sample: at the scene's ends, and where two stretches meet, too.
func passes(t *testing.T, from int) {
	t.Helper()
	s := seamtest.New(t)
	s.Do(&edit.AddTrack{Name: "Music", Purpose: scene.ForMusic})
	b := pcm.NewBlock(1, 12*seamtest.Rate)
	music := s.Scene.Tracks[len(s.Scene.Tracks)-1].ID
	for i := range b[0] {
		if i > from && i < from+4800 {
			edge := min(1, float64(min(i-from, from+4800-i))/480)
			b[0][i] = edge * level.Amplitude(1.5) * math.Sin(math.Pi/2*float64(i)+math.Pi/4)
		}
	}
	s.Sound["tune"] = b
	s.Do(&edit.Bring{Source: scene.Source{ID: "tune", Name: "tune", Samples: b.Len(), Channels: 1}})
	s.Do(&edit.Add{Track: music, Source: "tune", Length: b.Len()})
	list := find(t, s)
	if len(list) != 1 || list[0].Kind != overs.OverFull || list[0].ClipName != "tune" ||
		math.Abs(list[0].PeakDBFS-1.5) > 0.1 {
		t.Fatalf("at %d: %+v", from, list)
	}
	s.Do(list[0].Turn(s.Scene))
	if list := find(t, s); len(list) != 0 {
		t.Errorf("at %d, turned down: %+v", from, list)
	}
}
