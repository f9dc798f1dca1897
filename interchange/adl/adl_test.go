package adl_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	"blendseam/interchange/adl"
	"blendseam/internal/formattest"
	"blendseam/internal/scenetest"
)

// sounding is a scene of all that an audio decision list carries: tracks of one and two channels, clips at any sample
// of recordings with a timecode of their own, gaps, blends, fades of every curve, gains, mutes.
func sounding(t *testing.T, rng *rand.Rand, rate timecode.Rate, sampleRate int64) *scene.Scene {
	s := scene.New(fmt.Sprintf("Kiln %d", rng.IntN(1000)), rate, sampleRate)
	s.StartFrame = rng.Int64N(20*3600) * rate.Nominal()
	s.Channels = 1 + rng.IntN(2)
	for i := range 3 {
		id := string(rune('a' + i))
		s = scenetest.Must(t, s, &edit.Bring{Source: scene.Source{
			ID: id, Name: "take " + id, URL: "takes/take " + id + ".wav", Samples: 9e6, Channels: 1 + i%2,
			Offset: rng.Int64N(1e9), SHA256: strings.Repeat(id, 64),
		}})
	}
	curve := func() blend.Curve {
		x := blend.Curve{Shape: blend.Shapes[rng.IntN(len(blend.Shapes))].Shape}
		if x.Shape == blend.Exponential {
			x.Bend = math.Round(100*rng.Float64()) / 100
		}
		return x
	}
	for n := range 1 + rng.IntN(6) {
		s = scenetest.Must(t, s, &edit.AddTrack{Name: fmt.Sprintf("Track %d", n), Purpose: scene.Purposes[1+rng.IntN(4)]})
		track := s.Tracks[n]
		at := rng.Int64N(50000)
		for range 1 + rng.IntN(8) {
			c := scene.Clip{
				ID: scene.NewID(s, scene.AClip), Source: string(rune('a' + rng.IntN(3))), Start: at,
				Length: 20000 + rng.Int64N(200000), In: 50000 + rng.Int64N(8e6), Muted: rng.IntN(9) == 0,
				GainDB: math.Round(100*(rng.Float64()*20-10))/100 + 0,
			}
			c.Name = "shot " + string(c.ID)
			prev := len(track.Clips) - 1
			touches := prev >= 0 && track.Clips[prev].End() == c.Start
			if touches && rng.IntN(2) == 0 {
				track.Blends = append(track.Blends, scene.Blend{Left: track.Clips[prev].ID, Right: c.ID,
					Law: blend.Laws[rng.IntN(len(blend.Laws))].Law, Before: rng.Int64N(6000), After: 1 + rng.Int64N(6000)})
				track.Clips[prev].FadeOut = scene.Fade{}
			} else if rng.IntN(3) == 0 {
				c.FadeIn = scene.Fade{Length: 1 + rng.Int64N(6000), Curve: curve()}
			}
			if at += c.Length; rng.IntN(3) == 0 {
				c.FadeOut = scene.Fade{Length: 1 + rng.Int64N(6000), Curve: curve()}
				at += 1 + rng.Int64N(40000)
			}
			track.Clips = append(track.Clips, c)
		}
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	return s
}

func told(s *scene.Scene) string {
	var b strings.Builder
	fmt.Fprintln(&b, s.Name, s.Rate, s.SampleRate, s.StartFrame, s.Channels)
	for _, t := range s.Tracks {
		fmt.Fprintln(&b, t.Kind, t.Purpose, t.Name)
		names := map[scene.ClipID]int{}
		for i, c := range t.Clips {
			names[c.ID] = i
			src := s.Sources[c.Source]
			fmt.Fprintln(&b, " ", c.Name, src.Name, src.URL, src.Samples, src.Offset, src.Channels, src.SHA256[:4], c.Start,
				c.Length,
				c.In, c.GainDB, c.Muted, c.FadeIn, c.FadeOut)
		}
		for _, x := range t.Blends {
			fmt.Fprintln(&b, "  blend", names[x.Left], names[x.Right], x.Before, x.After, x.Law)
		}
	}
	return b.String()
}

// What is written is read back to the sample, at every rate.
func TestAWrittenListIsReadBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(18, 31))
	for n := range 200 {
		rate := timecode.Rates[n%len(timecode.Rates)]
		s := sounding(t, rng, rate, []int64{48000, 44100, 96000}[n%3])
		raw, err := adl.Write(s)
		if err != nil {
			t.Fatal(err)
		}
		if lost := adl.Loses(s); len(lost) > 0 {
			t.Errorf("%d: it says that it loses %v", n, lost)
		}
		again, warnings, err := adl.Read(raw, interchange.Hints{})
		if err != nil || len(warnings) > 0 {
			t.Fatalf("%d, %s: %v %v\n%s", n, rate, err, warnings, raw)
		}
		if a, b := told(s), told(again); a != b {
			t.Fatalf("%d, %s: was\n%s\nis\n%s\nby\n%s", n, rate, a, b, raw)
		}
	}
}

