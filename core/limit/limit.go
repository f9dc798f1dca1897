// Package limit has every bound on what comes from outside: files, requests, names and numbers. It is a leaf, so that
// whatever meets a bound names the same one. docs/limits.md lists them, and a test holds the two together. What a thing
// is by its nature (a gain that can be heard, a clip inside its recording) is a law of the model and stands in
// core/scene.
package limit

import (
	"fmt"
	"unicode"
)

// Of files, in bytes.
const (
	SceneFileBytes = 128 << 20 // a scene file; an edit after which one would be larger is refused
	RequestBytes   = 8 << 20   // a request, but an upload
	ReserveBytes   = 512 << 20 // of the disk, which no recording and no mixdown may take
	EditsBytes     = 64 << 20  // of the disk, below which edits are refused before the database fails at them
)

// Of recordings.
const (
	RecordingHours  = 24
	Channels        = 64
	LowestRate      = 1000 // samples a second
	HighestRate     = 768000
	PictureSide     = 8192      // pixels, wide or high
	GrowthFreeBytes = 256 << 20 // sound up to this may come out of a file of any size
	Growth          = 200       // beyond it, at most so many times the file's size
	Conversions     = 2         // at once
	ConversionBytes = 2 << 30   // of memory, each
	Overs           = 1e6       // a float sample beyond is damaged, as one that is no number is: +120 dBFS
)

// Of scenes.
const (
	SceneHours  = 100  // from a scene's start to anything in it
	Names       = 200  // letters
	Notes       = 4000 // letters
	Words       = 1000 // letters in which an edit is told
	Ids         = 1 << 48
	Tracks      = 500
	LevelPoints = 10000 // of one clip
	Lulls       = 2000  // of one clip
	Batch       = 20000 // edits in one
	Materials   = 64    // stretches of recordings that one end of a tone is made from
	MaterialS   = 300   // seconds that they are long, together
	Takes       = 64    // of one clip, in a stack
	JoinHours   = 6     // that clips joined into one recording may last
	JoinHandleS = 60    // seconds of handle on either side of a joined recording
)

// Of requests.
const (
	HeadBytes = 16 << 10 // of the head of a request
	HeaderS   = 10       // seconds for the head of a request
	BodyS     = 30       // seconds for its body, or for the next piece of an upload
	IdleS     = 120      // seconds that a connection may be idle
	TokenLen  = 16       // the least letters of a secret
)

// Of people.
const (
	PersonLetters   = 120  // of the name of a person or of a production
	PasswordLeast   = 10   // letters
	PasswordMost    = 200  // letters
	SessionDays     = 14   // that somebody stays signed in
	TriesAccount    = 10   // to sign in under one name from one address, a minute
	OutsideMinutes  = 10   // that signing in elsewhere may take
	TriesAddress    = 30   // and from one address
	PasswordsHashed = 2    // at once, 64 MB each
	SceneNotes      = 5000 // of one scene
)

// A Limit is a bound as the docs list it.
type Limit struct{ What, Most, Why string }

