package otio_test

import (
	"encoding/json"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/scenetest"
)

// What was joined opens from a file to what it opens to without it: parts, blends, fades, links with what is outside,
// and what was joined before it was joined.
func TestWhatWasJoinedOpensFromAFileAsWell(t *testing.T) {
	s := filed(t, timecode.F2997D, 0)
	c := s.Tracks[1].Clips
	s = scenetest.Must(t, s,
		&edit.SetBlend{Left: c[1].ID, Right: c[2].ID, Before: 900, After: 700, Law: blend.Matched},
		&edit.Gain{Clips: []scene.ClipID{c[0].ID}, DB: -4},
		&edit.FadeEdge{Clip: c[0].ID, Edge: scene.Head, Length: 5000},
		&edit.SetDucks{Track: "t3", Ducks: []scene.Duck{
			{Under: []scene.TrackID{"t2"}, Clips: []scene.ClipID{c[1].ID}, DB: 6}}},
	)
	for _, n := range []int{2, 2} { // the second time with what was joined
		var ids []scene.ClipID
		for _, c := range s.Tracks[1].Clips[:n] {
			ids = append(ids, c.ID)
		}
		e := scenetest.Joined(s, ids...)
		e.Source.URL = e.Source.ID + ".wav"
		s = scenetest.Must(t, s, e)
	}
	open := func(s *scene.Scene) *scene.Scene {
		for range 2 {
			s = scenetest.Must(t, s, &edit.Reopen{Clip: s.Tracks[1].Clips[0].ID})
		}
		return s
	}
	file := func(s *scene.Scene) string {
		raw, err := otio.Write(s)
		if err != nil {
			t.Fatal(err)
		}
		return string(raw)
	}
	raw := file(s)
	back, warnings, err := otio.Read([]byte(raw), nil)
	if err != nil || len(warnings) > 0 {
		t.Fatal(err, warnings)
	}
	plain := func(s *scene.Scene) string { // ids and the numbers of sources are the file's
		s = open(s)
		out := ""
		for _, t := range s.Tracks {
			for _, c := range t.Clips {
				c.Source = s.Sources[c.Source].URL
				c.ID, c.Link = "", scene.LinkID(map[bool]string{true: "linked"}[c.Link != ""])
				out += strings.ReplaceAll(strings.Join(strings.Fields(toJSON(c)), ""), ",", "\n")
			}
		}
		return out
	}
	if a, b := plain(s), plain(back); a != b {
		t.Errorf("from the file it opens to\n%s\nnot\n%s", b, a)
	}
	again, _, err := otio.Read([]byte(file(back)), nil)
	if err != nil || plain(again) != plain(back) {
		t.Errorf("written twice it is another: %v", err)
	}
	opened := open(back)
	d := opened.Tracks[2].Ducks
	if len(d) != 1 || len(d[0].Clips) != 1 || d[0].Clips[0] != opened.Tracks[1].Clips[1].ID {
		t.Errorf("ducks make way for %+v", d)
	}
	for was, want := range map[string]string{
		`"head": {`:   `"head": 5, "x": {`,
		`"tail": {`:   `"x": {`,
		`"named": [`:  `"named": "all", "x": [`,
		`"ties": [`:   `"ties": "all", "x": [`,
		`"tracks": [`: `"tracks": "all", "x": [`,
	} {
		if _, _, err := otio.Read([]byte(strings.Replace(raw, was, want, 1)), nil); err == nil {
			t.Errorf("%s in place of %s is read", want, was)
		}
	}
}

func toJSON(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return string(raw)
}
