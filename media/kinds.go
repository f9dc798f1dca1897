package media

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"blendseam/core/refuse"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
)

// A Kind is a kind of sound file that can be written.
type Kind struct {
	Ending string // of its files, without the point; also what it is chosen by
	Name   string
	Depths []string // that it can have, the usual one first; none: it does not keep samples
	Rates  []int    // that it can have; none: any
	KBits  []int    // that may be chosen, in kbit/s; none: there is nothing to choose
	kbits  int      // where nothing is chosen; 0: as best says
	codec  []string // ffmpeg's, if it is not written here
	best   []string

	container string // ffmpeg's
}

// Kinds are all kinds of sound file that can be written.
var Kinds = []Kind{
	{Ending: "wav", Name: "WAV", Depths: []string{"24", "16", "32f"}},
	{Ending: "flac", Name: "FLAC", Depths: []string{"24", "16"}},
	{
		Ending: "mp3", Name: "MP3", Rates: []int{32000, 44100, 48000}, KBits: []int{320, 256, 192, 128, 96, 64},
		codec: []string{"-c:a", "libmp3lame"}, best: []string{"-q:a", "0"}, container: "mp3",
	},
	{
		Ending: "opus", Name: "Opus", Rates: []int{48000}, KBits: []int{256, 192, 160, 128, 96, 64}, kbits: 160,
		codec: []string{"-c:a", "libopus"}, container: "opus",
	},
	{
		Ending: "m4a", Name: "AAC", Rates: []int{32000, 44100, 48000, 88200, 96000},
		KBits: []int{320, 256, 192, 128, 96, 64}, kbits: 256,
		codec: []string{"-c:a", "aac", "-movflags", "+faststart"}, container: "ipod",
	},
}

// KindOf gives a kind by the ending of a file; the error says which there are.
func KindOf(path string) (Kind, error) {
	ending := strings.TrimPrefix(strings.ToLower(filepath.Ext(path)), ".")
	i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.Ending == ending })
	if i < 0 {
		return Kind{}, refuse.Errorf("%s: cannot write files that end in %q; name it %s", path, filepath.Ext(path), endings())
	}
	return Kinds[i], nil
}

// endings lists those of all kinds: ".wav, .flac or .mp3".
func endings() string {
	var list []string
	for _, k := range Kinds {
		list = append(list, "."+k.Ending)
	}
	last := len(list) - 1
	return strings.Join(list[:last], ", ") + " or " + list[last]
}

// A Form says in what form sound is written.
type Form struct {
	Rate     int
	Channels int
	Depth    string // one of Depths, "" for the kind's usual one; nothing to kinds that do not keep samples
	NoDither bool   // of 16 bits
	KBits    int    // kbit/s of kinds that do not keep samples; 0 is as well as sounds like the original
	Bext     *wav.Bext
}

// Check tells whether a file of a name can have a form.
func (f Form) Check(path string) error {
	_, err := f.check(path)
	return err
}

func (f Form) check(path string) (Kind, error) {
	k, err := KindOf(path)
	switch {
	case err != nil:
	case f.Depth != "" && !slices.Contains(Depths, f.Depth):
		err = refuse.Errorf("depth %q is not one of 16, 24, 32f", f.Depth)
	case f.Depth != "" && len(k.Depths) > 0 && !slices.Contains(k.Depths, f.Depth):
		err = refuse.Errorf("%s: %s holds integers; choose a depth of 16 or 24, or WAV for %s", path, k.Name, f.Depth)
	case len(k.Rates) > 0 && !slices.Contains(k.Rates, f.Rate):
		err = refuse.Errorf("%s: %s files have %s samples a second, not %d; choose another rate or kind",
			path, k.Name, anyOf(k.Rates), f.Rate)
	case f.KBits != 0 && len(k.KBits) == 0:
		err = refuse.Errorf("%s: %s keeps every sample, and has no bit rate to choose", path, k.Name)
	case f.KBits != 0 && (f.KBits < k.KBits[len(k.KBits)-1] || f.KBits > k.KBits[0]):
		err = refuse.Errorf("%s: %d kbit/s is no rate for %s; %d to %d are",
			path, f.KBits, k.Name, k.KBits[len(k.KBits)-1], k.KBits[0])
	}
	return k, err
}

// anyOf lists numbers: "1, 2 or 3".
func anyOf(list []int) string {
	words := strings.Fields(strings.Trim(fmt.Sprint(list), "[]"))
	if last := len(words) - 1; last > 0 {
		return strings.Join(words[:last], ", ") + " or " + words[last]
	}
	return words[0]
}

// encoder is what makes a form's samples.
func (f Form) encoder(k Kind) pcm.Encoder {
	e := pcm.Encoder{Format: pcm.Format{Rate: f.Rate, Channels: f.Channels}}
	depth := f.Depth
	switch {
	case k.codec != nil:
		depth = "32f"
	case depth == "":
		depth = k.Depths[0]
	}
	if depth == "32f" {
		e.Format.Bits, e.Format.Float = 32, true
		return e
	}
	fmt.Sscan(depth, &e.Format.Bits)
	e.Dither = e.Format.Bits == 16 && !f.NoDither
	return e
}

// DepthOf is the one of Depths that holds every sample of a format as it is.
func DepthOf(f pcm.Format) string {
	switch {
	case f.Float || f.Bits > 24:
		return "32f"
	case f.Bits <= 16:
		return "16"
	}
	return "24"
}

// Words say what a form is: "48000 Hz, 24 bits, 2 channels".
func (f Form) Words(path string) string {
	k, err := KindOf(path)
	if err != nil || k.codec == nil {
		return f.encoder(k).Format.String()
	}
	words := fmt.Sprintf("%d Hz, %d channels", f.Rate, f.Channels)
	if f.Channels == 1 {
		words = fmt.Sprintf("%d Hz, 1 channel", f.Rate)
	}
	if f.KBits > 0 {
		words += fmt.Sprintf(", %d kbit/s", f.KBits)
	}
	return words
}
