package export

import (
	"cmp"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"

	"blendseam/core/refuse"
	"blendseam/core/scene"
)

// A Naming has what the words of a pattern stand for.
type Naming struct {
	Scene   string
	Range   string // its name, or "FROM to TO"; "" for the whole scene
	Stem    string
	Version int64
	Date    time.Time

	Recording string // of a piece
	Name      string // of its stretch or clip
	Number    int    // of the piece, from 1
}

// DefaultPattern is what files are named by where nothing else is said.
const DefaultPattern = "{scene} {range} {stem}"

// PatternWords are the words that a pattern may have, in braces.
var PatternWords = []string{"scene", "range", "stem", "date", "version"}

// PieceWords are those that names of pieces may have.
var PieceWords = []string{"scene", "recording", "name", "number", "date", "version"}

var patternWord = regexp.MustCompile(`\{[^{}]*\}`)

// File gives a file's name by a pattern, without its ending; "" is DefaultPattern. A word that stands for nothing goes
// with the blank beside it. The error names a word that is none.
func (n Naming) File(pattern string) (string, error) {
	return n.by(cmp.Or(pattern, DefaultPattern), PatternWords)
}

// Piece gives the name of a piece's file likewise; "" is DefaultPiecePattern.
func (n Naming) Piece(pattern string) (string, error) {
	return n.by(cmp.Or(pattern, DefaultPiecePattern), PieceWords)
}

func (n Naming) by(pattern string, words []string) (string, error) {
	var wrong error
	name := patternWord.ReplaceAllStringFunc(pattern, func(word string) string {
		key := strings.ToLower(strings.Trim(word, "{}"))
		if !slices.Contains(words, key) {
			wrong = refuse.Errorf("%s stands for nothing in a name; {%s} do", word, strings.Join(words, "}, {"))
			return ""
		}
		switch key {
		case "recording":
			return n.Recording
		case "name":
			return n.Name
		case "number":
			return fmt.Sprintf("%02d", n.Number)
		case "scene":
			return n.Scene
		case "range":
			return n.Range
		case "stem":
			return n.Stem
		case "date":
			return n.Date.Format("2006-01-02")
		}
		return fmt.Sprint(n.Version)
	})
	return FileName(strings.Join(strings.Fields(name), " ")), wrong
}

// FileName makes a name fit for a file.
func FileName(name string) string {
	clean := strings.Map(func(r rune) rune {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), strings.ContainsRune("-_., ", r):
			return r
		}
		return '-'
	}, strings.TrimLeft(name, "."))
	if clean = strings.TrimSpace(clean); clean == "" {
		return "scene"
	}
	if len(clean) > 80 {
		clean = strings.ToValidUTF8(clean[:80], "")
	}
	return clean
}

// Distinct gives names of files of which no two are the same, however their letters are written: later ones get a
// number.
func Distinct(names []string) (list []string) {
	taken := map[string]bool{}
	for _, name := range names {
		now := name
		for n := 2; taken[strings.ToLower(now)]; n++ {
			ending := filepath.Ext(name)
			now = fmt.Sprintf("%s %d%s", strings.TrimSuffix(name, ending), n, ending)
		}
		taken[strings.ToLower(now)] = true
		list = append(list, now)
	}
	return list
}

// StemKinds are the ways in which a mix can be parted.
var StemKinds = []string{"track", "purpose"}

// StemsBy parts a scene by its sound tracks or by their purposes, in the order of the tracks. Tracks that are not
// heard, or hold nothing, are in none.
func StemsBy(s *scene.Scene, by string) (list []Stem) {
	silent := unheard(s)
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound || silent(t) || len(t.Clips) == 0 {
			continue
		}
		name := t.Name
		if by == "purpose" {
			name = string(t.Purpose)
			if i := slices.IndexFunc(list, func(x Stem) bool { return x.Name == name }); i >= 0 {
				list[i].Tracks = append(list[i].Tracks, t.ID)
				continue
			}
		}
		list = append(list, Stem{Name: name, Tracks: []scene.TrackID{t.ID}})
	}
	return list
}

// unheard tells of each track of sound of a scene whether it is silent: muted, or beside others that are solo.
func unheard(s *scene.Scene) func(*scene.Track) bool {
	solo := slices.ContainsFunc(s.Tracks, func(t *scene.Track) bool { return t.Kind == scene.Sound && t.Solo })
	return func(t *scene.Track) bool { return t.Mute || solo && !t.Solo }
}
