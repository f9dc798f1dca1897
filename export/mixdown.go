// Package export makes what leaves a scene: mixdowns and stems, at a loudness and under a ceiling, under names by a
// pattern. It knows scenes, mixers and files, and nothing of pages, jobs or databases.
package export

import (
	"context"
	"fmt"
	"math"
	"os"
	"time"

	"blendseam/core/mix"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/limiter"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/media"
)

// An Order says what sound is made of a scene.
type Order struct {
	Span        pcm.Span
	Form        media.Form // of all files; a Rate or Channels of 0 is the scene's
	TargetLUFS  *float64   // the integrated loudness that the mix is brought to by its gain; nil: as it is
	CeilingDBTP *float64   // what its true peak should not pass; nil: nothing
	Limit       bool       // turns down what passes it, where it does; else it is only told
	Mix         string     // the mix's file, "" if it is not made
	Stems       []Stem
	Made        time.Time // when the scene was as it is, which broadcast WAV files say
}

// A Stem is a part of the mix in a file of its own.
type Stem struct {
	Name   string
	File   string
	Tracks []scene.TrackID
}

// Made says what was made.
type Made struct {
	Files   []File          `json:"files"` // the mix first, if it was asked for
	GainDB  float64         `json:"gain_db"`
	Passes  []limiter.Place `json:"passes"` // where the mix passes the ceiling, or would if it were not limited
	Limited bool            `json:"limited"`
	LUFS    *float64        `json:"lufs"` // of the mix at its gain, where it was measured
	Rate    int             `json:"rate"`
}

// A File is one that was made.
type File struct {
	Path    string  `json:"path"`
	Name    string  `json:"name"` // of the stem, "" for the mix
	Bytes   int64   `json:"bytes"`
	LengthS float64 `json:"length_s"`
	Format  string  `json:"format"`
	Clipped int64   `json:"clipped"`
}

// treatment is what is done to the mix and to its stems alike, so that they still add to it.
type treatment struct {
	gain float64
	plan *limiter.Plan
}

// unlimited is the gain alone.
func (t *treatment) unlimited() *treatment { return &treatment{gain: t.gain} }

// apply treats a block that begins at a sample: of the scene or, where the rate is changed, of what is written.
func (t *treatment) apply(b pcm.Block, at int64) {
	if t.gain != 1 {
		for _, ch := range b {
			for i := range ch {
				ch[i] *= t.gain
			}
		}
	}
	t.plan.Apply(b, at)
}

func (t *treatment) does() bool { return t.gain != 1 || !t.plan.Quiet() }

// making is an order under way.
type making struct {
	Order
	scene    *scene.Scene
	mixer    *mix.Mixer
	progress func(float64)
	lufs     *float64
	begun    float64 // share that is done
	share    float64 // of the pass under way
}

// rounds is how often the gain is set anew at most, once a ceiling has taken from the loudness.
const rounds = 3

// near is how close to its target a loudness is left, in LU.
const near = 0.05

// Preview tells what an order would make of the mix, its gain and where it passes the ceiling, without making it.
func Preview(ctx context.Context, s *scene.Scene, m *mix.Mixer, o Order, progress func(float64)) (*Made, error) {
	w := begun(s, m, o, progress)
	t, err := w.treatment(ctx)
	if err != nil {
		return nil, err
	}
	if w.lufs == nil {
		w.share = 1 - w.begun
		is, err := w.loudness(ctx, t)
		if err != nil {
			return nil, err
		}
		w.lufs = &is
	}
	return w.told(t), nil
}

// begun is an order with what it leaves open.
func begun(s *scene.Scene, m *mix.Mixer, o Order, progress func(float64)) *making {
	if o.Form.Rate == 0 {
		o.Form.Rate = int(s.SampleRate)
	}
	if o.Form.Channels == 0 {
		o.Form.Channels = s.Channels
	}
	if progress == nil {
		progress = func(float64) {}
	}
	return &making{Order: o, scene: s, mixer: m, progress: progress}
}

// told is what is known before anything is written.
func (w *making) told(t *treatment) *Made {
	return &Made{Files: []File{}, GainDB: level.DB(t.gain), Rate: w.Form.Rate, Passes: w.passes(t.plan), LUFS: w.lufs,
		Limited: w.Limit && !t.plan.Quiet()}
}

// Make renders what an order asks for, all of it in one pass once the gain is known. It is all there or, after an
// error, not there. progress, if not nil, is told the share that is done.
func Make(ctx context.Context, s *scene.Scene, m *mix.Mixer, o Order, progress func(float64)) (*Made, error) {
	w := begun(s, m, o, progress)
	t, err := w.treatment(ctx)
	if err != nil {
		return nil, err
	}
	made := w.told(t)
	if !w.Limit {
		t = t.unlimited()
	}
	w.share = 1 - w.begun
	made.Files, err = w.write(ctx, t)
	if err != nil {
		return nil, err
	}
	return made, nil
}

