// Package workspace owns opened scenes and all that is derived from them: mixers, measures, proposals, fillings and
// findings, each kept under a key that names everything it depends on, bounded, and made once however many ask. It runs
// the long work beside the requests and tells pages what happens. It knows nothing of HTTP.
package workspace

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/cache"
	"blendseam/core/listen/analysis"
	"blendseam/core/mend"
	"blendseam/core/mend/fill"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/mend/roommatch"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/ingest"
	"blendseam/store"
)

// A Workspace is what the pages of one program work in. Its methods may be called in parallel.
type Workspace struct {
	ingest.Ingester
	Hub  *Hub
	Jobs *Jobs

	ctx  context.Context // of what goes on beside the requests
	stop context.CancelFunc
	work sync.WaitGroup
	busy atomic.Int32 // how much of it goes on

	measures atomic.Int64 // how many seams were measured
	renewing sync.Map     // analysing that was begun by Renew

	sources  *cache.Cache[int64, *meter.Sources] // by sample rate
	mixers   *cache.Cache[mixerOf, *mix.Mixer]
	advisers *cache.Cache[Key, *mend.Adviser]
	lists    *cache.Cache[Key, *seamList]
	tries    *cache.Cache[Key, *scene.Scene]
	results  *cache.Cache[string, audit.Result] // by audit.Keys
	gaps     *cache.Cache[string, audit.Result] // likewise, of seams whose recordings are missing
	mendings *cache.Cache[Key, *mend.Mending]
	findings *cache.Cache[Key, *Findings]
	fillings *cache.Cache[fillingsOf, []fill.Filling]
	loud     *cache.Cache[Key, []overs.Place]
	evenings *cache.Cache[eveningOf, *roommatch.Plan]
	voices   *cache.Cache[voicesOf, *levelmatch.Plan]
	margins  *cache.Cache[marginsOf, *intelligibility.Plan]
	kinds    *cache.Cache[string, analysis.Kind] // by recording

	measuring measuring
	left      left
	told      told
	rooms     rooms
}

// How much of each kind is kept.
const (
	keptRates    = 4
	keptMixers   = 32 // enough for a few pages with their auditions
	keptAdvisers = 8
	keptLists    = 16
	keptTries    = 16
	keptResults  = 20000
	keptMendings = 4
	keptFindings = 8
	keptLoud     = 8
	keptKinds    = 500
	keptFillings = 32
)

// New gives a workspace. What goes on in it ends with Close, not with ctx.
func New(ctx context.Context, in ingest.Ingester) *Workspace {
	w := &Workspace{Ingester: in, Hub: newHub(),
		sources:  cache.New[int64, *meter.Sources](keptRates),
		mixers:   cache.New[mixerOf, *mix.Mixer](keptMixers),
		advisers: cache.New[Key, *mend.Adviser](keptAdvisers),
		lists:    cache.New[Key, *seamList](keptLists),
		tries:    cache.New[Key, *scene.Scene](keptTries),
		results:  cache.New[string, audit.Result](keptResults),
		gaps:     cache.New[string, audit.Result](keptResults),
		mendings: cache.New[Key, *mend.Mending](keptMendings),
		findings: cache.New[Key, *Findings](keptFindings),
		fillings: cache.New[fillingsOf, []fill.Filling](keptFillings),
		loud:     cache.New[Key, []overs.Place](keptLoud),
		evenings: cache.New[eveningOf, *roommatch.Plan](keptLoud),
		voices:   cache.New[voicesOf, *levelmatch.Plan](keptLoud),
		margins:  cache.New[marginsOf, *intelligibility.Plan](keptLoud),
		kinds:    cache.New[string, analysis.Kind](keptKinds),
	}
	w.ctx, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	w.Jobs = newJobs(w.ctx, in.Store, w.Hub)
	w.work.Go(w.follow)
	if in.Library.Shared() {
		w.work.Go(w.lend)
	} else {
		w.work.Go(w.checkFiles)
	}
	return w
}

// Close ends what goes on, and waits for it.
func (w *Workspace) Close() {
	w.Hub.Close()
	w.Jobs.close()
	w.stop()
	w.work.Wait()
}

// beside does work beside the requests, at a low priority. Close waits for it.
func (w *Workspace) beside(what string, work func() error) {
	w.busy.Add(1)
	w.work.Go(func() {
		defer w.busy.Add(-1)
		modest()
		if err := cache.Caught(work); err != nil && !errors.Is(err, context.Canceled) {
			slog.Error("work beside the requests failed", "work", what, "err", err)
		}
	})
}

// SeamsMeasured is how many seams this process has measured.
func (w *Workspace) SeamsMeasured() int { return int(w.measures.Load()) }

// Busy is how much goes on beside the requests, jobs apart.
func (w *Workspace) Busy() int { return int(w.busy.Load()) }

