package edit_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/corpus"
	"blendseam/internal/scenetest"
)

// cutScene is a scene of shots with linked sound that leads and trails, music and a bed under several shots, a voice
// without a link, and sound that goes on after the picture.
func cutScene(t *testing.T, r *rand.Rand, rate timecode.Rate) *scene.Scene {
	s := scene.New("reel", rate, 48000)
	hour := rate.SampleOf(90000, 48000)
	s = scenetest.Must(t, s,
		&edit.Bring{Source: scene.Source{ID: "a", Name: "A", Samples: hour, Frames: 90000, Channels: 1}},
		&edit.Bring{Source: scene.Source{ID: "b", Name: "B", Samples: hour, Frames: 90000, Channels: 1}},
		&edit.Bring{Source: scene.Source{ID: "m", Name: "tune", Samples: hour, Channels: 2}},
		&edit.AddTrack{Name: "Picture", Purpose: scene.ForPicture}, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.AddTrack{Name: "N", Purpose: scene.ForDialogue}, &edit.AddTrack{Name: "M", Purpose: scene.ForMusic},
		&edit.AddTrack{Name: "T", Purpose: scene.ForTone})
	at := int64(0)
	in := map[string]int64{"a": 500, "b": 700}
	n := 4 + r.IntN(10)
	var cuts []int64 // of the sound, in samples
	for i := range n {
		length := 30 + r.Int64N(120)
		id := []string{"a", "b"}[r.IntN(2)]
		link := scene.LinkID(fmt.Sprint("x", i))
		s.Tracks[0].Clips = append(s.Tracks[0].Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: id,
			Name: fmt.Sprint("shot ", i), In: in[id], Start: at, Length: length, Link: link})
		in[id] += length + 200 + r.Int64N(100)
		cut := rate.SampleOf(at, 48000)
		if i > 0 {
			cut += r.Int64N(24000) - 12000 // leads and trails of up to a quarter of a second
		}
		cuts, at = append(cuts, cut), at+length
	}
	cuts = append(cuts, rate.SampleOf(at, 48000)+r.Int64N(2)*r.Int64N(96000))
	for i, p := range s.Tracks[0].Clips {
		start := cuts[i]
		if i > 0 && r.IntN(3) == 0 {
			start = min(cuts[i+1]-1000, start+r.Int64N(9000)) // a gap ahead of it
		}
		s.Tracks[1].Clips = append(s.Tracks[1].Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: p.Source,
			Name: fmt.Sprint("sound ", i), In: rate.SampleOf(p.In, 48000) + start - rate.SampleOf(p.Start, 48000), Start: start,
			Length: cuts[i+1] - start, Link: p.Link})
	}
	end := rate.SampleOf(at, 48000)
	for k, t := range s.Tracks[2:] {
		for from := r.Int64N(96000); from < end+200000; {
			length := 48000 + r.Int64N(500000)
			t.Clips = append(t.Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: "m",
				Name: fmt.Sprint(t.Name, len(t.Clips)), In: int64(k+1) * 4000000, Start: from, Length: length})
			from += length + r.Int64N(96000)
		}
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	return s
}

// recutting is a random new cut: shots are lifted, swapped, trimmed at an end, lengthened, taken apart, and put in.
func recutting(s *scene.Scene, r *rand.Rand) *edit.Recut {
	e := &edit.Recut{Own: true}
	for _, c := range s.Tracks[0].Clips {
		shot := scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Length: c.Length}
		switch n := 1 + r.Int64N(20); r.IntN(9) {
		case 0:
			continue
		case 1:
			shot.In, shot.Length = shot.In+n, shot.Length-n
		case 2:
			shot.Length -= n
		case 3:
			shot.Length += n
		case 4:
			e.Shots = append(e.Shots, scene.NewShot{Source: "b", Name: "new", In: 60000 + r.Int64N(9000), Length: 10 + n})
		case 5:
			tail := shot
			shot.Length = 8
			tail.In, tail.Length = tail.In+18, tail.Length-18
			e.Shots = append(e.Shots, shot)
			shot = tail
		}
		e.Shots = append(e.Shots, shot)
	}
	scenetest.InTurn(e, r)
	return e
}

