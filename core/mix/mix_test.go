package mix_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
)

func noise(seed uint64, channels int, n int64) pcm.Block {
	r := rand.New(rand.NewPCG(seed, 7))
	b := pcm.NewBlock(channels, n)
	for c := range b {
		for i := range b[c] {
			b[c][i] = float64(r.Float32()) - 0.5 // which 32 bits hold
		}
	}
	return b
}

// two is a scene of two touching clips of a and b with so much handle, and a blend on the cut.
func two(
	t testing.TB,
	rate int64,
	a, b pcm.Block,
	handle int64,
	law blend.Law,
	before, after int64,
) (*scene.Scene, mix.Open) {
	t.Helper()
	s := scene.New("two", timecode.F25, rate)
	s.Channels = len(a)
	n := a.Len() - handle
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: a.Len(), Channels: len(a)}},
		&edit.Bring{Source: scene.Source{ID: "b", Name: "b", Samples: b.Len(), Channels: len(b)}},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"},
		&edit.Add{Track: "t1", Source: "a", Length: n},
		&edit.Add{Track: "t1", Source: "b", In: handle, Start: n, Length: b.Len() - handle},
	} {
		s = apply(t, s, e)
	}
	if before+after > 0 {
		clips := s.Tracks[0].Clips
		s = apply(t, s, &edit.SetBlend{Left: clips[0].ID, Right: clips[1].ID, Before: before, After: after, Law: law})
	}
	return s, sources(rate, map[string]pcm.Block{"a": a, "b": b})
}

func apply(t testing.TB, s *scene.Scene, e edit.Edit) *scene.Scene {
	t.Helper()
	next, err := edit.Apply(s, e)
	if err != nil {
		t.Fatal(edit.Message(err))
	}
	return next
}

func sources(rate int64, all map[string]pcm.Block) mix.Open {
	return func(src scene.Source) (pcm.ReaderAt, error) {
		return pcm.Memory{Rate: int(rate), Sound: all[src.ID]}, nil
	}
}

func render(t testing.TB, s *scene.Scene, open mix.Open, opt mix.Options, span pcm.Span) pcm.Block {
	t.Helper()
	m, err := mix.New(s, open, opt)
	if err != nil {
		t.Fatal(err)
	}
	b := pcm.NewBlock(m.Channels(), span.Len())
	if err := m.Render(b, span.From); err != nil {
		t.Fatal(err)
	}
	return b
}

// The gains of ARCHITECTURE's laws, written out here a second time. r is measured as the cosine of the two sides.
func lawGains(law blend.Law, x, r float64) (out, in float64) {
	switch law {
	case blend.ConstantGain:
		return 1 - x, x
	case blend.Matched:
		r = math.Max(r, -0.5)
		k := math.Sqrt(1 + r*math.Sin(math.Pi*x))
		return math.Cos(math.Pi*x/2) / k, math.Sin(math.Pi*x/2) / k
	}
	return math.Cos(math.Pi * x / 2), math.Sin(math.Pi * x / 2)
}

func TestBlendsAreTheFormula(t *testing.T) {
	for _, rate := range []int64{44100, 48000, 96000} {
		a, b := noise(1, 2, 5*rate), noise(2, 2, 5*rate)
		for i := range b[0] { // somewhat alike, so that the matched law has something to match
			b[0][i] = 0.7*b[0][i] + 0.3*a[0][(i+int(2*rate))%len(a[0])]
		}
		handle := 5 * rate / 2
		cut := a.Len() - handle
		for _, law := range []blend.Law{blend.ConstantPower, blend.ConstantGain, blend.Matched} {
			for _, ms := range []int64{40, 200, 2000} {
				n := rate * ms / 1000
				for _, before := range []int64{n / 2, n / 5, n, 0} {
					s, open := two(t, rate, a, b, handle, law, before, n-before)
					got := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()})
					var dot, aa, bb float64
					for c := range a {
						for i := range n {
							x, y := a[c][cut-before+i], b[c][handle-before+i]
							dot, aa, bb = dot+x*y, aa+x*x, bb+y*y
						}
					}
					want := pcm.NewBlock(2, s.Length())
					for c := range want {
						for i := range want[c] {
							p := int64(i)
							switch {
							case p < cut-before:
								want[c][i] = a[c][p]
							case p >= cut+n-before:
								want[c][i] = b[c][p-cut+handle]
							default:
								out, in := lawGains(law, (float64(p-cut+before)+0.5)/float64(n), dot/math.Sqrt(aa*bb))
								want[c][i] = out*a[c][p] + in*b[c][p-cut+handle]
							}
						}
					}
					if d, at := outside.Furthest(t, got, want); d > 1e-6 {
						t.Errorf("%s, %d ms, %d before, %d Hz: off by %g, %s", law, ms, before, rate, d, at)
					}
				}
			}
		}
	}
}

