package edit_test

import (
	"encoding/json"
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/scenetest"
)

// joinedTakes is takes with Oda and Pell, blended and linked with their pictures, joined into one recording, and the id
// of the joined clip.
func joinedTakes(t *testing.T, first ...edit.Edit) (before, after *scene.Scene, id scene.ClipID) {
	base := takes(t)
	snd, _ := ids(base)
	list := []edit.Edit{
		&edit.SetBlend{Left: snd[0], Right: snd[1], Before: 4 * fr, After: 4 * fr, Law: blend.ConstantPower},
		&edit.SetBlend{Left: snd[1], Right: snd[2], Before: 3 * fr, After: 5 * fr, Law: blend.ConstantPower},
	}
	before = scenetest.Must(t, base, append(list, first...)...)
	after = scenetest.Must(t, before, scenetest.Joined(before, snd[0], snd[1]))
	return before, after, after.Tracks[1].Clips[0].ID
}

// One clip lies where the joined ones did, with the handles of both ends; the blend with what is outside goes on; what
// pictures were linked with is gone until it is opened again.
func TestAJoinedClipLiesWhereItsPartsDid(t *testing.T) {
	before, after, id := joinedTakes(t)
	_, c := after.Clip(id)
	src := after.Sources[c.Source]
	if c.Start != 0 || c.End() != 200*fr || c.In != 0 || src.Samples != 200*fr+20*fr || len(after.Tracks[1].Clips) != 2 {
		t.Errorf("it lies at %v in a recording of %d samples", c, src.Samples)
	}
	b := after.Tracks[1].Blends
	if len(b) != 1 || b[0].Left != id || b[0].Before != 3*fr || b[0].After != 5*fr {
		t.Errorf("blends are %+v", b)
	}
	for _, p := range after.Tracks[0].Clips[:2] {
		if p.Link != "" {
			t.Errorf("the picture %s is linked with %q", p.Name, p.Link)
		}
	}
	words := edit.Describe(before, after, scenetest.Joined(before, before.Tracks[1].Clips[0].ID))
	if words != "2 clips joined into joined" {
		t.Errorf("it is told as %q", words)
	}
}

// What was done to a joined clip is done to its parts when it is opened: it was moved, trimmed, turned, faded, lulled.
func TestOpenedAgainPartsHaveWhatWasDoneSince(t *testing.T) {
	before, after, id := joinedTakes(t)
	snd, pic := ids(before)
	fade := int64(2 * fr)
	s := scenetest.Must(t, after,
		&edit.Trim{Clip: id, Edge: scene.Head, To: 50 * fr},
		&edit.Gain{Clips: []scene.ClipID{id}, DB: -3},
		&edit.FadeEdge{Clip: id, Edge: scene.Head, Length: 10 * fr},
		&edit.AddLull{Clip: id, From: 90 * fr, To: 110 * fr, FadeIn: &fade, FadeOut: &fade},
		&edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: 60 * fr}, {At: 160 * fr, DB: -10}}},
		&edit.Remove{Clips: []scene.ClipID{s3(after)}},
		&edit.Move{Clip: id, To: 55 * fr},
	)
	e := &edit.Reopen{Clip: id}
	open := scenetest.Must(t, s, e)
	if err := open.Check(); err != nil {
		t.Fatal(err)
	}
	if got := [2][3]int64{at(open, snd[0]), at(open, snd[1])}; got != [2][3]int64{{55, 105, 50}, {105, 205, 10}} {
		t.Errorf("the parts lie at %v", got)
	}
	_, oda := open.Clip(snd[0])
	_, pell := open.Clip(snd[1])
	if oda.GainDB != -3 || pell.GainDB != -3 || oda.FadeIn.Length != 10*fr || pell.FadeOut.Length != 0 {
		t.Errorf("they have %+v and %+v", oda, pell)
	}
	if len(oda.Lulls) != 1 || len(pell.Lulls) != 1 || oda.Lulls[0].To != 100*fr || pell.Lulls[0].From != 10*fr ||
		oda.Lulls[0].FadeOut != 0 || oda.Lulls[0].FadeIn != fade || pell.Lulls[0].FadeOut != fade {
		t.Errorf("lulls are %+v and %+v", oda.Lulls, pell.Lulls)
	}
	if a, b := oda.LevelDB(100*fr), pell.LevelDB(10*fr); a != b || a != -4 {
		t.Errorf("at the cut lines are at %g and %g dB", a, b)
	}
	if len(open.Tracks[1].Blends) != 1 || oda.Link != "" { // it does not lie with its picture any more
		t.Errorf("blends %+v, Oda is linked with %q", open.Tracks[1].Blends, oda.Link)
	}
	if words := edit.Describe(s, open, e); words != "joined opened again" {
		t.Errorf("it is told as %q", words)
	}
	again := scenetest.Must(t, after, e) // as it was, with its links
	if _, p := again.Clip(pic[1]); p.Link == "" || len(again.Linked(pic[1])) != 2 {
		t.Errorf("the picture is linked with %v", again.Linked(pic[1]))
	}
}