// heard are the stretches of each source's sound in a scene, and of what it keeps aside.
func heard(s *scene.Scene) map[string][]pcm.Span {
	out := map[string][]pcm.Span{}
	add := func(t *scene.Track) {
		for _, c := range t.Clips {
			if t.Kind == scene.Sound {
				out[c.Source] = append(out[c.Source], pcm.Span{From: c.In, To: c.In + c.Length})
			}
		}
	}
	for _, t := range s.Tracks {
		add(t)
	}
	for _, a := range s.Aside {
		for _, t := range a.Tracks {
			add(t)
		}
	}
	for id := range out {
		out[id] = pcm.Union(out[id])
	}
	return out
}

// Of random new cuts of scenes with split edits, music, beds and sound beyond the picture every second of sound is in
// the scene still or kept aside; what moved, was cut or is aside is named; a linked clip is in step with its shot to
// the sample, whole with its lead and tail where its shot is whole; music and beds are whole.
func TestNoSoundIsLostToANewPictureCut(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F24, timecode.F2997D} {
		for seed := range uint64(corpus.Cases(40, 100)) {
			r := rand.New(rand.NewPCG(corpus.Seed(), seed))
			s := cutScene(t, r, rate)
			e := recutting(s, r)
			e.Trim, e.Extend, e.CutBeds = r.IntN(3) == 0, r.IntN(3) == 0, r.IntN(5) == 0
			now, err := edit.Apply(s, e)
			if err != nil {
				t.Fatalf("%v, seed %d: %v", rate, seed, err)
			}
			fates, err := edit.RecutFates(s, e)
			if err != nil {
				t.Fatal(err)
			}
			checkKept(t, fmt.Sprintf("%v, seed %d", rate, seed), s, now)
			checkNamed(t, fmt.Sprintf("%v, seed %d", rate, seed), s, now, fates)
			if !e.Trim && !e.Extend && !e.CutBeds {
				checkWhole(t, fmt.Sprintf("%v, seed %d", rate, seed), s, now)
			}
			if t.Failed() {
				return
			}
		}
	}
}

// Sound that goes on after the picture stays behind it, all of it, when the picture becomes shorter.
func TestSoundBeyondThePictureStays(t *testing.T) {
	s := takes(t)
	const second = 48000
	end := s.Rate.SampleOf(s.Tracks[0].Clips[len(s.Tracks[0].Clips)-1].End(), s.SampleRate)
	s = scenetest.Must(t, s, &edit.Add{Track: s.Tracks[1].ID, Source: s.Tracks[1].Clips[0].Source, Start: end + second,
		Length: second})
	late := s.Tracks[1].Clips[len(s.Tracks[1].Clips)-1]
	e := shots(s, len(s.Tracks[0].Clips)-1)
	e.Own = true
	now := scenetest.Must(t, s, e)
	last := e.Shots[len(e.Shots)-1]
	to := s.Rate.SampleOf(last.Start+last.Length, s.SampleRate)
	if _, c := now.Clip(late.ID); c == nil || c.Start != to+second || c.Length != second {
		t.Errorf("it lies at %+v, want %d", c, to+second)
	}
	fates, err := edit.RecutFates(s, e)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range fates {
		if f.Clip == late.ID && f.What == scene.FateMoved && f.At == to+second {
			return
		}
	}
	t.Errorf("it is not named in %+v", fates)
}

