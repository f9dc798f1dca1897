package edit_test

import (
	"fmt"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/recipe"
	"blendseam/internal/scenetest"
)

// What one scene becomes another by is an edit, which the log can hold and undo takes back.
func TestASceneBecomesAnother(t *testing.T) {
	s := takes(t)
	first := s.Tracks[1].Clips[0]
	other := scenetest.Must(t, s,
		&edit.Gain{Clips: []scene.ClipID{first.ID}, DB: -3},
		&edit.AddTrack{Name: "More", Purpose: scene.ForMusic},
		&edit.AddMarker{At: 48000, Name: "there"},
		&edit.Trim{Clip: first.ID, Edge: scene.Head, To: first.Start + 9600})
	now := scenetest.Must(t, s, edit.NewMerge(s, other, "from a friend"))
	if string(bits(t, now)) != string(bits(t, other)) {
		t.Errorf("it has become\n%s\nnot\n%s", bits(t, now), bits(t, other))
	}
	if words := edit.Describe(s, now, edit.NewMerge(s, other, "from a friend")); words[:13] != "from a friend" {
		t.Errorf("it says %q", words)
	}
}

func refusedMerges(t *testing.T) (list [][2]string) {
	s := takes(t)
	says := func(want string, change func(e *edit.Merge, rest *edit.Rest)) {
		e := edit.NewMerge(s, scenetest.Must(t, s, &edit.AddMarker{At: 0, Name: "m"}), "")
		change(e, e.Rest)
		got := "it was done"
		if _, err := edit.Apply(s, e); err != nil {
			got = edit.Message(err)
		}
		list = append(list, [2]string{got, want})
	}
	sound := *s.Tracks[1]
	lost := fmt.Sprintf("Stretch 1 of what is kept aside, track %s: clip %s has length 0", sound.Name, sound.Clips[0].Name)
	says("The other version cannot be: it has 3 channels, and 1 marker.",
		func(_ *edit.Merge, r *edit.Rest) { r.Channels = 3 })
	says("Stretch 1 of what is kept aside has no length, or lies nowhere.",
		func(_ *edit.Merge, r *edit.Rest) { r.Aside = []*scene.Aside{nil} })
	says(lost, func(_ *edit.Merge, r *edit.Rest) {
		c := sound.Clips[0]
		c.Length = 0
		r.Aside = []*scene.Aside{{Length: 10, Tracks: []*scene.Track{{ID: sound.ID, Name: sound.Name, Kind: scene.Sound,
			Clips: []scene.Clip{c}}}}}
	})
	says("The other version has another recording under the name of Oda.", func(e *edit.Merge, _ *edit.Rest) {
		src := s.Sources["o"]
		src.Samples++
		e.Sources = []scene.Source{src}
	})
	says("The copied piece is damaged at room.", func(e *edit.Merge, _ *edit.Rest) {
		e.Sources = []scene.Source{{ID: "tone-1", Name: "room", Samples: 5,
			Tone: &recipe.Tone{Left: []recipe.Material{{Source: "o", To: 48000}}}}}
	})
	says("The other version has a track that cannot be, or one twice.",
		func(e *edit.Merge, _ *edit.Rest) { e.Tracks = []*scene.Track{{ID: "t9", Kind: "light"}} })
	says("The other version has a track that cannot be, or one twice.", func(e *edit.Merge, _ *edit.Rest) {
		e.Tracks = []*scene.Track{{ID: "t9", Kind: scene.Sound, Purpose: "</style>"}}
	})
	says(sound.Clips[0].Name+" shows a recording that the scene does not have.", func(e *edit.Merge, _ *edit.Rest) {
		own := sound
		own.Clips = []scene.Clip{sound.Clips[0]}
		own.Clips[0].Source = "nowhere"
		e.Tracks = []*scene.Track{&own}
	})
	says(`The other version has no track "t77", or has it twice.`,
		func(e *edit.Merge, _ *edit.Rest) { e.Order = append(e.Order, "t77") })
	says("The other version has the clip "+sound.Clips[0].Name+" twice.", func(e *edit.Merge, _ *edit.Rest) {
		own := sound
		own.ID, own.Blends = "t99", nil
		e.Order, e.Tracks = append(e.Order, own.ID), []*scene.Track{&own}
	})
	says("The other version has the marker m twice, or where nothing can be.",
		func(_ *edit.Merge, r *edit.Rest) { r.Markers = append(r.Markers, r.Markers...) })
	yes := true
	locked := scenetest.Must(t, s, &edit.SetTrack{Track: sound.ID, Locked: &yes})
	own := *locked.Tracks[1]
	own.Clips = own.Clips[:1]
	own.Blends = nil
	e := edit.NewMerge(locked, locked, "")
	e.Tracks = []*scene.Track{&own}
	_, err := edit.Apply(locked, e)
	return append(list, [2]string{edit.Message(err),
		"Track " + sound.Name + " is locked. What would work: unlock track " + sound.Name + "."})
}
