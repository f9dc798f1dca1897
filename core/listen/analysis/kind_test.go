package analysis_test

import (
	"context"
	"path/filepath"
	"strconv"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// Sounds that others made: real voices of alsa-utils, notes plucked and blown by sox, noise of ffmpeg, blows by sox.
func TestSpeechMusicAndAllElseAreToldApart(t *testing.T) {
	dir := t.TempDir()
	sox := func(name string, effects ...string) string {
		file := filepath.Join(dir, name)
		outside.Run(t, "sox", append([]string{"-n", "-r", "48000", "-c", "1", file}, effects...)...)
		return file
	}
	cases := map[analysis.Kind][]string{analysis.Speech: outside.Voices(t)}
	var notes []string
	for i := range 8 {
		notes = append(notes, sox("note"+strconv.Itoa(i)+".wav", "synth", "0.6", "pluck", "%"+strconv.Itoa(3*i-12)))
	}
	melody := filepath.Join(dir, "melody.wav")
	outside.Run(t, "sox", append(notes, melody)...)
	chords := sox("chords.wav", "synth", "2", "pluck", "G2", "pluck", "B2", "pluck", "D3", "pluck", "G3",
		"remix", "-", "fade", "0", "2", ".1", "norm", "-3", "repeat", "3")
	cases[analysis.Music] = []string{melody, chords}
	pink := filepath.Join(dir, "pink.wav")
	outside.Run(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "anoisesrc=d=10:c=pink:a=0.1:r=48000:s=4", pink)
	hum := filepath.Join(dir, "hum.wav")
	outside.Run(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"sine=f=100:d=10:r=48000[a];sine=f=150:d=10:r=48000[b];anoisesrc=d=10:c=pink:a=0.02:r=48000:s=5[c];"+
			"[a][b][c]amix=3", hum)
	steps := sox("steps.wav", "synth", "0.08", "brownnoise", "fade", "0", "0.08", "0.07", "pad", "0", "0.5",
		"repeat", "10", "norm", "-6")
	cases[analysis.Else] = []string{pink, hum, steps}
	for want, files := range cases {
		for _, file := range files {
			sound := pcm.Memory{Rate: 48000, Sound: outside.Decode(t, file, 1)}
			if got, err := analysis.KindOf(context.Background(), sound); err != nil || got != want {
				t.Errorf("%s is taken for %s, it is %s (%v)", filepath.Base(file), got, want, err)
			}
		}
	}
}

// A minute of its middle tells what two hours are, so the rest is not read.
func TestNoMoreThanAMinuteIsReadToTellWhatARecordingIs(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[0], 1)
	r := &counted{spoken: voice[0], length: 2 * 3600 * 48000}
	if kind, err := analysis.KindOf(context.Background(), r); err != nil || kind != analysis.Speech {
		t.Error(kind, err)
	}
	if seconds := r.read / 48000; seconds > 150 {
		t.Errorf("%d seconds of two hours were read", seconds)
	}
}

// counted is a recording that says one thing again and again, and counts what is read of it.
type counted struct {
	spoken []float64
	length int64
	read   int64
}

func (c *counted) Format() pcm.Format { return pcm.Format{Rate: 48000, Channels: 1, Bits: 16} }
func (c *counted) Len() int64         { return c.length }
func (c *counted) ReadSamplesAt(dst pcm.Block, at int64) error {
	c.read += dst.Len()
	for i := range dst[0] {
		dst[0][i] = c.spoken[(at+int64(i))%int64(len(c.spoken))]
	}
	return nil
}
