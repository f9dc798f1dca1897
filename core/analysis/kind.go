package analysis

import (
	"context"
	"math"
	"slices"

	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/speech"

	"gonum.org/v1/gonum/dsp/fourier"
)

// Kind says what a recording chiefly is.
type Kind string

// The kinds.
const (
	Speech Kind = "speech"
	Music  Kind = "music"
	Else   Kind = "else" // rooms, weather, steps, machines
)

// What tells the kinds apart. Speech is often far below its own average: the share of frames whose RMS is under half of
// the mean RMS of the second around them (J. Saunders, "Real-time discrimination of broadcast speech/music", ICASSP
// 1996; E. Scheirer, M. Slaney, "Construction and evaluation of a robust multifeature speech/music discriminator",
// ICASSP 1997; from memory), and it has words. Music has lines in its spectrum that come and go. The figures were found
// by trying real voices, plucked and blown notes, noise and the demo's recordings.
const (
	lowSpeech  = 0.12 // share of low frames from which on it may be speech
	lowBumps   = 0.85 // and from which on it is single blows
	wordsShare = 0.2  // of the time, that words take in speech
	lowWords   = 0.4  // share of low frames of speech in which the background cannot be told, and so no words either
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
	a, err := Of(ctx, r)
	if err != nil {
		return Else, err
	}
	return a.kind(r)
}

// kind tells what a short recording chiefly is; r is its sound.
func (a *Recording) kind(r pcm.ReaderAt) (Kind, error) {
	low, err := a.lowShare()
	if err != nil {
		return Else, err
	}
	words := int64(0)
	for _, p := range a.Stretches {
		if p.Kind == speech.Word {
			words += p.Span.Len()
		}
	}
	share := float64(words) / float64(max(1, a.Length))
	if low >= lowSpeech && low < lowBumps && (share >= wordsShare || words == 0 && low >= lowWords && len(a.Strays) == 0) {
		return Speech, nil
	}
	lines, err := lines(r)
	if err == nil && lines >= lineShare {
		return Music, nil
	}
	return Else, err
}

// lowShare is the share of frames that lie under half the mean RMS of the second around them.
func (a *Recording) lowShare() (float64, error) {
	const beside = 500 / HopMS
	f, err := a.Frames(pcm.Span{To: a.Length})
	if err != nil {
		return 0, err
	}
	sum := make([]float64, f.Count+1) // of the frames before each
	for i := range f.Count {
		sum[i+1] = sum[i] + math.Sqrt(float64(f.Level[i]))
	}
	low := 0
	for i := range f.Count {
		from, to := max(0, i-beside), min(f.Count, i+beside)
		if sum[i+1]-sum[i] < (sum[to]-sum[from])/float64(to-from)/2 {
			low++
		}
	}
	return float64(low) / float64(max(1, f.Count)), nil
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

// lines is the share that spectral lines which come and go have in a sound's power from 80 Hz to 5 kHz: the median of
// looks spread over it.
func lines(r pcm.ReaderAt) (float64, error) {
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
		for i := max(bin(lineLowHz), lineBeside); i < top; i++ {
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
			if total[k] > 0 && !hums(l) {
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
