package scene_test

import (
	"strings"
	"testing"

	"blendseam/core/blend"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/scene/scenetest"
)

func TestAPlanSaysWhatIsDoneShortenedAndRefusedAndIsDoneAsOneEdit(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(t, s, &scene.Slip{Clip: snd[1], By: -10 * fr}) // Pell has no handle at its head then
	all := pcm.Span{To: s.Length()}
	style := scene.Style{Name: "long", Law: blend.ConstantGain, Frames: 30, Lean: -1}
	list := scene.Plan(s, style, all, nil, scene.PlainCuts)
	if len(list) != 2 || list[0].Will != "refused" || list[0].Edit != nil ||
		!strings.Contains(list[0].Words, "Pell reaches only 0 frames before the cut") ||
		list[1].Will != "done" ||
		list[1].Words != "30 frames" {
		t.Fatalf("%+v", list)
	}
	style.Lean = 0
	list = scene.Plan(s, style, all, nil, scene.EveryCut)
	if list[0].Will != "shortened" || list[0].Words != "15 frames: Pell reaches only 0 frames before the cut" {
		t.Errorf("%+v", list[0])
	}
	var edits []scene.Edit
	for _, p := range list {
		edits = append(edits, p.Edit.Edit)
	}
	blended := scenetest.Must(t, s, scene.InOrder("all blended", edits...))
	if b := blended.Tracks[1].Blends; len(b) != 2 || b[0].Before != 0 || b[0].After != 15*fr ||
		b[1].Law != blend.ConstantGain {
		t.Errorf("%+v", b)
	}
	if n := len(scene.Plan(blended, style, all, nil, scene.PlainCuts)); n != 0 {
		t.Errorf("%d plain cuts are left", n)
	}
	off := scene.Plan(blended, style, pcm.Span{From: 150 * fr, To: 250 * fr}, []scene.TrackID{"t2"}, scene.TakeOff)
	if len(off) != 1 || off[0].At != 200*fr {
		t.Fatalf("%+v", off)
	}
	if plain := scenetest.Must(t, blended, off[0].Edit.Edit); len(plain.Tracks[1].Blends) != 1 {
		t.Errorf("%+v", plain.Tracks[1].Blends)
	}
}

// Pulled together, the clips overlap by the blend: the scene gets shorter by it, picture and all, and says so.
func TestPullingTogetherShortensTheSceneByTheBlend(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	e := &scene.SetBlend{Left: snd[0], Right: snd[1], Before: 3 * fr, After: 3 * fr, Law: blend.ConstantPower, Pull: true}
	then := scenetest.Must(t, s, e)
	if by := at(s, pic[2])[1] - at(then, pic[2])[1]; by != 6 {
		t.Errorf("the picture ends %d frames earlier, want 6", by)
	}
	if w := scene.Describe(
		s,
		then,
		e,
	); !strings.HasPrefix(
		w,
		"Oda to Pell pulled together and blended over 6 frames, Constant power",
	) {
		t.Error(w)
	}
	if b := then.Tracks[1].Blends[0]; b.Before != 3*fr || b.After != 3*fr {
		t.Errorf("%+v", b)
	}
}

func TestStylesThatMakeNoSenseAreRefused(t *testing.T) {
	good := scene.Style{Name: "a", Law: blend.Matched, MS: 40}
	if err := good.Check(); err != nil {
		t.Error(err)
	}
	for _, bad := range []scene.Style{{Law: blend.Matched, MS: 4}, {Name: "a", Law: "glue", MS: 4},
		{Name: "a", Law: blend.Matched}, {Name: "a", Law: blend.Matched, MS: 4, Frames: 4},
		{Name: "a", Law: blend.Matched, MS: 4, Lean: 2}} {
		if bad.Check() == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}
