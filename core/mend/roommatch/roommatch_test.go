package roommatch_test

import (
	"context"
	"math"
	"strings"
	"testing"

	"blendseam/core/mend/roommatch"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

// noise is a bed that falls by some dB for each octave over 500 Hz: one pole, or two.
func noise(seed uint64, seconds, db float64, poles int) []float64 {
	v := seamtest.Bed(seed, seconds, 0)[0]
	for range poles {
		a, y := math.Exp(-2*math.Pi*500/rate), 0.0
		for i := range v {
			y = a*y + (1-a)*v[i]
			v[i] = y
		}
	}
	sum := 0.0
	for _, x := range v {
		sum += x * x / float64(len(v))
	}
	for i := range v {
		v[i] *= level.Amplitude(db) / math.Sqrt(sum)
	}
	return v
}

// takes are three real voices (Debian's alsa-utils) said twice, over rooms of -62, -54 and -58 dBFS, the loudest of
// them darker; the second clip touches the first, the third follows after a gap of a second. Silent is where nobody
// speaks.
func takes(t *testing.T) (s *seamtest.Studio, silent []pcm.Span) {
	s = seamtest.New(t)
	words := roomtest.Words(t)
	at := 0.0
	for i, db := range []float64{-62, -54, -58} {
		const seconds = 11.0
		sound := noise(uint64(i+1), seconds, db, 1+i%2)
		voice := words[i%len(words)]
		for _, from := range []int{3 * rate, 7 * rate} {
			for k, v := range voice[:min(len(voice), 2*rate)] {
				sound[from+k] += 0.3 * v
			}
		}
		s.Lay([]string{"one", "two", "three"}[i], pcm.Block{sound}, at)
		begin := int64(at * rate)
		for _, from := range []float64{0.2, 5, 9} { // of the clip, which begins half a second into its sound
			silent = append(silent, pcm.Span{From: begin + int64(from*rate), To: begin + int64((from+0.9)*rate)})
		}
		if at += seconds - 1; i == 1 {
			at++
		}
	}
	return s, silent
}

func plan(t *testing.T, s *seamtest.Studio, w roommatch.Options) *roommatch.Plan {
	t.Helper()
	p, err := roommatch.NewPlan(context.Background(), s.Meter(), w, 2)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// heard is the level and the third-octaves of a stretch, by the filters that seams are measured with.
func heard(b pcm.Block, span pcm.Span) (db float64, thirds []float64) {
	v := b[0][span.From:span.To]
	bands := measure.GetBands(rate, 4096, 125, 8000)
	defer bands.Done()
	count := 0.0
	for at := 0; at+4096 <= len(v); at += 2048 {
		for i, p := range bands.Powers(nil, v[at:at+4096]) {
			if len(thirds) <= i {
				thirds = append(thirds, 0)
			}
			thirds[i] += p
		}
		count++
	}
	sum := 0.0
	for i := range thirds {
		sum += thirds[i]
		thirds[i] = level.OfPower(thirds[i] / count)
	}
	return level.OfPower(sum / count), thirds
}

// apart is the root mean square of the differences of two colours.
func apart(a, b []float64) float64 {
	sum := 0.0
	for i := range a {
		sum += (a[i] - b[i]) * (a[i] - b[i]) / float64(len(a))
	}
	return math.Sqrt(sum)
}

// After evening every pause of every take, the cut between them, the gap and a lull have one level and one colour.
func TestTakesAreBroughtToOneRoom(t *testing.T) {
	s, silent := takes(t)
	s.Do(&edit.AddLull{Clip: s.Scene.Tracks[0].Clips[0].ID, From: 5 * rate, To: 5*rate + rate/2})
	silent = append(silent,
		pcm.Span{From: 10*rate - rate/4, To: 10*rate + rate/4}, // the cut
		pcm.Span{From: 20*rate - rate/4, To: 21*rate + rate/4}) // the gap
	for _, w := range []roommatch.Options{
		{Target: roommatch.Natural}, {Target: roommatch.Quiet, HushDB: 6}, {Target: "three", HushDB: 6}} {
		p := plan(t, s, w)
		after, err := edit.Apply(s.Scene, p.Edit)
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		if err := after.Check(); err != nil {
			t.Fatal(err)
		}
		b := s.Render(after)
		first, colour := heard(b, silent[0])
		for _, span := range silent {
			db, thirds := heard(b, span)
			if math.Abs(db-first) > 1 {
				t.Errorf("%s: %.1f dB at %.1f s, %.1f at the start", w.Target, db, float64(span.From)/rate, first)
			}
			if d := apart(colour, thirds); d > 1.8 {
				t.Errorf("%s: colour %.1f dB apart at %.1f s", w.Target, d, float64(span.From)/rate)
			}
		}
		if w.Target == roommatch.Natural && (p.RiseOverLoudestDB > 1 || p.RiseOverLoudestDB < -0.5) {
			t.Errorf("natural: %.1f dB over the loudest take", p.RiseOverLoudestDB)
		}
		if p.LeftDB > 1 && w.Target != "three" { // whose lows the loudest has 6 dB more of, and 1
			t.Errorf("%s: %.1f dB are left", w.Target, p.LeftDB)
		}
		if w.Target == roommatch.Quiet && math.Abs(p.Target.LevelDB+58) > 2 {
			t.Errorf("quiet: the room is at %.1f dBFS; the take in the middle at -58", p.Target.LevelDB)
		}
	}
}

// Words are what they were, to the bit, but for the noise that is laid under them: what is added to a voice is what is
// added to the same recording without it.
func TestWordsAreKept(t *testing.T) {
	s, _ := takes(t)
	p := plan(t, s, roommatch.Options{Target: roommatch.Natural})
	after, err := edit.Apply(s.Scene, p.Edit)
	if err != nil {
		t.Fatal(err)
	}
	was, is := s.Render(s.Scene), s.Render(after)
	if p.From == "" || p.From == "one" {
		t.Fatalf("noise is made from %q", p.From)
	}
	silent, _ := takes(t)
	for name := range silent.Sound {
		if name != p.From { // which the noise is made from
			silent.Sound[name] = pcm.NewBlock(1, silent.Sound[name].Len())
		}
	}
	fill := silent.Render(after)
	for i := int64(3 * rate); i < 9*rate; i++ { // the first clip without its ends
		// each of the three is rounded to 32 bits
		if d := is[0][i] - (was[0][i] + fill[0][i]); math.Abs(d) > 1e-7 {
			t.Fatalf("sample %d is off by %g", i, d)
		}
	}
}

// An evened clip takes its room along: trimmed, moved or divided it sounds on as it did.
func TestARoomFollowsItsClip(t *testing.T) {
	s, _ := takes(t)
	s.Do(plan(t, s, roommatch.Options{Target: roommatch.Natural}).Edit)
	was := s.Render(s.Scene)
	first := s.Scene.Tracks[0].Clips[0].ID
	s.Do(&edit.Divide{Clips: []scene.ClipID{first}, At: 4 * rate})
	is := s.Render(s.Scene)
	for i := range was[0][:9*rate] {
		if was[0][i] != is[0][i] {
			t.Fatalf("divided, sample %d is another", i)
		}
	}
	third := s.Scene.Tracks[0].Clips[3]
	s.Do(&edit.Move{Clip: third.ID, To: third.Start + 2*rate})
	moved := s.Render(s.Scene)
	for i := third.Start + rate; i < third.End()-rate; i++ {
		if was[0][i] != moved[0][i+2*rate] {
			t.Fatalf("moved, sample %d is another", i)
		}
	}
}

// What already shares a room is left; what is wrong with a wish is said.
func TestOnlyWhatDiffersIsTouched(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("a", pcm.Block{noise(1, 9, -60, 1)}, 0)
	s.Lay("b", pcm.Block{noise(2, 9, -60, 1)}, 8)
	p := plan(t, s, roommatch.Options{Target: roommatch.Natural})
	if p.Edit != nil || p.ApartDB > 1 {
		t.Errorf("two takes of one room: %+v", p)
	}
	s.Lay("c", pcm.Block{noise(3, 9, -52, 1)}, 16)
	if p = plan(t, s, roommatch.Options{Target: roommatch.Natural}); p.Edit == nil || p.ApartDB < 6 {
		t.Errorf("a third that is louder: %+v", p)
	}
	if p.Takes[2].FillDB > level.Silence || p.Takes[0].FillDB == level.Silence {
		t.Errorf("the louder one is filled with %.1f dB, the first with %.1f", p.Takes[2].FillDB, p.Takes[0].FillDB)
	}
	for _, c := range []struct {
		wish roommatch.Options
		want string
	}{
		{roommatch.Options{Target: "four"}, `no take with a pause is called "four"`},
		{roommatch.Options{HushDB: 11}, "can be hushed by 0 to 10 dB"},
		{roommatch.Options{HushDB: math.NaN()}, "can be hushed by 0 to 10 dB"},
		{
			roommatch.Options{Span: pcm.Span{From: 99 * rate, To: 100 * rate}},
			"no take with a pause lies on a track of dialogue",
		},
	} {
		if _, err := roommatch.NewPlan(context.Background(), s.Meter(), c.wish, 1); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v", c.wish, err)
		}
	}
}