// s3 is the third clip of sound of takes, once the first two are joined.
func s3(s *scene.Scene) scene.ClipID { return s.Tracks[1].Clips[1].ID }

// A copy of a joined clip opens as well, beside the one that was opened, and in another scene.
func TestACopyOfAJoinedClipOpensAsWell(t *testing.T) {
	_, after, id := joinedTakes(t)
	piece, _, err := edit.Copy(after, pcm.Span{To: 200 * fr}, []scene.TrackID{"t2"})
	if err != nil {
		t.Fatal(err)
	}
	s := scenetest.Must(t, after, &edit.Paste{Clipboard: piece, At: 400 * fr}, &edit.Reopen{Clip: id})
	clips := s.Tracks[1].Clips
	s = scenetest.Must(t, s, &edit.Reopen{Clip: clips[len(clips)-1].ID})
	var all []scene.ClipID
	for _, c := range s.Tracks[1].Clips {
		all = append(all, c.ID)
	}
	if len(all) != 5 || len(slices.Compact(slices.Sorted(slices.Values(all)))) != 5 {
		t.Errorf("clips are %v", all)
	}
	other := scenetest.Must(t, scene.New("other", after.Rate, 48000), &edit.AddTrack{Name: "V", Purpose: "dialogue"},
		&edit.Paste{Clipboard: piece})
	other = scenetest.Must(t, other, &edit.Reopen{Clip: other.Tracks[0].Clips[0].ID})
	if len(other.Tracks[0].Clips) != 2 || other.Check() != nil {
		t.Errorf("in another scene it opens to %+v", other.Tracks[0].Clips)
	}
}

// A patch that was joined with its hole fills that of its own copy, also where its track comes before the hole's.
func TestAPatchOfACopyFillsItsOwnHole(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(t, s,
		&edit.Remove{Clips: []scene.ClipID{s.Tracks[2].Clips[0].ID}},
		&edit.AddLull{Clip: snd[0], From: 40 * fr, To: 50 * fr},
	)
	_, oda := s.Clip(snd[0])
	s, patch := patched(t, s, scene.Hole{Clip: snd[0], Lull: oda.Lulls[0].ID})
	s = scenetest.Must(t, s, &edit.MoveTrack{Track: s.Tracks[2].ID, To: 0})
	s = scenetest.Must(t, s, scenetest.Joined(s, snd[0], patch))
	on := slices.IndexFunc(s.Tracks, func(t *scene.Track) bool {
		return slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return s.Sources[c.Source].Joined != nil })
	})
	joined := s.Tracks[on].Clips[0]
	piece, _, err := edit.Copy(s, joined.Span(), []scene.TrackID{s.Tracks[on].ID})
	if err != nil {
		t.Fatal(err)
	}
	s = scenetest.Must(t, s, &edit.Paste{Clipboard: piece, At: 600 * fr}, &edit.Reopen{Clip: joined.ID})
	copied := s.Tracks[on].Clips[len(s.Tracks[on].Clips)-1]
	s = scenetest.Must(t, s, &edit.Reopen{Clip: copied.ID})
	patches := 0
	for _, track := range s.Tracks {
		for _, c := range track.Clips {
			if c.Fills == nil {
				continue
			}
			patches++
			if hole, ok := s.HoleSpan(*c.Fills); !ok || !hole.Overlaps(c.Span()) {
				t.Errorf("the patch at %v fills the hole of %s, at %v", c.Span(), c.Fills.Clip, hole)
			}
		}
	}
	if patches != 2 {
		t.Errorf("%d patches fill holes", patches)
	}
}

