package reverb_test

import (
	"context"
	"math"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/reverb"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/internal/corpus"
	"blendseam/internal/outside"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

// said is half of the real voices of Debian's alsa-utils one after the other, with pauses of a second between them.
func said(t *testing.T, half int) pcm.Block {
	t.Helper()
	words := roomtest.Words(t)
	sound := make([]float64, rate)
	for _, w := range words[half*len(words)/2 : (half+1)*len(words)/2] {
		sound = append(append(sound, w...), make([]float64, rate)...)
	}
	return pcm.Block{sound}
}

// in is a sound in a room that answers.
func in(t *testing.T, b pcm.Block, seed uint64, d recipe.Decay) pcm.Block {
	t.Helper()
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: b}, &recipe.Room{Seed: seed, Decay: &d}, nil)
	out, err := pcm.Read(even, pcm.Span{To: b.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// voice is what is heard of a sound over noise of so many dBFS.
func voice(t *testing.T, b pcm.Block, seed uint64, db float64) (*reverb.Voice, reverb.Profile) {
	t.Helper()
	bed := seamtest.Bed(seed, float64(b.Len())/rate+1, db)
	own := pcm.NewBlock(1, b.Len())
	for i := range own[0] {
		own[0][i] = b[0][i] + bed[0][i]
	}
	a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: rate, Sound: own})
	if err != nil {
		t.Fatal(err)
	}
	v, err := reverb.Analyze(a, []pcm.Span{{To: b.Len()}})
	if err != nil {
		t.Fatal(err)
	}
	p, ok := v.Profile()
	if !ok {
		t.Fatal("there is too little voice")
	}
	return v, p
}

// A dry voice that says other words is given what brings it near to one in a room, whose time is found; a voice in a
// room lacks nothing of a dry one, nor does one dry voice of another.
func TestWhatARoomAnswersIsFound(t *testing.T) {
	dry, own := voice(t, said(t, 0), 1, -70)
	_, other := voice(t, said(t, 1), 2, -66)
	if _, before, _, ok := dry.Lacking(other); ok {
		t.Errorf("a dry voice lacks something of another, from which it lies %.1f dB apart", before)
	}
	for _, c := range []struct {
		room recipe.Decay
		told bool // its time
	}{
		{recipe.Decay{S: 0.25, LevelDB: -6}, false},
		{recipe.Decay{S: 0.4, LevelDB: -6}, true},
		{recipe.Decay{S: 0.7, LevelDB: -3}, true},
	} {
		wet, wanted := voice(t, in(t, said(t, 1), 9, c.room), 3, -66)
		got, before, after, ok := dry.Lacking(wanted)
		if !ok || math.Abs(after) > before/4 {
			t.Errorf("%+v: %+v, from %.1f dB apart to %.1f", c.room, got, before, after)
			continue
		}
		_, given := voice(t, in(t, said(t, 0), 5, got), 1, -70)
		if left := given.DifferenceDB(wanted); math.Abs(left) > max(0.8, before/4) {
			t.Errorf("%+v: given %+v, it lies %.1f dB apart, before %.1f", c.room, got, left, before)
		}
		if off := got.S / c.room.S; c.told && (off < 0.7 || off > 1.4) {
			t.Errorf("%+v: it is taken to die away in %.2f s", c.room, got.S)
		}
		if d, _, _, ok := wet.Lacking(own); ok {
			t.Errorf("a voice in a room lacks %+v of a dry one", d)
		}
	}
}

// A voice in a room that sox makes (its reverb, of the Freeverb kind) is come near to as well.
func TestARoomOfSoxIsComeNearTo(t *testing.T) {
	dry, _ := voice(t, said(t, 0), 1, -70)
	for _, amount := range []string{"60", "30"}[:corpus.Cases(1, 2)] {
		wet := outside.Sox(t, said(t, 1), rate, "reverb", amount)
		_, wanted := voice(t, wet, 3, -66)
		got, before, _, ok := dry.Lacking(wanted)
		if !ok {
			t.Errorf("reverb %s: nothing is found for %.1f dB", amount, before)
			continue
		}
		_, given := voice(t, in(t, said(t, 0), 5, got), 1, -70)
		if left := given.DifferenceDB(wanted); math.Abs(left) > before/3 {
			t.Errorf("reverb %s: given %+v, it lies %.1f dB apart, before %.1f", amount, got, left, before)
		}
	}
}

// Of a word or two nothing is said.
func TestOfLittleVoiceNothingIsSaid(t *testing.T) {
	b := said(t, 0).Slice(0, 2*rate)
	a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: rate, Sound: b})
	if err != nil {
		t.Fatal(err)
	}
	for _, spans := range [][]pcm.Span{nil, {{To: rate}}} {
		v, err := reverb.Analyze(a, spans)
		if err != nil {
			t.Fatal(err)
		}
		if _, ok := v.Profile(); ok {
			t.Errorf("%v: something is said", spans)
		}
	}
}
