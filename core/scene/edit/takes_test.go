package edit_test

import (
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/internal/scenetest"
)

// stacked is takes with Pell and wide as further takes of Oda, in step with it, and Oda's clip.
func stacked(t *testing.T, more ...edit.Edit) (*scene.Scene, scene.ClipID) {
	base := takes(t)
	snd, _ := ids(base)
	return scenetest.Must(t, base, append([]edit.Edit{
		&edit.AddTake{Clip: snd[0], Source: "p", Shift: 20 * fr},
		&edit.AddTake{Clip: snd[0], Source: "w", Shift: 40*fr + 7, Name: "wide again"},
	}, more...)...), snd[0]
}

// Stepping goes through all takes and comes back to the same clip, whatever was done to each meanwhile; the others stay
// in step, and what was done to a take stays with it.
func TestTakesKeepTheirPlaceAndTheirWork(t *testing.T) {
	s, id := stacked(t)
	_, was := s.Clip(id)
	use := func(n int) *edit.UseTake { return &edit.UseTake{Clip: id, Number: n} }
	second := scenetest.Must(t, s, use(2), &edit.Gain{Clips: []scene.ClipID{id}, DB: -3},
		&edit.Slip{Clip: id, By: 2 * fr})
	_, c := second.Clip(id)
	if c.Source != "p" || c.In != 22*fr || c.Takes.Number != 2 || c.GainDB != -3 {
		t.Errorf("take 2 is %+v of %+v", c, c.Takes)
	}
	third := scenetest.Must(t, second, use(3))
	_, c = third.Clip(id)
	if c.Source != "w" || c.In != 42*fr+7 || c.GainDB != 0 || c.Name != "wide again" {
		t.Errorf("take 3 is %+v of %+v", c, c.Takes)
	}
	back := scenetest.Must(t, third, use(2), &edit.Slip{Clip: id, By: -2 * fr}, use(1))
	_, c = back.Clip(id)
	if c.Source != was.Source || c.In != was.In || c.GainDB != was.GainDB || c.Link != was.Link || c.Takes.Number != 1 {
		t.Errorf("take 1 is %+v, was %+v", c, was)
	}
	if words := edit.Describe(s, third, use(3)); words != "take 3, wide again, sounds in place of Oda" {
		t.Errorf("it is told as %q", words)
	}
	dropped := scenetest.Must(t, s, &edit.DropTake{Clip: id, Number: 2}, &edit.DropTake{Clip: id, Number: 3})
	if _, c := dropped.Clip(id); c.Takes != nil {
		t.Errorf("without others it has %+v", c.Takes)
	}
}

// A part may be of another take: its borders are cuts; painted back, the clip is one again.
func TestALineIsComposedOfPiecesOfSeveralTakes(t *testing.T) {
	s, id := stacked(t)
	part := &edit.UseTake{Clip: id, Number: 2, From: 30 * fr, To: 60 * fr}
	two := scenetest.Must(t, s, part)
	clips := two.Tracks[1].Clips
	if len(clips) != 5 || clips[1].Source != "p" || clips[1].In != 50*fr || clips[2].Source != "o" ||
		clips[2].In != 60*fr {
		t.Fatalf("the pieces are %+v", clips[:3])
	}
	three := scenetest.Must(t, two, // over both
		&edit.UseTake{Clip: clips[2].ID, Number: 3, From: 50 * fr, To: 80 * fr})
	if c := three.Tracks[1].Clips; len(c) != 6 || c[1].End() != 50*fr || c[2].Source != "w" || c[2].Length != 30*fr {
		t.Fatalf("the pieces are %+v", c[:4])
	}
	whole := scenetest.Must(t, three, &edit.UseTake{Clip: id, Number: 1, From: 0, To: 100 * fr})
	if c := whole.Tracks[1].Clips; len(c) != 3 || c[0].Length != 100*fr || c[0].ID != id {
		t.Errorf("painted back it is %+v", c)
	}
}

