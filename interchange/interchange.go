// Package interchange is the registry of the formats in which cut lists come and go. A format is a package of its own
// that registers itself, and one import in interchange/formats; whatever reads, writes or offers scene files asks
// here, and names no format.
package interchange

import (
	"fmt"
	"math/big"
	"path/filepath"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

// A Length tells how long the recording behind a media URL is, in seconds of sound and of picture, where a file does
// not say; nil seconds are unknown.
type Length func(url string) (sound, picture *big.Rat)

// Hints are what a file leaves open and its reader may know; the zero value is nothing.
type Hints struct {
	Length Length
	// Start tells the source timecode of a recording's first moment, in seconds; nil where none is known.
	Start func(url string) *big.Rat
	// Rate is that of the scene which a file belongs to, where the file says none.
	Rate timecode.Rate
}

// A Format is one way of writing a scene down.
type Format struct {
	Name       string   // as it is said: "OpenTimelineIO"
	Extensions []string // of its files, with the point; the first is the usual one
	MediaType  string
	Lacks      []string // what it cannot carry, each in a few words; none if it carries all of a scene
	// Loses tells what of a scene it cannot carry, each in a few words; nil for one that carries all.
	Loses func(*scene.Scene) []string
	// Each tells so clip by clip; nil for one that carries all.
	Each func(*scene.Scene) []Loss
	// Read gives a scene, and warnings of what was not understood, or kept but is not heard. Errors name the place.
	Read func(raw []byte, hints Hints) (*scene.Scene, []string, error)
	// Write gives the file. What the format cannot carry is left out.
	Write func(*scene.Scene) ([]byte, error)
	// Targets are the media URLs that a file names, whatever else is wrong with it.
	Targets func(raw []byte) []string
}

var formats []Format

// Register makes a format known. It is for the init of the format's package, and panics if an extension is taken.
func Register(f Format) {
	if f.Name == "" || len(f.Extensions) == 0 || f.Read == nil || f.Write == nil || f.Targets == nil {
		panic("interchange: a format without its name, its extensions, or what it does")
	}
	for _, e := range f.Extensions {
		if _, taken := find(e); taken || !strings.HasPrefix(e, ".") || strings.ToLower(e) != e {
			panic("interchange: the extension " + e + " is taken, or none")
		}
	}
	formats = append(formats, f)
}

// Formats are all that are known, in the order of their names.
func Formats() []Format {
	return slices.SortedFunc(slices.Values(formats), func(a, b Format) int { return strings.Compare(a.Name, b.Name) })
}

// Lost tells what of a scene a format does not carry: as it says of the scene, or else of itself.
func (f Format) Lost(s *scene.Scene) []string {
	if f.Loses != nil {
		return f.Loses(s)
	}
	return f.Lacks
}

// LostOf tells, clip by clip, what of a scene a format does not carry.
func (f Format) LostOf(s *scene.Scene) []Loss {
	if f.Each == nil {
		return nil
	}
	return f.Each(s)
}

// DefaultFormat is the format that carries all of a scene, which is written where nobody says otherwise.
func DefaultFormat() Format {
	all := Formats()
	i := slices.IndexFunc(all, func(f Format) bool { return len(f.Lacks) == 0 })
	if i < 0 {
		panic("interchange: no format that carries all of a scene is registered; import interchange/formats")
	}
	return all[i]
}

func find(extension string) (Format, bool) {
	i := slices.IndexFunc(
		formats,
		func(f Format) bool { return slices.Contains(f.Extensions, strings.ToLower(extension)) },
	)
	if i < 0 {
		return Format{}, false
	}
	return formats[i], true
}

// IsSceneFile tells by its name whether a file is a scene file.
func IsSceneFile(file string) bool {
	_, ok := find(filepath.Ext(file))
	return ok
}

// FormatOf gives the format of a file by its name; the error says which there are.
func FormatOf(file string) (Format, error) {
	f, ok := find(filepath.Ext(file))
	if !ok {
		return f, fmt.Errorf("%s: scene files of this kind are not known; those that end in %s are", file, Endings(" or "))
	}
	return f, nil
}

// Endings are the extensions of all formats, with something between them.
func Endings(between string) string {
	var list []string
	for _, f := range Formats() {
		list = append(list, f.Extensions...)
	}
	return strings.Join(list, between)
}
