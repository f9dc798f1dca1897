package scene

import "fmt"

// Check says which law of the model a scene breaks, nil if none: clips in order and apart, inside their
// sources, fades inside their clips, blends on cuts and within handles.
func (s *Scene) Check() error {
	if s.Rate.Num <= 0 || s.Rate.Den <= 0 || s.SampleRate < 1000 || s.Channels < 1 || s.Channels > 2 {
		return fmt.Errorf("scene %q: frame rate %s, %d samples a second, %d channels", s.Name, s.Rate, s.SampleRate, s.Channels)
	}
	for _, t := range s.Tracks {
		if err := checkTrack(s, t); err != nil {
			return fmt.Errorf("track %s: %w", t.Name, err)
		}
	}
	return nil
}

func checkTrack(s *Scene, t *Track) error {
	room := make(map[string]int64, len(t.Blends)) // what blends take of a clip's inside
	order := make(map[string]int, len(t.Clips))
	end := int64(0)
	for i := range t.Clips {
		c := &t.Clips[i]
		if c.Length <= 0 {
			return fmt.Errorf("clip %s has length %d", c.Name, c.Length)
		}
		if c.Start < end {
			return fmt.Errorf("clip %s starts at %d, before %d where its neighbour ends", c.Name, c.Start, end)
		}
		end = c.End()
		if head, tail := s.Handles(t, *c); head < 0 || tail < 0 {
			return fmt.Errorf("clip %s shows %d to %d of a source that is %d long", c.Name, c.In, c.In+c.Length, SourceLength(s, t, *c))
		}
		if c.FadeIn.Length < 0 || c.FadeOut.Length < 0 || c.FadeIn.Length+c.FadeOut.Length > c.Length {
			return fmt.Errorf("clip %s: fades of %d and %d in a length of %d", c.Name, c.FadeIn.Length, c.FadeOut.Length, c.Length)
		}
		if err := c.checkLulls(); err != nil {
			return err
		}
		if len(t.Blends) > 0 {
			order[c.ID] = i
		}
	}
	for _, b := range t.Blends {
		l, okL := order[b.Left]
		r, okR := order[b.Right]
		if !okL || !okR || r != l+1 || !t.Touches(l) {
			return fmt.Errorf("a blend from %s to %s is not on a cut", b.Left, b.Right)
		}
		left, right := t.Clips[l], t.Clips[r]
		if b.Before < 0 || b.After < 0 || b.Length() == 0 {
			return fmt.Errorf("the blend from %s to %s is %d before and %d after its cut", left.Name, right.Name, b.Before, b.After)
		}
		if err := blendFits(s, t, left, right, b.Before, b.After); err != nil {
			return err
		}
		room[b.Left] += b.Before
		room[b.Right] += b.After
		if room[b.Left] > left.Length || room[b.Right] > right.Length {
			return fmt.Errorf("two blends overlap in clip %s or %s", left.Name, right.Name)
		}
	}
	return nil
}

// blendFits is nil if both sides have the handle for a blend of their cut, else a *NeedHandle.
func blendFits(s *Scene, t *Track, left, right Clip, before, after int64) error {
	if _, tail := s.Handles(t, left); tail < after {
		return needHandle(s, t, left, "tail", tail, after)
	}
	if head, _ := s.Handles(t, right); head < before {
		return needHandle(s, t, right, "head", head, before)
	}
	return nil
}