// ffmpeg's acrossfade takes i/N where we take (i+1/2)/N; the gains' slopes are at most pi/2 and 1 per N, so for samples
// below 1/2 on both sides the two differ by no more than pi/2/N/2. It works in the format of its input, here floats.
func TestBlendsAreThoseOfFFmpeg(t *testing.T) {
	voices := outside.Voices(t)
	left, right := outside.Decode(t, voices[0], 1), outside.Decode(t, voices[1], 1)
	const n = 9600
	for curve, law := range map[string]blend.Law{"qsin": blend.ConstantPower, "tri": blend.ConstantGain} {
		s, open := two(t, 48000, left, right, n/2, law, n/2, n/2)
		got := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()})
		theirs := outside.Filter(
			t,
			1,
			fmt.Sprintf("[0]aformat=dbl[a];[1]aformat=dbl[b];[a][b]acrossfade=ns=%d:c1=%s:c2=%s", n, curve, curve),
			voices[0],
			voices[1],
		)
		if theirs.Len() < got.Len() {
			t.Fatalf("ffmpeg gives %d samples, we %d", theirs.Len(), got.Len())
		}
		var loudest float64
		for _, b := range []pcm.Block{left, right} {
			for _, v := range b[0] {
				loudest = max(loudest, math.Abs(v))
			}
		}
		tolerance := 2 * loudest * math.Pi / 2 / n / 2
		if d, at := outside.Furthest(t, got, theirs.Slice(0, got.Len())); d > tolerance {
			t.Errorf("%s: off by %g, more than %g; %s", curve, d, tolerance, at)
		}
	}
}

func TestMixdownIsAmix(t *testing.T) {
	dir := t.TempDir()
	s := scene.New("voices", timecode.F25, 48000)
	var files []string
	open := map[string]string{}
	for i, v := range outside.Voices(t)[:6] {
		id := fmt.Sprint("v", i)
		b := outside.Decode(t, v, 1)
		open[id] = v
		files = append(files, v)
		s = apply(t, s, &edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: b.Len(), Channels: 1}})
		s = apply(t, s, &edit.AddTrack{Name: id, Purpose: "dialogue"})
		s = apply(t, s, &edit.Add{Track: s.Tracks[i].ID, Source: id, Length: b.Len()})
		s = apply(t, s, &edit.Gain{Clips: []scene.ClipID{s.Tracks[i].Clips[0].ID}, DB: -12})
	}
	m, err := mix.New(s, func(src scene.Source) (pcm.ReaderAt, error) { return wav.Open(open[src.ID]) }, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(dir, "mix.wav")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	format := pcm.Format{Rate: 48000, Channels: 2, Bits: 24}
	w, err := wav.NewWriter(f, format, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := m.Export(
		context.Background(),
		pcm.Span{To: m.Length()},
		pcm.Encoder{Format: format},
		w,
		nil,
	); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	theirs := outside.Filter(
		t,
		2,
		"amix=inputs=6:normalize=0:duration=longest,volume=-12dB:precision=double,pan=stereo|c0=c0|c1=c0",
		files...)
	if d, at := outside.Furthest(t, outside.Decode(t, path, 2), theirs); d > 1.0/(1<<23) { // one step of 24 bits
		t.Errorf("off by %g, %s", d, at)
	}
}

// busy is a scene with all that changes gain: blends of each law, fades of each shape, gains, mono and stereo, mutes.
func busy(t testing.TB) (*scene.Scene, mix.Open) {
	t.Helper()
	all := map[string]pcm.Block{"m": noise(5, 1, 200000), "s": noise(6, 2, 200000)}
	s := scene.New("busy", timecode.F2997D, 48000)
	for id, b := range all {
		s = apply(t, s, &edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: b.Len(), Channels: len(b)}})
	}
	r := rand.New(rand.NewPCG(9, 9))
	for ti := range 3 {
		s = apply(t, s, &edit.AddTrack{Name: fmt.Sprint(ti), Purpose: "dialogue"})
		track := s.Tracks[ti].ID
		at := int64(ti * 1000)
		for k := range 6 {
			n := 9000 + r.Int64N(9000)
			s = apply(
				t,
				s,
				&edit.Add{Track: track, Source: []string{"m", "s"}[(k+ti)%2], In: 5000 + r.Int64N(90000), Start: at, Length: n},
			)
			if at += n; k == 3 {
				at += 2500
			}
		}
		clips := s.Tracks[ti].Clips
		for k := range 5 {
			if k != 3 {
				law := blend.Laws[k%3].Law
				s = apply(
					t,
					s,
					&edit.SetBlend{
						Left:   clips[k].ID,
						Right:  clips[k+1].ID,
						Before: r.Int64N(3000),
						After:  1 + r.Int64N(3000),
						Law:    law,
					},
				)
			}
		}
		s = apply(
			t,
			s,
			&edit.FadeEdge{Clip: clips[0].ID, Edge: "head", Length: 2000, Curve: blend.Curve{Shape: blend.Shapes[ti].Shape}},
		)
		s = apply(
			t,
			s,
			&edit.FadeEdge{
				Clip:   clips[5].ID,
				Edge:   "tail",
				Length: 3000,
				Curve:  blend.Curve{Shape: blend.Exponential, Bend: 0.4},
			},
		)
		s = apply(t, s, &edit.Gain{Clips: []scene.ClipID{clips[1].ID, clips[4].ID}, DB: -4.5})
	}
	return s, sources(48000, all)
}

