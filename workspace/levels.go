package workspace

import (
	"context"
	"fmt"
	"slices"

	"blendseam/core/mend/eqmatch"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

type voicesOf struct {
	Key
	wish string // all of it
}

type marginsOf struct {
	Key
	wish string // all of it
}

// MatchLevels returns what would bring all voices of the scene to one loudness.
func (s *Scene) MatchLevels(ctx context.Context, w levelmatch.Options) (*levelmatch.Plan, error) {
	lufs := "median"
	if w.LUFS != nil {
		lufs = fmt.Sprint(*w.LUFS)
	}
	key := voicesOf{s.Key, fmt.Sprint(w.Span, lufs, w.As, w.ByTrack)}
	return s.w.voices.Get(ctx, key, func(ctx context.Context) (*levelmatch.Plan, error) {
		return levelmatch.NewPlan(parallel.Beginning(ctx, modest), s.meter(), w, threads())
	})
}

// Voice measures the words of a clip; nil if there are too few.
func (s *Scene) Voice(ctx context.Context, clip scene.ClipID) (*levelmatch.Voice, error) {
	return levelmatch.VoiceOf(ctx, s.meter(), clip)
}

// Intelligibility returns how far the words of the scene stand out of all else, and what would make way for them.
func (s *Scene) Intelligibility(ctx context.Context, w intelligibility.Options) (*intelligibility.Plan, error) {
	return s.w.margins.Get(ctx, marginsOf{s.Key, fmt.Sprint(w)}, func(ctx context.Context) (*intelligibility.Plan, error) {
		return intelligibility.NewPlan(parallel.Beginning(ctx, modest), s.meter(), w, threads())
	})
}

// Likeness gives what would bring a clip near another's voice.
func (s *Scene) Likeness(ctx context.Context, clip, as scene.ClipID, strength float64) (*eqmatch.Plan, error) {
	return eqmatch.NewPlan(ctx, s.meter(), clip, as, strength)
}

func (s *Scene) meter() *meter.Meter { return meter.NewMeter(s.Scene, s.Sources()) }

// Knowing is an edit with what it needs to know besides: where the words are that tracks make way for, of recordings
// that come under them with it, and beside which slopes are to lie. An edit that cannot be done is given back as it is,
// to be refused.
func (s *Scene) Knowing(ctx context.Context, e edit.Edit) (edit.Edit, error) {
	if raise, ok := e.(*edit.Raise); ok && raise.Pauses {
		know, err := intelligibility.SpeechEdit(ctx, s.Sources(), s.Scene, s.unknownIn(raise.Reach(s.Scene)))
		if err != nil || know == nil {
			return e, err
		}
		after, err := edit.Apply(s.Scene, e)
		if err != nil {
			return e, nil
		}
		return edit.NewBatch(edit.Describe(s.Scene, after, e), know, e), nil
	}
	makesWay := slices.ContainsFunc(s.Scene.Tracks, func(t *scene.Track) bool { return len(t.Ducks) > 0 })
	if !makesWay && !setsDucks(e) {
		return e, nil
	}
	after, err := edit.Apply(s.Scene, e)
	if err != nil {
		return e, nil
	}
	know, err := intelligibility.SpeechEdit(ctx, s.Sources(), after, scene.Unheard(after))
	if err != nil || know == nil {
		return e, err
	}
	return edit.NewBatch(edit.Describe(s.Scene, after, e), e, know), nil
}

// setsDucks tells whether an edit lets a track make way for words.
func setsDucks(e edit.Edit) bool {
	if batch, ok := e.(*edit.Batch); ok {
		return slices.ContainsFunc(batch.Edits, func(w edit.Wire) bool { return setsDucks(w.Edit) })
	}
	_, ok := e.(*edit.SetDucks)
	return ok
}

// unknownIn are the recordings of dialogue in a stretch of which it is not known where they have words.
func (s *Scene) unknownIn(span pcm.Span) (ids []string) {
	for _, c := range scene.Dialogue(s.Scene) {
		src, ok := s.Scene.Sources[c.Source]
		if ok && src.Speech == nil && src.Tone == nil && c.Span().Overlaps(span) && !slices.Contains(ids, c.Source) {
			ids = append(ids, c.Source)
		}
	}
	return ids
}
