package scene

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/blend"
	"blendseam/core/timecode"
)

// mixedScene has a picture track and two sound tracks, some clips linked, some blends.
func mixedScene(t testing.TB, rate timecode.Rate) *Scene {
	s := New("test", rate, 48000)
	list := []Edit{
		&Bring{Source{ID: "s1", Name: "one", Samples: 48000 * 30, Frames: 24 * 30, Channels: 1}},
		&Bring{Source{ID: "s2", Name: "two", Samples: 48000 * 20, Channels: 2}},
		&AddTrack{Name: "Picture", Purpose: "picture"}, &AddTrack{Name: "Dialogue", Purpose: "dialogue"}, &AddTrack{Name: "Effects", Purpose: "effects"},
	}
	frame := func(f int64) int64 { return rate.SampleOf(f, 48000) }
	for i := int64(0); i < 6; i++ {
		list = append(list, &Add{Track: "t2", Picture: "t1", Source: "s1", In: frame(50 * i), Start: frame(60 * i), Length: frame(60*i+60) - frame(60*i)})
	}
	for i := int64(0); i < 5; i++ {
		list = append(list, &Add{Track: "t3", Source: "s2", In: 9000 * i, Start: 70000 * i, Length: 50000})
	}
	for i, e := range list {
		next, err := Apply(s, e)
		if err != nil {
			t.Fatalf("edit %d of the set-up: %v", i, err)
		}
		s = next
	}
	return s
}

func randomEdit(s *Scene, rng *rand.Rand) Edit {
	var ids []string
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			ids = append(ids, c.ID)
		}
	}
	if len(ids) == 0 {
		return &Add{Track: "t3", Source: "s2", Length: 40000}
	}
	id := ids[rng.IntN(len(ids))]
	t, c := s.Clip(id)
	at := s.Time(t, c.Start) + rng.Int64N(200000) - 100000
	if rng.IntN(2) == 0 {
		at = s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate), s.SampleRate)
	}
	edge := []string{"head", "tail"}[rng.IntN(2)]
	if edge == "tail" {
		at += s.Time(t, c.Length)
	}
	i := 0
	for t.Clips[i].ID != id {
		i++
	}
	next := id
	if i+1 < len(t.Clips) {
		next = t.Clips[i+1].ID
	}
	switch rng.IntN(12) {
	case 0:
		return &Move{Clip: id, To: at}
	case 1, 2, 3:
		return &Trim{Clip: id, Edge: edge, To: at, Close: rng.IntN(2) == 0, Alone: rng.IntN(4) == 0}
	case 4:
		return &Divide{Clips: []string{id}, At: at}
	case 5:
		return &Remove{Clips: []string{id}, Close: rng.IntN(2) == 0}
	case 6, 7:
		return &SetBlend{Left: id, Right: next, Before: rng.Int64N(20000), After: rng.Int64N(20000), Law: blend.Laws[rng.IntN(3)].Law}
	case 8:
		return &FadeEdge{Clip: id, Edge: edge, Length: rng.Int64N(20000)}
	case 9:
		return &Roll{Left: id, Right: next, To: s.Time(t, c.End()) + rng.Int64N(40000) - 20000}
	case 10:
		return &Add{Track: "t2", Picture: "t1", Source: "s1", In: rng.Int64N(400000), Start: rng.Int64N(1500000), Length: rng.Int64N(100000)}
	default:
		return &Gain{Clips: []string{id}, DB: float64(rng.IntN(20) - 10)}
	}
}

func bits(t testing.TB, s *Scene) []byte {
	b, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Random sequences of edits: no invariant breaks, no edit changes the scene it was applied to, the log of
// edits, through JSON, gives the same scene again, and the same edits are refused again.
func TestRandomEditsKeepEveryInvariant(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F24, timecode.F25, timecode.F2997D, timecode.F23976} {
		done, refused := 0, 0
		for seed := uint64(0); seed < 25; seed++ {
			rng := rand.New(rand.NewPCG(seed, 77))
			s := mixedScene(t, rate)
			states, kept := []*Scene{s}, [][]byte{bits(t, s)}
			var log [][]byte
			for range 60 {
				e := randomEdit(s, rng)
				next, err := Apply(s, e)
				if err != nil {
					refused++
					var r Refusal
					if !errors.As(err, &r) {
						t.Fatalf("%s seed %d: %#v failed without a refusal: %v", rate, seed, e, err)
					}
					for _, a := range r.Alternatives() {
						if _, err := Apply(s, a.Edit); err != nil {
							t.Fatalf("%s seed %d: the alternative %q of %q does not work: %v", rate, seed, a.Words, Message(r), err)
						}
					}
					continue
				}
				done++
				if err := next.Check(); err != nil {
					t.Fatalf("%s seed %d: after %#v: %v", rate, seed, e, err)
				}
				checkSync(t, next, fmt.Sprintf("%s seed %d after %#v", rate, seed, e))
				if Describe(s, next, e) == "" {
					t.Fatalf("%#v has no words", e)
				}
				wire, err := Marshal(e)
				if err != nil {
					t.Fatal(err)
				}
				log = append(log, wire)
				s = next
				states, kept = append(states, s), append(kept, bits(t, s))
			}
			for i := range states {
				if !bytes.Equal(bits(t, states[i]), kept[i]) {
					t.Fatalf("%s seed %d: a later edit changed scene %d", rate, seed, i)
				}
			}
			again := mixedScene(t, rate)
			for i, wire := range log {
				e, err := Parse(wire)
				if err != nil {
					t.Fatal(err)
				}
				if again, err = Apply(again, e); err != nil {
					t.Fatalf("replaying %s: %v", wire, err)
				}
				if !bytes.Equal(bits(t, again), kept[i+1]) {
					t.Fatalf("%s seed %d: replaying %s gives another scene", rate, seed, wire)
				}
			}
		}
		if done < 400 || refused < 100 {
			t.Errorf("%s: %d edits done and %d refused show too little", rate, done, refused)
		}
	}
}

// checkSync: clips of one link show their source in sync to within half a frame.
func checkSync(t *testing.T, s *Scene, when string) {
	origin := map[string]int64{}
	half := s.Rate.SampleOf(1, s.SampleRate) / 2
	for _, track := range s.Tracks {
		for _, c := range track.Clips {
			if c.Link == "" {
				continue
			}
			o := s.origin(track, c)
			if first, ok := origin[c.Link]; ok && (o-first >= half || first-o >= half) {
				t.Fatalf("%s: %s is %d samples out of sync", when, c.ID, o-first)
			} else if !ok {
				origin[c.Link] = o
			}
		}
	}
}

func BenchmarkTrimOf2000Clips(b *testing.B) {
	s := New("large", timecode.F25, 48000)
	s.Sources["s"] = Source{ID: "s", Name: "s", Samples: 48000 * 100, Frames: 2500}
	for k := range 10 {
		track := &Track{ID: fmt.Sprint("t", k), Kind: Sound, Purpose: "dialogue"}
		for i := range int64(200) {
			track.Clips = append(track.Clips, Clip{ID: fmt.Sprintf("c%d-%d", k, i), Source: "s", In: 48000, Start: i * 96000, Length: 90000})
		}
		s.Tracks = append(s.Tracks, track)
	}
	for i := 0; b.Loop(); i++ {
		if _, err := Apply(s, &Trim{Clip: "c0-5", Edge: "tail", To: 5*96000 + 90000 - 1920, Close: true}); err != nil {
			b.Fatal(err)
		}
	}
}