// passes tells where a plan works, in samples of the scene.
func (w *making) passes(plan *limiter.Plan) []limiter.Place {
	if w.Form.Rate == int(w.scene.SampleRate) {
		return plan.Places(w.Span)
	}
	list := plan.Places(pcm.Span{To: w.length()})
	in := func(at int64) int64 {
		return w.Span.From + media.ResampledLength(at, w.Form.Rate, int(w.scene.SampleRate))
	}
	for i, p := range list {
		list[i].Span, list[i].At = pcm.Span{From: in(p.Span.From), To: in(p.Span.To)}, in(p.At)
	}
	return list
}

// length is how many samples are written.
func (w *making) length() int64 {
	return media.ResampledLength(w.Span.Len(), int(w.scene.SampleRate), w.Form.Rate)
}

// treatment finds the gain and the plan that the order asks for.
func (w *making) treatment(ctx context.Context) (*treatment, error) {
	t := &treatment{gain: 1}
	if w.TargetLUFS != nil {
		w.share = 0.2
		is, err := w.loudness(ctx, t)
		if err != nil {
			return nil, err
		}
		if is <= -70 {
			return nil, refuse.Errorf(
				"there is nothing to bring to a loudness: what is made is silent, or under the gate of -70 LUFS")
		}
		t.gain, w.lufs = level.Amplitude(*w.TargetLUFS-is), w.TargetLUFS
	}
	if w.CeilingDBTP == nil {
		return t, nil
	}
	for round := 0; ; round++ {
		w.share = 0.5 * (1 - w.begun)
		if err := w.find(ctx, t); err != nil {
			return nil, err
		}
		if w.TargetLUFS == nil || !w.Limit || t.plan.Quiet() || round == rounds {
			return t, nil
		}
		w.share = 0.5 * (1 - w.begun)
		is, err := w.loudness(ctx, t)
		if err != nil {
			return nil, err
		}
		off := *w.TargetLUFS - is
		w.lufs = &is
		if math.Abs(off) <= near {
			return t, nil
		}
		t.gain *= level.Amplitude(off)
	}
}

// loudness measures the mix as it would be written.
func (w *making) loudness(ctx context.Context, t *treatment) (float64, error) {
	meter := measure.NewLoudnessMeter(w.Form.Rate, w.Form.Channels)
	err := w.listen(ctx, w.Span, func(b pcm.Block, at int64) error {
		t.apply(b, at)
		meter.Add(b)
		return nil
	})
	return meter.Result().IntegratedLUFS, err
}

// find plans where the mix has to be turned down. What lies beside the span is looked at as well, so that it is the
// same as in a mixdown of the whole scene.
func (w *making) find(ctx context.Context, t *treatment) error {
	span, from := w.Span, int64(0)
	if w.Form.Rate == int(w.scene.SampleRate) {
		before, after := limiter.Reach(w.Form.Rate)
		span = pcm.Span{From: span.From - before, To: span.To + after}
		from = span.From
	}
	finder, err := limiter.NewFinder(w.Form.Rate, w.Form.Channels, from, *w.CeilingDBTP)
	if err != nil {
		return err
	}
	gain := t.unlimited()
	err = w.listen(ctx, span, func(b pcm.Block, _ int64) error {
		gain.apply(b, 0)
		finder.Add(b)
		return nil
	})
	t.plan = finder.Plan()
	return err
}

// listen gives the mix of a span, in its form but for its samples' kind, block by block.
func (w *making) listen(ctx context.Context, span pcm.Span, take func(b pcm.Block, at int64) error) error {
	out, end, err := w.unpacked(ctx, span, take)
	if err != nil {
		return err
	}
	err = w.mixer.ExportAll(ctx, span, nil, []*mix.Output{out}, w.step(span))
	if ended := end(err); err == nil {
		err = ended
	}
	w.begun += w.share
	return err
}

// step tells how far a pass is.
func (w *making) step(span pcm.Span) func(int64) {
	begun, share := w.begun, w.share
	return func(n int64) { w.progress(begun + share*float64(n)/float64(span.Len())) }
}

// unpacked is an output whose samples, at the order's rate, are given to take; end ends it, after the export's error.
func (w *making) unpacked(
	ctx context.Context, span pcm.Span, take func(b pcm.Block, at int64) error,
) (out *mix.Output, end func(error) error, err error) {
	from := int(w.scene.SampleRate)
	if w.Form.Rate != from {
		r, err := media.NewResampler(ctx, from, w.Form.Rate, w.Form.Channels, span.Len(), take)
		if err != nil {
			return nil, nil, err
		}
		return &mix.Output{Encoder: r.Encoder, To: r}, func(failed error) error {
			if failed != nil {
				r.Discard()
				return failed
			}
			return r.Close()
		}, nil
	}
	u := &unpacker{at: span.From, take: take}
	u.format = pcm.Format{Rate: from, Channels: w.Form.Channels, Bits: 64, Float: true}
	return &mix.Output{Encoder: pcm.Encoder{Format: u.format}, To: u}, func(err error) error { return err }, nil
}

// An unpacker gives on what is written to it, which is whole blocks of an export.
type unpacker struct {
	format pcm.Format
	at     int64
	take   func(b pcm.Block, at int64) error
}

