package edit_test

import (
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// overlapping is a scene of three sounds of 100 frames each, the second behind a gap, and the third right after it.
func overlapping(t *testing.T, rate timecode.Rate) *scene.Scene {
	t.Helper()
	s := scene.New("overlap", rate, 48000)
	at := func(f int64) int64 { return rate.SampleOf(f, 48000) }
	list := []edit.Edit{
		&edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
	}
	for i, name := range []string{"a", "b", "c"} {
		src := scene.Source{ID: name, Name: name, URL: name, Samples: at(400), Channels: 1}
		list = append(list, &edit.Bring{Source: src})
		start := at([]int64{0, 110, 210}[i])
		list = append(list, &edit.Add{Track: "t1", Source: src.ID, In: at(100), Start: start, Length: at(200) - at(100)})
	}
	return scenetest.Must(t, s, list...)
}

// The overlap is as long as one asks, lies where both clips sound, and keeps all of both: what was heard of each before
// is heard at the same distance to its own beginning. Linked picture goes along to the frame.
func TestClipsThatOverlapAreBlendedWhereTheyDo(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976} {
		for _, left := range []bool{false, true} {
			for _, closing := range []bool{false, true} {
				if left && closing {
					continue
				}
				base := overlapping(t, rate)
				clips := base.Tracks[0].Clips
				n := rate.SampleOf(12, 48000)
				e := &edit.Overlap{Left: clips[0].ID, Right: clips[1].ID, Length: n, MovesLeft: left, Close: closing,
					Law: blend.ConstantPower}
				s := scenetest.Must(t, base, e)
				l, r := s.Tracks[0].Clips[0], s.Tracks[0].Clips[1]
				b := s.Tracks[0].Blend(l.ID, r.ID)
				if b == nil || b.Before+b.After != n || l.End() != r.Start {
					t.Fatalf("%s, left %v, closing %v: %+v, %d and %d", rate, left, closing, b, l.End(), r.Start)
				}
				// Each is heard from where it was to where it was.
				if l.In != clips[0].In || l.In+l.Length+b.After != clips[0].In+clips[0].Length {
					t.Errorf("%s, left %v, closing %v: the left one is heard to %d", rate, left, closing, l.In+l.Length+b.After)
				}
				if r.In-b.Before != clips[1].In || r.In+r.Length != clips[1].In+clips[1].Length {
					t.Errorf("%s, left %v, closing %v: the right one is heard from %d", rate, left, closing, r.In-b.Before)
				}
				moved := s.Tracks[0].Clips[2].Start - clips[2].Start
				if want := -(clips[1].Start - clips[0].End() + n); closing && moved-want > 2 || !closing && moved != 0 {
					t.Errorf("%s, left %v, closing %v: what follows moves by %d", rate, left, closing, moved)
				}
			}
		}
	}
}

// Linked picture goes along to the frame, and stays in sync.
func TestLinkedClipsOverlapInSync(t *testing.T) {
	base := takes(t)
	snd, pic := ids(base)
	for _, left := range []bool{false, true} {
		s := scenetest.Must(t, base,
			&edit.Overlap{Left: snd[0], Right: snd[1], Length: 9 * fr, MovesLeft: left, Law: blend.ConstantPower})
		for i := range 2 {
			_, c := s.Clip(snd[i])
			_, p := s.Clip(pic[i])
			if c.Start != p.Start*fr || c.Length != p.Length*fr {
				t.Errorf("left %v: sound %d of %d and picture %d of %d", left, c.Start/fr, c.Length/fr, p.Start, p.Length)
			}
		}
		if out := s.Offsets(); len(out) > 0 {
			t.Errorf("left %v: out of sync are %v", left, out)
		}
		if b := s.Tracks[1].Blends; len(b) != 1 || b[0].Before+b[0].After != 9*fr {
			t.Errorf("left %v: blends are %+v", left, b)
		}
	}
}

// Pulling together says and takes exactly what the blend is long: 25 frames, which lie half a frame beside the middle.
func TestPullingTogetherByAnOddNumberOfFrames(t *testing.T) {
	base := overlapping(t, timecode.F25)
	clips := base.Tracks[0].Clips
	at := timecode.F25.SampleOf
	s := scenetest.Must(t, base, &edit.SetBlend{
		Left: clips[1].ID, Right: clips[2].ID, Before: at(25, 48000) / 2, After: at(25, 48000) / 2,
		Law: blend.ConstantPower, Pull: true,
	})
	if by := base.Length() - s.Length(); by != at(25, 48000) {
		t.Errorf("the scene is %d samples shorter, not %d", by, at(25, 48000))
	}
	if b := s.Tracks[0].Blends[0]; b.Before+b.After != at(25, 48000) {
		t.Errorf("the blend is %d long", b.Before+b.After)
	}
}
