package edl_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	"blendseam/interchange/edl"
	"blendseam/internal/formattest"
	"blendseam/internal/scenetest"
)

// framed is a scene of all that an edit decision list carries: a picture track and up to four of sound, clips on
// frames from sources with a timecode of their own, gaps, blends of every law, fades.
func framed(t *testing.T, rng *rand.Rand, rate timecode.Rate, sampleRate int64) *scene.Scene {
	s := scene.New(fmt.Sprintf("Kiln %d", rng.IntN(1000)), rate, sampleRate)
	s.StartFrame = rng.Int64N(20*3600) * rate.Nominal()
	frame := func(f int64) int64 { return rate.SampleOf(f, sampleRate) }
	var list []edit.Edit
	for i := range 3 {
		id := string(rune('a' + i))
		list = append(list, &edit.Bring{Source: scene.Source{
			ID: id, Name: "take " + id, URL: "take " + id + ".mov", Samples: frame(90000), Frames: 90000, Channels: 1,
			Offset: frame(rng.Int64N(10*3600) * rate.Nominal()),
		}})
	}
	s = scenetest.Must(t, s, list...)
	for n := range 1 + 1 + rng.IntN(4) {
		purpose := scene.Purposes[1+rng.IntN(4)]
		if n == 0 {
			purpose = scene.ForPicture
		}
		s = scenetest.Must(t, s, &edit.AddTrack{Name: fmt.Sprintf("Track, %d", n), Purpose: purpose})
		track := s.Tracks[n]
		s.Tracks[n] = track
		at := rng.Int64N(50)
		time := func(f int64) int64 {
			if purpose == scene.ForPicture {
				return f
			}
			return frame(f)
		}
		for range 1 + rng.IntN(8) {
			length := 30 + rng.Int64N(200)
			c := scene.Clip{ID: scene.NewID(s, scene.AClip), Source: string(rune('a' + rng.IntN(3))), Start: time(at)}
			c.Name = "shot " + string(c.ID)
			c.Length, c.In = time(at+length)-c.Start, time(100+rng.Int64N(80000))
			prev := len(track.Clips) - 1
			touches := prev >= 0 && track.Clips[prev].End() == c.Start
			track.Clips = append(track.Clips, c)
			in := &track.Clips[len(track.Clips)-1]
			if touches && rng.IntN(2) == 0 {
				b := scene.Blend{Left: track.Clips[prev].ID, Right: c.ID, Law: blend.Laws[rng.IntN(len(blend.Laws))].Law}
				before, after := rng.Int64N(12), 1+rng.Int64N(12)
				b.Before, b.After = c.Start-time(at-before), time(at+after)-c.Start
				track.Blends = append(track.Blends, b)
			} else if rng.IntN(3) == 0 {
				in.FadeIn = scene.Fade{Length: time(at+1+rng.Int64N(9)) - c.Start, Curve: blend.Curve{Shape: blend.Straight}}
			}
			at += length
			if rng.IntN(3) == 0 {
				if rng.IntN(2) == 0 {
					in.FadeOut = scene.Fade{Length: in.End() - time(at-1-rng.Int64N(9)), Curve: blend.Curve{Shape: blend.Straight}}
				}
				at += 1 + rng.Int64N(40)
			}
		}
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	return s
}

// told is what of a scene an edit decision list carries, in words.
func told(s *scene.Scene) string {
	var b strings.Builder
	fmt.Fprintln(&b, s.Name, s.Rate, s.SampleRate, s.StartFrame)
	for _, t := range s.Tracks {
		fmt.Fprintln(&b, t.Kind, t.Purpose, t.Name)
		names := map[scene.ClipID]int{}
		for i, c := range t.Clips {
			names[c.ID] = i
			src := s.Sources[c.Source]
			fmt.Fprintln(&b, " ", c.Name, src.URL, c.Start, c.Length, sourceFrame(s, t, c), c.FadeIn.Length, c.FadeOut.Length)
		}
		for _, x := range t.Blends {
			fmt.Fprintln(&b, "  blend", names[x.Left], names[x.Right], x.Before, x.After, x.Law)
		}
	}
	return b.String()
}

// sourceFrame is the frame of a clip's source timecode, which is what a list counts.
func sourceFrame(s *scene.Scene, t *scene.Track, c scene.Clip) int64 {
	at := c.In + s.Unit(t, s.Sources[c.Source].Offset)
	if t.Kind == scene.Picture {
		return at
	}
	return s.Rate.Nearest(at, s.SampleRate)
}

// What is written is read back as it was, as far as a list carries it, at every rate.
func TestAWrittenListIsReadBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(18, 258))
	for n := range 200 {
		rate := timecode.Rates[n%len(timecode.Rates)]
		sampleRate := []int64{48000, 44100, 96000}[n%3]
		s := framed(t, rng, rate, sampleRate)
		raw, err := edl.Write(s)
		if err != nil {
			t.Fatal(err)
		}
		if lost := edl.Loses(s); len(lost) > 0 {
			t.Errorf("%d: it says that it loses %v", n, lost)
		}
		again, warnings, err := edl.Read(raw, interchange.Hints{})
		if err != nil || len(warnings) > 0 {
			t.Fatalf("%d, %s: %v %v\n%s", n, rate, err, warnings, raw)
		}
		if a, b := told(s), told(again); a != b {
			t.Fatalf("%d, %s: was\n%s\nis\n%s\nby\n%s", n, rate, a, b, raw)
		}
	}
}

