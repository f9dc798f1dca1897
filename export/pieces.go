package export

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/media"
)

// A Piece is what becomes a file of its own: a marked stretch of a recording, or a clip as it sounds by itself.
type Piece struct {
	Recording string // its name
	Name      string // of the stretch or the clip
	Span      pcm.Span
	Open      func() (pcm.ReaderAt, error) // the sound in which Span lies, at the scene's rate
}

// ErrNoStretch says that nothing is marked of which files could be made.
var ErrNoStretch = refuse.Errorf(
	"No stretch is marked. Mark an in and an out point of a recording, give the stretch a name and keep it, then do it " +
		"again.",
)

// Stretches are all marked stretches with sound of a scene's recordings, recording by recording in the order of their
// names, or those of one source alone; "" is all of them.
func Stretches(s *scene.Scene, from *meter.Sources, source string) (list []Piece, err error) {
	if _, there := s.Sources[source]; source != "" && !there {
		return nil, refuse.Errorf("The scene has no recording %q.", source)
	}
	byName := func(a, b scene.Source) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID)) }
	for _, src := range slices.SortedFunc(maps.Values(s.Sources), byName) {
		if source != "" && src.ID != source || src.Samples == 0 {
			continue
		}
		for _, x := range src.Stretches {
			span := pcm.Span{From: x.From, To: x.To}.Intersect(pcm.Span{To: src.Samples})
			if span.Empty() {
				continue
			}
			list = append(list, Piece{Recording: src.Name, Name: x.Name, Span: span,
				Open: func() (pcm.ReaderAt, error) { return from.Open(s, src) }})
		}
	}
	if len(list) == 0 {
		return nil, ErrNoStretch
	}
	return list, nil
}

// Clips are clips of sound as they sound by themselves: with their gain, lines, fades, filters and room and what their
// track does, without their neighbours, blends and what would have to make way.
func Clips(s *scene.Scene, from *meter.Sources, ids []scene.ClipID) (list []Piece, err error) {
	for _, id := range ids {
		t, c := s.Clip(id)
		if c == nil {
			return nil, refuse.Errorf("There is no clip %q in this scene; it may have been removed.", id)
		}
		if t.Kind != scene.Sound {
			continue
		}
		alone := *s
		track := *t
		track.Clips, track.Blends, track.Ducks, track.Mute, track.Solo = []scene.Clip{*c}, nil, nil, false, false
		alone.Tracks, alone.Pairs = []*scene.Track{&track}, nil
		list = append(list, Piece{Recording: s.Sources[c.Source].Name, Name: c.Name, Span: c.Span(),
			Open: func() (pcm.ReaderAt, error) {
				m, err := mix.New(&alone, from.Mix(&alone), mix.Options{})
				return mix.Recording{Mixer: m, Rate: int(s.SampleRate)}, err
			}})
	}
	if len(list) == 0 {
		return nil, refuse.Errorf("None of the clips is of sound, so that no file can be made. Take clips of sound in hand.")
	}
	return list, nil
}

// DefaultPiecePattern is what files of pieces are named by where nothing else is said.
const DefaultPiecePattern = "{recording} {name}"

// Files are how pieces are written.
type Files struct {
	Dir     string
	Kind    string // one of media.Kinds, by its ending
	Form    media.Form
	Pattern string // "" is DefaultPiecePattern
	Naming  Naming // what is the same for all
}

// names gives every piece its file.
func (f Files) names(list []Piece) ([]string, error) {
	var names []string
	for i, p := range list {
		n := f.Naming
		n.Recording, n.Name, n.Number = p.Recording, p.Name, i+1
		name, err := n.Piece(f.Pattern)
		if err != nil {
			return nil, err
		}
		names = append(names, name+"."+f.Kind)
	}
	return Distinct(names), nil
}

// Check tells what of it cannot be, before anything is made of some pieces.
func (f Files) Check(list []Piece) error {
	if _, err := f.names(list); err != nil {
		return err
	}
	return f.Form.Check("x." + f.Kind)
}

// Write writes each piece as a file into the folder; progress is told how far it is, 0 to 1. After an error none of
// them is there.
func (f Files) Write(ctx context.Context, list []Piece, progress func(float64)) (made []File, err error) {
	names, err := f.names(list)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			for _, one := range made {
				os.Remove(one.Path)
			}
			made = nil
		}
	}()
	whole, before := int64(0), int64(0)
	for _, p := range list {
		whole += p.Span.Len()
	}
	for i, p := range list {
		one, err := f.write(ctx, filepath.Join(f.Dir, names[i]), p)
		if err != nil {
			return made, fmt.Errorf("%s: %w", names[i], err)
		}
		made = append(made, one)
		if before += p.Span.Len(); progress != nil {
			progress(float64(before) / float64(whole))
		}
	}
	return made, nil
}

func (f Files) write(ctx context.Context, path string, p Piece) (File, error) {
	sound, err := p.Open()
	if err != nil {
		return File{}, err
	}
	form := f.Form
	form.Rate, form.Channels = sound.Format().Rate, sound.Format().Channels
	out, err := media.CreateAs(path, form)
	if err != nil {
		return File{}, err
	}
	defer out.Discard()
	if err := out.CopyContext(ctx, sound, p.Span); err != nil {
		return File{}, err
	}
	if err := out.Close(); err != nil {
		return File{}, err
	}
	info, err := os.Stat(path)
	if err != nil {
		return File{}, err
	}
	return File{Path: path, Name: p.Name, Bytes: info.Size(), LengthS: float64(p.Span.Len()) / float64(form.Rate),
		Format: form.Words(path), Clipped: out.Clipped}, nil
}