// A Key names a state of a scene, or that state with an edit tried on it.
type Key struct {
	Scene string
	Node  int64
	Edit  string
}

type mixerOf struct {
	Key
	mix.Options
}

// A Scene is a state of a scene that is open.
type Scene struct {
	store.State
	Key Key
	w   *Workspace
}

// Open gives a scene as it is now.
func (w *Workspace) Open(ctx context.Context, id string) (*Scene, error) {
	st, err := w.Store.Scene(ctx, id)
	if err != nil {
		return nil, err
	}
	return &Scene{st, Key{Scene: id, Node: st.Node}, w}, nil
}

// OpenAt gives a scene as it was at a node of its past.
func (w *Workspace) OpenAt(ctx context.Context, id string, node int64) (*Scene, error) {
	sc, err := w.Store.At(ctx, id, node)
	if err != nil {
		return nil, err
	}
	return &Scene{store.State{Scene: sc, Node: node}, Key{Scene: id, Node: node}, w}, nil
}

// Try gives the scene as it would be after an edit.
func (s *Scene) Try(ctx context.Context, e edit.Edit) (*Scene, error) {
	raw, err := edit.Marshal(e)
	if err != nil {
		return nil, err
	}
	key := s.Key
	key.Edit += string(raw)
	then, err := s.w.tries.Get(ctx, key, func(context.Context) (*scene.Scene, error) { return edit.Apply(s.Scene, e) })
	if err != nil {
		return nil, err
	}
	st := s.State
	st.Scene = then
	return &Scene{st, key, s.w}, nil
}

// Sources give the sound of recordings and tones at the scene's rate.
func (s *Scene) Sources() *meter.Sources { return s.w.sourcesAt(s.Scene.SampleRate) }

func (w *Workspace) sourcesAt(rate int64) *meter.Sources {
	all, err := w.sources.Get(context.Background(), rate, func(context.Context) (*meter.Sources, error) {
		open := func(src scene.Source) (pcm.ReaderAt, error) {
			r, err := w.Library.Sound(src.ID, rate)
			if errors.Is(err, fs.ErrNotExist) {
				return nil, fmt.Errorf("the sound of %s is not in the media folder; bring it in again", src.Name)
			} else if err != nil {
				return nil, fmt.Errorf("the sound of %s cannot be read: %w", src.Name, err)
			}
			return r, nil
		}
		analyse := func(ctx context.Context, src scene.Source, _ pcm.ReaderAt) (*analysis.Recording, error) {
			modest()
			return w.Library.Analysis(ctx, src.ID, rate, nil)
		}
		return meter.NewSources(open, analyse), nil
	})
	if err != nil {
		panic(err) // there is nothing in it that fails
	}
	return all
}

// Sound gives the sound of a source of the scene.
func (s *Scene) Sound(src scene.Source) (pcm.ReaderAt, error) { return s.Sources().Open(s.Scene, src) }

// Mixer gives what is heard of the scene.
func (s *Scene) Mixer(ctx context.Context, opt mix.Options) (*mix.Mixer, error) {
	return s.w.mixers.Get(ctx, mixerOf{s.Key, opt}, func(context.Context) (*mix.Mixer, error) {
		return mix.New(s.Scene, s.Sources().Mix(s.Scene), opt)
	})
}

// Adviser measures the scene and proposes for it.
func (s *Scene) Adviser(ctx context.Context) (*mend.Adviser, error) {
	return s.w.advisers.Get(ctx, s.Key, func(context.Context) (*mend.Adviser, error) {
		return mend.New(meter.NewMeter(s.Scene, s.Sources())), nil
	})
}

// Mend returns what would mend the whole scene; nothing is changed. Whoever begins it is told the progress.
func (s *Scene) Mend(ctx context.Context, o mend.MendOptions) (*mend.Mending, error) {
	key := s.Key
	if o.TakeOut {
		key.Edit += "\x00take out"
	}
	o.Threads = threads()
	return s.w.mendings.Get(ctx, key, func(ctx context.Context) (*mend.Mending, error) {
		ctx = parallel.Beginning(ctx, modest)
		m, all, err := s.adviserOfAll(ctx)
		if err != nil {
			return nil, err
		}
		return m.Mend(ctx, all, o)
	})
}

// adviserOfAll is the adviser of a scene with all of its seams measured.
func (s *Scene) adviserOfAll(ctx context.Context) (*mend.Adviser, []audit.Result, error) {
	all, err := s.All(ctx)
	if err != nil {
		return nil, nil, err
	}
	m, err := s.Adviser(ctx)
	return m, all, err
}

