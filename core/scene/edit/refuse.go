package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"blendseam/core/scene"
)

// An Alternative is an edit that would work in place of a refused one, in words.
type Alternative struct {
	Words string `json:"words"`
	Edit  Edit   `json:"edit"`
}

// MarshalJSON writes the edit in its form for the wire.
func (a Alternative) MarshalJSON() ([]byte, error) {
	e, err := Marshal(a.Edit)
	if err != nil {
		return nil, err
	}
	return json.Marshal(struct {
		Words string          `json:"words"`
		Edit  json.RawMessage `json:"edit"`
	}{a.Words, e})
}

// A Refusal is an edit that cannot be done: what is missing, and what would work instead.
type Refusal interface {
	error
	Alternatives() []Alternative
	own() *options
}

// options is the alternatives of a refusal; refusals embed it.
type options struct{ list []Alternative }

// Alternatives are edits that would work.
func (o *options) Alternatives() []Alternative { return o.list }

func (o *options) own() *options { return o }

// optionsOf gives the alternatives of a refusal, to add to.
func optionsOf(r Refusal) *options { return r.own() }

func (o *options) offer(words string, e Edit) { o.list = append(o.list, Alternative{words, e}) }

// Message is a refusal's one line, with what would work.
func Message(err error) string {
	var r Refusal
	if !errors.As(err, &r) || len(r.Alternatives()) == 0 {
		return err.Error()
	}
	var words []string
	for _, a := range r.Alternatives() {
		words = append(words, a.Words)
	}
	return err.Error() + " What would work: " + strings.Join(words, "; ") + "."
}

// NeedHandle: a clip has less unused recording beyond an edge than an edit needs.
type NeedHandle struct {
	options
	scene.ShortHandle
}

func needHandle(s *scene.Scene, t *scene.Track, c scene.Clip, side scene.Side, have, want int64) *NeedHandle {
	return &NeedHandle{ShortHandle: *scene.NewShortHandle(s, t, c, side, have, want)}
}

// refused returns what breaks a law of the model as a refusal; other errors are returned as they are.
func refused(err error) error {
	switch e := err.(type) {
	case *scene.Invalid:
		return notPossible("%s", e)
	case *scene.ShortHandle:
		return &NeedHandle{ShortHandle: *e}
	}
	return err
}

// InTheWay: another clip lies where a clip should go.
type InTheWay struct {
	options
	Clip, Other scene.ClipID
	By          int64 // samples of overlap
	words       string
}

func (e *InTheWay) Error() string { return e.words }

func inTheWay(s *scene.Scene, t *scene.Track, c, other scene.Clip, by int64) *InTheWay {
	return &InTheWay{Clip: c.ID, Other: other.ID, By: by,
		words: fmt.Sprintf(
			"%s lies in the way of %s on track %s, by %s.",
			other.Name,
			c.Name,
			t.Name,
			scene.LengthWords(s, by),
		)}
}

// TooShort: a clip would be left with nothing.
type TooShort struct {
	options
	Clip  scene.ClipID
	words string
}

func (e *TooShort) Error() string { return e.words }

// LosesSync: linked clips would no longer run together.
type LosesSync struct {
	options
	Clip  scene.ClipID
	By    int64 // samples
	words string
}

func (e *LosesSync) Error() string { return e.words }

// LockedTrack: a track is locked.
type LockedTrack struct {
	options
	Track scene.TrackID
	words string
}

func (e *LockedTrack) Error() string { return e.words }

// StaysBehind: a track would not move with all that follows.
type StaysBehind struct {
	options
	Track scene.TrackID
	words string
}

func (e *StaysBehind) Error() string { return e.words }

// NoTrack: a piece has more tracks of a purpose than the scene.
type NoTrack struct {
	options
	Purpose scene.Purpose
	Name    string
	words   string
}

func (e *NoTrack) Error() string { return e.words }

// NotPossible is any other edit that makes no sense as asked.
type NotPossible struct {
	options
	words string
}

func (e *NotPossible) Error() string { return e.words }

func notPossible(format string, args ...any) *NotPossible {
	return &NotPossible{words: fmt.Sprintf(format, args...)}
}
