package edit_test

import (
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/internal/scenetest"
)

// Pulled together, the clips overlap by the blend: the scene gets shorter by it, picture and all, and says so.
func TestPullingTogetherShortensTheSceneByTheBlend(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	e := &edit.SetBlend{Left: snd[0], Right: snd[1], Before: 3 * fr, After: 3 * fr, Law: blend.ConstantPower, Pull: true}
	then := scenetest.Must(t, s, e)
	if by := at(s, pic[2])[1] - at(then, pic[2])[1]; by != 6 {
		t.Errorf("the picture ends %d frames earlier, want 6", by)
	}
	if w := edit.Describe(
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
