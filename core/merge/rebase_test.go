package merge_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"blendseam/core/merge"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// An edit of a scene that was edited since gives a scene that can be, with what both did, or is refused; most are done
// as they are.
func TestAnEditOfAnEarlierStateIsDoneNow(t *testing.T) {
	seeds := uint64(3000)
	if testing.Short() {
		seeds = 800
	}
	plain, carried, touched, refused, lost := 0, 0, 0, 0, 0
	for seed := range seeds {
		rng := rand.New(rand.NewPCG(seed, 41))
		was := edited(scenetest.Mixed(t, timecode.F25), rng.IntN(8), rng)
		now := edited(was, 1+rng.IntN(3), rng)
		e := scenetest.Random(was, rng)
		rebased, err := merge.Rebase(was, now, e)
		var refusal edit.Refusal
		var both *merge.Touched
		switch {
		case errors.As(err, &refusal):
			refused++
			continue
		case errors.As(err, &both):
			touched++
			continue
		case err != nil:
			t.Fatalf("seed %d: %v", seed, err)
		}
		after, err := edit.Apply(now, rebased)
		if err != nil {
			t.Fatalf("seed %d: %T as %T is refused: %v", seed, e, rebased, err)
		}
		if err := after.Check(); err != nil {
			t.Fatalf("seed %d: %T: %v", seed, e, err)
		}
		// What one of both alone did to a clip is what it is.
		then, _ := edit.Apply(was, e)
		for _, track := range was.Tracks {
			for _, c := range track.Clips {
				for _, of := range [][2]*scene.Scene{{now, then}, {then, now}} {
					_, own := of[0].Clip(c.ID)
					_, other := of[1].Clip(c.ID)
					if other == nil || !reflect.DeepEqual(other.Sounding(), c.Sounding()) {
						continue // the other did something to it, too
					}
					_, is := after.Clip(c.ID)
					if (own == nil) != (is == nil) || is != nil && !reflect.DeepEqual(sounding(is), sounding(own)) {
						lost++
						t.Logf("seed %d: %T: %+v came out as %+v", seed, e, own, is)
					}
				}
			}
		}
		if rebased == e {
			plain++
		} else {
			carried++
		}
	}
	t.Logf("%d done as they are, %d where it lies now, %d touch, %d were refused as they were", plain, carried, touched,
		refused)
	if done := plain + carried; done < touched || plain < carried || lost > 0 {
		t.Errorf("%d as they are, %d where it lies now, %d touch, %d clips lose something", plain, carried, touched, lost)
	}
}

// sounding is what is heard of a clip, without the ids of its lulls.
func sounding(c *scene.Clip) scene.Clip {
	own := c.Sounding()
	own.Lulls = slices.Clone(own.Lulls)
	for i := range own.Lulls {
		own.Lulls[i].ID = ""
	}
	return own
}

// What an edit did is done away with, and what was done since stays: with nothing done since the scene is as it was
// before; else it can be, and what only the later edits touched is as they left it.
func TestAnEditIsTakenBackFromAmongLaterOnes(t *testing.T) {
	seeds := uint64(1500)
	if testing.Short() {
		seeds = 400
	}
	alone, among, entangled, lost := 0, 0, 0, 0
	for seed := range seeds {
		rng := rand.New(rand.NewPCG(seed, 43))
		before := edited(scenetest.Mixed(t, timecode.F25), rng.IntN(8), rng)
		e := scenetest.Random(before, rng)
		after, err := edit.Apply(before, e)
		if err != nil {
			continue
		}
		back, why, err := merge.Without(before, after, after, "taken back")
		if err != nil || why != "" {
			t.Fatalf("seed %d: %T alone is not taken back: %s %v", seed, e, why, err)
		}
		was, err := edit.Apply(after, back)
		if err != nil {
			t.Fatalf("seed %d: %T alone: %v", seed, e, err)
		}
		if what := differs(before, was); what != "" {
			t.Fatalf("seed %d: %T taken back leaves %s", seed, e, what)
		}
		alone++
		now := edited(after, 1+rng.IntN(3), rng)
		back, why, err = merge.Without(before, after, now, "taken back")
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if why != "" {
			entangled++
			continue
		}
		then, err := edit.Apply(now, back)
		if err == nil {
			err = then.Check()
		}
		if err != nil {
			t.Fatalf("seed %d: %T from among later ones: %v", seed, e, err)
		}
		among++
		for _, track := range after.Tracks {
			for _, c := range track.Clips {
				_, own := before.Clip(c.ID)
				_, later := now.Clip(c.ID)
				if own == nil || !reflect.DeepEqual(own.Sounding(), c.Sounding()) {
					continue // the edit did something to it
				}
				_, is := then.Clip(c.ID)
				if (later == nil) != (is == nil) || is != nil && !reflect.DeepEqual(sounding(is), sounding(later)) {
					lost++
					t.Logf("seed %d: %T: %+v came out as %+v", seed, e, later, is)
				}
			}
		}
	}
	t.Logf("%d taken back alone, %d from among later ones, %d touch", alone, among, entangled)
	if among < entangled || lost > 0 {
		t.Errorf("%d from among later ones, %d touch, %d clips lose something", among, entangled, lost)
	}
}

// differs says what is not the same in two scenes, but for ids of what was removed and came back.
func differs(a, b *scene.Scene) string {
	if len(a.Tracks) != len(b.Tracks) || len(a.Markers) != len(b.Markers) {
		return "another number of tracks or markers"
	}
	for i, t := range a.Tracks {
		o := b.Tracks[i]
		if len(t.Clips) != len(o.Clips) || len(t.Blends) != len(o.Blends) || t.Name != o.Name || t.GainDB != o.GainDB {
			return "the track " + t.Name
		}
		for k, c := range t.Clips {
			x, y := sounding(&c), sounding(&o.Clips[k])
			x.ID, y.ID, x.Link, y.Link, x.Fills, y.Fills = "", "", "", "", nil, nil
			if !reflect.DeepEqual(x, y) {
				return fmt.Sprintf("%+v, which was %+v", y, x)
			}
		}
	}
	return ""
}
