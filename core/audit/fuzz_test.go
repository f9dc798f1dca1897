package audit_test

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// sounds are what the scenes of scenetest are made of: noise.
func sounds(s *scene.Scene) *meter.Sources {
	return meter.NewSources(func(src scene.Source) (pcm.ReaderAt, error) {
		rng := rand.New(rand.NewPCG(1, uint64(len(src.ID))))
		b := pcm.NewBlock(max(1, src.Channels), 48000*5) // what lies beyond is silence
		for _, ch := range b {
			for i := range ch {
				ch[i] = 0.1 * rng.Float64()
			}
		}
		return long{pcm.Memory{Rate: int(s.SampleRate), Sound: b}, src.Samples}, nil
	}, nil)
}

type long struct {
	pcm.Memory
	n int64
}

func (l long) Len() int64 { return l.n }

// Whatever edits a client sends: each is done or refused in one line, the scene keeps its laws, and can be described,
// written, heard and looked through.
func FuzzEdits(f *testing.F) {
	for seed := range uint64(24) {
		raw := make([]byte, 400)
		rng := rand.New(rand.NewPCG(seed, 7))
		for i := range raw {
			raw[i] = byte(rng.UintN(256))
		}
		f.Add(raw)
	}
	bases := map[bool]*scene.Scene{false: scenetest.Mixed(f, timecode.F25), true: scenetest.Mixed(f, timecode.F2997)}
	from := sounds(bases[false])
	f.Fuzz(func(t *testing.T, raw []byte) {
		if len(raw) > 4000 {
			return
		}
		s := bases[len(raw)%2 == 1]
		w := &scenetest.Wild{Bytes: raw}
		for n := 0; w.More() && n < 40; n++ {
			sent := w.Edit(s)
			e, err := edit.Parse(sent)
			if err != nil {
				one(t, sent, err)
				continue
			}
			// As over HTTP: what is brought is what is there.
			_ = edit.MapSources(e, func(src scene.Source) (scene.Source, error) {
				return bases[false].Sources[[]string{"s1", "s2"}[len(src.ID)%2]], nil
			})
			next, err := edit.Apply(s, e)
			if err != nil {
				one(t, sent, err)
				continue
			}
			if err := next.Check(); err != nil {
				t.Fatalf("%s gives a scene that breaks a law: %v", sent, err)
			}
			if words := edit.Describe(s, next, e); words == "" {
				t.Fatalf("%s is told as %q", sent, words)
			}
			if again, err := edit.Replay(s, e); err != nil || !same(again, next) {
				t.Fatalf("%s cannot be done again: %v", sent, err)
			}
			s = next
		}
		m, err := mix.New(s, from.Mix(s), mix.Options{})
		if err != nil {
			t.Fatal(err)
		}
		b := pcm.NewBlock(s.Channels, 2048)
		for _, x := range audit.Find(s) {
			for _, at := range []int64{x.At - 1024, x.From - 1, x.To - 1024} {
				if err := m.Render(b, at); err != nil {
					t.Fatal(err)
				}
				for _, v := range b[0] {
					if math.IsNaN(v) || math.IsInf(v, 0) {
						t.Fatalf("%v sounds at %d", v, at)
					}
				}
			}
		}
	})
}

func one(t *testing.T, sent []byte, err error) {
	t.Helper()
	if words := edit.Message(err); words == "" {
		t.Fatalf("%s is refused with %q", sent, words)
	}
	if _, err := json.Marshal(map[string]string{"message": err.Error()}); err != nil {
		t.Fatal(err)
	}
}

func same(a, b *scene.Scene) bool {
	x, err1 := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err1 == nil && err2 == nil && string(x) == string(y)
}
