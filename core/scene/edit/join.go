package edit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
)

// Join puts one clip in the place of several: of a recording that holds what they sound like, see PlanJoin.
type Join struct {
	Clips  []scene.ClipID `json:"clips"`
	Source scene.Source   `json:"source"`
}

func (e *Join) apply(d *draft) error {
	j, err := PlanJoin(d.Scene, e.Clips)
	if err != nil {
		return err
	}
	src := e.Source
	switch want := j.Sounding().Len(); {
	case strings.TrimSpace(src.Name) == "":
		return notPossible("What is joined needs a name of at least one letter.")
	case src.Made() || src.Samples != want || src.Channels != j.Channels():
		return notPossible("%s has %d samples in %d channels; joined, these clips have %d in %d.",
			src.Name, src.Samples, src.Channels, want, j.Channels())
	}
	if err := scene.CheckSource(d.Scene, src); err != nil {
		return err
	}
	for _, id := range j.Parts {
		_, c, err := d.open(id)
		if err != nil {
			return err
		}
		if slices.Contains(scene.Needed(d.Scene, c), src.ID) {
			return notPossible("%s shows the recording %s itself; what is joined becomes another.", c.Name, src.Name)
		}
	}
	src.Name = shortName(src.Name)
	src.Joined = joinedFrom(d.Scene, j)
	src.Speech = joinedSpeech(d.Scene, j)
	d.Sources = maps.Clone(d.Sources)
	d.Sources[src.ID] = src
	clip := scene.Clip{
		ID: scene.NewID(
			d.Scene,
			scene.AClip,
		), Source: src.ID, Name: src.Name, In: j.Head, Start: j.Span.From, Length: j.Span.Len(),
		FadeIn: j.fadeIn, FadeOut: j.fadeOut,
	}
	return j.replace(d, clip)
}

// joinedFrom is what a joined recording remembers.
func joinedFrom(s *scene.Scene, j *Joining) *scene.Joined {
	from := &scene.Joined{Head: j.Head, Tail: j.Head + j.Span.Len()}
	in, links := map[scene.ClipID]bool{}, map[scene.LinkID]bool{}
	for _, id := range j.Parts {
		in[id] = true
	}
	for _, t := range s.Tracks {
		part := scene.Track{ID: t.ID, Kind: t.Kind, Purpose: t.Purpose, Name: t.Name, Clips: []scene.Clip{}}
		for _, c := range t.Clips {
			if in[c.ID] {
				links[c.Link] = c.Link != ""
				c.Start -= j.Sounding().From
				part.Clips = append(part.Clips, c)
			}
		}
		for _, b := range t.Blends {
			if in[b.Left] && in[b.Right] {
				part.Blends = append(part.Blends, b)
			}
		}
		if len(part.Clips) > 0 {
			from.Tracks = append(from.Tracks, &part)
		}
	}
	for _, t := range s.Tracks {
		for _, u := range t.Ducks {
			for _, id := range u.Clips {
				if in[id] && !slices.Contains(from.Named, id) {
					from.Named = append(from.Named, id)
				}
			}
		}
	}
	for _, p := range s.Pairs {
		if in[p.In] && in[p.Out] {
			from.Pairs = append(from.Pairs, p)
		}
	}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			tie := scene.Tie{Clip: c.ID}
			if links[c.Link] {
				tie.Link, tie.At = c.Link, scene.SyncOrigin(s, t, c)-j.Sounding().From
			}
			if h := c.Fills; h != nil && (in[h.Clip] || in[h.Next]) {
				tie.Fills = h
			}
			if !in[c.ID] && (tie.Link != "" || tie.Fills != nil) {
				from.Ties = append(from.Ties, tie)
			}
		}
	}
	return from
}

// joinedSpeech are the words of a joined recording, of tracks of dialogue if it is of several; nil if those of a part
// are not known.
func joinedSpeech(s *scene.Scene, j *Joining) *scene.Speech {
	words := []pcm.Span{}
	for _, id := range j.Parts {
		t, c := s.Clip(id)
		src := s.Sources[c.Source]
		switch {
		case !s.Heard(*c) || src.Tone != nil || t.Purpose != scene.ForDialogue && !j.Single:
			continue
		case src.Speech == nil:
			return nil
		}
		for _, w := range scene.SpokenSpans(s, c) {
			words = append(words, w.Add(-j.Sounding().From))
		}
	}
	slices.SortFunc(words, func(a, b pcm.Span) int { return cmp.Compare(a.From, b.From) })
	apart := words[:0]
	for _, w := range words {
		if n := len(apart); n > 0 && w.From <= apart[n-1].To {
			apart[n-1].To = max(apart[n-1].To, w.To)
			continue
		}
		apart = append(apart, w)
	}
	return &scene.Speech{Words: apart}
}

// replace takes the parts away and lays the joined clip in their place.
func (j *Joining) replace(d *draft, clip scene.Clip) error {
	in, links := map[scene.ClipID]bool{}, map[scene.LinkID]bool{}
	for _, id := range j.Parts {
		in[id] = true
		_, c := d.Clip(id)
		links[c.Link] = true
	}
	first, last := scene.ClipID(""), scene.ClipID("") // whose blends and pairs go on
	for _, id := range j.Parts {
		t, c := d.Clip(id)
		if c.Start == j.Span.From && (first == "" || t.ID == j.Track) {
			first = id
		}
		if c.End() == j.Span.To && (last == "" || t.ID == j.Track) {
			last = id
		}
	}
	purpose := scene.ForEffects
	for i, t := range d.Tracks {
		if !slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return in[c.ID] }) {
			continue
		}
		purpose = t.Purpose
		t = d.touch(i)
		t.Clips = slices.DeleteFunc(t.Clips, func(c scene.Clip) bool { return in[c.ID] })
		for k, b := range t.Blends {
			if b.Right == first && !in[b.Left] {
				t.Blends[k].Right = clip.ID
			}
			if b.Left == last && !in[b.Right] {
				t.Blends[k].Left = clip.ID
			}
		}
	}
	d.Pairs = slices.Clone(d.Pairs)
	for k, p := range d.Pairs {
		if p.In == first && !in[p.Out] {
			d.Pairs[k].In = clip.ID
		}
		if p.Out == last && !in[p.In] {
			d.Pairs[k].Out = clip.ID
		}
	}
	for i, t := range d.Tracks { // a patch between the parts stays as it is
		for k, c := range t.Clips {
			if h := c.Fills; h != nil && (in[h.Clip] || in[h.Next]) {
				d.touch(i).Clips[k].Fills = nil
			}
		}
	}
	for link := range links {
		if link != "" && len(linkedBy(d.Scene, link)) == 1 {
			d.unlinkAll(link)
		}
	}
	renamedDucks(d, j.Parts, clip.ID)
	to := d.Track(j.Track)
	if to == nil {
		add := AddTrack{Name: "Joined", Purpose: purpose}
		if err := add.apply(d); err != nil {
			return err
		}
		to = d.Tracks[len(d.Tracks)-1]
	}
	return d.place(d.touch(scene.TrackIndex(d.Scene, to.ID)), clip)
}

func (e *Join) words(_, after *scene.Scene) string {
	n := 0
	for _, t := range after.Sources[e.Source.ID].Joined.Tracks {
		n += len(t.Clips)
	}
	return fmt.Sprintf("%s joined into %s", phrase.Count(n, "clip"), shortName(e.Source.Name))
}