// Blends go on as far as the other take has handles, and each take has its own back.
func TestBlendsAtItsEndsAreEachTakesOwn(t *testing.T) {
	s, id := stacked(t)
	pell := s.Tracks[1].Clips[1].ID
	blended := scenetest.Must(t, s,
		&edit.SetBlend{Left: id, Right: pell, Before: 4 * fr, After: 20 * fr, Law: blend.ConstantPower},
		&edit.UseTake{Clip: id, Number: 2})
	if b := blended.Tracks[1].Blend(id, pell); b == nil || b.After != 10*fr || b.Before != 4*fr {
		t.Errorf("take 2 has %+v", b)
	}
	back := scenetest.Must(t, blended,
		&edit.SetBlend{Left: id, Right: pell, Before: 1 * fr, After: 1 * fr, Law: blend.ConstantGain},
		&edit.UseTake{Clip: id, Number: 1})
	if b := back.Tracks[1].Blend(id, pell); b == nil || b.After != 20*fr || b.Law != blend.ConstantPower {
		t.Errorf("take 1 has %+v again", b)
	}
	again := scenetest.Must(t, back, &edit.UseTake{Clip: id, Number: 2})
	if b := again.Tracks[1].Blend(id, pell); b == nil || b.After != fr || b.Law != blend.ConstantGain {
		t.Errorf("take 2 has %+v again", b)
	}
}

// refusedTakes are refusals of what is done to takes.
func refusedTakes(t *testing.T) (list [][2]string) {
	s, id := stacked(t)
	_, pic := ids(s)
	add := func(source string, shift int64) *edit.AddTake {
		return &edit.AddTake{Clip: id, Source: source, Shift: shift}
	}
	many := s
	for n := range int64(61) {
		many = scenetest.Must(t, many, add("p", n))
	}
	tone := scenetest.Must(t, s, &edit.Bring{Source: scene.Source{ID: "seen", Name: "seen", Frames: 50}})
	short := scenetest.Must(t, takes(t),
		&edit.Bring{Source: scene.Source{ID: "q", Name: "brief", Samples: 88 * fr, Channels: 1}}, add("q", -10*fr))
	damaged, _, err := edit.Copy(s, pcm.Span{To: 100 * fr}, []scene.TrackID{"t2"})
	if err != nil {
		t.Fatal(err)
	}
	track := *damaged.Tracks[0]
	track.Clips = append([]scene.Clip{}, track.Clips...)
	track.Clips[0].Takes = &scene.Takes{Number: 1, Others: []scene.Take{{Number: 1, Source: "p"}}}
	damaged.Tracks = []*scene.Track{&track}
	for _, c := range []struct {
		on   *scene.Scene
		edit edit.Edit
		want string
	}{
		{s, add("nobody", 0), `The scene has no source "nobody"; bring it in first.`},
		{tone, add("seen", 0), "seen is no recording of sound, which a take is."},
		{s, add("p", 9000*fr), "Pell does not reach to where it would lie under Oda."},
		{s, add("p", 20*fr), "That stretch of Pell is a take of Oda already."},
		{s, add("o", 0), "That stretch of Oda is what Oda shows."},
		{many, add("p", 70), "Oda has 65 takes; 2 to 64 are a stack."},
		{s, &edit.Paste{Clipboard: damaged, At: 900 * fr},
			"Take 1 of Oda is of no recording of this scene, or cannot be."},
		{s, &edit.UseTake{Clip: id, Number: 1}, "Take 1 of Oda is the one that sounds."},
		{s, &edit.UseTake{Clip: id, Number: 9},
			"Oda has no take 9; add the range of another recording to it first."},
		{s, &edit.UseTake{Clip: pic[0], Number: 2},
			"Oda has no take 2; add the range of another recording to it first."},
		{short, &edit.UseTake{Clip: id, Number: 2},
			"Take 2, brief, begins 10 frames later and ends 2 frames earlier than Oda. Trim the clip, or let the take " +
				"sound in a part of it. What would work: let it sound where it reaches."},
		{s, &edit.DropTake{Clip: id, Number: 1}, "Take 1 of Oda is the one that sounds."},
	} {
		_, err := edit.Apply(c.on, c.edit)
		if err == nil {
			t.Errorf("%+v was not refused; want %q", c.edit, c.want)
			continue
		}
		list = append(list, [2]string{edit.Message(err), c.want})
	}
	return list
}