// Of random trims of linked clips by a few samples, closing up or not, each is refused or leaves linked sound in step
// with its picture.
func TestTrimsBySamplesKeepSync(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D} {
		r := rand.New(rand.NewPCG(corpus.Seed(), 9))
		s := cutScene(t, r, rate)
		start := s
		done := 0
		for range 200 {
			track := s.Tracks[r.IntN(2)]
			c := track.Clips[r.IntN(len(track.Clips))]
			side, at := scene.Head, s.Time(track, c.Start)
			if r.IntN(2) == 0 {
				side, at = scene.Tail, s.Time(track, c.End())
			}
			by := 1 + r.Int64N(4)*r.Int64N(700)
			if r.IntN(2) == 0 {
				by = -by
			}
			now, err := edit.Apply(s, &edit.Trim{Clip: c.ID, Edge: side, To: at + by, Close: r.IntN(3) > 0,
				Alone: r.IntN(2) == 0})
			if err != nil {
				continue
			}
			s = now
			done++
			checkInStep(t, fmt.Sprint(rate, " after ", done, " trims"), start, s)
			if t.Failed() {
				return
			}
		}
		if done < 20 {
			t.Errorf("at %v only %d trims of 200 were done", rate, done)
		}
	}
}

// frameSamples is how much of a clip rounding may take where frames are no whole number of samples.
const frameSamples = 8

func checkKept(t *testing.T, about string, s, now *scene.Scene) {
	after := heard(now)
	for id, list := range heard(s) {
		for _, was := range list {
			left := was.Len()
			for _, x := range after[id] {
				left -= max(0, x.Intersect(was).Len())
			}
			if left > frameSamples*int64(len(s.Tracks[0].Clips)) {
				t.Errorf("%s: %d samples of %s from %d to %d are gone", about, left, id, was.From, was.To)
			}
		}
	}
}

func checkNamed(t *testing.T, about string, s, now *scene.Scene, fates []scene.Fate) {
	named := map[string]bool{}
	for _, f := range fates {
		named[f.Name] = true
	}
	for _, track := range s.Tracks[1:] {
		for _, c := range track.Clips {
			to, is := now.Clip(c.ID)
			if is == nil || to.ID != track.ID || abs(is.Start-c.Start) > 0 || abs(is.Length-c.Length) > frameSamples {
				if !named[c.Name] && is != nil && abs(is.Start-c.Start)+abs(is.Length-c.Length) > frameSamples {
					t.Errorf("%s: %s was %d, %d long, is %+v, and is not named", about, c.Name, c.Start, c.Length, is)
				}
				if !named[c.Name] && is == nil {
					t.Errorf("%s: %s is aside and not named", about, c.Name)
				}
			}
		}
	}
}

func checkInStep(t *testing.T, about string, s, now *scene.Scene) {
	for _, p := range s.Tracks[0].Clips {
		_, shot := now.Clip(p.ID)
		for _, id := range s.Linked(p.ID) {
			_, was := s.Clip(id)
			_, is := now.Clip(id)
			if id == p.ID || is == nil || shot == nil {
				continue
			}
			origin := func(s *scene.Scene, p *scene.Clip) int64 {
				return s.Rate.SampleOf(p.Start, s.SampleRate) - s.Rate.SampleOf(p.In, s.SampleRate)
			}
			by, before := is.Start-is.In-origin(now, shot), was.Start-was.In-origin(s, &p)
			if abs(by-before) > 2 { // frames are no whole number of samples
				t.Errorf("%s: %s lies %d samples from its picture, lay %d", about, was.Name, by, before)
			}
		}
	}
}

func checkWhole(t *testing.T, about string, s, now *scene.Scene) {
	checkInStep(t, about, s, now)
	for _, p := range s.Tracks[0].Clips {
		_, shot := now.Clip(p.ID)
		for _, id := range s.Linked(p.ID) {
			_, was := s.Clip(id)
			_, is := now.Clip(id)
			if id != p.ID && is != nil && shot != nil && shot.Length >= p.Length && shot.In <= p.In && is.Start > 0 &&
				is.Length < was.Length-2 {
				t.Errorf("%s: %s is %d samples long, was %d, and its shot is whole", about, was.Name, is.Length, was.Length)
			}
		}
	}
	for _, track := range s.Tracks[3:] {
		for _, c := range track.Clips {
			if _, is := now.Clip(c.ID); is != nil && is.Start > 0 && abs(is.Length-c.Length) > frameSamples {
				t.Errorf("%s: %s is %d samples long, was %d", about, c.Name, is.Length, c.Length)
			}
		}
	}
}

func abs(n int64) int64 { return max(n, -n) }
