package main

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm/wav"
)

// A speaker is a synthesised voice. Command gets the words and the file to write.
type speaker struct {
	command func(words, file string) []string
	peakDB  float64 // how loud a close microphone gets it
}

var (
	oda = speaker{func(words, file string) []string {
		return []string{"flite", "-voice", "slt", "--setf", "duration_stretch=1.06", "-t", words, "-o", file}
	}, -9}
	pell = speaker{func(words, file string) []string {
		return []string{"flite", "-voice", "rms", "--setf", "int_f0_target_mean=112", "-t", words, "-o", file}
	}, -8.5}
	narrator = speaker{func(words, file string) []string {
		return []string{"espeak-ng", "-v", "en-gb+f3", "-s", "150", "-p", "40", "-w", file, words}
	}, -9}
)

// say gives words spoken, at 48 kHz, without silence around them, at the speaker's level.
func say(who speaker, words string) []float64 {
	dir, err := os.MkdirTemp("", "voice-")
	check(err)
	defer os.RemoveAll(dir)
	raw, high := filepath.Join(dir, "raw.wav"), filepath.Join(dir, "48k.wav")
	command := who.command(words, raw)
	command2 := []string{
		"ffmpeg",
		"-v",
		"error",
		"-i",
		raw,
		"-ar",
		fmt.Sprint(rate),
		"-ac",
		"1",
		"-c:a",
		"pcm_f32le",
		high,
	}
	for _, c := range [][]string{command, command2} {
		if out, err := exec.Command(c[0], c[1:]...).CombinedOutput(); err != nil {
			check(fmt.Errorf("%v: %w: %s", c, err, out))
		}
	}
	r, err := wav.Open(high)
	check(err)
	defer r.Close()
	block := [][]float64{make([]float64, r.Len())}
	check(r.ReadSamplesAt(block, 0))
	v := trimSilence(block[0])
	most := 0.0
	for _, x := range v {
		most = max(most, math.Abs(x))
	}
	for i := range v {
		v[i] *= level.Amplitude(who.peakDB) / most
	}
	return v
}

func trimSilence(v []float64) []float64 {
	const quiet = 0.004
	from, to := 0, len(v)
	for from < to && math.Abs(v[from]) < quiet {
		from++
	}
	for to > from && math.Abs(v[to-1]) < quiet {
		to--
	}
	return v[from:to]
}
