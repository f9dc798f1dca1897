package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/limiter"
	"blendseam/export"
	"blendseam/media"
	"blendseam/media/scenefile"
)

type renderCmd struct {
	Scene    string   `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out      string   `short:"o" required:"" help:"File to write: .wav, .flac, .mp3, .opus or .m4a."`
	From     string   `help:"Timecode to start at, as the scene counts." placeholder:"TC"`
	To       string   `help:"Timecode to end before." placeholder:"TC"`
	Track    string   `help:"Only the track of this name." placeholder:"NAME"`
	Depth    string   `help:"16, 24 or 32f; 24 unless given."`
	NoDither bool     `help:"Leave out the dither of 16-bit files."`
	Stems    string   `help:"Folder for stems: files as OUT is, that add to it." placeholder:"DIR"`
	By       string   `help:"What each stem holds: a track or a purpose." enum:"track,purpose" default:"track"`
	Rate     int      `help:"Samples a second, where not the scene's; changed by soxr." placeholder:"HZ"`
	Channels int      `help:"1 or 2, where not the scene's." placeholder:"N"`
	Kbits    int      `help:"Bit rate of MP3, Opus and AAC." placeholder:"KBIT"`
	Target   *float64 `name:"target-lufs" help:"Integrated loudness to bring it to: -23, -16 ..." placeholder:"LUFS"`
	Ceiling  *float64 `help:"True peak to keep it under, by a look-ahead limiter: -1, -2 ..." placeholder:"DBTP"`
}

func (c *renderCmd) Run(ctx context.Context) error {
	f, err := scenefile.Read(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	s := f.Scene
	span, err := s.Stretch(c.From, c.To)
	if err != nil && c.From+c.To != "" {
		return fmt.Errorf("--from, --to: %w", err)
	} else if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	var opt mix.Options
	if c.Track != "" {
		if opt.Track, err = trackNamed(s, c.Track); err != nil {
			return err
		}
	}
	m, err := mix.New(s, mix.WithDerived(s, f.Open), opt)
	if err != nil {
		return err
	}
	o := export.Order{
		Span: span, Mix: c.Out, TargetLUFS: c.Target, CeilingDBTP: c.Ceiling, Limit: c.Ceiling != nil,
		Form: media.Form{Rate: c.Rate, Channels: c.Channels, Depth: c.Depth, NoDither: c.NoDither, KBits: c.Kbits},
	}
	if c.Out == "" {
		return fmt.Errorf("-o: name the file to write")
	}
	if err := c.check(); err != nil {
		return err
	}
	if info, err := os.Stat(c.Scene); err == nil {
		o.Made = info.ModTime() // so that what is made of the same file is the same file
	}
	if c.Stems != "" {
		if o.Stems, err = c.stems(s); err != nil {
			return err
		}
	}
	made, err := export.Make(ctx, s, m, o, nil)
	if err != nil {
		return err
	}
	c.say(s, made)
	return nil
}

// check refuses what no mixdown can be.
func (c *renderCmd) check() error {
	switch {
	case c.Rate != 0 && (c.Rate < 8000 || c.Rate > 192000):
		return fmt.Errorf("--rate: %d is no rate to write; 44100, 48000 and 96000 are usual, 8000 to 192000 can be", c.Rate)
	case c.Channels < 0 || c.Channels > 2:
		return fmt.Errorf("--channels: %d cannot be; 1 or 2 can", c.Channels)
	case c.Target != nil && !(*c.Target >= -60 && *c.Target <= 0):
		return fmt.Errorf("--target-lufs: %g is no loudness to bring a mix to; -60 to 0 are", *c.Target)
	case c.Stems != "" && c.Track != "":
		return fmt.Errorf("--stems and --track: a stem is made of every track; leave one of the two out")
	}
	return nil
}

// stems are those that are asked for, and their folder.
func (c *renderCmd) stems(s *scene.Scene) ([]export.Stem, error) {
	list := export.StemsBy(s, c.By)
	if len(list) == 0 {
		return nil, fmt.Errorf("--stems: no sound track of the scene is heard, so that there are no stems")
	}
	out, _ := filepath.Abs(c.Out)
	if dir, _ := filepath.Abs(c.Stems); dir == out {
		return nil, fmt.Errorf("--stems: %s is the mix's own file; name a folder", c.Stems)
	}
	if err := os.MkdirAll(c.Stems, 0o755); err != nil {
		return nil, fmt.Errorf("--stems: the folder cannot be made: %w", err)
	}
	var names []string
	for _, x := range list {
		names = append(names, export.FileName(x.Name)+strings.ToLower(filepath.Ext(c.Out)))
	}
	for i, name := range export.Distinct(names) {
		list[i].File = filepath.Join(c.Stems, name)
		if path, _ := filepath.Abs(list[i].File); path == out {
			return nil, fmt.Errorf("--stems: %s would be both the mix and a stem; name another folder", list[i].File)
		}
	}
	return list, nil
}

// say tells what was made.
func (c *renderCmd) say(s *scene.Scene, made *export.Made) {
	for _, f := range made.Files {
		if f.Clipped > 0 {
			note("%s: %d samples reached past full scale and were clipped; turn the scene down, "+
				"write --depth 32f or keep it under --ceiling -1", f.Path, f.Clipped)
		}
	}
	if c.Target != nil {
		note("brought to %g LUFS by %+.2f dB", *c.Target, made.GainDB)
	}
	if c.Ceiling != nil && made.Limited {
		note("%s", limitedWords(s, made.Passes, *c.Ceiling))
	}
	for _, f := range made.Files {
		fmt.Printf("%s: %.3f s, %s\n", f.Path, f.LengthS, f.Format)
	}
}

// limitedWords tell where a ceiling worked, the worst places first to be named.
func limitedWords(s *scene.Scene, list []limiter.Place, dbtp float64) string {
	worst := list[0]
	for _, p := range list {
		if p.ReducedDB > worst.ReducedDB {
			worst = p
		}
	}
	words := fmt.Sprintf("kept under %g dBTP at %d places, most at %s by %.1f dB", dbtp, len(list), s.Timecode(worst.At),
		worst.ReducedDB)
	var at []string
	for _, p := range list[:min(len(list), 8)] {
		at = append(at, fmt.Sprintf("%s %.1f dB", s.Timecode(p.At), p.ReducedDB))
	}
	if len(list) > 8 {
		at = append(at, "and more")
	}
	return words + ": " + strings.Join(at, ", ")
}

// note says something on the side.
func note(format string, args ...any) {
	fmt.Fprintf(os.Stderr, "blendseam: note: "+format+"\n", args...)
}

func trackNamed(s *scene.Scene, name string) (scene.TrackID, error) {
	var names []string
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		if strings.EqualFold(t.Name, name) {
			return t.ID, nil
		}
		names = append(names, t.Name)
	}
	return "", fmt.Errorf("--track: the scene has no sound track %q; it has %s", name, strings.Join(names, ", "))
}
