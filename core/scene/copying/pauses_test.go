package copying_test

import (
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/copying"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// A piece that is pasted where nobody speaks is silent over every word, with soft edges, and nowhere else.
func TestAPasteIsHeardOnlyWhereNobodySpeaks(t *testing.T) {
	s := scene.New("x", timecode.F2997D, 48000)
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "FX", Purpose: scene.ForEffects},
		&edit.Bring{Source: scene.Source{ID: "a", Name: "birds", URL: "a", Samples: 960000, Channels: 1}},
		&edit.Add{Track: "t1", Source: "a", Start: 0, Length: 480000})
	piece, _, err := edit.Copy(s, pcm.Span{To: 480000}, []scene.TrackID{"t1"})
	if err != nil {
		t.Fatal(err)
	}
	paste := &edit.Paste{Clipboard: piece, At: 960000, How: scene.Over}
	words := []pcm.Span{{From: 1000000, To: 1040000}, {From: 1050000, To: 1090000}, {From: 1300000, To: 1340000}}
	e, err := copying.InPauses(s, paste, words)
	if err != nil {
		t.Fatal(err)
	}
	next := scenetest.Must(t, s, e)
	clips := next.Tracks[0].Clips
	c := clips[len(clips)-1]
	if len(clips) != 2 || len(c.Lulls) != 2 {
		t.Fatalf("%d clips, %d soft silences", len(clips), len(c.Lulls))
	}
	for _, w := range words {
		covered := false
		for _, l := range c.Lulls {
			on := c.LullSpan(l)
			covered = covered || on.From+l.FadeIn <= w.From && on.To-l.FadeOut >= w.To
		}
		if !covered {
			t.Errorf("it is heard under the word at %d: %+v", w.From, c.Lulls)
		}
	}
	if words := edit.Describe(s, next, e); !strings.Contains(words, "silent under 2 stretches of words") {
		t.Error(words)
	}
	if e, err := copying.InPauses(s, paste, nil); err != nil || e != edit.Edit(paste) {
		t.Errorf("where nobody speaks at all: %v %v", e, err)
	}
	if _, err := copying.InPauses(s, paste, []pcm.Span{{From: 0, To: 2000000}}); err == nil ||
		!strings.Contains(err.Error(), "all the time") {
		t.Errorf("where somebody speaks all the time: %v", err)
	}
}
