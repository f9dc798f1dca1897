package analysis

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Kind says what a recording chiefly is.
type Kind string

// The kinds.
const (
	Speech Kind = "speech"
	Music  Kind = "music"
	Else   Kind = "else" // rooms, weather, steps, machines
)

// What tells the kinds apart: words, which the network hears, and lines in the spectrum that come and go, which music
// has. Somebody who speaks for a good part of the time makes it speech, whatever else is heard.
const (
	wordsShare = 0.15 // of the time, that words take in speech
	someWordsS = 0.3  // seconds of words that make speech of what is no music
	lineShare  = 0.1  // of the power, that changing lines have in music
)

// kindS is how many seconds of a recording, from its middle, tell what it is: nobody waits for the analysis of hours.
const kindS = 60

// KindOf tells what a recording chiefly is, by at most a minute of it.
func KindOf(ctx context.Context, r pcm.ReaderAt) (Kind, error) {
	if most := int64(kindS * r.Format().Rate); r.Len() > most {
		from := (r.Len() - most) / 2
		r = pcm.Part{ReaderAt: r, Span: pcm.Span{From: from, To: from + most}}
	}
	a, err := Analyze(ctx, r)
	if err != nil {
		return Else, err
	}
	return a.kind(r)
}

// kind tells what a short recording chiefly is; r is its sound.
func (a *Recording) kind(r pcm.ReaderAt) (Kind, error) {
	words := int64(0)
	for _, p := range a.Stretches {
		if p.Kind == speech.Word {
			words += p.Span.Len()
		}
	}
	if float64(words) >= wordsShare*float64(max(1, a.Length)) {
		return Speech, nil
	}
	lines, err := lines(r, lineLowHz, false)
	switch {
	case err != nil:
		return Else, err
	case lines >= lineShare:
		return Music, nil
	case float64(words) >= someWordsS*float64(a.Rate):
		return Speech, nil
	}
	return Else, nil
}

// A line of a spectrum stands linesOver times over the median of the bins around it. Lines that are there most of the
// time, at a level that stays within humSpreadDB, are hum.
const (
	lineBins    = 8192
	lineLooks   = 24
	lineBeside  = 25
	linesOver   = 30
	humShare    = 0.7
	humSpreadDB = 6.0
	lineLowHz   = 80
	lineHighHz  = 5000
)

type line struct {
	bin   int
	power float64
}

// lines is the share that spectral lines which come and go have in a sound's power from lowHz to 5 kHz, or all lines if
// steady ones count too: the median of looks spread over it.
func lines(r pcm.ReaderAt, lowHz int, steadyToo bool) (float64, error) {
	rate := r.Format().Rate
	if r.Len() < lineBins {
		return 0, nil
	}
	bin := func(hz int) int { return hz * lineBins / rate }
	fft := fourier.NewFFT(lineBins)
	var found [lineLooks][]line
	var total [lineLooks]float64
	seen := map[int][]float64{} // levels of the lines at each bin and beside it
	for k := range found {
		at := (r.Len() - lineBins) * int64(k) / (lineLooks - 1)
		b, err := pcm.Read(r, pcm.Span{From: at, To: at + lineBins})
		if err != nil {
			return 0, err
		}
		p := powers(fft, measure.Mono(b))
		top := min(bin(lineHighHz), len(p)-lineBeside)
		for i := max(bin(lowHz), lineBeside); i < top; i++ {
			total[k] += p[i]
			if p[i] < p[i-1] || p[i] < p[i+1] {
				continue
			}
			around := slices.Sorted(slices.Values(p[i-lineBeside : i+lineBeside+1]))
			if p[i] <= linesOver*around[lineBeside] {
				continue
			}
			l := line{i, p[i-2] + p[i-1] + p[i] + p[i+1] + p[i+2]}
			found[k] = append(found[k], l)
			for j := i - 1; j <= i+1; j++ {
				seen[j] = append(seen[j], level.OfPower(l.power))
			}
		}
	}
	hums := func(l line) bool {
		v := slices.Sorted(slices.Values(seen[l.bin]))
		return float64(len(v)) >= humShare*lineLooks && v[len(v)*9/10]-v[len(v)/10] < humSpreadDB
	}
	shares := make([]float64, lineLooks)
	for k, list := range found {
		for _, l := range list {
			if total[k] > 0 && (steadyToo || !hums(l)) {
				shares[k] += l.power / total[k]
			}
		}
	}
	slices.Sort(shares)
	return shares[lineLooks/2], nil
}

// powers is the power spectrum of a stretch under a Hann window.
func powers(fft *fourier.FFT, x []float64) []float64 {
	w := make([]float64, len(x))
	for i, v := range x {
		w[i] = v * (0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(len(x))))
	}
	p := make([]float64, 0, len(x)/2+1)
	for _, c := range fft.Coefficients(nil, w) {
		p = append(p, real(c)*real(c)+imag(c)*imag(c))
	}
	return p
}
