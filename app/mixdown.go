package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"blendseam/core/mix"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/limiter"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/export"
	"blendseam/media"
	"blendseam/workspace"
)

// The kinds of job that mixdowns are: made, or only looked at.
const (
	mixdownKind = "mixdown"
	lookKind    = "look"
)

// A MixdownRequest says what to make.
type MixdownRequest struct {
	Kind     string      `json:"kind"`  // one of media.Kinds, by its ending
	Depth    string      `json:"depth"` // one of media.Depths
	KBits    int         `json:"kbits"`
	Rate     int         `json:"rate"`     // 0: the scene's
	Channels int         `json:"channels"` // 0: the scene's
	From     string      `json:"from"`     // timecodes; "" is the scene's start or end
	To       string      `json:"to"`
	Ranges   bool        `json:"ranges"` // every named range in place of from and to
	NoDither bool        `json:"no_dither"`
	Target   *float64    `json:"target_lufs"`
	Ceiling  *float64    `json:"ceiling_dbtp"`
	Limit    bool        `json:"limit"`
	Look     bool        `json:"look"`  // only tells what would be made
	Stems    string      `json:"stems"` // one of export.StemKinds, "groups", "" for none
	Groups   []StemGroup `json:"groups"`
	NoMix    bool        `json:"no_mix"`
	Pattern  string      `json:"pattern"`
}

// A StemGroup is a stem of tracks that were chosen.
type StemGroup struct {
	Name   string          `json:"name"`
	Tracks []scene.TrackID `json:"tracks"`
}

// A mixdownOrder is a request that holds, for one range of a scene.
type mixdownOrder struct {
	export.Order
	name export.Naming
}

// orders are what a request of some moment comes to, one for each range.
func (q MixdownRequest) orders(st *workspace.Scene, when time.Time) (list []mixdownOrder, err error) {
	sc := st.Scene
	span, err := sc.Stretch(q.From, q.To)
	if err != nil {
		return nil, err
	}
	form := media.Form{Rate: q.Rate, Channels: q.Channels, Depth: q.Depth, NoDither: q.NoDither, KBits: q.KBits}
	asked := form
	if asked.Rate == 0 {
		asked.Rate = int(sc.SampleRate)
	}
	switch err := asked.Check("x." + q.Kind); {
	case err != nil:
		return nil, refuse.Errorf("%s", strings.TrimPrefix(err.Error(), "x."+q.Kind+": "))
	case asked.Rate < 8000 || asked.Rate > 192000:
		return nil, refuse.Errorf("%d is no rate to write; 44100, 48000 and 96000 are usual", asked.Rate)
	case q.Channels < 0 || q.Channels > 2:
		return nil, refuse.Errorf("a mixdown has 1 or 2 channels, not %d", q.Channels)
	case q.Target != nil && !(*q.Target >= -60 && *q.Target <= 0):
		return nil, refuse.Errorf("%g LUFS is no loudness to bring a mix to; -60 to 0 are", *q.Target)
	case q.NoMix && q.Stems == "":
		return nil, refuse.Errorf("neither the mix nor stems are asked for; choose one of them")
	}
	if q.Ceiling != nil {
		if err := limiter.Check(*q.Ceiling); err != nil {
			return nil, err
		}
	}
	stems, err := q.stems(sc)
	if err != nil {
		return nil, err
	}
	order := export.Order{Form: form, TargetLUFS: q.Target, CeilingDBTP: q.Ceiling, Limit: q.Limit, Stems: stems,
		Made: when}
	name := export.Naming{Scene: sc.Name, Version: st.Revision, Date: when}
	if _, err := name.File(q.Pattern); err != nil {
		return nil, err
	}
	if !q.Ranges {
		order.Span = span
		if q.From != "" || q.To != "" { // a part: two parts have two names
			name.Range = sc.Timecode(span.From) + " to " + sc.Timecode(span.To)
		}
		return []mixdownOrder{{order, name}}, nil
	}
	for _, m := range sc.Markers {
		order.Span, name.Range = m.Span().Intersect(pcm.Span{To: sc.Length()}), m.Name
		if !order.Span.Empty() {
			list = append(list, mixdownOrder{order, name})
		}
	}
	if len(list) == 0 {
		return nil, refuse.Errorf("the scene has no named range; choose a range on its timeline and press H to name it")
	}
	return list, nil
}