// refusedJoins are refusals of joining and opening.
func refusedJoins(t *testing.T, base *scene.Scene) (list [][2]string) {
	snd, pic := ids(base)
	tune := base.Tracks[2].Clips[0].ID
	says := func(s *scene.Scene, e edit.Edit, want string) {
		_, err := edit.Apply(s, e)
		if err == nil {
			t.Errorf("%+v was not refused; want %q", e, want)
			return
		}
		list = append(list, [2]string{edit.Message(err), want})
	}
	join := func(s *scene.Scene, ids ...scene.ClipID) *edit.Join { return scenetest.Joined(s, ids...) }
	says(base, join(base), "Take the clips in hand that are to be joined.")
	says(base, join(base, pic[0]), "Oda is picture; sound alone is joined.")
	says(base, join(base, snd[0], snd[2]),
		"Pell lies between the clips that are to be joined; take it in hand, too, or remove it.")
	nameless, short := join(base, snd[0]), join(base, snd[0])
	nameless.Source.Name, short.Source.Samples = " ", 48000
	itself := join(base, snd[0])
	_, first := base.Clip(snd[0])
	itself.Source.ID = first.Source
	says(base, itself, "Oda shows the recording joined itself; what is joined becomes another.")
	says(base, nameless, "What is joined needs a name of at least one letter.")
	says(base, short, "joined has 48000 samples in 1 channels; joined, these clips have 268800 in 1.")
	blended := scenetest.Must(t, base,
		&edit.SetBlend{Left: snd[0], Right: snd[1], Before: 4 * fr, After: 4 * fr, Law: blend.ConstantPower})
	says(blended, join(blended, snd[0], tune),
		"Oda goes over into Pell, which is not to be joined. Take that in hand, too, or take off what blends them.")
	far := scenetest.Must(t, base, &edit.Unlink{Clips: []scene.ClipID{snd[2]}},
		&edit.Move{Clip: snd[2], To: 7 * 3600 * 48000})
	says(far, join(far, snd[1], snd[2]),
		"From Pell to wide it would be longer than 6 hours; join fewer clips at once.")
	treated := scenetest.Must(t, base, &edit.SetTreatments{Tracks: []scene.TrackID{"t2"}, Treatments: compressor(2)})
	says(treated, join(treated, snd[0], tune),
		"Track Voices is treated as a whole, as the sum of its clips. Join clips of that track alone. "+
			"What would work: take its treatments off.")
	says(base, &edit.Reopen{Clip: snd[0]},
		"Oda was not joined here from others; a joined clip is what can be opened again.")
	one := scenetest.Must(t, base, join(base, snd[0]))
	id := one.Tracks[1].Clips[0].ID
	fitted := scenetest.Must(t, one, &edit.Fit{Clip: id,
		Parts: []timing.Part{{From: 0, To: 100 * fr, Length: 90 * fr, Kind: timing.Words}}})
	says(fitted, &edit.Reopen{Clip: id},
		"joined is fitted into another length, which its parts do not have. Give it its own length first. "+
			"What would work: give it its own length and open it.")
	source := one.Sources[one.Tracks[1].Clips[0].Source]
	for want, change := range map[string]func(j *scene.Joined){
		"joined was not joined from sample 9 to 5 of itself.": func(j *scene.Joined) { j.Head, j.Tail = 9, 5 },
		"joined was not joined from a track without sound.":   func(j *scene.Joined) { j.Tracks[0].Kind = scene.Picture },
		"joined was joined from Oda, which is no recording of this scene, or is there twice.": func(j *scene.Joined) {
			j.Tracks[0].Clips[0].Source = "nobody"
		},
		"What joined was joined from cannot be: clip Oda has length 0.": func(j *scene.Joined) {
			j.Tracks[0].Clips[0].Length = 0
		},
	} {
		raw, err := json.Marshal(source)
		if err != nil {
			t.Fatal(err)
		}
		var own scene.Source
		if err := json.Unmarshal(raw, &own); err != nil {
			t.Fatal(err)
		}
		change(own.Joined)
		says(base, &edit.Bring{Source: own}, want)
	}
	return list
}