func TestAStretchAloneIsTheSliceOfTheWhole(t *testing.T) {
	s, open := busy(t)
	whole := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()})
	r := rand.New(rand.NewPCG(1, 1))
	for range 60 {
		from := r.Int64N(s.Length() - 1)
		span := pcm.Span{From: from, To: from + 1 + r.Int64N(min(20000, s.Length()-from))}
		outside.Same(t, fmt.Sprint(span), render(t, s, open, mix.Options{}, span), whole.Slice(span.From, span.To))
	}
	out := render(t, s, open, mix.Options{}, pcm.Span{From: s.Length(), To: s.Length() + 100})
	outside.Same(t, "after the end", out, pcm.NewBlock(2, 100))
}

func TestExportDoesNotDependOnHowTimeIsDivided(t *testing.T) {
	s, open := busy(t)
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	e := pcm.Encoder{Format: pcm.Format{Rate: 48000, Channels: 2, Bits: 16}, Dither: true}
	var got bytes.Buffer
	if _, err := m.Export(context.Background(), pcm.Span{From: 17, To: s.Length()}, e, &got, nil); err != nil {
		t.Fatal(err)
	}
	b := render(t, s, open, mix.Options{}, pcm.Span{From: 17, To: s.Length()})
	want := make([]byte, e.Size(b.Len()))
	e.Encode(want, b, 0)
	if !bytes.Equal(got.Bytes(), want) {
		t.Error("exported in parallel and encoded at once differ")
	}
}

func TestAnExportThatIsStoppedSaysSo(t *testing.T) {
	s, open := busy(t)
	m, _ := mix.New(s, open, mix.Options{})
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	e := pcm.Encoder{Format: pcm.Format{Rate: 48000, Channels: 2, Bits: 24}}
	if _, err := m.Export(ctx, pcm.Span{To: s.Length()}, e, new(bytes.Buffer), nil); err != context.Canceled {
		t.Errorf("%v", err)
	}
}

func TestMuteSoloAndHearingOneClip(t *testing.T) {
	a, b := noise(1, 1, 48000), noise(2, 1, 48000)
	s, open := two(t, 48000, a, b, 4800, blend.ConstantPower, 2400, 2400)
	yes := true
	muted := apply(t, s, &edit.SetTrack{Track: "t1", Mute: &yes})
	outside.Same(t, "muted", render(t, muted, open, mix.Options{}, pcm.Span{To: 1000}), pcm.NewBlock(1, 1000))
	outside.Same(
		t,
		"muted, but asked for",
		render(t, muted, open, mix.Options{Track: "t1"}, pcm.Span{To: 1000}),
		a.Slice(0, 1000),
	)
	other := apply(t, s, &edit.AddTrack{Name: "M", Purpose: "music"})
	solo := apply(t, other, &edit.SetTrack{Track: other.Tracks[1].ID, Solo: &yes})
	outside.Same(t, "another is solo", render(t, solo, open, mix.Options{}, pcm.Span{To: 1000}), pcm.NewBlock(1, 1000))
	id := s.Tracks[0].Clips[0].ID
	cut := a.Len() - 4800
	alone := render(t, s, open, mix.Options{Clip: id, Bypass: true}, pcm.Span{From: cut - 100, To: cut + 4800})
	outside.Same(t, "a clip alone goes on into its handle", alone, a.Slice(cut-100, cut+4800))
	plain := render(t, s, open, mix.Options{Plain: true}, pcm.Span{From: cut - 10, To: cut + 10})
	outside.Same(t, "plain, before the cut", plain.Slice(0, 10), a.Slice(cut-10, cut))
	outside.Same(t, "plain, after it", plain.Slice(10, 20), b.Slice(4800, 4810))
}

func TestMonoGoesToBothChannelsAtUnity(t *testing.T) {
	v := noise(3, 1, 1000)
	s := scene.New("m", timecode.F25, 48000)
	s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 1000, Channels: 1}})
	s = apply(t, s, &edit.AddTrack{Name: "D", Purpose: "dialogue"})
	s = apply(t, s, &edit.Add{Track: "t1", Source: "a", Length: 1000})
	got := render(t, s, sources(48000, map[string]pcm.Block{"a": v}), mix.Options{}, pcm.Span{To: 1000})
	outside.Same(t, "both channels", got, pcm.Block{v[0], v[0]})
}
