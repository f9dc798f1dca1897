package roommatch

import (
	"context"
	"math"
	"math/cmplx"

	"blendseam/core/listen/reverb"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// answers gives takes of drier voice the answer of the room of the wettest, or of the take that is the target; and
// their backgrounds, which are answered too.
func answers(ctx context.Context, m *meter.Meter, list []taking, target string, threads int) error {
	groups := byRecording(list)
	voices, profiles := make([]*reverb.Voice, len(groups)), make([]*reverb.Profile, len(groups))
	err := parallel.Each(ctx, len(groups), threads, func(g int) error {
		a, _, err := recordingOf(ctx, m, list[groups[g][0]].clip)
		if err != nil {
			return err
		}
		var spans []pcm.Span
		for _, i := range groups[g] {
			c := list[i].clip
			spans = append(spans, pcm.Span{From: c.In, To: c.In + c.Length})
		}
		if voices[g], err = reverb.Analyze(a, pcm.Union(spans)); err != nil {
			return err
		}
		if p, ok := voices[g].Profile(); ok {
			profiles[g] = &p
		}
		return nil
	})
	if err != nil {
		return err
	}
	var wettest *reverb.Profile
	for g, p := range profiles {
		if p == nil {
			continue
		}
		for _, i := range groups[g] {
			if list[i].named(target) {
				wettest = p
			}
		}
	}
	for _, p := range profiles {
		if p != nil && target == "" && (wettest == nil || p.DifferenceDB(*wettest) < 0) {
			wettest = p
		}
	}
	if wettest == nil {
		return nil
	}
	return parallel.Each(ctx, len(groups), threads, func(g int) error {
		if profiles[g] == nil || profiles[g] == wettest {
			return ctx.Err()
		}
		d, before, after, ok := voices[g].Lacking(*wettest)
		if !ok {
			return ctx.Err()
		}
		source := list[groups[g][0]].clip.Source
		by := ambience.ImpulseOf(d, seedOf(source), int(m.Scene.SampleRate))
		rooms := map[*float64]Room{} // by what they were: clips of one room share it
		for _, i := range groups[g] {
			was := &list[i].room.Bands[0]
			if _, ok := rooms[was]; !ok {
				rooms[was] = list[i].room.answered(by)
			}
			list[i].room = rooms[was]
			list[i].answer = &Reverberation{S: d.S, LevelDB: d.LevelDB, BeforeDB: round(before), AfterDB: round(after)}
		}
		return ctx.Err()
	})
}

// answered is the room as the answer of another makes it.
func (r Room) answered(by *ambience.Impulse) Room {
	powers := by.Powers()
	times := func(s ambience.Spectrum) ambience.Spectrum {
		if s == nil {
			return nil
		}
		out := make(ambience.Spectrum, len(s))
		for b := range s {
			out[b] = s[b] * powers[b]
		}
		return out
	}
	r.Bands, r.Later = times(r.Bands), times(r.Later)
	hum := make([]recipe.Sine, len(r.Hum))
	for i, h := range r.Hum {
		x := by.At(h.Hz)
		h.LevelDB += level.DB(cmplx.Abs(x))
		h.Phase += cmplx.Phase(x) / (2 * math.Pi)
		h.Phase -= math.Floor(h.Phase)
		hum[i] = h
	}
	r.Hum = hum
	return r
}
