package edit_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/scenetest"
)

func text(s string) *string { return &s }

// Every refusal there is, in full: what it names, what there is and what is needed, and what would work.
func TestEveryRefusalSaysWhatIsMissingAndWhatWouldWork(t *testing.T) {
	base := takes(t)
	snd, pic := ids(base)
	yes, tune := true, base.Tracks[2].Clips[0].ID
	oda, pell, wide := snd[0], snd[1], snd[2]
	with := func(list ...edit.Edit) *scene.Scene { return scenetest.Must(t, base, list...) }
	blended := with(&edit.SetBlend{Left: oda, Right: pell, Before: 4 * fr, After: 4 * fr, Law: blend.ConstantPower})
	_, second := blended.Clip(pell)
	blendAt := second.Start + fr
	locked := with(&edit.SetTrack{Track: "t2", Locked: &yes})
	unlinked := with(
		&edit.Unlink{Clips: []scene.ClipID{oda, pic[0]}},
		&edit.Unlink{Clips: []scene.ClipID{pell, pic[1]}},
		&edit.Unlink{Clips: []scene.ClipID{wide, pic[2]}},
	)
	gap := with(&edit.Remove{Clips: []scene.ClipID{pell}})
	late := scenetest.Must(t, gap, &edit.Move{Clip: wide, To: 210 * fr})
	apart := with(&edit.Unlink{Clips: []scene.ClipID{wide}}, &edit.Move{Clip: wide, To: 220 * fr})
	self := with(&edit.Link{Clips: []scene.ClipID{oda, pell}})
	marked := with(
		&edit.AddMarker{At: 0, Name: "here"},
		&edit.SetStretch{Source: "o", Name: "a", From: 0, To: 9},
		&edit.SetStretch{Source: "o", Name: "b", From: 9, To: 19},
	)
	piece, _, err := edit.Copy(base, pcm.Span{To: 50 * fr}, []scene.TrackID{"t1", "t2"})
	if err != nil {
		t.Fatal(err)
	}
	otherRate, damaged := piece, piece
	otherRate.Rate = timecode.F24
	damaged.Tracks = []*scene.Track{{Kind: scene.Sound, Clips: []scene.Clip{{Name: "odd", Source: "nobody", Length: 5}}}}
	lulled := with(&edit.AddLull{Clip: oda, From: 40 * fr, To: 50 * fr})
	lull := lulled.Tracks[1].Clips[0].Lulls[0].ID
	room := recipe.Tone{Left: []recipe.Material{{Source: "o", To: 48000}}}
	toned := func(change func(*recipe.Tone)) *edit.LayTone {
		own := room
		change(&own)
		return &edit.LayTone{Tone: own, Name: "room", To: fr, In: base.ToneMiddle()}
	}
	hurt := func(change func(*scene.Track, *scene.Clip)) *edit.Paste {
		p, _, err := edit.Copy(base, pcm.Span{To: 50 * fr}, []scene.TrackID{"t2"})
		if err != nil {
			t.Fatal(err)
		}
		change(p.Tracks[0], &p.Tracks[0].Clips[0])
		return &edit.Paste{Clipboard: p, At: 300 * fr}
	}
	slow := timing.Part{From: 0, To: 2 * fr, Length: 3 * fr, Kind: timing.Words}
	fitted := func(from, to int64, parts ...timing.Part) *edit.Fit {
		return &edit.Fit{Clip: oda, From: from, To: to, Parts: parts, Unlink: true}
	}
	patched := with(
		&edit.Remove{Clips: []scene.ClipID{oda}},
		&edit.LayTone{Tone: room, Name: "room", Track: "t2", From: 0, To: fr, In: base.ToneMiddle()},
	)
	brief := with(&edit.Trim{Clip: oda, Edge: "tail", To: 40 * fr, Alone: true})
	foreign := func(src scene.Source) *edit.Paste {
		e := hurt(func(_ *scene.Track, c *scene.Clip) { c.Source = "x" })
		e.Clipboard.Sources = map[string]scene.Source{"x": src}
		return e
	}
	endless := scenetest.Must(
		t,
		base,
		&edit.Bring{Source: scene.Source{ID: "o", Name: "Oda", Samples: 3600 * 48000, Channels: 1}},
	)
	evened := func(change func(*recipe.Room)) *edit.SetRoom {
		own := scenetest.Room(1)
		change(&own)
		return &edit.SetRoom{Rooms: []recipe.Room{own}, Clips: map[scene.ClipID]int{oda: 0}}
	}
	noHush, hushed := scenetest.Room(1), scenetest.Room(1)
	hushed.Hush = &recipe.Hush{RoomDB: hushed.FillDB, GainDB: make([]float64, recipe.FineBands)}
	jagged := make([]scene.LevelPoint, limit.LevelPoints)
	for i := range jagged {
		jagged[i] = scene.LevelPoint{At: int64(10 * i), DB: float64(i % 2)}
	}
	full := scenetest.Must(t, base, &edit.SetLevel{Clip: oda, Points: jagged})
	many := base
	for len(many.Tracks) < limit.Tracks {
		many = scenetest.Must(t, many, &edit.AddTrack{Name: "more", Purpose: "music"})
	}
	aside, tuneTrack := 2.0, base.Tracks[2].ID
	ducks := func(track scene.TrackID, change func(*scene.Duck)) *edit.SetDucks {
		d := scene.NewDuck(base, []scene.TrackID{"t2"}, 6)
		if change == nil {
			d.Under, change = nil, func(*scene.Duck) {}
		}
		change(&d)
		return &edit.SetDucks{Track: track, Ducks: []scene.Duck{d}}
	}
	voices := scene.New("voices", timecode.F25, 48000)
	var both [][2]string
	for _, c := range []struct {
		on   *scene.Scene
		edit edit.Edit
		want string
	}{
		{base, &edit.SetBlend{Left: oda, Right: wide, Before: fr, After: fr, Law: blend.ConstantPower},
			"Oda and wide do not touch, so there is no cut to blend. Move one up to the other first."},
		{base, &edit.SetBlend{Left: pic[0], Right: pic[1], Before: 1, After: 1, Law: blend.ConstantPower},
			"Blends are for sound; Oda is picture."},
		{base, &edit.SetBlend{Left: oda, Right: pell, Before: fr, After: fr, Law: "glue"},
			"\"glue\" is not a law; constant_power, constant_gain, matched are."},
		{base, &edit.SetBlend{Left: oda, Right: pell, Law: blend.ConstantPower},
			"A blend needs a length above 0, with neither half below it."},
		{base, &edit.SetBlend{Left: oda, Right: pell, Before: 15 * fr, After: fr, Law: blend.ConstantPower},
			"Pell has 10 frames of handle at its head, and 15 frames are needed. What would work: a blend of 11 frames, 10 " +
				"frames before and 1 frame after; the same length leaning onto Pell, 10 frames before the cut; pull the clips " +
				"together, the scene 5 frames shorter."},
		{base, &edit.SetBlend{Left: pell, Right: wide, Before: 40 * fr, After: 30 * fr, Law: blend.ConstantPower},
			"Pell has 20 frames of handle at its tail, and 30 frames are needed. What would work: a blend of 60 frames, 40 " +
				"frames before and 20 frames after; the same length leaning onto Pell, 20 frames after the cut; pull the clips " +
				"together, the scene 10 frames shorter."},
		{with(&edit.Trim{Clip: wide, Edge: "tail", To: 210 * fr}),
			&edit.SetBlend{Left: pell, Right: wide, Before: fr, After: 12 * fr, Law: blend.ConstantPower},
			"Only 50 frames before and 10 frames after the cut are free; the rest is taken by the next blend or the clip's " +
				"end. What would work: a blend of 11 frames, 1 frame before and 10 frames after; the same length leaning onto " +
				"Pell, 10 frames after the cut."},
		{base, &edit.Overlap{Left: oda, Right: wide, Length: fr, Law: blend.ConstantPower},
			"Oda and wide are not neighbours on one track, so they cannot overlap there."},
		{base, &edit.Overlap{Left: pic[0], Right: pic[1], Length: 1, Law: blend.ConstantPower},
			"Blends are for sound; Oda is picture."},
		{base, &edit.Overlap{Left: oda, Right: pell, Law: blend.ConstantPower},
			"An overlap needs a length above 0."},
		{base, &edit.Overlap{Left: pell, Right: wide, Length: 300 * fr, Law: blend.ConstantPower},
			"Pell is 100 frames long, so it cannot overlap its neighbour by 300 frames. Take less."},
		{base, &edit.PlaceCut{Left: pic[0], Right: pic[1], To: fr},
			"Pell is picture, whose cuts lie on whole frames; roll it."},
		{base, &edit.PlaceCut{Left: oda, Right: pell, To: 90 * fr, Slip: fr},
			"Pell would slip by 1 frame, half a frame or more, and be seen out of sync. Slip it by frames, or find a place " +
				"nearer by."},
		{with(&edit.PlaceCut{Left: oda, Right: pell, To: 95 * fr, Slip: 600}),
			&edit.PlaceCut{Left: oda, Right: pell, To: 95 * fr, Slip: 600},
			"Pell has been slipped before, and would lie 0.6 frames (1200 samples) beside its picture then. What would " +
				"work: bring it back into sync and roll the cut alone."},
		{base, &edit.PlaceCut{Left: oda, Right: pell, To: 100 * fr}, "The cut to Pell lies there already."},
		{base, &edit.SetLevel{Clip: pic[0]}, "Oda is picture and has no level line."},
		{base, &edit.SetLevel{Clip: oda, Points: make([]scene.LevelPoint, 10001)},
			"A level line of 10001 points is too long; 10000 are the most."},
		{base, &edit.SetLevel{Clip: oda, Points: []scene.LevelPoint{{At: 5, DB: 50}}},
			"Point 1 of the level line has 50 dB; -120 to 40 are possible."},
		{base, &edit.SetLevel{Clip: oda, Points: []scene.LevelPoint{{At: 5}, {At: 5}}},
			"Point 2 of the level line does not lie behind the one before it."},
		{base, &edit.Raise{From: 5, To: 5, DB: 1, In: 999, Out: 999},
			"Nothing lies in a range that has no length; drag over the ruler to make one."},
		{base, &edit.Raise{To: 5, In: 999, Out: 999}, "A range is turned up or down by up to 60 dB, not by 0."},
		{base, &edit.Raise{To: 5, DB: 3, In: 10, Out: 999},
			"Slopes of less than 5 ms are heard as steps; give them 5 ms or more."},
		{base, &edit.Raise{Tracks: []scene.TrackID{"t99"}, To: 5, DB: 3, In: 999, Out: 999},
			"There is no track \"t99\" in this scene."},
		{base, &edit.Raise{Tracks: []scene.TrackID{"t1"}, To: 5, DB: 3, In: 999, Out: 999},
			"No sound lies in that range on the tracks in hand; choose tracks on which there is some."},
		{full, &edit.Raise{From: 48000, To: 96000, DB: 3, In: 999, Out: 999},
			"The level line of Oda would have 10002 points; 10000 are the most."},
		{base, &edit.SetRoom{}, "No clip is named whose room is to be set."},
		{base, &edit.SetRoom{Tones: make([]recipe.Tone, 1), Clips: map[scene.ClipID]int{oda: -1}},
			"0 rooms cannot be made from 1 tones."},
		{base, evened(func(r *recipe.Room) { r.Decay = &recipe.Decay{S: 9} }),
			"No room answers for 9 s at 0 dB; 0.05 to 3 s at -60 to 12 dB are possible."},
		{base, evened(func(r *recipe.Room) { r.Tone = "x" }),
			"A room that is made from a tone says what that has in its bands; one that is not does not."},
		{base, evened(func(r *recipe.Room) { r.Tone, r.ToneDB = "x", make([]float64, recipe.FineBands) }),
			"The scene has no tone \"x\" for a room to be made from; bring it in with the room."},
		{base, &edit.SetRoom{Clips: map[scene.ClipID]int{oda: 1}}, "Room 1 is not among the 0 that are given."},
		{base, &edit.SetRoom{Clips: map[scene.ClipID]int{pic[0]: -1}}, "Oda is picture and has no room."},
		{base, &edit.SetRoom{Tracks: map[scene.TrackID]int{"t1": -1}},
			base.Track("t1").Name + " is a track of pictures and has no room."},
		{base, &edit.SetRoom{Tracks: map[scene.TrackID]int{"t99": -1}}, "There is no track \"t99\" in this scene."},
		{base, &edit.SetRoom{Rooms: []recipe.Room{noHush, hushed}, Tracks: map[scene.TrackID]int{"t2": 1}},
			"A track's own room has nothing to hush, and no voice to answer."},
		{base, evened(func(r *recipe.Room) { r.FillDB = r.FillDB[1:] }), "A room has 109 bands, not 108."},
		{base, evened(func(r *recipe.Room) { r.FillDB[3] = 41 }), "A band of a room has 41 dB."},
		{base, evened(func(r *recipe.Room) { r.Hum = make([]recipe.Sine, 65) }),
			"A room would have 65 tones of hum; 64 are the most."},
		{base, evened(func(r *recipe.Room) { r.Hum[0].Hz = 0 }), "Hum of 0 Hz at -70 dB, 0 of its cycle on, cannot be made."},
		{base, evened(func(r *recipe.Room) { r.Width = 1.1 }),
			"A room's noise cannot differ between channels by a share of 1.1; 0 to 1 are possible."},
		{base, evened(func(r *recipe.Room) { r.Lead = []recipe.Lead{{By: 2e12}} }),
			"A room's hum cannot run ahead by 2e+12 samples."},
		{base, evened(func(r *recipe.Room) { r.Lead = make([]recipe.Lead, 50001) }),
			"A room's course would have 50001 points; 50000 are the most."},
		{base, evened(func(r *recipe.Room) { r.Change = &recipe.Change{Course: []recipe.Share{{At: 7}, {At: 7}}} }),
			"Point 1 of a room's course, at sample 7, does not lie after the one before it."},
		{base, evened(func(r *recipe.Room) { r.Change = &recipe.Change{Course: []recipe.Share{{Share: 1.5}}} }),
			"A room cannot have changed by a share of 1.5; 0 to 1 are possible."},
		{base, evened(func(r *recipe.Room) { r.Change = &recipe.Change{Hush: hushed.Hush} }),
			"A room that changes is hushed before and after, or not at all."},
		{base, evened(func(r *recipe.Room) {
			*r = recipe.Room{Hush: &recipe.Hush{RoomDB: r.FillDB, GainDB: []float64{-25}}}
		}), "A band of a room is hushed by 25 dB; 0 to 24 are possible."},
		{base, &edit.Accept{Sound: "x"}, "No seam is named that could be accepted."},
		{base, &edit.Accept{Left: pic[0], Sound: "x"}, "Oda is picture; seams are places in sound."},
		{base, &edit.SetPair{Out: oda, In: pell, From: 90 * fr, To: 95 * fr, Law: blend.ConstantPower},
			"Oda and Pell lie on one track; a pair goes over from one track to another. What would work: blend their cut."},
		{base, &edit.SetPair{Out: oda, In: pic[1], From: 90 * fr, To: 95 * fr, Law: blend.ConstantPower},
			"A pair is for sound; choose two clips of sound on two tracks."},
		{base, &edit.SetPair{Out: oda, In: tune, From: 95 * fr, To: 95 * fr, Law: blend.ConstantPower},
			"The pair would have to begin behind the head of Oda, end before the tail of tune, and have a length."},
		{blended, &edit.SetPair{Out: oda, In: tune, From: 90 * fr, To: 99 * fr, Law: blend.ConstantPower},
			"The tail of Oda is blended with its neighbour. What would work: take that blend off and pair them."},
		{blended, &edit.SetPair{Out: tune, In: pell, From: 90 * fr, To: 99 * fr, Law: blend.ConstantPower},
			"The head of Pell is blended with its neighbour."},
		{with(&edit.FadeEdge{Clip: oda, Edge: "head", Length: 95 * fr}),
			&edit.SetPair{Out: oda, In: tune, From: 90 * fr, To: 100 * fr, Law: blend.ConstantPower},
			"The fades at the other ends of Oda and tune leave no room for 10 frames."},
		{base, &edit.RemovePair{Out: oda, In: tune}, "Oda and tune are no pair."},
		{base, &edit.RemoveBlend{Left: oda, Right: pell}, "The cut from Oda to Pell has no blend."},
		{base, &edit.Gain{Clips: []scene.ClipID{oda}, DB: 60}, "A gain of 60 dB is outside -120 to 40."},
		{base, &edit.Gain{Clips: []scene.ClipID{pic[0]}, DB: 1}, "Oda is picture and has no level."},
		{base, &edit.Gain{Clips: []scene.ClipID{"c99"}, DB: 1},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.FadeEdge{Clip: pic[0], Edge: "head", Length: 5},
			"A fade needs a clip of sound, the edge \"head\" or \"tail\", and a length of 0 or more."},
		{blended, &edit.FadeEdge{Clip: oda, Edge: "tail", Length: 5 * fr},
			"The tail of Oda is blended with its neighbour. What would work: take the blend off and fade."},
		{base, &edit.FadeEdge{Clip: oda, Edge: "tail", Length: 101 * fr},
			"Oda has room for a fade of 100 frames at its tail, not of 101 frames. What would work: fade over 100 frames."},
		{base, &edit.Roll{Left: oda, Right: pell, To: 1 << 60},
			"A roll to sample 1152921504606846976 is outside anything there is."},
		{base, &edit.Roll{Left: oda, Right: pell, To: 100*fr + 7},
			"The cut to Pell lies together with its picture's and rolls by whole frames; 7 samples is less " +
				"than half of one. What would work: roll the sound's cut alone."},
		{base, &edit.Roll{Left: oda, Right: pell, To: 85 * fr},
			"Pell has 10 frames of handle at its head, and 15 frames are needed. What would work: roll by 10 frames."},
		{base, &edit.Roll{Left: pell, Right: wide, To: 225 * fr},
			"Pell has 20 frames of handle at its tail, and 25 frames are needed. What would work: roll by 20 frames."},
		{with(&edit.Trim{Clip: wide, Edge: "tail", To: 210 * fr}), &edit.Roll{Left: pell, Right: wide, To: 212 * fr},
			"wide is 10 frames long and its cut cannot roll by 12 frames: nothing would be left of it. What would work: " +
				"remove it."},
		{base, &edit.Roll{Left: oda, Right: wide, To: 0},
			"There is no cut between Oda and wide to roll; they do not touch."},
		{base, &edit.Roll{Left: oda, Right: "c99", To: 0},
			"There is no cut between Oda and \"c99\" to roll; they do not touch."},
		{base, &edit.Slip{Clip: oda}, "A slip moves the recording of Oda by a number of samples other than 0."},
		{base, &edit.Slip{Clip: oda, By: 100},
			"Oda is linked to picture and slips by whole frames; 0.1 frames (100 samples) is less than half of one. Unlink " +
				"it first."},
		{base, &edit.Slip{Clip: pell, By: -12 * fr},
			"Pell has 10 frames of handle at its head, and 12 frames are needed. What would work: slip by 10 frames."},
		{base, &edit.Slip{Clip: pell, By: 25 * fr},
			"Pell has 20 frames of handle at its tail, and 25 frames are needed. What would work: slip by 20 frames."},
		{base, &edit.Slide{Clip: pell}, "Pell slides by a number of samples other than 0."},
		{base, &edit.Slide{Clip: pell, By: 100},
			"Pell is linked to picture and slides by whole frames; 0.1 frames (100 samples) is less than half of one. " +
				"Unlink it first."},
		{base, &edit.Slide{Clip: pell, By: 60 * fr},
			"Oda has 40 frames of handle at its tail, and 60 frames are needed. What would work: slide by 40 frames."},
		{base, &edit.Slide{Clip: wide, By: -120 * fr},
			"Pell is 100 frames long and cannot give 120 frames: nothing would be left of it. What would work: slide by 99 " +
				"frames."},
		{base, &edit.Slide{Clip: oda, By: -5 * fr}, "Oda would start 5 frames before the scene."},
		{gap, &edit.Slide{Clip: wide, By: -120 * fr},
			"Oda lies in the way of wide on track Picture, by 20 frames. What would work: slide by 100 frames."},
		{base, &edit.Swap{Left: oda, Right: wide},
			"Oda and wide are not neighbours on a track; swapping needs two clips side by side."},
		{self, &edit.Swap{Left: oda, Right: pell},
			"Oda and Pell are linked with each other, so that swapping them would lose sync. Unlink them first."},
		{locked, &edit.Gain{Clips: []scene.ClipID{oda}, DB: -3},
			"Track Voices is locked. What would work: unlock track Voices."},
		{base, &edit.Move{Clip: oda, To: -5 * fr}, "Oda would start 5 frames before the scene."},
		{base, &edit.Move{Clip: oda, To: 1 << 60}, "Sample 1152921504606846976 is outside anything there is."},
		{gap, &edit.Move{Clip: wide, To: 95 * fr},
			"Oda lies in the way of wide on track Picture, by 5 frames. What would work: right after Oda."},
		{base, &edit.Move{Clip: oda, To: 0, Also: []scene.ClipID{"c99"}},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.Move{Clip: oda, To: 0, Track: "t99"}, "There is no track \"t99\" in this scene."},
		{base, &edit.Move{Clip: oda, To: 0, Track: "t1"},
			"A clip of sound cannot go to track Picture, which holds picture."},
		{base, &edit.Remove{Clips: []scene.ClipID{oda}, Alone: true, Close: true},
			"Oda lies over 01:00:04:00 on track Picture and stays, and Pell would run into its tail by 100 frames. What " +
				"would work: leave a gap."},
		{base, &edit.Lead{Left: "c99", Right: pell}, "There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.Lead{Left: pic[0], Right: pic[1], Frames: 2}, "Oda is picture; it is the sound that leads or trails."},
		{base, &edit.Lead{Frames: 2}, "No cut is in hand. Choose a seam, or click a clip's head or tail."},
		{base, &edit.Lead{Left: oda, Right: pell, Frames: 1 << 50},
			"A lead of 1125899906842624 frames is outside anything there is."},
		{unlinked, &edit.Lead{Left: oda, Right: pell, Frames: 3},
			"Pell has no picture linked at this edge, so its sound cannot lead or trail. Link it to its picture first."},
		{base, &edit.Lead{Left: oda, Right: pell, Frames: 14},
			"Pell has 10 frames of handle at its head, and 14 frames are needed. What would work: sound leads by 10 frames."},
		{base, &edit.Lead{Left: pell, Right: wide, Frames: -31},
			"Pell has 20 frames of handle at its tail, and 31 frames are needed. What would work: sound trails by 20 frames."},
		{base, &edit.LeadAll{From: 10 * fr, To: 20 * fr, Frames: 4},
			"No cut of sound with picture lies from 01:00:00:10 to 01:00:00:20, so there is nothing to lead or trail."},
		{base, &edit.LeadAll{To: base.Length(), Frames: 60},
			"Pell has 10 frames of handle at its head, and 60 frames are needed. What would work: sound leads by 10 frames."},
		{base, &edit.Paste{Clipboard: piece, At: -1}, "A piece cannot be pasted before the scene."},
		{base, &edit.Paste{}, "There is nothing to paste. Copy a range or a clip first."},
		{base, &edit.Paste{Clipboard: otherRate},
			"The copied piece is of a scene with 24 frames and 48000 samples a second; this one has 25 and 48000."},
		{base, &edit.Paste{Clipboard: damaged}, "The copied piece is damaged at odd."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.In = 9 * fr * 200 }),
			"This cannot be done: clip Oda shows 3456000 to 3552000 of a source that is 268800 long."},
		{base, hurt(func(tr *scene.Track, _ *scene.Clip) { tr.Kind = "smell" }),
			"The copied piece is damaged at track Voices."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.GainDB = 900 }), "A gain of 900 dB is outside -120 to 40."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.Start = limit.SceneHours * 3600 * 48000 }),
			"Oda would lie more than 100 hours from the scene's start, or be longer."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.Level = make([]scene.LevelPoint, 10001) }),
			"The level line of Oda would have 10001 points; 10000 are the most."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.Level = make([]scene.LevelPoint, 2) }),
			"Point 2 of the level line of Oda has 0 dB, or does not lie behind the one before it."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) {
			c.FadeIn = scene.Fade{Length: 5, Curve: blend.Curve{Shape: "wave"}}
		}), "A fade of Oda: curve \"wave\" is not one of straight, quarter_sine, raised_cosine, exponential, smoothstep."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) {
			for i := range int64(2001) {
				c.Lulls = append(c.Lulls, scene.Lull{From: 2 * i, To: 2*i + 1})
			}
		}), "Oda would have 2001 lulls; 2000 are the most."},
		{base, foreign(scene.Source{ID: "x", Name: "endless", Samples: 1 << 40, Channels: 1}),
			"The source endless cannot be: it is said to have 1099511627776 samples in 1 channels and 0 frames."},
		{base, foreign(scene.Source{ID: "y", Name: "other", Samples: 1 << 20, Channels: 1}),
			"The copied piece is damaged at other."},
		{base, foreign(scene.Source{ID: "x", Name: "false tone", Samples: 1 << 20, Tone: &room}),
			"The copied piece is damaged at false tone."},
		{base, &edit.Bring{Source: scene.Source{ID: "x", Name: "odd", Channels: 65}},
			"The source odd cannot be: it is said to have 0 samples in 65 channels and 0 frames."},
		{base, toned(func(r *recipe.Tone) { r.Left = make([]recipe.Material, 65) }),
			"Tone would be made from 65 stretches; 64 are the most."},
		{endless, toned(func(r *recipe.Tone) { r.Left = []recipe.Material{{Source: "o", To: 301 * 48000}} }),
			"Tone would be made from 301 s of recordings; 300 s are the most. Choose shorter stretches."},
		{base, toned(func(r *recipe.Tone) { r.LeftDB = make([]float64, recipe.Bands); r.LeftDB[3] = 1e9 }),
			"A tone's colour has a third-octave at 1e+09 dB."},
		{base, toned(func(r *recipe.Tone) { r.From, r.To = 5, 1<<41 }),
			"Tone cannot go over from sample 5 to 2199023255552."},
		{many, &edit.AddTrack{Name: "one more", Purpose: "music"}, "A scene has at most 500 tracks."},
		{marked, &edit.SetMarker{Marker: marked.Markers[0].ID},
			"A marker is given another name or another place; neither was asked for."},
		{voices, &edit.Paste{Clipboard: piece},
			"The piece has 1 clip on Picture, and this scene has no track of picture left for it."},
		{base, &edit.Paste{Clipboard: piece, How: "under"},
			"\"under\" is not a way to place a clip; \"over\" and \"insert\" are, or none for a gap."},
		{base, &edit.Add{Track: "t2", Source: "nobody", Length: 5},
			"The scene has no source \"nobody\"; bring it in first."},
		{base, &edit.Add{Track: "t2", Source: "o"},
			"A clip needs a length above 0, a place in the scene and an in point at or after the start of Oda."},
		{base, &edit.Add{Track: "t99", Source: "o", Length: 5}, "There is no track \"t99\" in this scene."},
		{base, &edit.Add{Track: "t2", Picture: "t1", Source: "o", Start: 320 * fr, Length: 5},
			"The stretch of Oda is shorter than a frame."},
		{base, &edit.Add{Track: "t1", Source: "m", Start: 320 * fr, Length: fr}, "tune has no picture for track Picture."},
		{base, &edit.Add{Track: "t2", Source: "o", In: 100 * fr, Start: 320 * fr, Length: 60 * fr},
			"Oda has 40 frames from its in point to its tail, and 60 frames are needed. What would work: take the 40 frames " +
				"that there are."},
		{base, &edit.Add{Track: "t2", Source: "o", Start: 50 * fr, Length: 10 * fr},
			"Oda lies in the way of Oda on track Voices, by 10 frames. What would work: lay it over what is there; insert " +
				"it and push what follows."},
		{base, &edit.Fill{Track: "t2", Source: "nobody", To: 5}, "The scene has no source \"nobody\"; bring it in first."},
		{base, &edit.Fill{Track: "t2", Source: "o", From: 5, To: 5},
			"Filling needs a range of the scene; drag over the ruler to make one."},
		{base, &edit.Fill{Track: "t2", Source: "o", To: 5, Fit: "middle"},
			"A range is filled from the \"start\", the \"end\" or a \"moment\" of the source, not from \"middle\"."},
		{base, &edit.Fill{Track: "t2", Source: "o", To: 50 * fr, Fit: "end", Moment: 30 * fr},
			"Oda has 30 frames before the chosen moment, and 50 frames are needed to fill the range at its head. What would " +
				"work: fill from the start of the recording; fill up to the end of the recording."},
		{base, &edit.Fill{Track: "t2", Source: "o", To: 50 * fr, Fit: "start", Moment: 100 * fr},
			"Oda has 40 frames after the chosen moment, and 50 frames are needed to fill the range at its tail. What would " +
				"work: fill from the start of the recording; fill up to the end of the recording."},
		{base, &edit.Duplicate{}, "No clip is selected; select one to duplicate it."},
		{base, &edit.Duplicate{Clips: []scene.ClipID{"c99"}},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{scene.New("empty", timecode.F25, 48000), &edit.Divide{All: true},
			"No clip lies under the playhead; move it over a clip, or select one."},
		{base, &edit.Divide{Clips: []scene.ClipID{"c99"}, At: fr},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.Divide{Clips: []scene.ClipID{oda}, At: 120 * fr},
			"Oda does not lie over 01:00:04:20; it runs from 01:00:00:00 to 01:00:04:00."},
		{blended, &edit.Divide{Clips: []scene.ClipID{pell}, At: 102 * fr, Alone: true},
			"01:00:04:02 lies inside the blend at the head of Pell. What would work: divide where the blend ends."},
		{blended, &edit.Divide{Clips: []scene.ClipID{oda}, At: 98 * fr, Alone: true},
			"01:00:03:23 lies inside the blend at the tail of Oda. What would work: divide where the blend begins."},
		{base, &edit.Remove{}, "No clip is selected; select one to remove it."},
		{base, &edit.Remove{Clips: []scene.ClipID{"c99"}},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.CloseGap{Track: "t99"}, "There is no track \"t99\" in this scene."},
		{base, &edit.CloseGap{Track: "t2", At: 5},
			"No gap of track Voices lies at 01:00:00:00 with a clip after it, so there is nothing to close up."},
		{with(&edit.Remove{Clips: []scene.ClipID{oda}}, &edit.Unlink{Clips: []scene.ClipID{pell, pic[1]}},
			&edit.Trim{Clip: pell, Edge: "head", To: 100*fr + 300}, &edit.Move{Clip: pell, To: 300}),
			&edit.CloseGap{Track: "t2", At: 5},
			"The gap of track Voices is 0.2 frames (300 samples) long; what follows moves by whole frames. Roll or nudge " +
				"the edge instead."},
		{base, &edit.RemoveRange{From: 0, To: fr, Tracks: []scene.TrackID{"t99"}},
			"There is no track \"t99\" in this scene."},
		{base, &edit.RemoveRange{From: 5, To: 5}, "There is no range. Drag over the ruler or over empty cloth to make one."},
		{with(&edit.SetTrack{Track: "t1", Locked: &yes}, &edit.SetTrack{Track: "t2", Locked: &yes},
			&edit.SetTrack{Track: "t12", Locked: &yes}), &edit.RemoveRange{To: fr},
			"Every track is locked or does not follow, so there is nothing to work on. Unlock one first."},
		{unlinked, &edit.Trim{Clip: oda, Edge: "tail", To: 99*fr + 500, Close: true},
			"Picture follows on track Picture and moves by whole frames, which 0.7 frames (1420 samples) is not. " +
				"Choose a whole number of frames, or leave a gap. What would " +
				"work: trim and leave a gap."},
		{with(&edit.Trim{Clip: tune, Edge: "tail", To: 150 * fr},
			&edit.Add{Track: "t12", Source: "m", Start: 202 * fr, Length: 20 * fr}),
			&edit.Trim{Clip: pell, Edge: "tail", To: 140 * fr, Close: true},
			"tune lies over 01:00:08:00 on track Music and stays, and tune would run into its tail by 8 frames. What " +
				"would work: trim and leave a gap."},
		{with(&edit.SetTrack{Track: "t12", Locked: &yes}, &edit.SetTrack{Track: "t12", Stays: new(bool)},
			&edit.SetTrack{Track: "t1", Locked: &yes}),
			&edit.Trim{Clip: oda, Edge: "tail", To: 90 * fr, Close: true, Alone: true},
			"Track Picture is locked, and its 2 clips after 01:00:04:00 could not move with all that follows. What would " +
				"work: unlock track Picture; let track Picture stay where it is from now on; trim and leave a gap."},
		{marked, &edit.SetStretch{Source: "o", Name: " ", To: 5}, "A stretch of Oda needs a name of at least one letter."},
		{marked, &edit.SetStretch{Source: "o", Name: "c", From: 9, To: 900 * fr},
			"The stretch c of Oda must lie in the recording, which is 140 frames long, its in point before its out point."},
		{marked, &edit.SetStretch{Source: "o", Was: "a", Name: "b", To: 5},
			"Oda has a stretch named b already; take another name."},
		{marked, &edit.SetStretch{Source: "nobody", Name: "b", To: 5},
			"The scene has no source \"nobody\"; bring it in first."},
		{marked, &edit.DropStretch{Source: "o", Name: "z"}, "Oda has no stretch named z."},
		{marked, &edit.SetStart{Source: "o", Offset: -1}, "A recording begins within a day: from 00:00:00:00 on."},
		{patched, &edit.SetStart{Source: patched.Track("t2").Clips[0].Source},
			"room is made from another recording, which has the timecode."},
		{marked, &edit.SetStart{Source: "o"}, "Oda begins at 00:00:00:00 already."},
		{marked, &edit.Correct{Source: "o", From: 9, To: 900 * fr, Kind: scene.AWord},
			"The stretch must lie in Oda, which is 140 frames long, its in point before its out point."},
		{marked, &edit.Correct{Source: "o", To: 9, Kind: "noise"},
			"A stretch of Oda is a word, a breath, a pause or another sound, not \"noise\"."},
		{marked, &edit.Correct{Source: "o", To: 9}, "Nothing was corrected in that stretch of Oda."},
		{corrected(marked), &edit.Correct{Source: "o", From: 4001, To: 4002, Kind: scene.AWord},
			"Oda has 2000 corrections, the most that are kept; forget some first."},
		{patched, &edit.Correct{Source: patched.Track("t2").Clips[0].Source, To: 9, Kind: scene.AWord},
			"room is made from other recordings; correct what is heard in those."},
		{marked, &edit.RenameSource{Source: "o", Name: " "}, "The recording Oda needs a name of at least one letter."},
		{marked, &edit.RenameSource{Source: "o", Name: "Oda"}, "The recording is named Oda already."},
		{base, &edit.Link{Clips: []scene.ClipID{oda}}, "Linking needs two clips or more; select them together."},
		{unlinked, &edit.Unlink{Clips: []scene.ClipID{oda}}, "Oda is not linked to another clip."},
		{with(&edit.Unlink{Clips: []scene.ClipID{wide, pic[2]}}, &edit.Unlink{Clips: []scene.ClipID{pell, pic[1]}},
			&edit.Unlink{Clips: []scene.ClipID{oda, pic[0]}}, &edit.Link{Clips: []scene.ClipID{pell, tune}}),
			&edit.RemoveRange{From: 10 * fr, To: 20 * fr, Tracks: []scene.TrackID{"t2"}, Close: true},
			"tune would run 80 frames earlier than Pell, which it is linked to. Move both, or unlink it first. What would " +
				"work: unlink tune; take it out of every track; leave a gap."},
		{base, &edit.Resync{Clip: tune, By: "move"},
			"tune lies over no picture of its own recording, so there is no sync to bring it back to."},
		{base, &edit.Resync{Clip: oda, By: "move"}, "Oda is in sync with its picture."},
		{apart, &edit.Resync{Clip: wide, By: "jump"},
			"A clip comes back into sync by \"move\" or \"slip\", not by \"jump\"."},
		{base, &edit.Rename{Name: " "}, "A scene needs a name of at least one letter."},
		{base, &edit.Bring{}, "A source needs an id."},
		{base, &edit.AddTrack{Name: "x", Purpose: "glue"},
			"\"glue\" is not a purpose of a track; picture, dialogue, tone, music, effects are."},
		{base, &edit.SetTrack{Track: "t99", Mute: &yes}, "There is no track \"t99\" in this scene."},
		{base, &edit.SetTrack{Track: "t1", Purpose: &scene.Purposes[1]},
			"Track Picture cannot have the purpose \"dialogue\"."},
		{base, &edit.SetTrack{Track: "t2", GainDB: new(float64(77))}, "A gain of 77 dB is outside -120 to 40."},
		{base, &edit.SetTrack{Track: "t2", Hue: text("neon")},
			"\"neon\" is not a hue of a track; indigo, weld, plum, rust, slate, walnut, olive are, and none for its purpose's."},
		{base, &edit.SetTrack{Track: "t2", Name: text("")}, "A track needs a name of at least one letter."},
		{base, &edit.MoveTrack{Track: "t99"}, "There is no track \"t99\" in this scene."},
		{base, &edit.MoveTrack{Track: "t1", To: -1}, "Track Picture is already the first one."},
		{base, &edit.RemoveTrack{Track: "t99"}, "There is no track \"t99\" in this scene."},
		{base, &edit.RemoveTrack{Track: "t2"}, "Track Voices still holds 3 clips; remove or move them first."},
		{base, &edit.AddMarker{At: -1}, "A marker cannot lie before the scene."},
		{base, &edit.AddMarker{At: 1, Length: -1}, "A range begins before it ends."},
		{marked, &edit.SetMarker{Marker: marked.Markers[0].ID, Length: new(int64(-1))}, "A range begins before it ends."},
		{marked, &edit.SetMarker{Marker: "m99"}, "There is no marker \"m99\" in this scene."},
		{marked, &edit.SetMarker{Marker: marked.Markers[0].ID, At: new(int64(-4))}, "A marker cannot lie before the scene."},
		{base, &edit.RemoveMarker{Marker: "m99"}, "There is no marker \"m99\" in this scene."},
		{base, &edit.Trim{Clip: oda, Edge: "middle"}, "A trim needs the edge \"head\" or \"tail\", not \"middle\"."},
		{base, &edit.Trim{Clip: oda, Edge: "tail", To: 1 << 60},
			"A trim to sample 1152921504606846976 is outside anything there is."},
		{base, &edit.Trim{Clip: oda, Edge: "tail", To: 100*fr - 7},
			"The tail of Oda is cut together with its picture and moves by whole frames; 7 samples is less " +
				"than half of one. What would work: trim the sound alone."},
		{base, &edit.Trim{Clip: oda, Edge: "tail", To: 0},
			"Oda is 100 frames long and its tail cannot move in by 100 frames: nothing would be left of it. What would " +
				"work: remove it."},
		{base, &edit.Trim{Clip: oda, Edge: "tail", To: 145 * fr, Close: true},
			"Oda has 40 frames of handle at its tail, and 45 frames are needed. What would work: trim to the end of the " +
				"recording, 40 frames longer."},
		{base, &edit.Trim{Clip: pell, Edge: "head", To: 80 * fr},
			"Pell has 10 frames of handle at its head, and 20 frames are needed. What would work: roll the cut by 10 " +
				"frames; trim by 10 frames and move all that follows."},
		{with(&edit.Slip{Clip: oda, By: 10 * fr}), &edit.Trim{Clip: oda, Edge: "head", To: -5 * fr},
			"The head of Oda would lie 5 frames before the scene."},
		{base, &edit.Trim{Clip: oda, Edge: "tail", To: 120 * fr},
			"Oda has 0 frames of room at its tail, where Pell lies on track Voices, and 20 frames are needed. What would " +
				"work: roll the cut; trim and move all that follows."},
		{base, &edit.Nudge{}, "No edge is in hand. Click a clip's head or tail, or choose a seam."},
		{base, &edit.Nudge{Edges: []scene.Edge{{Left: oda}}},
			"An edge moves by a number of frames or samples other than 0."},
		{base, &edit.Nudge{Edges: []scene.Edge{{Left: "c99"}}, Frames: 1},
			"There is no clip \"c99\" in this scene; it may have been removed."},
		{base, &edit.Nudge{Edges: []scene.Edge{{Left: pic[0]}}, Samples: 1},
			"Oda is picture and is cut on whole frames; samples and milliseconds are for sound."},
		{late, &edit.RemoveRange{From: 10 * fr, To: 20 * fr, Tracks: []scene.TrackID{"t2"}, Close: true},
			"Oda would run 10 frames earlier than the clip that it is linked to. Move both, or unlink it first. What would " +
				"work: take it out of every track; leave a gap."},
		{base, &edit.Trim{Clip: pell, Edge: "head", To: 100 * fr}, "The head of Pell lies at 01:00:04:00 already."},
		{base, &edit.Roll{Left: oda, Right: pell, To: 100 * fr}, "The cut from Oda to Pell lies at 01:00:04:00 already."},
		{base, &edit.AddLull{Clip: pic[0], From: 0, To: 9}, "Oda is picture; a lull is a stretch of sound."},
		{base, &edit.AddLull{Clip: oda, From: 200 * fr, To: 210 * fr},
			"Oda does not sound from 01:00:08:00 to 01:00:08:10."},
		{base, &edit.AddLull{Clip: oda, From: 40 * fr, To: 40*fr + 1},
			"A lull needs a length; it would run from 01:00:01:15 to 01:00:01:15."},
		{base, &edit.AddLull{Clip: oda, From: 40 * fr, To: 50 * fr, FadeIn: new(int64(8 * fr)),
			FadeOut: new(int64(4 * fr))}, "Fades of 8 frames and 4 frames have no room in a lull of 10 frames."},
		{base, &edit.AddLull{Clip: oda, From: 40 * fr, To: 50 * fr, DepthDB: 150},
			"A lull turns down by up to 120 dB, or to silence; 150 dB is neither."},
		{lulled, &edit.AddLull{Clip: oda, From: 45 * fr, To: 60 * fr},
			"Oda has a lull there already, from 01:00:01:15 to 01:00:02:00. What would work: draw that one over both."},
		{base, &edit.SetLull{Clip: oda, Lull: "u99"}, "Oda has no lull \"u99\"; it may have been removed."},
		{base, &edit.LayTone{Tone: room}, "Tone needs a stretch of the scene, and fades within it."},
		{base, &edit.LayTone{Tone: room, To: 9, GainDB: 90}, "A gain of 90 dB is outside -120 to 40."},
		{base, &edit.LayTone{To: 9}, "Tone needs a quiet stretch of a recording to be made from."},
		{base, &edit.LayTone{Tone: recipe.Tone{Left: []recipe.Material{{Source: "nobody", To: 48000}}}, To: 9},
			"The scene has no source \"nobody\"; bring it in first."},
		{base, &edit.LayTone{Tone: recipe.Tone{Left: []recipe.Material{{Source: "o", From: 9, To: 9}}}, To: 9},
			"Oda has no sound from sample 9 to 9 for tone to be made from."},
		{base, &edit.LayTone{Tone: recipe.Tone{Left: room.Left, LeftDB: []float64{1}}, To: 9},
			"A tone's colour has 28 third-octaves, not 1."},
		{base, &edit.LayTone{Tone: room, To: 9, Fills: &scene.Hole{Clip: oda, Lull: lull}},
			"The hole that the patch is for is not there any more."},
		{base, &edit.LayTone{Tone: room, To: 9, In: 1 << 40},
			"Tone is 24 hours long; 9 samples do not fit in behind its first 6362 h 54 min 52.2 s."},
		{base, &edit.Keep{Clip: oda}, "To keep the words of a clip, it must be sound and have some."},
		{base, &edit.Keep{Clip: oda, Stretches: []pcm.Span{{From: 0, To: 200 * fr}}},
			"The stretches to keep of Oda must lie inside it, one after the other."},
		{base, &edit.SetTrack{Track: "t2", Balance: &aside}, "A balance of 2 is none; -1 (left) to 1 (right) are."},
		{base, ducks(tuneTrack, nil), "Say whose words Music is to make way for."},
		{base, ducks(tuneTrack, func(d *scene.Duck) { d.DB = 90 }), "A track makes way for words by up to 60 dB, not by 90."},
		{base, ducks(tuneTrack, func(d *scene.Duck) { d.Up = 3 }),
			"Music cannot make way in no time: slopes take 5 ms or more, all else 0 or more."},
		{base, ducks(tuneTrack, func(d *scene.Duck) { d.Except = make([]pcm.Span, limit.Lulls+1) }),
			"Music would make way with 2001 exceptions; 2000 are the most."},
		{base, ducks("t2", func(*scene.Duck) {}), "Voices cannot make way for its own words; name another track."},
		{base, ducks(tuneTrack, func(d *scene.Duck) { d.Under = []scene.TrackID{"t1"} }),
			"There is no track \"t1\" of sound whose words Music could make way for."},
		{base, ducks("t1", func(*scene.Duck) {}), "Picture is a track of pictures, which makes way for nothing."},
		{base, ducks("t99", func(*scene.Duck) {}), "There is no track \"t99\" in this scene."},
		{base, &edit.SetDucks{Track: tuneTrack, Ducks: make([]scene.Duck, 33)},
			"A track makes way in at most 32 ways, not in 33."},
		{base, &edit.DuckToLine{Track: tuneTrack}, "Music makes way for no words; there is nothing to make a line of."},
		{base, &edit.DuckToLine{Track: "t99"}, "There is no track \"t99\" in this scene."},
		{base, &edit.SetSpeech{}, "No recording is named whose words are told."},
		{base, &edit.SetSpeech{Words: map[string][]pcm.Span{"x": nil}}, "The scene has no source \"x\"; bring it in first."},
		{base, &edit.SetSpeech{Words: map[string][]pcm.Span{"o": {{From: 5, To: 9}, {From: 8, To: 12}}}},
			"Word 2 of Oda, from sample 8 to 12, does not lie behind the one before it."},
		{blended, &edit.TreatRange{From: blendAt, To: blendAt + 9600, GainDB: 3},
			blended.Timecode(blendAt) + " lies inside a blend of Pell. Let the range begin and end outside of blends."},
		{base, &edit.TreatRange{From: 5, To: 5},
			"Nothing lies in a range that has no length; drag over the ruler to make one."},
		{base, &edit.TreatRange{From: 0, To: 4800, Slope: 4801},
			"The slopes at the ends of a range are as long as the range at most: 2.5 frames (4800 samples)."},
		{base, &edit.TreatRange{From: 0, To: 4800},
			"Choose what the range is to be treated with: filters, treatments or a gain."},
		{base, &edit.TreatRange{From: 0, To: 4800, GainDB: 99}, "A gain of 99 dB is outside -120 to 40."},
		{base, &edit.TreatRange{From: 0, To: 4800, Filters: &eq.Filters{LowCutHz: -1}},
			"Such filters cannot be: cuts lie from 10 to 24000 Hz."},
		{base, &edit.SetTreatments{}, "Name a clip or a track to treat."},
		{base, &edit.SetTreatments{Clips: []scene.ClipID{"c1"}, Treatments: &effects.Chain{
			Compressor: &effects.Compressor{Ratio: 0.5}}},
			"These treatments are not possible: the compressor's ratio is 0.5, and 1 to 100 is possible."},
		{base, &edit.SetTreatments{Clips: []scene.ClipID{"c1"}, Treatments: &effects.Chain{
			Reverb: &effects.Reverb{Source: "gone"}}},
			`The impulse "gone" is not a recording of this scene with sound. Bring it in first.`},
		{base, &edit.SetFilters{}, "No clip and no track is named that is to be filtered."},
		{base, &edit.SetFilters{Clips: []scene.ClipID{oda}, Filters: &eq.Filters{LowCutHz: 1}},
			"Such filters cannot be: cuts lie from 10 to 24000 Hz."},
		{base, &edit.SetFilters{Clips: []scene.ClipID{pic[0]}}, "Oda is picture; nothing is heard of it."},
		{base, &edit.SetFilters{Tracks: []scene.TrackID{"t99"}}, "There is no track \"t99\" in this scene."},
		{base, &edit.SetFilters{Tracks: []scene.TrackID{"t1"}},
			"Picture is a track of pictures, on which nothing is heard to be treated."},
		{base, &edit.SetLike{}, "No clip is named that is to be brought near another."},
		{base, &edit.SetLike{Clips: []scene.ClipID{oda}, Like: &eq.Like{}},
			"No voice can be brought near another like that: a voice's colour has 19 third-octaves."},
		{base, hurt(func(_ *scene.Track, c *scene.Clip) { c.Filters = &eq.Filters{LowCutHz: 1} }),
			"How Oda is filtered cannot be: cuts lie from 10 to 24000 Hz."},
		{base, &edit.Fit{Clip: pic[0]}, "Oda is picture; sound alone is fitted into a length."},
		{base, &edit.Fit{Clip: oda, Parts: []timing.Part{slow}},
			"Oda is linked to its picture, which keeps its length. Unlink it first."},
		{patched, &edit.Fit{Clip: patched.Tracks[1].Clips[0].ID},
			"room is room tone, of which there is any length; trim it."},
		{base, fitted(0, fr, slow), "A stretch from sample 0 to 3840 does not lie in what is to be fitted."},
		{base, fitted(0, fr, timing.Part{From: 0, To: fr, Length: 5 * fr, Kind: timing.Words}),
			"Oda cannot be fitted: stretch 1 is to take 9600 samples for 1920; 0.5 to 2 times as fast is what can be heard."},
		{brief, fitted(0, 140*fr, timing.Part{From: 0, To: 139 * fr, Length: 1, Kind: timing.Pause}),
			"Nothing would be left of Oda."},
		{base, fitted(0, 0), "Oda takes that length already."},
		{base, fitted(30*fr, 40*fr, timing.Part{From: 30 * fr, To: 40 * fr, Length: 15 * fr, Kind: timing.Words}),
			"Pell lies in the way of Oda on track Voices, by 5 frames."},
		{base, foreign(scene.Source{ID: "x", Name: "x", Fit: &timing.Fit{Of: "y"}}),
			"x is fitted from \"y\", which is no recording of this scene."},
		{base, foreign(scene.Source{ID: "x", Name: "x", Fit: &timing.Fit{Of: "o", Parts: []timing.Part{slow}}}),
			"Oda would take 270720 samples as it is fitted, not 0."},
		{base, &edit.Lead{Left: oda, Right: pell}, "The cut from Oda to Pell lies at 01:00:04:00 already."},
	} {
		_, err := edit.Apply(c.on, c.edit)
		if err == nil {
			t.Errorf("%T %+v was not refused; want %q", c.edit, c.edit, c.want)
			continue
		}
		both = append(both, [2]string{edit.Message(err), c.want})
	}
	both = append(both, refusedOtherwise(base)...)
	both = append(both, refusedJoins(t, base)...)
	both = append(both, refusedTakes(t)...)
	both = append(both, refusedSpeeds(t)...)
	both = append(both, refusedDissolves(t)...)
	both = append(both, refusedRecuts(t)...)
	both = append(both, refusedLinks(t)...)
	both = append(both, refusedMerges(t)...)
	both = append(both, refusedAsTooLarge(t))
	for _, m := range both {
		if m[0] != m[1] {
			t.Errorf("it reads\n%q, want\n%q", m[0], m[1])
		}
	}
	for format, where := range formats(t) {
		pattern := regexp.MustCompile("^" + regexp.MustCompile(`%[a-z]`).ReplaceAllString(regexp.QuoteMeta(format), ".*"))
		found := false
		for _, m := range both {
			found = found || pattern.MatchString(m[0])
		}
		if !found {
			t.Errorf("%s: no case of this table is refused with %q", where, format)
		}
	}
}