// A list by another hand, its sections and keywords as in AES31-3 (from memory), with what means nothing here.
const foreign = `<ADL>
  <VERSION>
    (ADL_ID) "06,64,43,52,01,01,01,04,01,02,03,04"
    (VER_ADL_VERSION) "01.02"
  </VERSION>
  <PROJECT>
    (PROJ_TITLE) "Reel four"
    (PROJ_NOTES) "as cut"
  </PROJECT>
  <SEQUENCE>
    (SEQ_SAMPLE_RATE) S48000
    (SEQ_FRAME_RATE) 25
    (SEQ_DEST_START) 01.00.00.00/0000
  </SEQUENCE>
  <TRACKLIST>
    (Track) 1 "Oda"
    (Track) 2~3 "Tune"
  </TRACKLIST>
  <SOURCE_INDEX>
    (Index) 0001
      (F) "URL:file://localhost/takes/oda%201.wav" 0123456789ABCDEF 10.00.00.00/0000 00.01.00.00/0000 "oda 1" N
    (Index) 0002 (F) "URL:file://localhost/./tune.wav" _ 00.00.00.00/0000 00.03.00.00/0000 "tune" N
  </SOURCE_INDEX>
  <EVENT_LIST>
    (Entry) 0001
      (Cut) I 0001 1 1 10.00.05.00/0000 01.00.00.00/0000 01.00.04.02/0120 R
      (Outfade) 00.00.00.04/0000 CURVE -3.0 _ _
      (Gain) _ -4.50
    (Entry) 0002
      (Cut) I 0001 1 1 10.00.20.00/0000 01.00.03.23/0120 01.00.08.00/0000 R
      (Infade) 00.00.00.04/0000 CURVE -3.0 _ _
      (Wobble) 3
    (Entry) 0003
      (Cut) I 0002 1~2 2~3 00.00.01.00/0007 01.00.00.12/0000 01.00.10.00/0000 R
      (Infade) 00.00.01.00/0000 LIN _ _ _
  </EVENT_LIST>
</ADL>
`

