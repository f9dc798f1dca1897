package edit_test

import (
	"fmt"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
)

// two is a scene of two clips that touch, with two seconds of handle on both sides of their cut.
func two() *scene.Scene {
	s := scene.New("two", timecode.F25, 48000)
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a", Name: "Oda", Samples: 480000, Channels: 1}},
		&edit.AddTrack{Name: "Dialogue", Purpose: "dialogue"},
		&edit.Add{Track: "t1", Source: "a", Name: "Oda", In: 96000, Length: 96000},
		&edit.Add{Track: "t1", Source: "a", Name: "Pell", In: 288000, Start: 96000, Length: 96000},
	} {
		next, err := edit.Apply(s, e)
		if err != nil {
			panic(err)
		}
		s = next
	}
	return s
}

// An edit gives another scene; the one before stays as it was.
func ExampleApply() {
	s := two()
	e := &edit.Trim{Clip: "c3", Edge: "head", To: 96000 + 6*1920, Close: true}
	after, err := edit.Apply(s, e)
	if err != nil {
		fmt.Println(edit.Message(err))
		return
	}
	fmt.Println(edit.Describe(s, after, e))
	fmt.Println(s.Length(), after.Length())
	// Output:
	// head of Pell 6 frames shorter, closed up; scene 6 frames shorter
	// 192000 180480
}

// What cannot be done says what is missing, and what would work.
func ExampleMessage() {
	_, err := edit.Apply(
		two(),
		&edit.SetBlend{Left: "c2", Right: "c3", Before: 60 * 1920, After: 2 * 1920, Law: blend.ConstantPower},
	)
	fmt.Println(strings.NewReplacer(" What", "\nWhat", "; the same", ";\nthe same").Replace(edit.Message(err)))
	// Output:
	// Only 50 frames before and 50 frames after the cut are free; the rest is taken by the next blend or the clip's end.
	// What would work: a blend of 52 frames, 50 frames before and 2 frames after;
	// the same length leaning onto Pell, 50 frames before the cut.
}

// Edits travel as JSON.
func ExampleParse() {
	e, err := edit.Parse([]byte(`{"edit":"gain","clips":["c2"],"db":-3}`))
	if err != nil {
		fmt.Println(err)
		return
	}
	after, err := edit.Apply(two(), e)
	fmt.Println(after.Tracks[0].Clips[0].GainDB, err)
	// Output: -3 <nil>
}
