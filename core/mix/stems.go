package mix

import (
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// Stems are a mix in parts: each is what some of its tracks sound like, and together they are the mix.
type Stems struct {
	mixer *Mixer
	of    []int // by the mixer's tracks: the stem, -1 for none
	n     int
}

// Stems parts a mix by groups of tracks. A track that is in no group is in the mix alone, one that is in several in the
// first.
func (m *Mixer) Stems(groups [][]scene.TrackID) *Stems {
	s := &Stems{mixer: m, n: len(groups)}
	for i := range m.tracks {
		id := m.tracks[i].track.ID
		s.of = append(s.of, slices.IndexFunc(groups, func(g []scene.TrackID) bool { return slices.Contains(g, id) }))
	}
	return s
}

// Len is the number of stems; that of no stems is 0.
func (s *Stems) Len() int {
	if s == nil {
		return 0
	}
	return s.n
}

// Render fills dst[0] with the mix and dst[1:] with the stems, from sample at on. The mix is the same bits as
// Mixer.Render gives.
func (s *Stems) Render(dst []pcm.Block, at int64) error {
	buffer := scratch.Get().(*pcm.Block)
	defer scratch.Put(buffer)
	for from := int64(0); from < dst[0].Len(); from += renderStep {
		to := min(dst[0].Len(), from+renderStep)
		parts := make([]pcm.Block, len(dst))
		for i := range dst {
			parts[i] = dst[i].Slice(from, to)
			parts[i].Clear()
		}
		apart := (*buffer)[:len(dst[0])].Slice(0, to-from)
		begun := make([]bool, s.n)
		for i := range s.mixer.tracks {
			t := &s.mixer.tracks[i]
			if t.still {
				continue
			}
			k := s.of[i]
			own := apart
			if k >= 0 && !begun[k] { // the first track of a stem is rendered in its place
				own, begun[k] = parts[k+1], true
			} else {
				own.Clear()
			}
			if err := t.add(own, at+from); err != nil {
				return err
			}
			for c := range own {
				addTo(parts[0][c], own[c])
				if k >= 0 && &own[c][0] == &apart[c][0] {
					addTo(parts[k+1][c], own[c])
				}
			}
		}
	}
	return nil
}
