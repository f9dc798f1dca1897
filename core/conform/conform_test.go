package conform_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/conform"
)

// cut lays shots one after the other: source, first frame, length.
func cut(shots ...[3]any) (list []conform.Shot, end int64) {
	for _, s := range shots {
		n := int64(s[2].(int))
		list = append(list, conform.Shot{Source: s[0].(string), In: int64(s[1].(int)), Start: end, Length: n})
		end += n
	}
	return list, end
}

// Each kind of change is told by its name, from what is shown alone.
func TestChangesAreToldByTheirNames(t *testing.T) {
	a, b, c, d := [3]any{"a", 100, 50}, [3]any{"b", 10, 40}, [3]any{"c", 0, 60}, [3]any{"d", 5, 30}
	old := [][3]any{a, b, c, d}
	for _, x := range []struct {
		what string
		new  [][3]any
		want string
	}{
		{"nothing", old, ""},
		{"lifted", [][3]any{a, c, d}, "lifted 50-90 at 50; "},
		{"inserted", [][3]any{a, {"n", 0, 20}, b, c, d}, "inserted  at 50-70; "},
		{"tail shorter", [][3]any{{"a", 100, 45}, b, c, d}, "trimmed tail 45-50 at 45; "},
		{"head shorter", [][3]any{a, {"b", 13, 37}, c, d}, "trimmed head 50-53 at 50; "},
		{"tail longer", [][3]any{{"a", 100, 54}, b, c, d}, "trimmed tail  at 50-54; "},
		{"head longer", [][3]any{a, {"b", 6, 44}, c, d}, "trimmed head  at 50-54; "},
		{"slipped", [][3]any{a, {"b", 15, 40}, c, d}, "slipped 50-90 at 50-90; "},
		{"slipped far", [][3]any{a, {"b", 900, 40}, c, d}, "slipped 50-90 at 50-90; "},
		{"the first slipped", [][3]any{{"a", 90, 50}, b, c, d}, "slipped 0-50 at 0-50; "},
		{"the last slipped", [][3]any{a, b, c, {"d", 0, 30}}, "slipped 150-180 at 150-180; "},
		{"swapped", [][3]any{a, c, b, d}, "swapped 50-90 at 110-150; "},
		{"moved to the end", [][3]any{a, c, d, b}, "moved 50-90 at 140-180; "},
		{"moved to the start", [][3]any{d, a, b, c}, "moved 150-180 at 0-30; "},
		{"another shot in its place", [][3]any{a, {"n", 0, 40}, c, d}, "lifted 50-90 at 50; inserted  at 50-90; "},
	} {
		from, end := cut(old...)
		to, _ := cut(x.new...)
		got := ""
		for _, c := range conform.Changes(from, to, conform.Match(from, to, end)) {
			got += string(c.What)
			if c.Edge != "" {
				got += " " + c.Edge
			}
			got += " "
			if !c.Old.Empty() {
				got += fmt.Sprintf("%d-%d", c.Old.From, c.Old.To)
			}
			got += fmt.Sprintf(" at %d", c.New.From)
			if !c.New.Empty() {
				got += fmt.Sprintf("-%d", c.New.To)
			}
			got += "; "
		}
		if got != x.want {
			t.Errorf("%s: it is told as %q, want %q", x.what, got, x.want)
		}
	}
}

// A shot that runs at another speed has nothing in common with what it was.
func TestAnotherSpeedIsAChange(t *testing.T) {
	old, end := cut([3]any{"a", 0, 50}, [3]any{"b", 0, 50})
	now, _ := cut([3]any{"a", 0, 50}, [3]any{"b", 0, 25})
	now[1].Speed = true
	list := conform.Changes(old, now, conform.Match(old, now, end))
	if len(list) != 2 || list[1].What != conform.Speed && list[0].What != conform.Speed {
		t.Errorf("it is told as %+v", list)
	}
}

// Of any two cuts, pieces show the same frames in both, none of them twice, and with what was lifted and inserted they
// are the whole of both.
func TestPiecesAreTheSameFramesAndNoneIsLeftOut(t *testing.T) {
	for n := range 300 {
		rng := rand.New(rand.NewPCG(5, uint64(n)))
		some := func() (list [][3]any) {
			for range 1 + rng.IntN(20) {
				list = append(list, [3]any{string(rune('a' + rng.IntN(3))), rng.IntN(80), 1 + rng.IntN(40)})
			}
			return list
		}
		old, end := cut(some()...)
		now, last := cut(some()...)
		frames := func(shots []conform.Shot) (list []string) {
			for _, s := range shots {
				for f := range s.Length {
					list = append(list, fmt.Sprint(s.Source, s.In+f))
				}
			}
			return list
		}
		was, is := frames(old), frames(now)
		pieces := conform.Match(old, now, end)
		usedOld, usedNew := make([]int, end), make([]int, last)
		for _, p := range pieces {
			for f := range p.Old.Len() {
				usedOld[p.Old.From+f]++
				usedNew[p.New.From+f]++
				if was[p.Old.From+f] != is[p.New.From+f] {
					t.Fatalf("%d: %v shows %s and %s", n, p, was[p.Old.From+f], is[p.New.From+f])
				}
			}
		}
		for _, c := range conform.Changes(old, now, pieces) {
			if c.What == conform.Slipped {
				continue // is told as a whole, with what it has in common
			}
			if c.What != conform.Moved && c.What != conform.Swapped {
				for f := c.Old.From; f < c.Old.To; f++ {
					usedOld[f]++
				}
				for f := c.New.From; f < c.New.To; f++ {
					usedNew[f]++
				}
			}
		}
		for f, k := range usedNew {
			if k > 1 {
				t.Fatalf("%d: frame %d of the new cut is in %d changes and pieces", n, f, k)
			}
		}
	}
}

func ExampleMatch() {
	old, end := cut([3]any{"oda", 0, 50}, [3]any{"pell", 0, 40})
	now, _ := cut([3]any{"oda", 10, 40}, [3]any{"kiln", 0, 5}, [3]any{"pell", 0, 40})
	for _, p := range conform.Match(old, now, end) {
		fmt.Println(p.Old, p.New)
	}
	// Output:
	// {10 50} {0 40}
	// {50 90} {45 85}
}
