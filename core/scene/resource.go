package scene

import (
	"slices"

	"blendseam/core/sound/effects"
	"blendseam/core/sound/recipe"
)

// WithRecordings is the scene with other recordings in the place of its own, by their ids: in clips, takes, rooms, in
// what it keeps aside and what was joined. Recordings that are made are made of those. Each of its own must be there.
func WithRecordings(s *Scene, now map[string]Source) (*Scene, error) {
	ids := map[string]string{}
	out := *s
	out.Sources = map[string]Source{}
	for old, src := range now {
		if s.Sources[old].Made() {
			continue
		}
		ids[old], out.Sources[src.ID] = src.ID, src
	}
	for old, src := range s.Sources {
		if src.Fit == nil {
			continue
		}
		own := *src.Fit
		own.Of = ids[own.Of]
		fitted, err := FitSource(&out, own, src.Name)
		if err != nil {
			return nil, err
		}
		ids[old], out.Sources[fitted.ID] = fitted.ID, fitted
	}
	for old, src := range s.Sources {
		if src.Tone == nil {
			continue
		}
		own := *src.Tone
		for _, list := range []*[]recipe.Material{&own.Left, &own.Right} {
			*list = slices.Clone(*list)
			for i := range *list {
				(*list)[i].Source = ids[(*list)[i].Source]
			}
		}
		tone, err := out.ToneSource(own, src.Name)
		if err != nil {
			return nil, err
		}
		ids[old], out.Sources[tone.ID] = tone.ID, tone
	}
	out.Tracks = withSources(s.Tracks, ids)
	out.Aside = nil
	for _, a := range s.Aside {
		out.Aside = append(out.Aside, &Aside{a.From, a.Length, withSources(a.Tracks, ids)})
	}
	for id, src := range out.Sources {
		if src.Joined != nil {
			own := *src.Joined
			own.Tracks = withSources(own.Tracks, ids)
			src.Joined = &own
			out.Sources[id] = src
		}
	}
	return &out, nil
}

// withSources are tracks whose clips show other sources, by their ids.
func withSources(tracks []*Track, ids map[string]string) (list []*Track) {
	moved := func(r *recipe.Room) *recipe.Room {
		if len(r.Tones()) == 0 {
			return r
		}
		own := *r
		own.Tone = ids[r.Tone]
		return &own
	}
	treated := func(c *effects.Chain) *effects.Chain { return c.With(ids[c.Impulse()]) }
	for _, was := range tracks {
		t := *was
		t.Room, t.Treatments, t.Clips = moved(t.Room), treated(t.Treatments), slices.Clone(t.Clips)
		for i := range t.Clips {
			c := &t.Clips[i]
			c.Source, c.Room, c.Treatments = ids[c.Source], moved(c.Room), treated(c.Treatments)
			c.Takes = c.Takes.With(func(take *Take) {
				take.Source, take.Room, take.Treatments = ids[take.Source], moved(take.Room), treated(take.Treatments)
			})
		}
		list = append(list, &t)
	}
	return list
}
