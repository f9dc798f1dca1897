package notes_test

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/audit/notes"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

func put(t *testing.T, s *scene.Scene, seam audit.SeamID, clip scene.ClipID, at, length int64) notes.Place {
	t.Helper()
	p, err := notes.NewPlace(s, seam, clip, at, length)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// A remark stays with what it was put on, however the scene is edited, and is where it was when that is gone.
func TestRemarksStayWithWhatTheyAreOn(t *testing.T) {
	s := scene.New("s", timecode.F25, 48000)
	s = scenetest.Must(t, s,
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 10_000_000, Channels: 1}},
		&edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.Add{Track: "t1", Source: "a", In: 48000, Length: 96000},
		&edit.Add{Track: "t1", Source: "a", In: 480000, Start: 96000, Length: 96000},
		&edit.Add{Track: "t1", Source: "a", In: 900000, Start: 240000, Length: 96000},
	)
	clips := s.Tracks[0].Clips
	cut := audit.CutID(clips[0].ID, clips[1].ID)
	on := map[string]notes.Place{
		"seam":     put(t, s, cut, "", 0, 0),
		"clip":     put(t, s, "", clips[2].ID, 250000, 0),
		"moment":   put(t, s, "", "", 100000, 0),
		"range":    put(t, s, "", "", 250000, 48000),
		"in a gap": put(t, s, "", "", 200000, 0),
	}
	where := func(s *scene.Scene, what string, want int64, there bool) {
		t.Helper()
		if span, is := notes.SpanOf(s, on[what]); span.From != want || is != there {
			t.Errorf("%s lies at %d, %v; want %d, %v", what, span.From, is, want, there)
		}
	}
	for what, at := range map[string]int64{"seam": 96000, "clip": 250000, "moment": 100000, "range": 250000,
		"in a gap": 200000} {
		where(s, what, at, true)
	}
	// One second goes from the tail of the first clip, and all that follows closes up.
	closed := scenetest.Must(t, s, &edit.Trim{Clip: clips[0].ID, Edge: scene.Tail, To: 48000, Close: true})
	for what, at := range map[string]int64{"seam": 48000, "clip": 202000, "moment": 52000, "range": 202000} {
		where(closed, what, at, true)
	}
	if span, _ := notes.SpanOf(closed, on["range"]); span.Len() != 48000 {
		t.Errorf("the range is %d long now", span.Len())
	}
	gone := scenetest.Must(t, s, &edit.Remove{Clips: []scene.ClipID{clips[1].ID}})
	where(gone, "seam", 96000, false)
	where(gone, "moment", 100000, false)
	where(gone, "clip", 250000, true)
	if _, err := notes.NewPlace(gone, cut, "", 0, 0); !errors.Is(err, notes.ErrNowhere) {
		t.Errorf("a remark on a seam that is gone: %v", err)
	}
	if _, err := notes.NewPlace(gone, "", clips[1].ID, 0, 0); !errors.Is(err, notes.ErrNowhere) {
		t.Errorf("a remark on a clip that is gone: %v", err)
	}
}

// Remarks lie within scenes that are edited at random, and come back from markers as they were.
func TestRemarksGoThroughMarkers(t *testing.T) {
	for seed := range uint64(200) {
		rng := rand.New(rand.NewPCG(seed, 7))
		s := scenetest.Mixed(t, timecode.F25)
		var list []notes.Remark
		for _, x := range audit.Find(s) {
			list = append(list, notes.Remark{Place: put(t, s, x.ID, "", 0, 0), Text: "too loud", Who: "Liv", Open: true,
				Answers: []notes.Remark{{Text: "softer now"}}})
		}
		list = append(
			list,
			notes.Remark{Place: put(t, s, "", "", rng.Int64N(s.Length()), 4800), Text: "here", Settled: "Ada"},
		)
		for range 6 {
			if next, err := edit.Apply(s, scenetest.Random(s, rng)); err == nil {
				s = next
			}
		}
		for _, r := range list {
			if span, _ := notes.SpanOf(s, r.Place); span.From < 0 {
				t.Fatalf("seed %d: a remark lies at %d", seed, span.From)
			}
		}
		marked, err := notes.WithMarkers(s, list)
		if err != nil || len(marked.Markers) != len(s.Markers)+len(list) {
			t.Fatalf("seed %d: %d markers, %v", seed, len(marked.Markers), err)
		}
		raw, err := json.Marshal(marked.Markers)
		if err != nil {
			t.Fatal(err)
		}
		read := *marked
		read.Markers = nil
		if err := json.Unmarshal(raw, &read.Markers); err != nil {
			t.Fatal(err)
		}
		bare, again := notes.TakeMarkers(&read)
		if len(again) != len(list) || len(bare.Markers) != len(s.Markers) {
			t.Fatalf("seed %d: %d remarks of %d, %d markers", seed, len(again), len(list), len(bare.Markers))
		}
		for i, r := range again {
			was, _ := notes.SpanOf(s, list[i].Place)
			now, _ := notes.SpanOf(bare, r.Place)
			if was != now || r.Text != list[i].Text || r.Who != list[i].Who || len(r.Answers) != len(list[i].Answers) {
				t.Fatalf("seed %d: %+v at %v came back as %+v at %v", seed, list[i], was, r, now)
			}
		}
	}
}
