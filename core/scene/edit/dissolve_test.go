package edit_test

import (
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/internal/scenetest"
)

// A dissolve lies in the picture alone: sound, places and lengths stay; it rolls with its cut and goes where that goes.
func TestAPictureDissolvesWithoutItsSound(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	e := &edit.Dissolve{Left: pic[0], Right: pic[1], Before: 6, After: 6}
	after := scenetest.Must(t, s, e)
	if b := after.Tracks[0].Blend(pic[0], pic[1]); b == nil || b.Before != 6 || b.After != 6 {
		t.Fatalf("the dissolve is %+v", b)
	}
	if after.Tracks[1] != s.Tracks[1] || after.Length() != s.Length() {
		t.Error("the sound changed")
	}
	if got := edit.Describe(s, after, e); got != "picture dissolves from Oda to Pell over 12 frames" {
		t.Errorf("the history reads %q", got)
	}
	rolled := scenetest.Must(t, after, &edit.Roll{Left: snd[0], Right: snd[1], To: 103 * fr})
	if b := rolled.Tracks[0].Blend(pic[0], pic[1]); b == nil || b.Before != 6 {
		t.Errorf("rolled, the dissolve is %+v", b)
	}
	apart := scenetest.Must(t, after, &edit.Remove{Clips: []scene.ClipID{pic[1], snd[1]}})
	if len(apart.Tracks[0].Blends) != 0 {
		t.Error("the dissolve outlives its cut")
	}
	plain := scenetest.Must(t, after, &edit.Dissolve{Left: pic[0], Right: pic[1]})
	if len(plain.Tracks[0].Blends) != 0 {
		t.Error("it is not taken off")
	}
}

// refusedDissolves are refusals of dissolves that cannot be, with what they are to read.
func refusedDissolves(t *testing.T) (list [][2]string) {
	s := takes(t)
	snd, pic := ids(s)
	for _, x := range []struct {
		e    *edit.Dissolve
		want string
	}{
		{&edit.Dissolve{Left: snd[0], Right: snd[1], Before: 1},
			"Oda is sound, and a dissolve is for picture. Blend the cut instead."},
		{&edit.Dissolve{Left: pic[0], Right: pic[2], Before: 1},
			"Oda and wide do not touch, so there is no cut to dissolve. Move one up to the other first."},
		{&edit.Dissolve{Left: pic[0], Right: pic[1], Before: -1},
			"A dissolve has 0 frames or more on either side of the cut."},
		{&edit.Dissolve{Left: pic[0], Right: pic[1]}, "The picture is cut plain from Oda to Pell already."},
		{&edit.Dissolve{Left: pic[0], Right: pic[1], Before: 15, After: 15},
			"There are 10 frames before and 40 frames after the cut from Oda to Pell to dissolve over. " +
				"What would work: dissolve over 25 frames; begin it on the cut."},
	} {
		_, err := edit.Apply(s, x.e)
		if err == nil {
			t.Errorf("%+v was not refused; want %q", x.e, x.want)
			continue
		}
		list = append(list, [2]string{edit.Message(err), x.want})
	}
	return list
}
