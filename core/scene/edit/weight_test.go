package edit_test

import (
	"fmt"
	"strings"
	"testing"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// tooLarge is a scene that a newer bound would not let become so large.
func tooLarge(t *testing.T) *scene.Scene {
	t.Helper()
	s := scenetest.Must(t, scene.New("large", timecode.F25, 48000), &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", URL: "a.wav", Samples: 48000, Channels: 1}})
	note, track := strings.Repeat("x", limit.Notes), *s.Tracks[0]
	for i := range limit.SceneFileBytes / (6 * limit.Notes) {
		track.Clips = append(track.Clips, scene.Clip{ID: scene.ClipID(fmt.Sprint("n", i)), Source: "a",
			Start: int64(i) * 100, Length: 100, Name: "n", Note: note})
	}
	s.Tracks = []*scene.Track{&track}
	return s
}

// A scene that is too large for a scene file may become smaller.
func TestALargeSceneMayBecomeSmaller(t *testing.T) {
	if _, err := edit.Apply(tooLarge(t), &edit.Remove{Clips: []scene.ClipID{"n3"}}); err != nil {
		t.Errorf("a clip less: %v", err)
	}
}

// refusedAsTooLarge is the refusal of what makes a scene larger that is too large.
func refusedAsTooLarge(t *testing.T) [2]string {
	s := tooLarge(t)
	e := &edit.AddMarker{Name: "m"}
	_, err := edit.Apply(s, e)
	if err == nil {
		t.Fatal("a marker more was taken")
	}
	return [2]string{edit.Message(err), "The scene would be too large for a scene file (142 MB, 128 MB are the most). " +
		"Part it into two scenes."}
}
