package edit_test

import (
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/scenetest"
)

// Sound and picture run faster together and stay linked and in sync; what follows moves along if asked; its own speed
// again is the clip as it was. Lines, lulls and words stay on their moments.
func TestSoundAndPictureRunAtAnotherSpeedTogether(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F23976, timecode.F2997D} {
		s := scenetest.Mixed(t, rate)
		id := s.Tracks[1].Clips[1].ID
		_, c := s.Clip(id)
		s = scenetest.Must(t, s,
			&edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: c.In + 4800, DB: -3}, {At: c.In + 9600, DB: 2}}})
		_, c = s.Clip(id)
		linked := s.Linked(id)
		if len(linked) < 2 {
			t.Fatal("the clip is not linked")
		}
		for _, times := range []float64{0.5, 2, 4} {
			after := scenetest.Must(t, s, &edit.Speed{Clip: id, Times: times, Follow: times < 1})
			if err := after.Check(); err != nil {
				t.Fatalf("%s at %g: %v", rate, times, err)
			}
			_, now := after.Clip(id)
			if want := float64(c.Length) / times; float64(now.Length) < want-2000 || float64(now.Length) > want+2000 {
				t.Errorf("%s at %g times: %d samples of %d", rate, times, now.Length, c.Length)
			}
			if now.Start != c.Start || now.Link == "" {
				t.Errorf("%s at %g times: it begins at %d, was %d", rate, times, now.Start, c.Start)
			}
			f := scene.FitOf(after, now.Source)
			if f.Back(now.Level[1].At) < c.In+9600-8 || f.Back(now.Level[1].At) > c.In+9600+8 {
				t.Errorf("%s at %g times: its point lies on sample %d of the recording", rate, times, f.Back(now.Level[1].At))
			}
			picture := 0
			for _, other := range linked {
				if k, o := after.Clip(other); k.Kind == scene.Picture {
					picture++
					if src := after.Sources[o.Source]; src.Frames < o.In+o.Length {
						t.Errorf("the picture shows %d frames of %d", o.In+o.Length, src.Frames)
					}
					if at := scene.ClipTime(after, k, *o); at.From != now.Start || at.To != now.Start+now.Length {
						t.Errorf("%s at %g times: picture %v, sound %v", rate, times, at, now.Span())
					}
				}
			}
			if picture == 0 {
				t.Fatal("no picture ran along")
			}
			own := scenetest.Must(t, after, &edit.Speed{Clip: id, Times: 1, Follow: times < 1})
			if _, again := own.Clip(id); again.Source != c.Source || again.In != c.In || again.Length != c.Length ||
				again.Start != c.Start || again.Level[1].At-c.Level[1].At > 8 {
				t.Errorf("%s: at its own speed again it is %+v, was %+v", rate, again, c)
			}
			if own.Length() != s.Length() {
				t.Errorf("%s: the scene has %d samples, had %d", rate, own.Length(), s.Length())
			}
		}
	}
}

// A stretch of a clip alone runs at another speed, with its picture: the clip is divided there, and the rest stays.
func TestAStretchOfAClipRunsAtAnotherSpeed(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	e := &edit.Speed{Clip: snd[0], Times: 2, From: 20 * fr, To: 60 * fr}
	after := scenetest.Must(t, s, e)
	sound, picture := after.Tracks[1].Clips, after.Tracks[0].Clips
	if len(sound) != 5 || len(picture) != 5 {
		t.Fatalf("%d pieces of sound, %d of picture", len(sound), len(picture))
	}
	if a, b, c := sound[0], sound[1], sound[2]; a.Length != 20*fr || b.Start != 20*fr || b.Length != 20*fr ||
		c.Start != 60*fr || c.Source != a.Source || b.Source == a.Source || b.Link == "" {
		t.Errorf("the pieces are %+v, %+v, %+v", a, b, c)
	}
	if picture[1].Length != 20 || picture[1].Source != sound[1].Source {
		t.Errorf("its picture is %+v", picture[1])
	}
	if got := edit.Describe(s, after, e); got != "Oda runs at 2 times its speed from 01:00:00:20 to 01:00:02:10" {
		t.Errorf("the history reads %q", got)
	}
	turned := scenetest.Must(t, s, &edit.Speed{Clip: snd[0], Times: 1, Reverse: true, From: 20 * fr, To: 60 * fr})
	if b := turned.Tracks[1].Clips[1]; b.Start != 20*fr || b.Length != 40*fr ||
		scene.FitOf(turned, b.Source).Reversed == 0 {
		t.Errorf("backwards the piece is %+v", b)
	}
}

