// Package meter reads a scene at a place: the sound of its recordings and what each of them says by itself, the mix of
// a track, and the words, pauses and room that surround a moment.
package meter

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"blendseam/core/cache"
	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/mix"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Sources give the sound of a scene's sources, at the scene's rate, and what each says by itself. Scenes of one rate
// may share them. They may be asked in parallel.
type Sources struct {
	open    mix.Open
	analyse Analyze
	sounds  *cache.Cache[string, pcm.ReaderAt] // by source
	known   *cache.Cache[string, *analysis.Recording]
	under   *cache.Cache[string, *analysis.Recording] // by source and room
	tones   *cache.Cache[string, *builtTone]
	treated *cache.Cache[string, *analysis.Recording] // by source, room, curve and treatments
}

// Analyze gives the analysis of a recording.
type Analyze func(context.Context, scene.Source, pcm.ReaderAt) (*analysis.Recording, error)

// So many recordings are known at once, and so many tones.
const (
	knownRecordings = 256
	knownTones      = 96
)

type builtTone struct {
	sound    *tone.Reader
	analysis *analysis.Recording
}

// NewSources opens recordings by open. With no analyse they are analysed when that is first needed, in memory.
func NewSources(open mix.Open, analyse Analyze) *Sources {
	if analyse == nil {
		analyse = func(ctx context.Context, _ scene.Source, r pcm.ReaderAt) (*analysis.Recording, error) {
			return analysis.Analyze(ctx, r)
		}
	}
	return &Sources{
		open,
		analyse,
		cache.New[string, pcm.ReaderAt](knownRecordings),
		cache.New[string, *analysis.Recording](knownRecordings),
		cache.New[string, *analysis.Recording](knownRecordings),
		cache.New[string, *builtTone](knownTones),
		cache.New[string, *analysis.Recording](knownRecordings),
	}
}

// MissingRecording says that the sound of a recording cannot be had, and why.
type MissingRecording struct {
	Name string // of the recording
	Err  error
}

func (m *MissingRecording) Error() string { return m.Err.Error() }
func (m *MissingRecording) Unwrap() error { return m.Err }

// Open gives the sound of a source of a scene, recording or tone.
func (s *Sources) Open(sc *scene.Scene, src scene.Source) (pcm.ReaderAt, error) {
	if src.Tone != nil {
		b, err := s.tone(sc, src)
		if err != nil {
			return nil, err
		}
		return b.sound, nil
	}
	if src.Fit != nil {
		return s.sounds.Get(context.Background(), src.ID, func(context.Context) (pcm.ReaderAt, error) {
			return mix.Stretched(sc, src, s.of(sc))
		})
	}
	if scene.IsMissing(src.ID) {
		return silent{unreadable{
			pcm.Format{Rate: int(sc.SampleRate), Channels: max(1, src.Channels), Bits: 24}, src.Samples, nil}}, nil
	}
	return s.sounds.Get(context.Background(), src.ID, func(context.Context) (pcm.ReaderAt, error) {
		r, err := s.open(src)
		if err != nil {
			return nil, &MissingRecording{src.Name, err}
		}
		return r, nil
	})
}

// Mix opens sources for a mixer. One that is missing is an error when it is to be heard, not before: what lies
// elsewhere can be measured all the same.
func (s *Sources) Mix(sc *scene.Scene) mix.Open {
	return func(src scene.Source) (pcm.ReaderAt, error) {
		r, err := s.Open(sc, src)
		if err != nil {
			return unreadable{
				pcm.Format{Rate: int(sc.SampleRate), Channels: max(1, src.Channels), Bits: 64, Float: true},
				src.Samples,
				err,
			}, nil
		}
		return r, nil
	}
}

// unreadable is a sound that is not there.
type unreadable struct {
	format pcm.Format
	length int64
	err    error
}

func (u unreadable) Format() pcm.Format                       { return u.format }
func (u unreadable) Len() int64                               { return u.length }
func (u unreadable) ReadSamplesAt(_ pcm.Block, _ int64) error { return u.err }

// silent stands for a recording that is missing.
type silent struct{ unreadable }

func (s silent) ReadSamplesAt(dst pcm.Block, _ int64) error {
	dst.Clear()
	return nil
}