// MendSeams gives what would mend some of the scene's seams; nothing is changed.
func (s *Scene) MendSeams(ctx context.Context, only map[audit.SeamID]bool) (*mend.Mending, error) {
	key := s.Key
	for _, id := range slices.Sorted(maps.Keys(only)) {
		key.Edit += "\x00" + string(id)
	}
	return s.w.mendings.Get(ctx, key, func(ctx context.Context) (*mend.Mending, error) {
		ctx = parallel.Beginning(ctx, modest)
		m, all, err := s.adviserOfAll(ctx)
		if err != nil {
			return nil, err
		}
		return m.MendSeams(ctx, all, only, threads())
	})
}

// Mended tells whether it is known what would mend the scene.
func (s *Scene) Mended() bool {
	_, ok := s.w.mendings.Known(s.Key)
	return ok
}

// Mending is how many scenes are being mended.
func (w *Workspace) Mending() int { return w.mendings.Making() }

// Waiting is how many wait for a scene to be mended.
func (w *Workspace) Waiting() int { return w.mendings.Waiting() }

// Findings are what was found in the pauses of a scene.
type Findings struct {
	List []fill.Finding
	Hums []fill.Hum
}

// Findings gives what should not be in the pauses of the scene, and the hum that is there.
func (s *Scene) Findings(ctx context.Context) (*Findings, error) {
	return s.w.findings.Get(ctx, s.Key, func(ctx context.Context) (*Findings, error) {
		ctx = parallel.Beginning(ctx, modest)
		m, err := s.Adviser(ctx)
		if err != nil {
			return nil, err
		}
		f := &Findings{}
		f.List, f.Hums, err = m.Findings(ctx, threads())
		return f, err
	})
}

// PurposeOf is that of the track on which a source of the scene is laid out: dialogue if it has picture or is speech,
// music, or effects for all else.
func (s *Scene) PurposeOf(ctx context.Context, source string) (scene.Purpose, error) {
	src, ok := s.Scene.Sources[source]
	switch {
	case !ok || src.Frames > 0 && src.Samples > 0:
		return scene.ForDialogue, nil
	case src.Tone != nil:
		return scene.ForTone, nil
	case src.Samples == 0:
		return scene.ForPicture, nil
	}
	kind, err := s.w.kinds.Get(ctx, source, func(ctx context.Context) (analysis.Kind, error) {
		r, err := s.Sources().Open(s.Scene, src)
		if err != nil {
			return "", err
		}
		return analysis.KindOf(ctx, r)
	})
	switch {
	case err != nil:
		return "", err
	case kind == analysis.Speech:
		return scene.ForDialogue, nil
	case kind == analysis.Music:
		return scene.ForMusic, nil
	}
	return scene.ForEffects, nil
}

type eveningOf struct {
	Key
	roommatch.Options
}

// MatchRooms returns what would bring the takes of the scene to one room.
func (s *Scene) MatchRooms(ctx context.Context, w roommatch.Options) (*roommatch.Plan, error) {
	return s.w.evenings.Get(ctx, eveningOf{s.Key, w}, func(ctx context.Context) (*roommatch.Plan, error) {
		return mend.MatchRooms(parallel.Beginning(ctx, modest), meter.NewMeter(s.Scene, s.Sources()), w, threads())
	})
}

// RoomOf gives what is known of the room of a clip.
func (s *Scene) RoomOf(ctx context.Context, clip scene.ClipID) (roommatch.Measured, error) {
	return roommatch.RoomOf(ctx, meter.NewMeter(s.Scene, s.Sources()), clip)
}

// Loud gives what is too loud in the scene.
func (s *Scene) Loud(ctx context.Context) ([]overs.Place, error) {
	return s.w.loud.Get(ctx, s.Key, func(ctx context.Context) ([]overs.Place, error) {
		return overs.Find(parallel.Beginning(ctx, modest), meter.NewMeter(s.Scene, s.Sources()), threads())
	})
}

type fillingsOf struct {
	Key
	hole    scene.Hole
	library string // all that it holds, see libraryKey
}

// Fillings gives the tones that could fill a hole, the likest first, those of the library among them.
func (s *Scene) Fillings(ctx context.Context, hole scene.Hole) ([]fill.Filling, error) {
	kept, err := s.w.Tones(ctx)
	if err != nil {
		return nil, err
	}
	return s.w.fillings.Get(
		ctx,
		fillingsOf{s.Key, hole, libraryKey(kept)},
		func(ctx context.Context) ([]fill.Filling, error) {
			m, err := s.Adviser(ctx)
			if err != nil {
				return nil, err
			}
			library, err := s.library(ctx, kept)
			if err != nil {
				return nil, err
			}
			return m.Fillings(ctx, hole, library)
		},
	)
}

// Joined gives what clips of the scene sound like together, as they are to be joined.
func (s *Scene) Joined(plan *edit.Joining) (*mix.Mixer, error) {
	return mix.NewJoining(plan, s.Sources().Mix(plan.Scene))
}