// A list by another hand, in the columns of the published descriptions (from memory): cuts on picture and sound
// together, a split, a dissolve, a fade to nothing, channels 3 and 4, a change of speed, drop-frame, comments.
const foreign = `TITLE: REEL FOUR
FCM: DROP FRAME

001  TAKE01   B     C        10:00:00;00 10:00:05;00 01:00:00;00 01:00:05;00
* FROM CLIP NAME: ODA AT THE KILN
SPLIT:    AUDIO DELAY=  00:00:00;10
002  TAKE02   AA/V  C        11:00:00;00 11:00:04;00 01:00:05;00 01:00:09;00
AUD   3    4
003  TAKE02   V     C        11:00:04;00 11:00:04;00 01:00:09;00 01:00:09;00
003  TAKE01   V     D    015 10:01:00;02 10:01:03;02 01:00:09;00 01:00:12;00
* FROM CLIP NAME: PELL
* TO CLIP NAME: ODA AGAIN
004  TAKE01   V     C        10:01:03;02 10:01:03;02 01:00:12;00 01:00:12;00
004  BL       V     D    030 00:00:00;00 00:00:01;00 01:00:12;00 01:00:13;00
005  TAKE03   V     C        00:00:10;00 00:00:14;00 01:00:20;00 01:00:22;00
M2   TAKE03       059.9                00:00:10;00
SOME PROGRAM WROTE THIS
`

func TestAListByAnotherHandIsRead(t *testing.T) {
	s, warnings, err := edl.Read([]byte(foreign), interchange.Hints{})
	if err != nil {
		t.Fatal(err)
	}
	if s.Rate != timecode.F2997D || s.Name != "REEL FOUR" || s.StartFrame != 107892 || len(s.Tracks) != 5 {
		t.Fatalf("it is %s at %s from %d, with %d tracks", s.Name, s.Rate, s.StartFrame, len(s.Tracks))
	}
	v, a1, a4 := s.Tracks[0], s.Tracks[1], s.Tracks[4]
	if len(v.Clips) != 4 || v.Clips[0].Name != "ODA AT THE KILN" || v.Clips[2].Name != "ODA AGAIN" ||
		v.Clips[2].Start != 270 || v.Clips[2].Length != 90+30 || v.Clips[2].FadeOut.Length != 30 {
		t.Errorf("the picture is %+v", v.Clips)
	}
	if len(v.Blends) != 1 || v.Blends[0].Before != 0 || v.Blends[0].After != 15 {
		t.Errorf("its blends are %+v", v.Blends)
	}
	// The sound of event 2 begins ten frames later than its picture, at the source's same moment.
	if len(a1.Clips) != 2 || a1.Clips[1].Start != s.Rate.SampleOf(150+10, 48000) ||
		a1.Clips[1].End() != s.Rate.SampleOf(270, 48000) || len(a4.Clips) != 1 {
		t.Errorf("the sound is %+v and %+v", a1.Clips, a4.Clips)
	}
	all := strings.Join(warnings, "\n")
	for _, want := range []string{`line 17, "SOME PROGRAM WROTE THIS"`, "line 15: TAKE03 runs at another speed"} {
		if !strings.Contains(all, want) {
			t.Errorf("it does not say %q, but %q", want, all)
		}
	}
}

// Every malformed line is refused with its number.
func TestMalformedLinesAreRefusedWithTheirNumber(t *testing.T) {
	good := "001  TAKE01   V     C        10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00"
	for _, bad := range []string{
		"001  TAKE01   V     C        10:00:00:00 10:00:05:00 01:00:00:00",
		"001  TAKE01   X     C        10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     D        10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     D    500 10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     C    012 10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     C        10:00:00:99 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     C        1:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     C        10:00:05:00 10:00:00:00 01:00:00:00 01:00:05:00",
		"001  TAKE01   V     C        10:00:00:00 10:00:05:00 01:00:00:00 01000:05:00",
		"001  TAKE01   V     Z        10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00",
		"FCM: SOMETIMES", "AUD   7", "M2   TAKE01   fast   00:00:00:00", "M2   OTHER   012.5   00:00:00:00",
		"SPLIT:    AUDIO DELAY=  soon", "* BLEND: 3 AFTER", "* FRAME RATE: 24.5", "* SAMPLE RATE: many", "* START: noon",
	} {
		raw := "TITLE: X\n" + good + "\n" + bad + "\n"
		_, _, err := edl.Read([]byte(raw), interchange.Hints{})
		if err == nil || !strings.HasPrefix(err.Error(), "line 3: ") || strings.Contains(err.Error(), "\n") {
			t.Errorf("%q: %v", bad, err)
		}
	}
	over := good + "\n002  TAKE01   V     C        10:00:00:00 10:00:05:00 01:00:04:00 01:00:09:00\n"
	if _, _, err := edl.Read([]byte(over), interchange.Hints{}); err == nil || !strings.HasPrefix(err.Error(),
		"line 2: ") {
		t.Errorf("an overlap: %v", err)
	}
	for _, raw := range []string{"", "hello\n", "TITLE: X\n", "{}"} {
		if _, _, err := edl.Read([]byte(raw), interchange.Hints{}); err == nil || !strings.Contains(err.Error(),
			"no edit decision list") {
			t.Errorf("%q: %v", raw, err)
		}
	}
}

