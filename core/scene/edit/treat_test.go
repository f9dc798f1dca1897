package edit_test

import (
	"reflect"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/internal/scenetest"
)

func compressor(ratio float64) *effects.Chain {
	return &effects.Chain{
		Compressor: &effects.Compressor{ThresholdDB: -20, Ratio: ratio, AttackMS: 5, ReleaseMS: 100},
	}
}

// A range treats what lies in it on the tracks that are named, and nothing else: clips are divided at its ends, and
// what is the same recording on both sides goes over with constant gain. Links and places stay.
func TestARangeIsTreatedBetweenSlopes(t *testing.T) {
	s := takes(t)
	e := &edit.TreatRange{Tracks: []scene.TrackID{"t2"}, From: 50 * fr, To: 150 * fr, Slope: 2 * fr,
		Treatments: compressor(3), GainDB: -2}
	after := scenetest.Must(t, s, e)
	track := after.Track("t2")
	var treated []bool
	for _, c := range track.Clips {
		treated = append(treated, c.Treatments != nil && c.GainDB == -2)
	}
	if !reflect.DeepEqual(treated, []bool{false, true, true, false, false}) {
		t.Fatalf("treated are %v", treated)
	}
	if len(track.Blends) != 2 {
		t.Fatalf("%d slopes", len(track.Blends))
	}
	for _, b := range track.Blends {
		if b.Before != fr || b.After != fr || b.Law != blend.ConstantGain {
			t.Errorf("a slope is %+v", b)
		}
	}
	if after.Length() != s.Length() || !reflect.DeepEqual(after.Track("t1"), s.Track("t1")) {
		t.Error("the picture or the length of the scene changed")
	}
	for _, c := range track.Clips {
		if c.Link == "" {
			t.Errorf("%s is linked no more", c.Name)
		}
	}
	want := "track Voices from 01:00:02:00 to 01:00:06:00: treated with a compressor, -2 dB"
	if got := edit.Describe(s, after, e); !strings.HasPrefix(got, want) {
		t.Errorf("the history reads %q", got)
	}
	like := scenetest.Must(t, s, &edit.TreatRange{Tracks: []scene.TrackID{"t2"}, From: 50 * fr, To: 90 * fr,
		Slope: fr, Like: &eq.Like{ThirdsDB: make([]float64, eq.Thirds), GainDB: 2, As: "Pell"}})
	if c := like.Track("t2").Clips[1]; c.Like == nil || like.Track("t2").Clips[0].Like != nil {
		t.Error("the range is not brought near another voice, or more than it is")
	}
	if _, err := edit.Apply(s, &edit.TreatRange{Tracks: []scene.TrackID{"t1"}, To: 9 * fr, GainDB: 1}); err == nil {
		t.Error("a picture track was treated")
	}
}

// What is joined across tracks cannot hold what a track does to the sum of all its clips.
func TestATreatedTrackIsNotJoinedWithOthers(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	tune := s.Tracks[2].Clips[0].ID
	s = scenetest.Must(t, s, &edit.SetTreatments{Tracks: []scene.TrackID{"t2"}, Treatments: compressor(2)})
	_, err := edit.PlanJoin(s, []scene.ClipID{snd[0], tune})
	want := "Track Voices is treated as a whole, as the sum of its clips. Join clips of that track alone."
	if err == nil || !strings.HasPrefix(edit.Message(err), want) {
		t.Fatalf("joining says: %v", err)
	}
	alternative := err.(edit.Refusal).Alternatives()[0]
	if alternative.Words != "take its treatments off" {
		t.Errorf("it offers to %s", alternative.Words)
	}
	if _, err := edit.PlanJoin(scenetest.Must(t, s, alternative.Edit), []scene.ClipID{snd[0], tune}); err != nil {
		t.Errorf("without its treatments: %v", err)
	}
	if j, err := edit.PlanJoin(s, snd[:2]); err != nil || j.Scene.Track("t2").Treatments != nil {
		t.Errorf("clips of one track are joined as they sound before the track treats them: %v", err)
	}
}
