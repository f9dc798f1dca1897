package speech_test

import (
	"math/rand/v2"
	"testing"

	"blendseam/core/listen/speech"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
)

// Of voices that nothing was tuned on, fluent and with pauses, near and far, 5 to 35 dB over their rooms, what is said
// is found, and next to nothing where nobody speaks.
func TestWhatIsSaidIsHeardInAnyVoice(t *testing.T) {
	t.Parallel()
	speakers := eartest.Speakers(t, eartest.Fresh)
	if len(speakers) == 0 {
		t.Skip("no voices are installed")
	}
	cases := corpus.Cases(4, 96)
	found, worst, silence, all := 0.0, 1.0, 0.0, 0.0
	for i := range cases {
		r := rand.New(rand.NewPCG(corpus.Seed(), uint64(300+i)))
		rec := eartest.New(r, speakers[i%len(speakers)], eartest.Draw(r))
		heard, _ := speech.Find(rec.Sound, rate)
		said, silent, quiet := rec.Heard(heard)
		found, silence, all = found+said/float64(cases), silence+silent, all+quiet
		if worst = min(worst, said); said < 0.95 {
			t.Logf("case %d, %s, %.0f dB over the room, %.2f s of reverberation, fluent %v: %.3f found",
				i, rec.About, rec.OverDB, rec.DecayS, rec.Fluent, said)
		}
	}
	silence /= max(1, all)
	t.Logf("%d recordings of %d voices: %.3f of what is said found, %.3f in the worst; %.4f of silence taken for words",
		cases, len(speakers), found, worst, silence)
	if found < 0.97 || silence > 0.01 {
		t.Errorf("%.3f found, want 0.97; %.4f of silence taken for words, at most 0.01", found, silence)
	}
}

// Tunes, chords, beeps, engines, rain, knocks, dogs and birds are not words.
func TestSoundsOfNobodyAreNoWords(t *testing.T) {
	t.Parallel()
	all, cases := 0.0, 0
	for i := range corpus.Cases(1, 4) {
		for k, name := range eartest.Others {
			r := rand.New(rand.NewPCG(corpus.Seed(), uint64(100*i+k)))
			o := eartest.NewOther(r, name, 12)
			heard, _ := speech.Find(o.Sound, rate)
			words := 0.0
			for _, w := range heard.Words() {
				words += float64(w.Span.Len()) / float64(len(o.Sound))
			}
			if all, cases = all+words, cases+1; words > 0.01 {
				t.Logf("%s: %.3f of it is taken for words", name, words)
			}
		}
	}
	t.Logf("%.4f of %d sounds is taken for words", all/float64(cases), cases)
	if all > 0.03*float64(cases) {
		t.Errorf("%.4f of the time is taken for words, at most 0.03", all/float64(cases))
	}
}
