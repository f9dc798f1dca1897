package merge_test

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"blendseam/core/merge"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// text is a scene as JSON without the number of its newest id, with what has no order of its own in one.
func text(t testing.TB, s *scene.Scene) string {
	own := *s
	own.LastID, own.Sources, own.Tracks = 0, nil, nil
	place := map[scene.ClipID]int{}
	for _, was := range s.Tracks {
		x := *was
		for _, c := range x.Clips {
			place[c.ID] = len(place)
		}
		x.Blends = slices.SortedFunc(slices.Values(x.Blends), func(a, b scene.Blend) int {
			return cmp.Compare(place[a.Left], place[b.Left])
		})
		own.Tracks = append(own.Tracks, &x)
	}
	own.Pairs = slices.SortedFunc(slices.Values(s.Pairs), func(a, b scene.Pair) int {
		return cmp.Compare(place[a.Out], place[b.Out])
	})
	own.Markers = slices.SortedFunc(slices.Values(s.Markers), func(a, b scene.Marker) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Name, b.Name))
	})
	b, err := json.Marshal(own)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

var ids = regexp.MustCompile(`"[ctulm]\d+"`)

// nameless is a scene as JSON with ids by the order in which they come up: two scenes are the same but for ids where
// that is the same.
func nameless(t testing.TB, s *scene.Scene) string {
	seen := map[string]string{}
	return ids.ReplaceAllStringFunc(text(t, s), func(id string) string {
		if id[1] == 'u' { // known within its clip alone
			return `"u"`
		}
		if seen[id] == "" {
			seen[id] = fmt.Sprintf("%q", fmt.Sprintf("%c%d", id[1], len(seen)))
		}
		return seen[id]
	})
}

// edited does so many random edits more.
func edited(s *scene.Scene, n int, rng *rand.Rand) *scene.Scene {
	for n > 0 {
		e := scenetest.Random(s, rng)
		if _, is := e.(*edit.Merge); is {
			continue
		}
		if next, err := edit.Apply(s, e); err == nil {
			s = next
			n--
		}
	}
	return s
}

func compared(t testing.TB, base, mine, theirs *scene.Scene) *merge.Comparison {
	t.Helper()
	c, err := merge.Compare(base, mine, theirs, merge.OfBase)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// Where one of the two did nothing, what comes out is the other's, to the bit.
func TestOneVersionAloneComesOutAsItIs(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976} {
		for seed := range uint64(150) {
			rng := rand.New(rand.NewPCG(seed, 5))
			base := edited(scenetest.Mixed(t, rate), rng.IntN(20), rng)
			s := edited(base, 1+rng.IntN(12), rng)
			when := fmt.Sprintf("%s, seed %d", rate, seed)

			c := compared(t, base, s, base)
			now, err := c.Scene(nil, nil)
			if err != nil {
				t.Fatalf("%s: %v", when, err)
			}
			if text(t, now) != text(t, s) {
				t.Fatalf("%s: mine alone is not what came out:\n%s\n%s\n%q", when, text(t, s), text(t, now),
					scene.Differences(s, now))
			}
			c = compared(t, base, base, s)
			if now, err = c.Scene(nil, nil); err != nil {
				t.Fatalf("%s: %v", when, err)
			}
			if len(c.Conflicts) > 0 {
				if slices.ContainsFunc(c.Conflicts, func(x merge.Conflict) bool { return strings.Contains(x.Why, "is locked") }) {
					continue // it was unlocked, and locked again
				}
				t.Fatalf("%s: a conflict with nothing: %+v", when, c.Conflicts)
			}
			if got, want := nameless(t, now), nameless(t, s); got != want {
				t.Fatalf("%s: theirs alone is not what came out:\n%s\n%s", when, want, got)
			}
		}
	}
}

