package scene

import "blendseam/core/sound/pcm"

// A Correction says what a stretch of a recording holds, whatever was heard there. Times are samples of the recording.
type Correction struct {
	Span pcm.Span  `json:"span"`
	Kind SoundKind `json:"kind"`
}

// SoundKind is what somebody says that a stretch of a recording holds.
type SoundKind string

// What a stretch may hold.
const (
	AWord   SoundKind = "word"
	ABreath SoundKind = "breath"
	APause  SoundKind = "pause"
	AnOther SoundKind = "other" // a sound that is no person's
)

// HeardWords are what each is called in a sentence.
var HeardWords = map[SoundKind]string{
	AWord: "a word", ABreath: "a breath", APause: "a pause", AnOther: "another sound",
}

// Valid tells whether it is something that a stretch may hold.
func (h SoundKind) Valid() bool { return HeardWords[h] != "" }
