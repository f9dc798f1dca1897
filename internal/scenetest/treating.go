package scenetest

import (
	"math/rand/v2"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
)

// Chain is a chain with a bit of everything.
func Chain(rng *rand.Rand) *effects.Chain {
	return &effects.Chain{
		Gate:       &effects.Gate{ThresholdDB: -50, Ratio: 2, RangeDB: 12, AttackMS: 1, HoldMS: 10, ReleaseMS: 30},
		Compressor: &effects.Compressor{ThresholdDB: -30, Ratio: 1 + 4*rng.Float64(), AttackMS: 2, ReleaseMS: 20},
		Echo:       &effects.Echo{DelayMS: 30, DownDB: 6, Times: 2},
		Reverb:     &effects.Reverb{Room: "car", LevelDB: -12},
	}
}

// Treating gives an edit that treats a clip, a track or a range, or takes that off.
func Treating(s *scene.Scene, rng *rand.Rand) edit.Edit {
	t := s.Tracks[rng.IntN(len(s.Tracks))]
	if len(t.Clips) == 0 || rng.IntN(3) == 0 {
		return &edit.SetTreatments{Tracks: []scene.TrackID{t.ID}, Treatments: Chain(rng)}
	}
	c := t.Clips[rng.IntN(len(t.Clips))]
	at := s.Time(t, c.Start) + rng.Int64N(1+s.Time(t, c.Length))
	return []edit.Edit{
		&edit.SetTreatments{Clips: []scene.ClipID{c.ID}, Treatments: Chain(rng)},
		&edit.SetTreatments{Clips: []scene.ClipID{c.ID}},
		&edit.TreatRange{Tracks: []scene.TrackID{t.ID}, From: at, To: at + 2000 + rng.Int64N(90000), Slope: rng.Int64N(2000),
			Treatments: Chain(rng), GainDB: 3 * rng.Float64(), Filters: &eq.Filters{LowCutHz: 80}},
	}[rng.IntN(3)]
}

// Dissolving gives an edit that lets a picture go over into the next, or takes that off.
func Dissolving(s *scene.Scene, rng *rand.Rand) edit.Edit {
	t := s.Tracks[rng.IntN(len(s.Tracks))]
	if len(t.Clips) < 2 {
		return &edit.Dissolve{}
	}
	i := rng.IntN(len(t.Clips) - 1)
	return &edit.Dissolve{Left: t.Clips[i].ID, Right: t.Clips[i+1].ID, Before: rng.Int64N(5), After: rng.Int64N(5)}
}

// Speeding gives an edit that lets a clip run faster, slower or backwards.
func Speeding(s *scene.Scene, rng *rand.Rand) edit.Edit {
	t := s.Tracks[rng.IntN(len(s.Tracks))]
	if len(t.Clips) == 0 {
		return &edit.Speed{}
	}
	c := t.Clips[rng.IntN(len(t.Clips))]
	from, to := int64(0), int64(0)
	if rng.IntN(3) == 0 {
		from = s.Time(t, c.Start) + 1 + rng.Int64N(40000)
		to = from + 1 + rng.Int64N(40000)
	}
	return &edit.Speed{
		From: from, To: to, Clip: c.ID, Times: []float64{0.5, 0.8, 1, 1.25, 2, 4}[rng.IntN(6)],
		Ease: int64(rng.IntN(2)) * 2000, Reverse: rng.IntN(3) == 0, Follow: rng.IntN(2) == 0,
	}
}
