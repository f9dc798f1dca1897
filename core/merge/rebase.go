package merge

import (
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// Touched says that an edit cannot be done any more on a scene that was edited since.
type Touched struct{ Why string }

func (e *Touched) Error() string { return "both touch the same: " + e.Why }

// Rebase is the edit that does to a scene as it is now what one did to it as it was: the edit itself where that comes
// to the same, else one that takes what it did, wherever that lies now. The error is the refusal of the edit as it was,
// or *Touched where what it did and what was done since do not go together.
func Rebase(was, now *scene.Scene, e edit.Edit) (edit.Edit, error) {
	then, err := edit.Apply(was, e)
	if err != nil {
		return nil, err
	}
	c, err := compare(was, now, then, OfBoth)
	if err != nil {
		return nil, err
	}
	if len(c.Conflicts) > 0 {
		return nil, &Touched{c.Conflicts[0].Why}
	}
	both, err := c.Scene(nil, nil)
	if err != nil {
		return nil, &Touched{sentence(err)}
	}
	if plain, err := edit.Apply(now, e); err == nil && cameToTheSame(now, plain, both) {
		return e, nil
	}
	words, _, _ := strings.Cut(edit.Describe(was, then, e), "; ") // what came of it is said of it as it is done
	return edit.NewMerge(now, both, words), nil
}

// cameToTheSame tells whether two scenes that came of another are the same but for the ids of what is new in them.
func cameToTheSame(from, a, b *scene.Scene) bool {
	if len(a.Tracks) != len(b.Tracks) || len(a.Markers) != len(b.Markers) {
		return false
	}
	ids := newAligning(from, a, b.LastID)
	for i, t := range a.Tracks {
		o := b.Tracks[i]
		if len(t.Clips) != len(o.Clips) {
			return false
		}
		ids.tracks[t.ID] = o.ID
		for k, c := range t.Clips {
			d := o.Clips[k]
			if len(c.Lulls) != len(d.Lulls) {
				return false
			}
			ids.clips[c.ID] = d.ID
			if c.Link != "" {
				ids.links[c.Link] = d.Link
			}
		}
	}
	for i, m := range a.Markers {
		ids.markers[m.ID] = b.Markers[i].ID
	}
	own := ids.renamed()
	own.LastID = b.LastID
	e := edit.NewMerge(own, b, "")
	return len(e.Tracks) == 0 && len(e.Sources) == 0 && e.Rest == nil
}

// Without is the edit that does away in a scene as it is now with what an edit did to it once, from before to
// after. why
// is not "" where what was done since does not come apart from that.
func Without(before, after, now *scene.Scene, words string) (e edit.Edit, why string, err error) {
	c, err := compare(after, now, before, OfBoth)
	if err != nil {
		return nil, "", err
	}
	if len(c.Conflicts) > 0 {
		return nil, c.Conflicts[0].Why, nil
	}
	both, err := c.Scene(nil, nil)
	if err != nil {
		return nil, sentence(err), nil
	}
	return edit.NewMerge(now, both, words), "", nil
}