// refusedOtherwise are refusals that come before there is an edit.
func refusedOtherwise(s *scene.Scene) (list [][2]string) {
	says := func(err error, want string) {
		m := ""
		if err != nil {
			m = edit.Message(err)
		}
		list = append(list, [2]string{m, want})
	}
	_, _, err := edit.Copy(s, pcm.Span{From: 310 * fr, To: 320 * fr}, []scene.TrackID{"t2"})
	says(err, "Nothing lies in the range on the chosen tracks, so there is nothing to copy.")
	_, err = edit.LayOut(s, "nobody", scene.ForMusic)
	says(err, `The scene has no source "nobody"; bring it in first.`)
	_, err = edit.Taking{Source: "o", Track: "t2", At: -1}.TakeOut(s)
	says(err, "Oda has no such stretch. Mark its in and out point, and name it.")
	_, err = edit.Taking{Source: "o", Track: "t99", At: -1}.TakeOut(s)
	says(err, `There is no track "t99" in this scene.`)
	return list
}

// formats returns the formats of all refusals, and of all that breaks a law of the model, with where they stand.
func formats(t *testing.T) map[string]string {
	set := token.NewFileSet()
	names, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	laws, err := filepath.Glob("../*.go")
	if err != nil {
		t.Fatal(err)
	}
	names = append(names, laws...)
	all := map[string]string{}
	take := func(call ast.Expr) {
		c, ok := call.(*ast.CallExpr)
		if !ok || len(c.Args) == 0 {
			return
		}
		if s := literal(c.Args[0]); len(s) > 4 { // "%s." passes another's words on
			all[s] = set.Position(c.Pos()).String()
		}
	}
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(set, name, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.CallExpr:
				if f, ok := x.Fun.(*ast.Ident); ok && (f.Name == "notPossible" || f.Name == "invalid") {
					take(x)
				}
			case *ast.KeyValueExpr:
				if k, ok := x.Key.(*ast.Ident); ok && strings.EqualFold(k.Name, "words") {
					take(x.Value)
				}
			case *ast.AssignStmt:
				if sel, ok := x.Lhs[0].(*ast.SelectorExpr); ok && (sel.Sel.Name == "words" || isNamed(sel, "r", "Words")) {
					take(x.Rhs[0])
				}
			}
			return true
		})
	}
	if len(all) < 60 {
		t.Fatalf("only %d formats of refusals were found", len(all))
	}
	return all
}

// isNamed tells whether an expression is x.sel.
func isNamed(e *ast.SelectorExpr, x, sel string) bool {
	of, ok := e.X.(*ast.Ident)
	return ok && of.Name == x && e.Sel.Name == sel
}

// literal is a string that is written out, in one piece or several; "" if it is none.
func literal(e ast.Expr) string {
	switch x := e.(type) {
	case *ast.BasicLit:
		s, _ := strconv.Unquote(x.Value)
		return s
	case *ast.BinaryExpr:
		return literal(x.X) + literal(x.Y)
	}
	return ""
}

// corrected is a scene of whose recording as much was corrected as is kept.
func corrected(s *scene.Scene) *scene.Scene {
	out := *s
	out.Sources = maps.Clone(s.Sources)
	src := out.Sources["o"]
	for i := range int64(2000) {
		src.Corrections = append(src.Corrections, scene.Correction{
			Span: pcm.Span{From: 2 * i, To: 2*i + 1}, Kind: scene.AWord,
		})
	}
	out.Sources["o"] = src
	return &out
}