// A list that counts more frames than its scene's rate has is refused; without a scene the rate follows from what it
// counts.
func TestTheRateOfAListFollowsFromWhatItCounts(t *testing.T) {
	line := func(frame string) []byte {
		return []byte("001  A  V  C  00:00:00:" + frame + " 00:00:01:" + frame + " 01:00:00:00 01:00:01:00\n")
	}
	for frame, want := range map[string]timecode.Rate{
		"24": timecode.F25, "29": timecode.F2997, "49": timecode.F50, "59": timecode.F60, "23": timecode.F25,
	} {
		s, warnings, err := edl.Read(line(frame), interchange.Hints{})
		if err != nil || s.Rate != want || frame == "23" && len(warnings) != 1 {
			t.Errorf("up to frame %s: %v %v", frame, s, err)
		}
	}
	if s, _, err := edl.Read(line("23"), interchange.Hints{Rate: timecode.F24}); err != nil || s.Rate != timecode.F24 {
		t.Error(err)
	}
	if _, _, err := edl.Read(line("24"), interchange.Hints{Rate: timecode.F24}); err == nil {
		t.Error("frame 24 of 24 a second is taken")
	}
}

// A source may run over midnight.
func TestASourceRunsOverMidnight(t *testing.T) {
	raw := []byte("001  A  V  C  23:59:58:00 00:00:02:00 01:00:00:00 01:00:04:00\n")
	s, _, err := edl.Read(raw, interchange.Hints{Rate: timecode.F25})
	if err != nil || s.Tracks[0].Clips[0].Length != 100 || len(s.Tracks[0].Clips[0].Foreign) > 0 {
		t.Errorf("%+v, %v", s, err)
	}
}

// So may the list itself, within an event and between two.
func TestAListRunsOverMidnight(t *testing.T) {
	raw := []byte("001  A  V  C  10:00:00:00 10:00:04:00 23:59:58:00 00:00:02:00\n" +
		"002  B  V  C  10:00:00:00 10:00:01:00 00:00:02:00 00:00:03:00\n")
	s, _, err := edl.Read(raw, interchange.Hints{Rate: timecode.F25})
	if err != nil {
		t.Fatal(err)
	}
	c := s.Tracks[0].Clips
	if len(c) != 2 || c[0].Length != 100 || c[1].Start != c[0].End() || c[1].Length != 25 {
		t.Errorf("%+v", c)
	}
	again, err := edl.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	back, _, err := edl.Read(again, interchange.Hints{})
	if err != nil || len(back.Tracks[0].Clips) != 2 || back.Length() != s.Length() {
		t.Errorf("%+v, %v\n%s", back, err, again)
	}
	late := []byte("001  A  V  C  10:00:00:00 10:00:04:00 41:00:00:00 41:00:04:00\n")
	if _, _, err := edl.Read(late, interchange.Hints{Rate: timecode.F25}); err == nil {
		t.Error("hour 41 is taken")
	}
}

// What a scene holds that no list carries is said, kind by kind, before it is written.
func TestWhatIsNotCarriedIsSaid(t *testing.T) {
	s := scenetest.Mixed(t, timecode.F25)
	list := edl.Loses(s)
	for _, what := range list {
		if strings.Contains(what, "%!") || what == "" {
			t.Errorf("it says %q", what)
		}
	}
	if _, err := edl.Write(s); err != nil {
		t.Fatal(err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(foreign))
	f.Add([]byte("001  TAKE01   AA/V  C        10:00:00:00 10:00:05:00 01:00:00:00 01:00:05:00\n" +
		"M2 TAKE01 12.5 10:00:00:00\n"))
	f.Add([]byte("* FRAME RATE: 30000/1001 DROP\n* START: 01:00:00;00\n* TRACK A1: music, Tune\n"))
	format := interchange.Format{Read: edl.Read, Write: edl.Write}
	f.Fuzz(func(t *testing.T, raw []byte) { formattest.Feed(t, format, raw) })
}