// Table lists the bounds, in the order of docs/limits.md.
var Table = []Limit{
	{"Scene file", Bytes(SceneFileBytes), "refused before it is read; an edit after which it would be larger is refused"},
	{"Request, but an upload", Bytes(RequestBytes), "a pasted range carries all of its clips"},
	{"Disk kept free", Bytes(ReserveBytes), "recordings and mixdowns stop there"},
	{"Disk kept free, for edits", Bytes(EditsBytes), "edits stop there, before the database fails"},
	{"Length of a recording", fmt.Sprintf("%d h", RecordingHours), ""},
	{"Channels of a recording", fmt.Sprint(Channels), "more than two are mixed to two"},
	{"Rate of a recording", fmt.Sprintf("%d to %d Hz", LowestRate, HighestRate), ""},
	{"Picture", fmt.Sprintf("%d x %d pixels", PictureSide, PictureSide), ""},
	{
		"Sound that comes out of a file",
		fmt.Sprintf("%s, or %d times the file's size", Bytes(GrowthFreeBytes), Growth),
		"whichever is more",
	},
	{"Conversions at once", fmt.Sprint(Conversions), "others wait"},
	{"Memory of a conversion", Bytes(ConversionBytes), ""},
	{"Float sample", "120 dBFS", "one beyond it, or none at all, reads as silence and is counted"},
	{"Length of a scene", fmt.Sprintf("%d h", SceneHours), ""},
	{"Name", fmt.Sprintf("%d letters", Names), "longer ones are cut, and it is said"},
	{"Note", fmt.Sprintf("%d letters", Notes), "longer ones are cut, and it is said"},
	{"Words of an edit", fmt.Sprintf("%d letters", Words), "longer ones are cut"},
	{"Tracks", fmt.Sprint(Tracks), ""},
	{"Points of a level line", fmt.Sprint(LevelPoints), ""},
	{"Lulls of a clip", fmt.Sprint(Lulls), ""},
	{"Edits in one batch", fmt.Sprint(Batch), "a batch holds no other batch"},
	{"Stretches that one end of a tone is made from", fmt.Sprintf("%d, %d s together", Materials, MaterialS), ""},
	{"Takes of a clip", fmt.Sprint(Takes), ""},
	{"Joined recording", fmt.Sprintf("%d h, and %d s of handle on each side", JoinHours, JoinHandleS), ""},
	{"Head of a request", fmt.Sprintf("%s, %d s", Bytes(HeadBytes), HeaderS), ""},
	{"Body of a request, or the next piece of an upload", fmt.Sprintf("%d s", BodyS), ""},
	{"Idle connection", fmt.Sprintf("%d s", IdleS), ""},
	{"Secret of --token-file", fmt.Sprintf("at least %d letters", TokenLen), ""},
	{"Name of a person or a production", fmt.Sprintf("%d letters", PersonLetters), ""},
	{"Password", fmt.Sprintf("%d to %d letters", PasswordLeast, PasswordMost), ""},
	{"Signed in", fmt.Sprintf("%d days", SessionDays), "a new password ends it"},
	{
		"Tries to sign in, a minute",
		fmt.Sprintf("%d under one name from one address, %d from one address", TriesAccount, TriesAddress),
		"of all processes together",
	},
	{"Signing in elsewhere", fmt.Sprintf("%d min", OutsideMinutes), "then it is begun anew"},
	{"Passwords looked at, at once", fmt.Sprint(PasswordsHashed), "others wait; each takes 64 MB"},
	{"Notes on a scene", fmt.Sprint(SceneNotes), ""},
}

// Bytes says a size in words: "32 MB" for 32 << 20.
func Bytes(n int64) string {
	switch {
	case n >= 1<<30:
		return figure(float64(n)/(1<<30), "GB")
	case n >= 1<<20:
		return figure(float64(n)/(1<<20), "MB")
	case n >= 1<<10:
		return figure(float64(n)/(1<<10), "kB")
	}
	return fmt.Sprintf("%d bytes", n)
}

func figure(v float64, unit string) string {
	if v < 10 && v != float64(int64(v)) {
		return fmt.Sprintf("%.1f %s", v, unit)
	}
	return fmt.Sprintf("%.0f %s", v, unit)
}

// Cut gives text of at most so many letters; cut tells whether some were left out.
func Cut(text string, letters int) (short string, cut bool) {
	if len(text) <= letters {
		return text, false
	}
	n := 0
	for i := range text {
		if n == letters {
			return text[:i], true
		}
		n++
	}
	return text, false
}

// Told is what is told of an edit or a job, as it fits: longer words end in three points.
func Told(words string) string {
	if short, cut := Cut(words, Words); cut {
		return short + " ..."
	}
	return words
}

// Hidden tells whether a letter is not seen and changes how others are read: control characters, marks of direction,
// letters of no width, ends of lines.
func Hidden(r rune) bool {
	return unicode.In(r, unicode.Cc, unicode.Cf, unicode.Co, unicode.Zl, unicode.Zp)
}
