package roommatch_test

import (
	"context"
	"math"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/reverb"
	"blendseam/core/mend/roommatch"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

// nearAndFar are two takes of real voices (Debian's alsa-utils), a dry one and one in a room that sox makes, the same
// noise behind both.
func nearAndFar(t *testing.T) *seamtest.Studio {
	t.Helper()
	s := seamtest.New(t)
	words := roomtest.Words(t)
	at := 0.0
	for i, name := range []string{"near", "far"} {
		sound := make([]float64, rate)
		for _, w := range words[i*len(words)/2 : (i+1)*len(words)/2] {
			sound = append(append(sound, w...), make([]float64, rate)...)
		}
		b := pcm.Block{sound}
		if i == 1 {
			b = outside.Sox(t, b, rate, "reverb", "50")
		}
		for k, v := range noise(uint64(20+i), float64(len(sound))/rate+1, -64, 1)[:len(sound)] {
			b[0][k] += v
		}
		s.Lay(name, b, at)
		at = float64(s.Scene.Length()) / rate
	}
	return s
}

// profile is how the voice of a stretch dies away, as it is heard.
func profile(t *testing.T, b pcm.Block, span pcm.Span) reverb.Profile {
	t.Helper()
	a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: rate, Sound: b.Slice(span.From, span.To)})
	if err != nil {
		t.Fatal(err)
	}
	v, err := reverb.Analyze(a, []pcm.Span{{To: span.Len()}})
	if err != nil {
		t.Fatal(err)
	}
	p, ok := v.Profile()
	if !ok {
		t.Fatal("too little voice")
	}
	return p
}

// When asked for, the drier take is given the other's room: it dies away as that does, and its background is brought to
// the same room all the same.
func TestADrierVoiceIsGivenTheOthersRoom(t *testing.T) {
	s := nearAndFar(t)
	if p := plan(t, s, roommatch.Options{Target: roommatch.Natural}); p.Edit != nil {
		for _, take := range p.Takes {
			if take.Answer != nil {
				t.Errorf("%s is answered by %+v without having been asked for", take.Clip, take.Answer)
			}
		}
	}
	near, far := s.Scene.Tracks[0].Clips[0], s.Scene.Tracks[0].Clips[1]
	was := s.Render(s.Scene)
	p := plan(t, s, roommatch.Options{Target: roommatch.Natural, Voices: true})
	if len(p.Takes) != 2 || p.Takes[0].Answer == nil || p.Takes[1].Answer != nil {
		t.Fatalf("the plan is %+v", p.Takes)
	}
	after, err := edit.Apply(s.Scene, p.Edit)
	if err != nil {
		t.Fatal(err)
	}
	is := s.Render(after)
	wanted := profile(t, was, far.Span())
	before, left := profile(t, was, near.Span()).DifferenceDB(wanted), profile(t, is, near.Span()).DifferenceDB(wanted)
	t.Logf("%+v: %.2f dB apart, then %.2f", p.Takes[0].Answer, before, left)
	if before < 2 || math.Abs(left) > before/3 {
		t.Errorf("the voices lie %.1f dB apart, then %.1f", before, left)
	}
	if after.Length() != s.Scene.Length() {
		t.Error("the scene has another length")
	}
	// pauses, half a second from words
	one, two := far.Start+rate/8, near.Start+rate/8
	a, _ := heard(is, pcm.Span{From: one, To: one + rate/3})
	b, _ := heard(is, pcm.Span{From: two, To: two + rate/3})
	if math.Abs(a-b) > 1.2 {
		t.Errorf("the backgrounds lie at %.1f and %.1f dB", a, b)
	}
	// The room of a clip in hand: the far one stays as it is, or is not made drier.
	if p := plan(t, s, roommatch.Options{Target: "near", Voices: true}); p.Takes[0].Answer != nil ||
		p.Takes[1].Answer != nil {
		t.Errorf("like the near one: %+v", p.Takes)
	}
}
