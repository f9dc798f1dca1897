package edit_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

func bits(t testing.TB, s *scene.Scene) []byte {
	b, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Random sequences of edits: no invariant breaks, no edit changes the scene it was applied to, so that going back
// gives the same bits; the log of edits, through JSON, gives the same scene again; alternatives of refusals work.
func TestRandomEditsKeepEveryInvariant(t *testing.T) {
	did := map[string]int{}
	for _, rate := range []timecode.Rate{timecode.F24, timecode.F25, timecode.F2997D, timecode.F23976} {
		done, refused := 0, 0
		for seed := uint64(0); seed < 50; seed++ {
			rng, also := rand.New(rand.NewPCG(seed, 77)), rand.New(rand.NewPCG(seed, 78))
			s := scenetest.Mixed(t, rate)
			states, kept := []*scene.Scene{s}, [][]byte{bits(t, s)}
			var log [][]byte
			for range 80 {
				e := scenetest.Random(s, rng)
				switch also.IntN(40) {
				case 0, 1:
					e = scenetest.Treating(s, also)
				case 2:
					e = scenetest.Speeding(s, also)
				case 3:
					e = scenetest.Dissolving(s, also)
				}
				when := fmt.Sprintf("%s seed %d edit %d, %T %+v", rate, seed, len(log), e, e)
				next, err := edit.Apply(s, e)
				if err != nil {
					refused++
					var r edit.Refusal
					if !errors.As(err, &r) {
						t.Fatalf("%s failed without a refusal: %v", when, err)
					}
					for _, a := range r.Alternatives() {
						if _, err := edit.Apply(s, a.Edit); err != nil {
							t.Fatalf("%s: the alternative %q of %q does not work: %v", when, a.Words, edit.Message(r), err)
						}
					}
					continue
				}
				done++
				if err := next.Check(); err != nil {
					t.Fatalf("after %s: %v", when, err)
				}
				checkSync(t, next, when)
				checkLeads(t, next, when)
				checkPairs(t, next, when)
				checkPatches(t, next, when)
				checkSources(t, next, when)
				if edit.Describe(s, next, e) == "" {
					t.Fatalf("%s has no words", when)
				}
				wire, err := edit.Marshal(e)
				if err != nil {
					t.Fatal(err)
				}
				var named struct{ Edit string }
				json.Unmarshal(wire, &named)
				did[named.Edit]++
				log = append(log, wire)
				s = next
				states, kept = append(states, s), append(kept, bits(t, s))
			}
			for i := range states {
				if !bytes.Equal(bits(t, states[i]), kept[i]) {
					t.Fatalf("%s seed %d: a later edit changed scene %d", rate, seed, i)
				}
			}
			again := scenetest.Mixed(t, rate)
			for i, wire := range log {
				e, err := edit.Parse(wire)
				if err != nil {
					t.Fatal(err)
				}
				if again, err = edit.Replay(again, e); err != nil {
					t.Fatalf("replaying %s: %v", wire, err)
				}
				if !bytes.Equal(bits(t, again), kept[i+1]) {
					t.Fatalf("%s seed %d: replaying %s gives another scene", rate, seed, wire)
				}
			}
		}
		t.Logf("%s: %d edits done, %d refused", rate, done, refused)
		if done < 800 || refused < 200 {
			t.Errorf("%s: %d edits done and %d refused show too little", rate, done, refused)
		}
	}
	for _, name := range edit.Names() {
		if did[name] == 0 && name != "bring" {
			t.Errorf("no %s was ever done", name)
		}
	}
}

// checkSources: what clips show is there.
func checkSources(t *testing.T, s *scene.Scene, when string) {
	for _, track := range s.Tracks {
		if track.Clips == nil {
			t.Fatalf("after %s: the clips of %s are null on the wire", when, track.Name)
		}
		for i := range track.Clips {
			for _, id := range scene.Needed(s, &track.Clips[i]) {
				if _, known := s.Sources[id]; !known {
					t.Fatalf("after %s: %s needs the source %s, which is not there", when, track.Clips[i].Name, id)
				}
			}
		}
	}
}

// checkPairs: both clips of a pair fade for as long as they overlap.
func checkPairs(t *testing.T, s *scene.Scene, when string) {
	for _, p := range s.Pairs {
		span, ok := s.Overlap(p)
		_, out := s.Clip(p.Out)
		_, in := s.Clip(p.In)
		if !ok || out.FadeOut.Length != span.Len() || in.FadeIn.Length != span.Len() {
			t.Fatalf("after %s: the pair %+v does not fade over its overlap %v", when, p, span)
		}
	}
}

// checkPatches: every patch has a hole that is heard.
func checkPatches(t *testing.T, s *scene.Scene, when string) {
	for _, track := range s.Tracks {
		for _, c := range track.Clips {
			if c.Fills == nil || track.Locked {
				continue
			}
			if hole, ok := s.HoleSpan(*c.Fills); !ok || hole.Empty() {
				t.Fatalf("after %s: the patch %s fills nothing", when, c.ID)
			}
		}
	}
}

// checkSync: clips of one link show their source in sync to within half a frame.
func checkSync(t *testing.T, s *scene.Scene, when string) {
	origin := map[scene.LinkID]int64{}
	half := s.Rate.SampleOf(1, s.SampleRate) / 2
	for _, track := range s.Tracks {
		for _, c := range track.Clips {
			if c.Link == "" {
				continue
			}
			o := s.Time(track, c.Start) - s.Time(track, c.In)
			if c.Takes != nil && c.Takes.Number != 1 { // the first take is what it is in sync by
				continue
			}
			if first, ok := origin[c.Link]; ok && (o-first >= half || first-o >= half) {
				t.Fatalf("after %s: %s is %d samples out of sync", when, c.ID, o-first)
			} else if !ok {
				origin[c.Link] = o
			}
		}
	}
}

// checkLeads: the leads of all edges at once are those of each alone.
func checkLeads(t *testing.T, s *scene.Scene, when string) {
	leads := s.Leads()
	n := 0
	for _, track := range s.Tracks {
		if track.Kind != scene.Sound {
			continue
		}
		for i, c := range track.Clips {
			edges := []scene.Edge{{Right: c.ID}, {Left: c.ID}}
			if track.Touches(i - 1) {
				edges[0].Left = track.Clips[i-1].ID
			}
			if track.Touches(i) {
				edges = edges[:1]
			}
			for _, x := range edges {
				one, ok := s.LeadAt(x)
				all, known := leads[x]
				if ok != known || one != all {
					t.Fatalf("after %s: the lead of %v is %d (%v), among all %d (%v)", when, x, one, ok, all, known)
				}
				if ok {
					n++
				}
			}
		}
	}
	if n != len(leads) {
		t.Fatalf("after %s: %d leads of edges that there are, of %d", when, n, len(leads))
	}
}

// At 29.97 a frame is 1601.6 samples, and edits that close up must not let sound and picture drift apart.
func TestSyncDoesNotDriftOverThousandsOfCloseUps(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F2997D, timecode.F23976} {
		s := scenetest.Mixed(t, rate)
		rng := rand.New(rand.NewPCG(3, 3))
		frame := func(f int64) int64 { return rate.SampleOf(f, 48000) }
		for done := 0; done < 2000; {
			track := s.Track("t2")
			i := rng.IntN(len(track.Clips) - 1)
			to := frame(rate.Nearest(track.Clips[i].End(), 48000) + rng.Int64N(7) - 3)
			next, err := edit.Apply(s, &edit.Trim{Clip: track.Clips[i].ID, Edge: "tail", To: to, Close: true})
			if err != nil {
				continue
			}
			s = next
			done++
		}
		worst := int64(0)
		for _, c := range s.Track("t2").Clips {
			for _, p := range s.Track("t1").Clips {
				if p.Link == c.Link {
					off := c.Start - c.In - s.Time(s.Track("t1"), p.Start) + s.Time(s.Track("t1"), p.In)
					worst = max(worst, off, -off)
				}
			}
		}
		t.Logf("%s: at most %d samples apart after 2000 close-ups", rate, worst)
		if worst > 4 {
			t.Errorf("%s: sound and picture are %d samples apart", rate, worst)
		}
	}
}

func BenchmarkTrimOf2000Clips(b *testing.B) {
	s := scene.New("large", timecode.F25, 48000)
	s.Sources["s"] = scene.Source{ID: "s", Name: "s", Samples: 48000 * 100, Frames: 2500}
	for k := range 10 {
		track := &scene.Track{ID: scene.TrackID(fmt.Sprint("t", k)), Kind: scene.Sound, Purpose: "dialogue"}
		for i := range int64(200) {
			track.Clips = append(
				track.Clips,
				scene.Clip{ID: scene.ClipID(fmt.Sprintf("c%d-%d", k, i)), Source: "s", In: 48000, Start: i * 96000, Length: 90000},
			)
		}
		s.Tracks = append(s.Tracks, track)
	}
	for i := 0; b.Loop(); i++ {
		if _, err := edit.Apply(
			s,
			&edit.Trim{Clip: "c0-5", Edge: "tail", To: 5*96000 + 90000 - 1920, Close: true},
		); err != nil {
			b.Fatal(err)
		}
	}
}