// What comes out of two versions holds the laws of a scene, whatever is chosen; taken together with theirs once more it
// stays as it is.
func TestTwoVersionsComeOutAsASceneThatCanBe(t *testing.T) {
	seeds := uint64(250)
	if testing.Short() {
		seeds = 60
	}
	total, clean, touched, chosen, refused, twice := 0, 0, 0, 0, 0, 0
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F24, timecode.F23976} {
		for seed := range seeds {
			rng := rand.New(rand.NewPCG(seed, 17))
			base := edited(scenetest.Mixed(t, rate), rng.IntN(15), rng)
			mine, theirs := edited(base, 1+rng.IntN(6), rng), edited(base, 1+rng.IntN(6), rng)
			when := fmt.Sprintf("%s, seed %d", rate, seed)
			c := compared(t, base, mine, theirs)
			now, err := c.Scene(nil, nil)
			if err != nil {
				t.Fatalf("%s: %v", when, err)
			}
			if err := now.Check(); err != nil {
				t.Fatalf("%s: %v", when, err)
			}
			again := compared(t, base, now, theirs)
			once, err := again.Scene(nil, nil)
			if err != nil {
				t.Fatalf("%s, once more: %v", when, err)
			}
			if text(t, once) != text(t, now) {
				twice++
			}
			total++
			if len(c.Conflicts) == 0 {
				clean++
				continue
			}
			for range 3 {
				take := map[int]bool{}
				for i := range c.Conflicts {
					take[i] = rng.IntN(2) == 0
				}
				touched++
				some, err := c.Scene(take, nil)
				if err != nil {
					refused++
					continue
				}
				if chosen++; some.Check() != nil {
					t.Fatalf("%s: %v", when, some.Check())
				}
			}
		}
	}
	t.Logf("%d pairs of versions, %d without anything that touches; of %d choices %d done, %d refused", total, clean,
		touched, chosen, refused)
	// Where both closed up or opened at one clip by other amounts, nothing tells that the one sum has the other in it.
	t.Logf("%d are another scene when taken together once more", twice)
	if clean < total/3 || refused > touched/4 || twice > total/50 {
		t.Errorf("%d clean, %d refused, %d twice are too few or too many", clean, refused, twice)
	}
}

func joins(e edit.Edit) bool {
	_, is := e.(*edit.Join)
	return is
}

// Two edits that come to the same in either order are both taken, and come to that.
func TestEditsThatDoNotTouchAreBothTaken(t *testing.T) {
	seeds := uint64(3000)
	if testing.Short() {
		seeds = 800
	}
	apart, touch, other := 0, 0, 0
	for seed := range seeds {
		rng := rand.New(rand.NewPCG(seed, 23))
		base := edited(scenetest.Mixed(t, timecode.F25), rng.IntN(8), rng)
		one, two := scenetest.Random(base, rng), scenetest.Random(base, rng)
		mine, err := edit.Apply(base, one)
		theirs, err2 := edit.Apply(base, two)
		if err != nil || err2 != nil {
			continue
		}
		first, err := edit.Apply(mine, two)
		then, err2 := edit.Apply(theirs, one)
		if err != nil || err2 != nil || nameless(t, first) != nameless(t, then) {
			continue
		}
		apart++
		c := compared(t, base, mine, theirs)
		now, err := c.Scene(nil, nil)
		switch {
		case err != nil:
			t.Fatalf("seed %d: %v", seed, err)
		case len(c.Conflicts) > 0:
			touch++
			t.Logf("seed %d: %T and %T: %s", seed, one, two, c.Conflicts[0].Why)
		case nameless(t, now) != nameless(t, first):
			if joins(one) && joins(two) { // two recordings of chance that are joined under one id
				continue
			}
			other++
			t.Logf("seed %d: %T and %T: %q", seed, one, two, scene.Differences(first, now))
		}
	}
	t.Logf("of %d pairs of edits that do not touch, %d were said to, %d came out otherwise", apart, touch, other)
	if apart < int(seeds)/10 || touch > apart/25 || other > 0 {
		t.Errorf("%d pairs, %d touch, %d otherwise", apart, touch, other)
	}
}