func (u *unpacker) Write(p []byte) (int, error) {
	n := int64(len(p) / (u.format.Channels * u.format.Bits / 8))
	b := pcm.NewBlock(u.format.Channels, n)
	pcm.Decode(b, p, u.format)
	err := u.take(b, u.at)
	u.at += n
	return len(p), err
}

// A target is a file being written.
type target struct {
	stem *Stem // nil for the mix
	file *media.File
	out  *mix.Output
	end  func(error) error
	over int64 // clipped behind a change of rate
}

// write makes the files.
func (w *making) write(ctx context.Context, t *treatment) (made []File, err error) {
	var list []*target
	var placed []string
	defer func() {
		for _, x := range list {
			x.file.Discard()
		}
		if err != nil {
			for _, path := range placed {
				os.Remove(path)
			}
		}
	}()
	var groups [][]scene.TrackID
	var outputs []*mix.Output
	add := func(path string, stem *Stem) error {
		x, err := w.target(ctx, path, stem, t)
		if err != nil {
			return err
		}
		x.out.Part = len(groups)
		list, outputs = append(list, x), append(outputs, x.out)
		return nil
	}
	if w.Mix != "" {
		if err := add(w.Mix, nil); err != nil {
			return nil, err
		}
	}
	for i := range w.Stems {
		groups = append(groups, w.Stems[i].Tracks)
		if err := add(w.Stems[i].File, &w.Stems[i]); err != nil {
			return nil, err
		}
	}
	if len(list) == 0 {
		return nil, refuse.Errorf("nothing is asked for: neither the mix nor a stem")
	}
	var stems *mix.Stems
	if len(groups) > 0 {
		stems = w.mixer.Stems(groups)
	}
	err = w.mixer.ExportAll(ctx, w.Span, stems, outputs, w.step(w.Span))
	for _, x := range list {
		if ended := x.end(err); err == nil && ended != nil {
			err = ended
		}
	}
	if err != nil {
		return nil, err
	}
	for _, x := range list {
		path := x.path(w)
		if err := x.file.Close(); err != nil {
			return nil, err
		}
		placed = append(placed, path)
		info, err := os.Stat(path)
		if err != nil {
			return nil, err
		}
		f := File{Path: path, Bytes: info.Size(), LengthS: float64(w.length()) / float64(w.Form.Rate),
			Format: w.Form.Words(path), Clipped: x.out.Clipped + x.over}
		if x.stem != nil {
			f.Name = x.stem.Name
		}
		made = append(made, f)
	}
	return made, nil
}

func (x *target) path(w *making) string {
	if x.stem != nil {
		return x.stem.File
	}
	return w.Mix
}

// target begins a file.
func (w *making) target(ctx context.Context, path string, stem *Stem, t *treatment) (*target, error) {
	form := w.Form
	form.Bext = w.bext(stem)
	file, err := media.CreateAs(path, form)
	if err != nil {
		return nil, err
	}
	x := &target{stem: stem, file: file}
	if w.Form.Rate == int(w.scene.SampleRate) {
		x.out = &mix.Output{Encoder: file.Encoder, To: file}
		if t.does() {
			x.out.Treat = t.apply
		}
		x.end = func(error) error { return nil }
		return x, nil
	}
	var raw []byte
	x.out, x.end, err = w.unpacked(ctx, w.Span, func(b pcm.Block, at int64) error {
		t.apply(b, at)
		size := file.Encoder.Size(b.Len())
		if int64(cap(raw)) < size {
			raw = make([]byte, size)
		}
		x.over += file.Encoder.Encode(raw[:size], b, at)
		_, err := file.Write(raw[:size])
		return err
	})
	if err != nil {
		file.Discard()
		return nil, err
	}
	return x, nil
}

// bext is what a broadcast WAV file says of itself.
func (w *making) bext(stem *Stem) *wav.Bext {
	what := w.scene.Name
	if stem != nil {
		what += ", " + stem.Name
	}
	s := w.scene
	start := s.Rate.SampleOf(s.StartFrame, s.SampleRate) + w.Span.From
	return &wav.Bext{
		Description:   fmt.Sprintf("%s, %s to %s", what, s.Timecode(w.Span.From), s.Timecode(w.Span.To)),
		Originator:    "Blend Seam",
		Date:          w.Made.UTC().Format("2006-01-02"),
		Time:          w.Made.UTC().Format("15:04:05"),
		TimeReference: max(0, media.ResampledLength(start, int(s.SampleRate), w.Form.Rate)),
		CodingHistory: w.history(),
	}
}

// history is the coding history of a file, as EBU R 98 spells it.
func (w *making) history() string {
	bits := w.Form.Depth
	if bits == "" {
		bits = "24"
	}
	if bits == "32f" {
		bits = "32"
	}
	return fmt.Sprintf("A=PCM,F=%d,W=%s,M=%s,T=Blend Seam\r\n",
		w.Form.Rate, bits, [3]string{"", "mono", "stereo"}[w.Form.Channels])
}