func TestAListByAnotherHandIsRead(t *testing.T) {
	s, warnings, err := adl.Read([]byte(foreign), interchange.Hints{})
	if err != nil {
		t.Fatal(err)
	}
	if len(warnings) != 1 || !strings.Contains(warnings[0], "Wobble was not understood, in line 32") {
		t.Errorf("it says %q", warnings)
	}
	if s.Name != "Reel four" || s.StartFrame != 90000 || len(s.Tracks) != 2 || s.Tracks[1].Name != "Tune" {
		t.Fatalf("it is %+v", s)
	}
	oda, tune := s.Tracks[0], s.Tracks[1].Clips[0]
	if len(oda.Clips) != 2 || oda.Clips[0].GainDB != -4.5 || oda.Clips[0].In != 5*48000 || len(oda.Blends) != 1 {
		t.Fatalf("Oda is %+v, %+v", oda.Clips, oda.Blends)
	}
	// Four frames of crossfade, from 3 s 23 frames and 120 samples on; its cut is taken to lie in their middle.
	from, b := int64(3*48000+23*1920+120), oda.Blends[0]
	if b.Length() != 4*1920 || b.Before != 2*1920 || b.Law != blend.ConstantPower || oda.Clips[1].Start != from+2*1920 ||
		oda.Clips[1].In != 20*48000+2*1920 || oda.Clips[0].End() != oda.Clips[1].Start {
		t.Errorf("the crossfade is %+v, between %+v", b, oda.Clips)
	}
	if tune.In != 48007 || tune.Start != 12*1920 || tune.FadeIn.Length != 48000 ||
		s.Sources[tune.Source].URL != "tune.wav" ||
		s.Sources[oda.Clips[0].Source].URL != "file://localhost/takes/oda%201.wav" {
		t.Errorf("the tune is %+v", tune)
	}
}

// Every malformed line is refused with its number.
func TestMalformedLinesAreRefusedWithTheirNumber(t *testing.T) {
	for good, bad := range map[string]string{
		"(SEQ_SAMPLE_RATE) S48000":                "(SEQ_SAMPLE_RATE) many",
		"(SEQ_FRAME_RATE) 25":                     "(SEQ_FRAME_RATE) 26",
		"(SEQ_DEST_START) 01.00.00.00/0000":       "(SEQ_DEST_START) noon",
		`(Track) 1 "Oda"`:                         `(Track) one "Oda"`,
		"(Index) 0001\n":                          "(Index) first\n",
		"10.00.00.00/0000 00.01.00.00/0000":       "10.00.00.99/0000 00.01.00.00/0000",
		"(Cut) I 0001 1 1 10.00.05.00/0000":       "(Cut) I 0009 1 1 10.00.05.00/0000",
		"(Cut) I 0001 1 1 10.00.20.00/0000 01.00": "(Cut) I 0001 1 1 10.00.20.00/9000 01.00",
		"(Outfade) 00.00.00.04/0000":              "(Outfade) soon",
		"(Gain) _ -4.50":                          "(Gain) _ loud",
		"  <EVENT_LIST>":                          "  <EVENT_LIST",
		"  </SEQUENCE>":                           "  </SEQUEL>",
		"    (Entry) 0003":                        "    hello",
		"01.00.04.02/0120 R":                      "01.00.09.00/0000 R",
	} {
		raw := strings.Replace(foreign, good, bad, 1)
		if raw == foreign {
			t.Fatalf("%q is not in the list", good)
		}
		_, _, err := adl.Read([]byte(raw), interchange.Hints{})
		if err == nil || !strings.HasPrefix(err.Error(), "line ") || strings.Contains(err.Error(), "\n") {
			t.Errorf("%q: %v", bad, err)
		}
	}
	for _, raw := range []string{"", "hello\n", "{}", "<EDL>\n"} {
		if _, _, err := adl.Read([]byte(raw), interchange.Hints{}); err == nil ||
			!strings.Contains(err.Error(), "no audio decision list") {
			t.Errorf("%q: %v", raw, err)
		}
	}
}

func TestWhatIsNotCarriedIsSaid(t *testing.T) {
	s := scenetest.Mixed(t, timecode.F25)
	if list := adl.Loses(s); len(list) == 0 {
		t.Error("nothing, though it has picture")
	}
	if _, err := adl.Write(s); err != nil {
		t.Fatal(err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(foreign))
	f.Add([]byte("<ADL>\n<SEQUENCE>\n(Rem) RATE \"30000/1001 DROP\"\n</SEQUENCE>\n</ADL>\n"))
	format := interchange.Format{Read: adl.Read, Write: adl.Write}
	f.Fuzz(func(t *testing.T, raw []byte) { formattest.Feed(t, format, raw) })
}
