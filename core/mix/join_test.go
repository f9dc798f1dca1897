package mix_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/corpus"
	"blendseam/internal/scenetest"
)

// as32 is what a recording of 32-bit float holds of a sound.
func as32(b pcm.Block) pcm.Block {
	for _, ch := range b {
		for i, v := range ch {
			ch[i] = float64(float32(v))
		}
	}
	return b
}

// joined renders clips as they are to be joined, and gives the edit, and open with the new recording.
func joined(t *testing.T, s *scene.Scene, open mix.Open, j *edit.Joining) (*edit.Join, mix.Open) {
	t.Helper()
	m, err := mix.NewJoining(j, open)
	if err != nil {
		t.Fatal(err)
	}
	span := j.Sounding()
	sound := pcm.NewBlock(m.Channels(), span.Len())
	if err := m.Render(sound, span.From); err != nil {
		t.Fatal(err)
	}
	src := scene.Source{ID: "joined", Name: "joined", Samples: span.Len(), Channels: j.Channels()}
	sound = as32(sound)
	return &edit.Join{Clips: j.Parts, Source: src}, func(of scene.Source) (pcm.ReaderAt, error) {
		if of.ID == src.ID {
			return pcm.Memory{Rate: int(s.SampleRate), Sound: sound}, nil
		}
		return open(of)
	}
}

// withoutTraces is a scene in JSON without what joining leaves behind: the recording, the count of ids, and another
// order of blends.
func withoutTraces(t *testing.T, s *scene.Scene) string {
	t.Helper()
	c := *s
	c.LastID, c.Sources, c.Tracks = 0, nil, slices.Clone(s.Tracks)
	for i, track := range c.Tracks {
		track := *track
		track.Blends = slices.SortedFunc(slices.Values(track.Blends), func(a, b scene.Blend) int {
			return strings.Compare(string(a.Left), string(b.Left))
		})
		c.Tracks[i] = &track
	}
	if len(c.Pairs) == 0 {
		c.Pairs = nil
	}
	raw, err := json.Marshal(c)
	if err != nil {
		t.Fatal(err)
	}
	return string(raw)
}

// some gives a run of neighbours of a track of sound, in several tracks if several.
func some(s *scene.Scene, rng *rand.Rand, several bool) (ids []scene.ClipID) {
	for range 20 {
		t := s.Tracks[rng.IntN(len(s.Tracks))]
		if t.Kind != scene.Sound || len(t.Clips) == 0 {
			continue
		}
		from := rng.IntN(len(t.Clips))
		for _, c := range t.Clips[from:min(len(t.Clips), from+1+rng.IntN(4))] {
			ids = append(ids, c.ID)
		}
		if !several {
			break
		}
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// Joined clips of one track sound the same to the bit, wherever the mix is heard, and opened again they are the scene
// that was. Of several tracks that sound at once with others, the sum is rounded once more: it stays within 2^-23 of
// the largest sample.
func TestJoinedClipsSoundTheSameToTheBitAndOpenAgain(t *testing.T) {
	noises := map[string]pcm.Block{"s1": noise(4, 1, 48000*30), "s2": noise(5, 2, 48000*20)}
	base := func(src scene.Source) (pcm.ReaderAt, error) {
		if sound, ok := noises[src.ID]; ok {
			return pcm.Memory{Rate: 48000, Sound: sound}, nil
		}
		return pcm.Memory{Rate: 48000, Sound: noise(6, src.Channels, src.Samples)}, nil // one that was joined before
	}
	for _, several := range []bool{false, true} {
		did, refused, bits := 0, 0, 0
		for seed := uint64(0); seed < uint64(corpus.Cases(20, 200)); seed++ {
			rng := rand.New(rand.NewPCG(seed, 5))
			s := scenetest.Mixed(t, timecode.F25)
			for range 30 {
				if next, err := edit.Apply(s, scenetest.Random(s, rng)); err == nil && next.Length() < 48000*40 {
					s = next
				}
			}
			open := mix.WithDerived(s, base)
			j, err := edit.PlanJoin(s, some(s, rng, several))
			if err != nil {
				refused++
				continue
			}
			when := fmt.Sprintf("seed %d, %v", seed, j.Parts)
			e, with := joined(t, s, open, j)
			after, err := edit.Apply(s, e)
			if err != nil {
				refused++
				continue
			}
			if err := after.Check(); err != nil {
				t.Fatalf("%s: %v", when, err)
			}
			did++
			// others make way for what has moved to another track, or for all of what of some clips was named
			ducked := several && slices.ContainsFunc(s.Tracks, func(t *scene.Track) bool { return len(t.Ducks) > 0 }) ||
				len(after.Sources["joined"].Joined.Named) > 0
			filtered := after.Track(j.Track) != nil && after.Track(j.Track).Filters != nil
			whole := pcm.Span{From: max(0, j.Span.From-48000), To: j.Span.To + 48000}
			was := render(t, s, open, mix.Options{}, whole)
			is := render(t, after, mix.WithDerived(after, with), mix.Options{}, whole)
			same, most := true, 0.0
			for c := range was {
				for i, v := range was[c] {
					off := math.Abs(v - is[c][i])
					most = max(most, off)
					same = same && float32(v) == float32(is[c][i])
				}
			}
			switch {
			case ducked:
			case filtered: // the filters of the track work on what is joined, not on each clip
			case j.Single && !same || most > 4e-7:
				t.Errorf("%s: sounds other by up to %.3g (single %v) in %v", when, most, j.Single, j.Span)
			}
			if same {
				bits++
			}
			_, clip := after.Clip(scene.ClipID(fmt.Sprintf("c%d", after.LastID)))
			if clip == nil {
				for _, x := range after.Tracks[len(after.Tracks)-1].Clips {
					clip = &x
				}
			}
			again, err := edit.Apply(after, &edit.Reopen{Clip: clip.ID})
			if err != nil {
				t.Errorf("%s: it does not open: %s", when, edit.Message(err))
				continue
			}
			if len(again.Tracks) == len(s.Tracks) && withoutTraces(t, again) != withoutTraces(t, s) {
				t.Errorf("%s: opened again it is another scene: %v", when, scene.Differences(s, again))
			}
		}
		t.Logf("several %v: %d joined, %d of them the same bits, %d refused", several, did, bits, refused)
		if did < 6 {
			t.Errorf("%d joined shows too little", did)
		}
	}
}