// stems are those that a request asks for, without files.
func (q MixdownRequest) stems(sc *scene.Scene) (list []export.Stem, err error) {
	switch {
	case q.Stems == "":
		return nil, nil
	case slices.Contains(export.StemKinds, q.Stems):
		list = export.StemsBy(sc, q.Stems)
	case q.Stems == "groups":
		for _, g := range q.Groups {
			for _, id := range g.Tracks {
				if t := sc.Track(id); t == nil || t.Kind != scene.Sound {
					return nil, refuse.Errorf("the stem %s names the track %q, which the scene has not", g.Name, id)
				}
			}
			if len(g.Tracks) > 0 {
				list = append(list, export.Stem{Name: g.Name, Tracks: g.Tracks})
			}
		}
	default:
		return nil, refuse.Errorf("stems are made by track, purpose or groups, not by %q", q.Stems)
	}
	if len(list) == 0 {
		return nil, refuse.Errorf("no track that is heard is in a stem; choose tracks for one")
	}
	return list, nil
}

// words say what is asked for.
func (q MixdownRequest) words(sc *scene.Scene, list []mixdownOrder) string {
	kind, _ := media.KindOf("x." + q.Kind)
	words := kind.Name
	if q.Look {
		words = "Looked through"
	}
	if n := len(list[0].Stems); n > 0 {
		words += fmt.Sprintf(", %d stems", n)
	}
	if q.Ranges {
		return words + fmt.Sprintf(", %d ranges", len(list))
	}
	span := list[0].Span
	return fmt.Sprintf("%s, %s to %s", words, sc.Timecode(span.From), sc.Timecode(span.To))
}

// name gives all files of orders their names.
func (q MixdownRequest) name(dir string, list []mixdownOrder) error {
	var names []string
	each := func(do func(o *mixdownOrder, stem *export.Stem)) {
		for i := range list {
			if !q.NoMix {
				do(&list[i], nil)
			}
			list[i].Stems = slices.Clone(list[i].Stems)
			for k := range list[i].Stems {
				do(&list[i], &list[i].Stems[k])
			}
		}
	}
	var wrong error
	each(func(o *mixdownOrder, stem *export.Stem) {
		n := o.name
		if stem != nil {
			n.Stem = stem.Name
		}
		name, err := n.File(q.Pattern)
		if err != nil {
			wrong = err
		}
		names = append(names, name+"."+q.Kind)
	})
	names = export.Distinct(names)
	each(func(o *mixdownOrder, stem *export.Stem) {
		path := filepath.Join(dir, names[0])
		names = names[1:]
		if stem != nil {
			stem.File = path
		} else {
			o.Mix = path
		}
	})
	return wrong
}

// A Result says what was made.
type Result struct {
	Files   []MadeFile  `json:"files"`
	GainDB  float64     `json:"gain_db"`
	Passes  []PassPlace `json:"passes"` // where it passes the ceiling
	Limited bool        `json:"limited"`
	LUFS    *float64    `json:"lufs,omitempty"` // of what was looked at
	measure.Loudness
	MadeFile // the first
}

type MadeFile struct {
	File    string  `json:"file"`
	Stem    string  `json:"stem,omitempty"`
	Bytes   int64   `json:"bytes"`
	LengthS float64 `json:"length_s"`
	Format  string  `json:"format"`
	Clipped int64   `json:"clipped"`
}

// A PassPlace is where a mix passes its ceiling.
type PassPlace struct {
	TC     string  `json:"tc"`
	OverDB float64 `json:"over_db"`
}

