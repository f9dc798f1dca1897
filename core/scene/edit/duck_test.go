package edit_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/scenetest"
)

// A range's slopes go into the nearest pause where they would lie over words that are known, and stay where none is
// near.
func TestSlopesLieInPausesWhereThereAreWords(t *testing.T) {
	s := takes(t)
	oda := s.Tracks[1].Clips[0]
	at := func(word pcm.Span) pcm.Span { return word.Add(oda.In - oda.Start) }
	words := []pcm.Span{{From: 20000, To: 40000}, {From: 50000, To: 70000}, {From: 72000, To: 160000}}
	var said []pcm.Span
	for _, w := range words {
		said = append(said, at(w))
	}
	known := scenetest.Must(t, s, &edit.SetSpeech{Words: map[string][]pcm.Span{oda.Source: said}})
	lineOf := func(s *scene.Scene, from, to int64) []scene.LevelPoint {
		e := &edit.Raise{
			Tracks: []scene.TrackID{"t2"}, From: from, To: to, DB: -6, In: 3840, Out: 3840, Pauses: true,
		}
		_, c := scenetest.Must(t, s, e).Clip(oda.ID)
		var line []scene.LevelPoint
		for _, p := range c.Level {
			line = append(line, scene.LevelPoint{At: p.At - oda.In + oda.Start, DB: p.DB})
		}
		return line
	}
	for _, c := range []struct {
		s        *scene.Scene
		from, to int64
		want     [4]int64
	}{
		{known, 42000, 58000, [4]int64{40000, 43840, 46160, 50000}}, // both are moved into the first
		{known, 42000, 62000, [4]int64{40000, 43840, 70000, 72000}}, // the second pause is short
		{known, 45000, 46000, [4]int64{41160, 45000, 46000, 49840}}, // in a pause already
		{known, 120000, 121000, [4]int64{116160, 120000, 121000, 124840}},
		{s, 42000, 58000, [4]int64{38160, 42000, 58000, 61840}}, // nothing is known
	} {
		line := lineOf(c.s, c.from, c.to)
		if len(line) != 4 || line[0].At != c.want[0] || line[1].At != c.want[1] || line[2].At != c.want[2] ||
			line[3].At != c.want[3] {
			t.Errorf("%d to %d: the line is %v, want its points at %v", c.from, c.to, line, c.want)
		}
	}
}

// A duck names clips: both halves of one that is divided go on being made way for, and a track that is removed is not
// named any more.
func TestDucksFollowWhatTheyAreNamedAfter(t *testing.T) {
	s := takes(t)
	oda, tune := s.Tracks[1].Clips[0], s.Tracks[2].ID
	duck := scene.NewDuck(s, []scene.TrackID{"t2"}, 6)
	duck.Clips = []scene.ClipID{oda.ID}
	s = scenetest.Must(t, s, &edit.SetDucks{Track: tune, Ducks: []scene.Duck{duck}})
	whole := scene.DuckLine(s, s.Track(tune))
	s = scenetest.Must(t, s, &edit.Divide{All: true, At: 50 * fr})
	if got := scene.DuckLine(s, s.Track(tune)); len(got) != len(whole) || got[0] != whole[0] || got[3] != whole[3] {
		t.Errorf("divided, the line is %v, was %v", got, whole)
	}
	other := scenetest.Must(t, s, &edit.AddTrack{Name: "more", Purpose: scene.ForDialogue})
	more := other.Tracks[len(other.Tracks)-1].ID
	moved := scenetest.Must(t, other, &edit.Move{Clip: oda.ID, To: oda.Start, Track: more})
	if got := scene.DuckLine(moved, moved.Track(tune)); !slices.Equal(got, whole) {
		t.Errorf("on another track, the line is %v, was %v", got, whole)
	}
	other = scenetest.Must(t, other,
		&edit.SetDucks{Track: tune, Ducks: []scene.Duck{scene.NewDuck(s, []scene.TrackID{more}, 6)}},
		&edit.RemoveTrack{Track: more},
	)
	if got := other.Track(tune).Ducks; len(got) != 0 {
		t.Errorf("a track that is gone is made way for: %+v", got)
	}
}

// A duck without slopes has those that are usual for how deep it is, and keeps what else it says.
func TestADuckWithoutSlopesHasTheUsualOnes(t *testing.T) {
	s := takes(t)
	oda, tune := s.Tracks[1].Clips[0], s.Tracks[2].ID
	asked := scene.Duck{Under: []scene.TrackID{"t2"}, Clips: []scene.ClipID{oda.ID}, DB: 30}
	got := scenetest.Must(t, s, &edit.SetDucks{Track: tune, Ducks: []scene.Duck{asked}}).Track(tune).Ducks
	// 12 ms for each of 30 dB are 360 ms down, and up the usual 800 (common practice, no source)
	if len(got) != 1 || got[0].Down != 360*48 || got[0].Up != 800*48 || got[0].Before != 150*48 ||
		len(got[0].Clips) != 1 || got[0].DB != 30 {
		t.Errorf("%+v", got)
	}
	asked.Down = 1
	if _, err := edit.Apply(s, &edit.SetDucks{Track: tune, Ducks: []scene.Duck{asked}}); err == nil {
		t.Error("slopes of one sample were taken")
	}
}

// Of several ducks the lowest is heard at each moment.
func TestTheLowestOfSeveralDucksIsHeard(t *testing.T) {
	s := takes(t)
	tune := s.Tracks[2].ID
	r := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		var ducks []scene.Duck
		for range 3 {
			d := scene.NewDuck(s, []scene.TrackID{"t2"}, 1+12*r.Float64())
			d.Before, d.After, d.Hold = r.Int64N(20000), r.Int64N(20000), r.Int64N(20000)
			d.Down, d.Up = 240+r.Int64N(40000), 240+r.Int64N(40000)
			ducks = append(ducks, d)
		}
		s = scenetest.Must(t, s, &edit.SetDucks{Track: tune, Ducks: ducks})
		whole := scene.Clip{Level: scene.DuckLine(s, s.Track(tune))}
		for at := int64(-50000); at < s.Length(); at += 997 {
			want := 0.0
			for i := range ducks {
				own := scene.Clip{Level: ducks[i].Line(s)}
				want = min(want, own.LevelDB(at))
			}
			// points lie on whole samples, and the steepest slope falls by 0.06 dB in one
			if got := whole.LevelDB(at); math.Abs(got-want) > 0.06 {
				t.Fatalf("at %d it is %g dB, not %g", at, got, want)
			}
		}
	}
}