// Analysis gives what a source of a scene says by itself.
func (s *Sources) Analysis(ctx context.Context, sc *scene.Scene, src scene.Source) (*analysis.Recording, error) {
	if src.Tone != nil {
		b, err := s.tone(sc, src)
		if err != nil {
			return nil, err
		}
		return b.analysis, nil
	}
	if scene.IsMissing(src.ID) {
		return nil, &MissingRecording{
			src.Name,
			fmt.Errorf("the recording %s is missing; link it on the page of sources", src.Name),
		}
	}
	if len(src.Corrections) > 0 {
		plain := src
		plain.Corrections = nil
		a, err := s.Analysis(ctx, sc, plain)
		if err != nil {
			return nil, err
		}
		return s.known.Get(ctx, keyOf(sc, src), func(context.Context) (*analysis.Recording, error) {
			return a.Corrected(corrections(src)), nil
		})
	}
	return s.known.Get(ctx, keyOf(sc, src), func(ctx context.Context) (*analysis.Recording, error) {
		if src.Fit != nil {
			of, err := s.Analysis(ctx, sc, sc.Sources[src.Fit.Of])
			if err != nil {
				return nil, err
			}
			timed := of.Timed(src.Fit)
			if !src.Fit.Recolours() {
				return timed, nil
			}
			r, err := s.Open(sc, src)
			if err != nil {
				return nil, err
			}
			return timed.Sounding(r), nil
		}
		r, err := s.Open(sc, src)
		if err != nil {
			return nil, err
		}
		a, err := s.analyse(ctx, src, r)
		if err != nil && ctx.Err() == nil {
			return nil, fmt.Errorf("%s cannot be analysed: %w", src.Name, err)
		}
		return a, err
	})
}

// keyOf names all that the analysis of a recording follows from: itself, and what people said of it.
func keyOf(sc *scene.Scene, src scene.Source) string {
	said := src.Corrections
	if src.Fit != nil {
		said = sc.Sources[src.Fit.Of].Corrections
	}
	if len(said) == 0 {
		return src.ID
	}
	return fmt.Sprint(src.ID, said)
}

// corrections are those of a source, as an analysis knows them.
func corrections(src scene.Source) (list []analysis.Correction) {
	for _, c := range src.Corrections {
		list = append(list, analysis.Correction{Span: c.Span, Kind: speech.Kind(c.Kind)})
	}
	return list
}

// Under gives what a source of a scene says as a room makes it.
func (s *Sources) Under(
	ctx context.Context,
	sc *scene.Scene,
	src scene.Source,
	room *recipe.Room,
) (*analysis.Recording, error) {
	if room == nil {
		return s.Analysis(ctx, sc, src)
	}
	key, err := json.Marshal(room)
	if err != nil {
		return nil, err
	}
	return s.under.Get(ctx, keyOf(sc, src)+string(key), func(ctx context.Context) (*analysis.Recording, error) {
		a, err := s.Analysis(ctx, sc, src)
		if err != nil {
			return nil, err
		}
		return a.Under(room), nil
	})
}

// Treated gives what a clip says as its treatments make it sound; a is what it says without them.
func (s *Sources) Treated(
	ctx context.Context, sc *scene.Scene, c *scene.Clip, a *analysis.Recording,
) (*analysis.Recording, error) {
	if !c.Treatments.Does() {
		return a, nil
	}
	room, err := json.Marshal(c.Room)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprint(keyOf(sc, sc.Sources[c.Source]), scene.CurveOf(sc, *c).Key(), c.Treatments.Key(), string(room))
	return s.treated.Get(ctx, key, func(context.Context) (*analysis.Recording, error) {
		r, err := mix.WithRoom(sc, *c, s.of(sc))
		if err != nil {
			return nil, err
		}
		return a.Sounding(r), nil
	})
}

// Forget drops what is known of a recording, which was analysed anew.
func (s *Sources) Forget(id string) {
	of := func(key string) bool { return strings.HasPrefix(key, id) }
	s.known.Drop(of)
	s.under.Drop(of)
	s.treated.Drop(of)
}

// Prepare asks for the analyses of all recordings of a scene, several at once. What is missing is said by whoever needs
// it.
func (s *Sources) Prepare(ctx context.Context, sc *scene.Scene, threads int) error {
	var list []scene.Source
	seen := map[string]bool{}
	for _, t := range sc.Tracks {
		for _, c := range t.Clips {
			if src, ok := sc.Sources[c.Source]; ok && t.Kind == scene.Sound && src.Tone == nil && !seen[src.ID] {
				seen[src.ID] = true
				list = append(list, src)
			}
		}
	}
	return parallel.Each(ctx, len(list), threads, func(i int) error {
		_, _ = s.Analysis(ctx, sc, list[i])
		return ctx.Err()
	})
}

// tone gives a tone by its id, which says all of its recipe.
func (s *Sources) tone(sc *scene.Scene, src scene.Source) (*builtTone, error) {
	key := fmt.Sprintf("%s/%d", src.ID, max(1, src.Channels))
	return s.tones.Get(context.Background(), key, func(context.Context) (*builtTone, error) {
		r := mix.Tone(sc, src, s.of(sc))
		return &builtTone{r, analysis.AnalyzeTone(r)}, nil
	})
}

// Material reads what tones of a scene are made from.
func (s *Sources) Material(sc *scene.Scene) func(recipe.Material) (pcm.Block, error) {
	return mix.Material(sc, "room tone", s.of(sc))
}

// of opens the sources of one scene.
func (s *Sources) of(sc *scene.Scene) mix.Open {
	return func(src scene.Source) (pcm.ReaderAt, error) { return s.Open(sc, src) }
}
