// The program that makes the demo: recordings and scene of Kiln Night. It needs flite, espeak-ng and ffmpeg;
// running the demo needs none of them, as what it makes is committed. Run it from the top: go run ./demo/gen
//
// Voices are synthesised, sounds computed, pictures drawn. Nothing in it is recorded from life.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"blendseam/core/sound/pcm"
	"blendseam/media"
)

const rate = 48000

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "demo/gen:", err)
		os.Exit(1)
	}
}

func main() {
	folder := "demo/recordings"
	check(os.MkdirAll(folder, 0o755))
	recordings := map[string]*recording{}
	for _, t := range takes {
		r := t.record()
		check(r.write(folder))
		recordings[t.file] = r
		fmt.Printf("%s: %.1f s\n", t.file, float64(r.len())/rate)
	}
	check(os.WriteFile("demo/kiln-night.otio", append(layOut(recordings), '\n'), 0o644))
}

// A line is words in a take. They start pause seconds after the line before ends.
type line struct {
	key, words string
	who        string
	pause      float64
	far        bool
	over       bool    // spoken over the line before, pause seconds after that begins
	gainDB     float64 // beside how the speaker usually sounds there
}

var speakers = map[string]speaker{"oda": oda, "pell": pell, "narrator": narrator}

// A take is a recording as it was made.
type take struct {
	file, name string
	shot       string // "" for sound alone
	bed        func(n int) []float64
	lines      []line
	after      float64 // seconds that it runs on
	shovelAt   string  // the line after which a shovel falls
	stereo     func() [2][]float64
}

// recording is a take made: the sound, the voices apart, and where each line lies.
type recording struct {
	take
	sound  [][]float64
	voices map[string][]float64
	at     map[string]pcm.Span
}

func (r *recording) len() int { return len(r.sound[0]) }

func (t take) record() *recording {
	r := &recording{take: t, voices: map[string][]float64{}, at: map[string]pcm.Span{}}
	if t.stereo != nil {
		both := t.stereo()
		r.sound = both[:]
		return r
	}
	type placed struct {
		line
		v  []float64
		at int
	}
	var all []placed
	end, begin := 0, 0
	for _, l := range t.lines {
		v := say(speakers[l.who], l.words)
		at := end + seconds(l.pause)
		if l.over {
			at = begin + seconds(l.pause)
		}
		at -= at % (rate / 25) // lines start on frames
		for i := range v {
			v[i] *= decibels(l.gainDB)
		}
		all = append(all, placed{l, v, at})
		r.at[l.key] = pcm.Span{From: int64(at), To: int64(at + len(v))}
		begin, end = at, max(end, at+len(v))
	}
	n := end + seconds(t.after)
	n += (rate/25 - n%(rate/25)) % (rate / 25)
	sound := t.bed(n)
	for _, p := range all {
		if r.voices[p.who] == nil {
			r.voices[p.who] = make([]float64, n)
		}
		lay(r.voices[p.who], p.v, p.at)
		v := p.v
		if p.far {
			v = far(v)
		}
		lay(sound, v, p.at)
	}
	if s, ok := r.at[t.shovelAt]; ok {
		lay(sound, shovel(), int(s.To)+seconds(0.9))
	}
	r.sound = [][]float64{sound}
	return r
}

// write makes the file: FLAC, or a film with FLAC in it.
func (r *recording) write(folder string) error {
	name := filepath.Join(folder, r.file)
	flac := name
	if r.shot != "" {
		flac = filepath.Join(os.TempDir(), "kiln-night-sound.flac")
		defer os.Remove(flac)
	}
	out, err := media.Create(flac, rate, len(r.sound), "16", false)
	if err != nil {
		return err
	}
	defer out.Discard()
	raw := make([]byte, out.Encoder.Size(int64(r.len())))
	if clipped := out.Encoder.Encode(raw, r.sound, 0); clipped > 0 {
		return fmt.Errorf("%s: %d samples clipped", r.file, clipped)
	}
	if _, err := out.Write(raw); err != nil {
		return err
	}
	if err := out.Close(); err != nil || r.shot == "" {
		return err
	}
	film(r.shot, flac, name, r.voices, r.len()/(rate/25))
	return nil
}
