package merge_test

import (
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"blendseam/core/merge"
	"blendseam/core/scene"
	"blendseam/core/scene/scenetest"
	"blendseam/core/timecode"
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
		var refusal scene.Refusal
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
		after, err := scene.Apply(now, rebased)
		if err != nil {
			t.Fatalf("seed %d: %T as %T is refused: %v", seed, e, rebased, err)
		}
		if err := after.Check(); err != nil {
			t.Fatalf("seed %d: %T: %v", seed, e, err)
		}
		// What one of both alone did to a clip is what it is.
		then, _ := scene.Apply(was, e)
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
