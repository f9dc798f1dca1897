package analysis_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
)

// The background of a recording is known within 1.5 dB, with pauses or without; where it is off by 4 dB, it says that
// it is not sure.
func TestBackgroundsAreKnownWithPausesAndWithout(t *testing.T) {
	t.Parallel()
	speakers := eartest.Speakers(t, eartest.Fresh)
	if len(speakers) == 0 {
		t.Skip("no voices are installed")
	}
	cases := corpus.Cases(4, 96)
	off, unsure := 0, 0
	for i := range cases {
		r := rand.New(rand.NewPCG(corpus.Seed(), uint64(700+i)))
		rec := eartest.New(r, speakers[i%len(speakers)], eartest.Draw(r))
		a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: rate, Sound: pcm.Block{rec.Sound}})
		if err != nil {
			t.Fatal(err)
		}
		by := a.Floor.DB - rec.NoiseDB
		if !a.Floor.Sure() {
			unsure++
		}
		if math.Abs(by) > 1.5 {
			off++
			t.Logf("%s, fluent %v, %.0f dB over: %+.1f dB off, sure within %.1f", rec.About, rec.Fluent, rec.OverDB, by,
				a.Floor.SureDB)
		}
		if math.Abs(by) > 4 && a.Floor.Sure() {
			t.Errorf("%s: %+.1f dB off, and says it is sure within %.1f", rec.About, by, a.Floor.SureDB)
		}
	}
	t.Logf("%d of %d are off by more than 1.5 dB; %d are not sure", off, cases, unsure)
	if off > cases/8+1 {
		t.Errorf("%d of %d are off by more than 1.5 dB", off, cases)
	}
}

// A line-up tone, beeps and an engine between words are other sounds, and no room; rain that begins and stays is one.
func TestWhatStandsOverTheFloorIsNoRoomUnlessItStays(t *testing.T) {
	for i, name := range []string{"line-up tone", "beeps", "swelling engine"} {
		sound := room.Kinds[3].Sound(20*rate, rate, 1, uint64(i))[0]
		other := eartest.NewOther(rand.New(rand.NewPCG(uint64(i), 3)), name, 6)
		for k, x := range other.Sound {
			sound[2*rate+k] += x
		}
		a := analysed(t, pcm.Memory{Rate: rate, Sound: pcm.Block{sound}})
		for _, q := range a.Quiets {
			for k := q.Span.From/eartest.Hop + 1; k < q.Span.To/eartest.Hop; k++ {
				at := k - 2*rate/eartest.Hop
				if at >= 0 && at < int64(len(other.Loud)) && other.Loud[at] {
					t.Errorf("%s at %.2f s is taken for room", name, float64(k)/100)
					break
				}
			}
		}
		if want := room.Kinds[3].Level; math.Abs(a.Floor.DB-want) > 2 {
			t.Errorf("%s: the background is %.1f dBFS, want %.1f", name, a.Floor.DB, want)
		}
	}
	rain := room.Kinds[0].Sound(24*rate, rate, 1, 1)[0]
	for k, x := range room.Kinds[2].Sound(16*rate, rate, 1, 2)[0] {
		rain[8*rate+k] += level.Amplitude(6) * x
	}
	a := analysed(t, pcm.Memory{Rate: rate, Sound: pcm.Block{rain}})
	if q := a.QuietsIn(pcm.Span{From: 10 * rate, To: 24 * rate}); len(q) == 0 {
		t.Error("rain that stays is no room")
	}
}

// A recording that is nothing but a tone has no background that is known.
func TestAToneAloneHasNoBackground(t *testing.T) {
	tone := make([]float64, 5*rate)
	for i := range tone {
		tone[i] = 0.1 * math.Sin(2*math.Pi*1000*float64(i)/rate)
	}
	a := analysed(t, pcm.Memory{Rate: rate, Sound: pcm.Block{tone}})
	if a.Floor.Sure() || len(a.Quiets) > 0 {
		t.Errorf("a tone has the background %+v and the room %v", a.Floor.DB, a.Quiets)
	}
}

// What somebody says a stretch is wins over what was heard, and takes its room and its stray sounds along.
func TestCorrectionsWin(t *testing.T) {
	a := analysed(t, spoken(t, 1))
	q := a.Quiets[len(a.Quiets)/2].Span
	c := a.Corrected([]analysis.Correction{{Span: q, Kind: speech.Word}})
	if got := c.Within(q); len(got) != 1 || got[0].Kind != speech.Word || got[0].Sure != 1 || len(c.QuietsIn(q)) != 0 {
		t.Errorf("%v is called a word and is %+v, with %v of room", q, got, c.QuietsIn(q))
	}
	w := a.Stretches[0].Span
	c = a.Corrected([]analysis.Correction{{Span: w, Kind: analysis.Pause}})
	if got := c.Within(w); len(got) != 0 {
		t.Errorf("%v is called a pause and is %+v", w, got)
	}
	parts, err := c.Heard()
	if err != nil {
		t.Fatal(err)
	}
	at := int64(0)
	for _, p := range parts {
		if p.Span.From != at || p.Span.Empty() {
			t.Fatalf("a part begins at %d, want %d", p.Span.From, at)
		}
		at = p.Span.To
	}
	if at != c.Length {
		t.Errorf("the parts end at %d of %d", at, c.Length)
	}
}
