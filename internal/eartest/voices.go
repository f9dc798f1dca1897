// Package eartest makes recordings of which everything is known that an ear should hear: voices of many languages and
// sources, fluent or with pauses, near and far, over rooms; and sounds in which nobody speaks.
package eartest

import (
	"math/rand/v2"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"blendseam/internal/outside"
)

// A Speaker is one voice, or several of one language, as recordings of words and phrases.
type Speaker struct {
	Name    string
	phrases [][]float64 // at Rate
}

// Tuned are the voices that figures in core were found by; Fresh are those that never were, and that what is said in
// the docs is measured on.
var (
	Tuned = []Pattern{
		{"Italian, a woman", "asterisk/sounds/it_IT_f_Menardi/*.wav"},
		{"Spanish", "asterisk/sounds/es_MX_f_Allison/*.wav"},
		{"Russian", "asterisk/sounds/ru_RU_f_IvrvoiceRU/*.wav"},
		{"German syllables", "klettres/de/*/*.ogg"},
		{"British syllables", "klettres/en_GB/*/*.ogg"},
		{"Catalan", "ktuberling/sounds/ca/*"},
	}
	Fresh = []Pattern{
		{"English, alsa-utils", "sounds/alsa/[FRS]*.wav"},
		{"French", "asterisk/sounds/fr_CA_f_June/*.wav"},
		{"Italian, a man", "asterisk/sounds/it_IT_m_Carlo/*.wav"},
		{"English", "asterisk/sounds/en_US_f_Allison/*.wav"},
		{"English, read", "pocketsphinx/test/data/librivox/*.wav"},
		{"English, radio", "codec2/wav/[fhm]*.wav"},
		{"Arabic syllables", "klettres/ar/*/*.ogg"},
		{"Czech syllables", "klettres/cs/*/*.ogg"},
		{"Hungarian syllables", "klettres/hu/*/*.ogg"},
		{"Indonesian syllables", "klettres/id/*/*.ogg"},
		{"Hebrew syllables", "klettres/he/*/*.ogg"},
		{"Lithuanian", "ktuberling/sounds/lt/*"},
		{"Norwegian", "ktuberling/sounds/nn/*"},
		{"Ukrainian", "ktuberling/sounds/uk/*"},
		{"Greek", "ktuberling/sounds/el/*"},
		{"Walloon", "ktuberling/sounds/wa/*"},
	}
)

// A Pattern names the recordings of a speaker under /usr/share.
type Pattern struct{ Name, Files string }

// Of a speaker so many recordings are used at most, spread over all that there are; a speaker with fewer than the least
// is none.
const (
	mostPhrases  = 16
	leastPhrases = 4
)

var speakers sync.Map // by pattern

// Speakers are those whose recordings are installed and clean.
func Speakers(t testing.TB, list []Pattern) (out []Speaker) {
	t.Helper()
	for _, p := range list {
		made, ok := speakers.Load(p)
		if !ok {
			made, _ = speakers.LoadOrStore(p, speaker(t, p))
		}
		if s := made.(Speaker); len(s.phrases) >= leastPhrases {
			out = append(out, s)
		}
	}
	return out
}

// Phrases are recordings of all speakers of a list, between leastS and mostS seconds long, without their noise.
func Phrases(t testing.TB, list []Pattern, leastS, mostS float64) (out [][]float64) {
	for _, s := range Speakers(t, list) {
		for _, v := range s.phrases {
			if seconds := float64(len(v)) / Rate; seconds >= leastS && seconds <= mostS {
				out = append(out, v)
			}
		}
	}
	return out
}

// Halves are two fluent readings of a speaker, of different phrases, with at most 40 ms between two of them.
func (s Speaker) Halves(r *rand.Rand) (one, other []float64) {
	for i, k := range r.Perm(len(s.phrases)) {
		v := append(slices.Clone(s.phrases[k]), make([]float64, r.IntN(Rate/25))...)
		if i%2 == 0 {
			one = append(one, v...)
		} else {
			other = append(other, v...)
		}
	}
	return one, other
}

func speaker(t testing.TB, p Pattern) Speaker {
	files, _ := filepath.Glob(filepath.Join("/usr/share", p.Files))
	s := Speaker{Name: p.Name}
	step := max(1, len(files)/(2*mostPhrases))
	var some []string
	for i := 0; i < len(files); i += step {
		some = append(some, files[i])
	}
	for len(some) > 0 && len(s.phrases) < mostPhrases { // some are too noisy: then more
		n := min(len(some), mostPhrases)
		for _, b := range outside.DecodeAll(t, some[:n], 1, "-ac", "1", "-ar", "48000") {
			if v := trimmed(b[0]); v != nil && len(s.phrases) < mostPhrases {
				s.phrases = append(s.phrases, v)
			}
		}
		some = some[n:]
	}
	return s
}