func (q *MixdownRequest) work(
	a *App, st *workspace.Scene, when time.Time,
) (kind, words string, do workspace.Work, err error) {
	list, err := q.orders(st, when)
	if err != nil {
		return "", "", nil, err
	}
	kind = mixdownKind
	if q.Look {
		kind = lookKind
	}
	return kind, q.words(st.Scene, list), func(ctx context.Context, id string, done func(float64)) (any, error) {
		if q.Look {
			return a.look(ctx, st, list, done)
		}
		return a.inMade(id, func(dir string) (any, error) { return a.makeMixdown(ctx, dir, st, *q, list, done) })
	}, nil
}

// look tells what orders would make.
func (a *App) look(ctx context.Context, st *workspace.Scene, list []mixdownOrder, done func(float64)) (any, error) {
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return nil, err
	}
	result := Result{Files: []MadeFile{}, Passes: []PassPlace{}}
	for i, o := range list {
		made, err := export.Preview(ctx, st.Scene, m, o.Order, shared(done, i, len(list)))
		if err != nil {
			return nil, err
		}
		result.GainDB, result.LUFS = made.GainDB, made.LUFS
		result.add(st.Scene, made)
	}
	return result, nil
}

// shared is the progress of one part of several.
func shared(done func(float64), i, of int) func(float64) {
	return func(x float64) { done((float64(i) + x) / float64(of)) }
}

// add takes what was found or made for one range.
func (x *Result) add(sc *scene.Scene, made *export.Made) {
	x.Limited = x.Limited || made.Limited
	for _, p := range made.Passes {
		x.Passes = append(x.Passes, PassPlace{sc.Timecode(p.At), p.ReducedDB})
	}
	x.took(made.Files)
}

// took takes files that were made.
func (x *Result) took(files []export.File) {
	for _, f := range files {
		x.Files = append(x.Files, MadeFile{filepath.Base(f.Path), f.Name, f.Bytes, f.LengthS, f.Format, f.Clipped})
	}
	if len(x.Files) > 0 {
		x.MadeFile = x.Files[0]
	}
}

func (a *App) makeMixdown(
	ctx context.Context,
	dir string,
	st *workspace.Scene,
	q MixdownRequest,
	list []mixdownOrder,
	done func(float64),
) (any, error) {
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return nil, err
	}
	if err := q.name(dir, list); err != nil {
		return nil, err
	}
	all := Result{Files: []MadeFile{}, Passes: []PassPlace{}}
	for i, o := range list {
		made, err := export.Make(ctx, st.Scene, m, o.Order, shared(func(x float64) { done(0.9 * x) }, i, len(list)))
		if err != nil {
			return nil, err
		}
		all.GainDB = made.GainDB
		all.add(st.Scene, made)
	}
	onlyKeep(dir, all.Files)
	if len(list) > 1 || q.NoMix {
		return all, nil
	}
	if all.Loudness, err = media.Loudness(ctx, list[0].Mix); err != nil { // of what was written, not of what should be
		return nil, err
	}
	return all, describe(list[0].Mix, all.Loudness)
}

// onlyKeep removes from the folder of a job what it did not make: what a program that has ended left may go on writing.
func onlyKeep(dir string, files []MadeFile) {
	there, _ := os.ReadDir(dir)
	for _, e := range there {
		if !slices.ContainsFunc(files, func(f MadeFile) bool { return f.File == e.Name() }) {
			os.RemoveAll(filepath.Join(dir, e.Name()))
		}
	}
}

// describe writes into a broadcast WAV file how loud it is.
func describe(file string, l measure.Loudness) error {
	if filepath.Ext(file) != ".wav" {
		return nil
	}
	r, err := wav.Open(file)
	if err != nil {
		return err
	}
	x := *r.Bext
	r.Close()
	x.Loudness = &wav.BextLoudness{
		IntegratedLUFS: l.IntegratedLUFS, RangeLU: l.RangeLU, TruePeakDBTP: l.TruePeakDBTP,
		MomentaryMaxLUFS: l.MomentaryMaxLUFS, ShortTermMaxLUFS: l.ShortTermMaxLUFS,
	}
	return wav.Describe(file, &x)
}