// Backwards, what was last is first: marked stretches, words, points, lulls with their fades.
func TestAClipRunsBackwards(t *testing.T) {
	s := takes(t)
	id := s.Tracks[1].Clips[0].ID
	_, c := s.Clip(id)
	fade := new(int64(480))
	s = scenetest.Must(t, s,
		&edit.SetSpeech{Words: map[string][]pcm.Span{c.Source: {{From: 4800, To: 9600}, {From: 48000, To: 96000}}}},
		&edit.AddLull{Clip: id, From: c.Start + 48000, To: c.Start + 72000, FadeIn: fade},
		&edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: c.In + 24000, DB: -3}, {At: c.In + 120000, DB: 2}}})
	_, c = s.Clip(id)
	after := scenetest.Must(t, s, &edit.Speed{Clip: id, Times: 1, Reverse: true})
	_, now := after.Clip(id)
	n := s.Sources[c.Source].Samples
	src := after.Sources[now.Source]
	switch {
	case now.Start != c.Start || now.Length != c.Length || now.In != n-c.In-c.Length:
		t.Errorf("the clip is %+v", now)
	case now.Level[0].At != n-c.In-120000 || now.Level[0].DB != 2:
		t.Errorf("its line is %+v", now.Level)
	case now.Lulls[0].To-now.Lulls[0].From != 24000 || now.Lulls[0].FadeOut != 480:
		t.Errorf("its lull is %+v", now.Lulls)
	case src.Speech.Words[0] != (pcm.Span{From: n - 96000, To: n - 48000}):
		t.Errorf("its words are %v", src.Speech.Words)
	}
	if got := edit.Describe(s, after, &edit.Speed{Clip: id, Times: 1, Reverse: true}); got != "Oda runs backwards" {
		t.Errorf("the history reads %q", got)
	}
	again := scenetest.Must(t, after, &edit.Speed{Clip: id, Times: 1})
	if _, own := again.Clip(id); own.Source != c.Source || own.In != c.In || own.Lulls[0].FadeIn != 480 {
		t.Errorf("forwards again it is %+v", own)
	}
}

// refusedSpeeds are refusals of speeds that cannot be, with what they are to read.
func refusedSpeeds(t *testing.T) (list [][2]string) {
	s := takes(t)
	snd, _ := ids(s)
	led := scenetest.Must(t, s, &edit.Lead{Left: snd[0], Right: snd[1], Frames: 5})
	roomy := scenetest.Must(t, s,
		&edit.SetRoom{Rooms: []recipe.Room{scenetest.Room(1)}, Clips: map[scene.ClipID]int{snd[0]: 0}})
	changed := func(change func(*scene.Source, *scene.Clip)) *scene.Scene {
		own, track := *s, *s.Tracks[1]
		track.Clips = slices.Clone(track.Clips)
		src := s.Sources[track.Clips[0].Source]
		change(&src, &track.Clips[0])
		own.Sources = maps.Clone(s.Sources)
		own.Sources[src.ID] = src
		own.Tracks = slices.Clone(s.Tracks)
		own.Tracks[1] = &track
		return &own
	}
	frames := timing.Fit{Of: s.Tracks[1].Clips[0].Source, Reversed: s.Sources[s.Tracks[1].Clips[0].Source].Samples}
	wrong, err := scene.FitSource(s, frames, "Oda")
	if err != nil {
		t.Fatal(err)
	}
	wrong.Frames--
	for _, x := range []struct {
		s    *scene.Scene
		e    edit.Edit
		want string
	}{
		{s, &edit.Speed{Clip: snd[0], Times: 9}, "9 times as fast is not possible; choose a speed from 1/8 to 8."},
		{s, &edit.Speed{Clip: snd[0], Times: 2, Ease: -1}, "The speed cannot ease in over -1 samples."},
		{s, &edit.Speed{Clip: snd[0], Times: 1}, "Oda runs at that speed already."},
		{led, &edit.Speed{Clip: snd[1], Times: 2, Ease: 4800},
			"The speed eases only where picture and sound begin and end together. Give them a straight cut first, " +
				"or leave the ease out."},
		{roomy, &edit.Speed{Clip: snd[0], Times: 2},
			"Oda was brought to another room, which would run at another speed as well. What would work: take its room off."},
		{changed(func(x *scene.Source, _ *scene.Clip) { x.Tone = &recipe.Tone{} }), &edit.Speed{Clip: snd[0], Times: 2},
			"Oda is room tone, which has no speed; trim it."},
		{changed(func(x *scene.Source, _ *scene.Clip) { x.Unknown = true }), &edit.Speed{Clip: snd[0], Times: 2},
			"Oda is missing; link its recording first."},
		{changed(func(_ *scene.Source, c *scene.Clip) { c.Takes = &scene.Takes{} }), &edit.Speed{Clip: snd[0], Times: 2},
			"Oda has other takes under it, which would not stay in step. Keep one take first."},
		{s, &edit.Speed{Clip: snd[0], Times: 2, From: 900 * fr, To: 990 * fr}, "Nothing of Oda lies in that range."},
		{s, &edit.Bring{Source: wrong}, "Oda would take 140 frames as it is fitted, not 139."},
	} {
		_, err := edit.Apply(x.s, x.e)
		if err == nil {
			t.Errorf("%+v was not refused; want %q", x.e, x.want)
			continue
		}
		list = append(list, [2]string{edit.Message(err), x.want})
	}
	return list
}

// Random speeds keep every law of the scene, with every other kind of edit between them, and come back through a file.
func TestRandomSpeedsKeepEveryInvariant(t *testing.T) {
	done := 0
	for seed := uint64(0); seed < 30; seed++ {
		rng := rand.New(rand.NewPCG(seed, 5))
		s := scenetest.Mixed(t, []timecode.Rate{timecode.F25, timecode.F2997D}[seed%2])
		for range 25 {
			e := scenetest.Random(s, rng)
			if rng.IntN(3) == 0 {
				e = scenetest.Speeding(s, rng)
			} else if rng.IntN(4) == 0 {
				e = scenetest.Dissolving(s, rng)
			}
			next, err := edit.Apply(s, e)
			if err != nil {
				continue
			}
			if err := next.Check(); err != nil {
				t.Fatalf("seed %d, after %T %+v: %v", seed, e, e, err)
			}
			if _, is := e.(*edit.Speed); is {
				done++
				checkSync(t, next, "speed")
			}
			s = next
		}
	}
	if done < 30 {
		t.Errorf("%d speeds are too few", done)
	}
}
