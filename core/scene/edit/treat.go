package edit

import (
	"fmt"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
)

// SetFilters gives clips, or tracks, filters set by hand; nil takes them off.
type SetFilters struct {
	Clips   []scene.ClipID  `json:"clips,omitempty"`
	Tracks  []scene.TrackID `json:"tracks,omitempty"`
	Filters *eq.Filters     `json:"filters"`
}

func (e *SetFilters) apply(d *draft) error {
	if len(e.Clips)+len(e.Tracks) == 0 {
		return notPossible("No clip and no track is named that is to be filtered.")
	}
	if why := e.Filters.Wrong(); why != "" {
		return notPossible("Such filters cannot be: %s.", why)
	}
	return onSound(
		d,
		e.Clips,
		e.Tracks,
		func(c *scene.Clip) { c.Filters = e.Filters },
		func(t *scene.Track) { t.Filters = e.Filters },
	)
}

// SetTreatments gives clips, or tracks, a chain of treatments; nil takes them off.
type SetTreatments struct {
	Clips      []scene.ClipID  `json:"clips,omitempty"`
	Tracks     []scene.TrackID `json:"tracks,omitempty"`
	Treatments *effects.Chain  `json:"treatments"`
}

func (e *SetTreatments) apply(d *draft) error {
	if len(e.Clips)+len(e.Tracks) == 0 {
		return notPossible("Name a clip or a track to treat.")
	}
	if err := scene.CheckTreatments(d.Scene, e.Treatments); err != nil {
		return err
	}
	chain := e.Treatments
	if chain.Empty() {
		chain = nil
	}
	return onSound(d, e.Clips, e.Tracks,
		func(c *scene.Clip) { c.Treatments = chain }, func(t *scene.Track) { t.Treatments = chain })
}

func (e *SetTreatments) words(before, _ *scene.Scene) string {
	what := treatedWords(before, e.Clips, e.Tracks)
	switch {
	case e.Treatments.Empty():
		return "treatments taken off " + what
	case e.Treatments.Off:
		return "treatments of " + what + " bypassed"
	}
	return what + " treated with " + e.Treatments.Words()
}

// onSound changes clips and tracks of sound that may be changed.
func onSound(
	d *draft,
	clips []scene.ClipID,
	tracks []scene.TrackID,
	clip func(*scene.Clip),
	track func(*scene.Track),
) error {
	for _, id := range clips {
		c, err := d.openSound(id)
		if err != nil {
			return err
		}
		clip(c)
	}
	for _, id := range tracks {
		i := scene.TrackIndex(d.Scene, id)
		switch {
		case i < 0:
			return notPossible("There is no track %q in this scene.", id)
		case d.Tracks[i].Kind != scene.Sound:
			return notPossible("%s is a track of pictures, on which nothing is heard to be treated.", d.Tracks[i].Name)
		}
		if err := d.unlocked(d.Tracks[i]); err != nil {
			return err
		}
		track(d.touch(i))
	}
	return nil
}

// treatedWords is what clips or tracks are called in the history: by name if it is one.
func treatedWords(s *scene.Scene, clips []scene.ClipID, tracks []scene.TrackID) string {
	switch {
	case len(clips) == 1:
		return scene.ClipName(s, clips[0])
	case len(clips) > 0:
		return phrase.Count(len(clips), "clip")
	case len(tracks) == 1:
		return "track " + s.Track(tracks[0]).Name
	}
	return phrase.Count(len(tracks), "track")
}

// openSound gives a clip of sound that may be changed.
func (d *draft) openSound(id scene.ClipID) (*scene.Clip, error) {
	t, c, err := d.open(id)
	if err == nil && t.Kind != scene.Sound {
		err = notPossible("%s is picture; nothing is heard of it.", c.Name)
	}
	return c, err
}

func (e *SetFilters) words(before, _ *scene.Scene) string {
	what := treatedWords(before, e.Clips, e.Tracks)
	switch {
	case e.Filters == nil:
		return "filters taken off " + what
	case e.Filters.Off:
		return "filters of " + what + " switched off"
	}
	return what + " filtered"
}

// SetLike brings clips as near as they come to another's voice; nil takes that off.
type SetLike struct {
	Clips []scene.ClipID `json:"clips"`
	Like  *eq.Like       `json:"like"`
}

func (e *SetLike) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip is named that is to be brought near another.")
	}
	if why := e.Like.Wrong(); why != "" {
		return notPossible("No voice can be brought near another like that: %s.", why)
	}
	for _, id := range e.Clips {
		c, err := d.openSound(id)
		if err != nil {
			return err
		}
		c.Like = e.Like
	}
	return nil
}

func (e *SetLike) words(before, _ *scene.Scene) string {
	what := scene.ClipName(before, e.Clips[0])
	if len(e.Clips) > 1 {
		what = phrase.Count(len(e.Clips), "clip")
	}
	switch {
	case e.Like == nil:
		return what + " sounds as it was recorded again"
	case e.Like.As == "":
		return what + " brought near another voice"
	}
	return fmt.Sprintf("%s brought as near as it comes to %s", what, e.Like.As)
}
