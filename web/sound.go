package web

import (
	"context"
	"encoding/binary"
	"fmt"
	"maps"
	"math"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/core/listen/speech"
	"blendseam/core/mix"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch"
	"blendseam/media/peaks"
	"blendseam/store"
	"blendseam/workspace"
)

// number reads a whole number from the address.
func number(r *http.Request, name string, low, high int64) (int64, error) {
	text := r.URL.Query().Get(name)
	if text == "" {
		text = chi.URLParam(r, name)
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < low || n > high {
		return 0, refuse.Errorf("%s is %q; a whole number from %d to %d is needed", name, text, low, high)
	}
	return n, nil
}

func numbers(r *http.Request, to map[string]*int64, low, high int64) error {
	for _, name := range slices.Sorted(maps.Keys(to)) {
		p, err := to[name], error(nil)
		if *p, err = number(r, name, low, high); err != nil {
			return err
		}
	}
	return nil
}

const farthest = int64(1) << 45 // samples

// pcm sends a stretch of the scene as 32-bit floats, little-endian, channels in turn. what is scene, plain (without
// blends), difference (what blends change), or the id of a clip to hear alone, with its handles. edit is one that is to
// be heard before it is done; evening, with hush, voices, even_from and even_to, asks for what an evening would leave;
// ducking, with margin, for what it would be if all made way that is proposed to.
func (s *Server) pcm(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	from, err := number(r, "from", -farthest, farthest)
	if err != nil {
		return err
	}
	n, err := number(r, "n", 1, 1<<21)
	if err != nil {
		return err
	}
	if what := r.URL.Query().Get("edit"); what != "" {
		e, err := s.parseEdit(r, []byte(what), s.Look)
		if err != nil {
			return err
		}
		if st, err = st.Try(r.Context(), e); err != nil {
			return err
		}
	}
	if r.URL.Query().Has("evening") {
		if st, err = evened(r, st); err != nil {
			return err
		}
	}
	if r.URL.Query().Has("ducking") {
		if st, err = ducked(r, st); err != nil {
			return err
		}
	}
	m, err := st.Mixer(r.Context(), hearing(r.URL.Query().Get("what")))
	if err != nil {
		return err
	}
	b, goesOn, err := heard(r, st, m, from, n)
	if err != nil {
		return err
	}
	raw := make([]byte, 0, 4*b.Len()*int64(len(b)))
	for i := range b.Len() {
		for _, ch := range b {
			raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(float32(ch[i])))
		}
	}
	h := w.Header()
	h.Set("Content-Type", "application/octet-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("Blendseam-Channels", strconv.Itoa(m.Channels()))
	h.Set("Blendseam-Revision", strconv.FormatInt(st.Revision, 10))
	h.Set("Blendseam-Goes-On", strconv.FormatInt(goesOn, 10))
	w.Write(raw)
	return nil
}

// heard renders n samples from a moment on, or, where "slow" is asked for, twice as many that last twice as long: in
// whole hops of core/sound/timestretch, going on from the moment that goes_on names, as the answer before gave it.
func heard(r *http.Request, st *workspace.Scene, m *mix.Mixer, from, n int64) (pcm.Block, int64, error) {
	read := func(span pcm.Span) (pcm.Block, error) {
		b := pcm.NewBlock(m.Channels(), span.Len())
		err := m.Render(b, span.From)
		if err == nil && r.URL.Query().Get("what") == "difference" {
			err = lessPlain(r.Context(), b, st, span.From)
		}
		return b, err
	}
	if r.URL.Query().Get("slow") == "" {
		b, err := read(pcm.Span{From: from, To: from + n})
		return b, from + n, err
	}
	goesOn := from
	if r.URL.Query().Has("goes_on") {
		var err error
		rate := st.Scene.SampleRate
		if goesOn, err = number(r, "goes_on", from-rate, from+rate); err != nil {
			return nil, 0, err
		}
	}
	const speed = 0.5
	hops := max(1, int64(float64(n)/speed)/timestretch.Hop(st.Scene.SampleRate))
	return timestretch.Slower(read, from, goesOn, hops, speed, st.Scene.SampleRate)
}

// lessPlain takes from a stretch of the scene what it would be without blends.
func lessPlain(ctx context.Context, b pcm.Block, st *workspace.Scene, from int64) error {
	m, err := st.Mixer(ctx, mix.Options{Plain: true})
	if err != nil {
		return err
	}
	plain := pcm.NewBlock(len(b), b.Len())
	if err := m.Render(plain, from); err != nil {
		return err
	}
	for c := range b {
		for i := range b[c] {
			b[c][i] -= plain[c][i]
		}
	}
	return nil
}

func hearing(what string) mix.Options {
	switch what {
	case "", "scene", "difference":
		return mix.Options{}
	case "plain":
		return mix.Options{Plain: true}
	}
	return mix.Options{Clip: scene.ClipID(what), Bypass: true}
}

// A Strip is a waveform as drawn: the lowest and the highest sample in each bin.
type Strip struct {
	Low  []float32 `json:"low"`
	High []float32 `json:"high"`
}

func stripOf(m *mix.Mixer, from, to int64, bins int64) (Strip, pcm.Block, error) {
	b := pcm.NewBlock(m.Channels(), to-from)
	if err := m.Render(b, from); err != nil {
		return Strip{}, nil, err
	}
	out := Strip{make([]float32, bins), make([]float32, bins)}
	for i := range bins {
		a, z := i*(to-from)/bins, max(i*(to-from)/bins+1, (i+1)*(to-from)/bins)
		low, high := math.Inf(1), math.Inf(-1)
		for _, ch := range b {
			for _, v := range ch[a:z] {
				low, high = min(low, v), max(high, v)
			}
		}
		out.Low[i], out.High[i] = round(low), round(high)
	}
	return out, b, nil
}

func round(v float64) float32 { return float32(math.Round(v*1e6) / 1e6) }

// A BenchView is what the bench draws of a seam.
type BenchView struct {
	From     int64            `json:"from"`
	To       int64            `json:"to"`
	Seam     audit.Seam       `json:"seam"`
	Outgoing *Strip           `json:"outgoing"` // null where there is none
	Incoming *Strip           `json:"incoming"`
	Result   Strip            `json:"result"`
	Level    []float32        `json:"level"` // short-term level of the result, dBFS
	Gains    []Gains          `json:"gains"` // across the change
	Law      string           `json:"law,omitempty"`
	CurveOut *blend.Curve     `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve     `json:"curve_in,omitempty"`
	Words    [2][]speech.Part `json:"words"`           // of the outgoing and the incoming recording, in the scene
	Covers   []string         `json:"covers"`          // what of words the blend covers
	Equal    string           `json:"equal,omitempty"` // why one law sounds as the other, where it does
	Before   int64            `json:"before"`
	After    int64            `json:"after"`
	Lull     *scene.Lull      `json:"lull,omitempty"`
	ReachB   int64            `json:"reach_before"` // how far a blend can go, samples
	ReachA   int64            `json:"reach_after"`
}

type Gains struct {
	At    int64   `json:"at"`
	Out   float32 `json:"out"`
	In    float32 `json:"in"`
	Sum   float32 `json:"sum_db"`   // as the law predicts it for the measured likeness
	Heard float32 `json:"heard_db"` // as rendered
}

// bench answers with a stretch around a seam in so many bins, with null if the scene has no such seam.
func (s *Server) bench(w http.ResponseWriter, r *http.Request) error {
	st, x, ok, err := s.seamAsked(r, audit.SeamID(r.URL.Query().Get("seam")))
	if err != nil {
		return err
	}
	var from, to, bins int64
	if err := numbers(r, map[string]*int64{"from": &from, "to": &to, "bins": &bins}, -farthest, farthest); err != nil {
		return err
	}
	if to <= from || to-from > 30*st.Scene.SampleRate || bins < 1 || bins > 8192 {
		return refuse.Errorf("the stretch must be 1 sample to 30 s long, in 1 to 8192 bins")
	}
	if !ok {
		return s.answer(w, http.StatusOK, nil)
	}
	v, err := benchViewOf(r.Context(), st, x, from, to, min(bins, to-from))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, v)
}

func benchViewOf(ctx context.Context, st *workspace.Scene, x audit.Seam, from, to, bins int64) (BenchView, error) {
	v := BenchView{From: from, To: to, Seam: x, Gains: []Gains{}}
	for _, side := range []struct {
		clip scene.ClipID
		to   **Strip
	}{{x.Left, &v.Outgoing}, {x.Right, &v.Incoming}} {
		if side.clip == "" {
			continue
		}
		m, err := st.Mixer(ctx, mix.Options{Clip: side.clip, Bypass: true})
		if err != nil {
			return v, err
		}
		one, _, err := stripOf(m, from, to, bins)
		if err != nil {
			return v, err
		}
		*side.to = &one
	}
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return v, err
	}
	var b pcm.Block
	if v.Result, b, err = stripOf(m, from, to, bins); err != nil {
		return v, err
	}
	v.Level = levels(b, bins, st.Scene.SampleRate/20)
	meter, err := st.Adviser(ctx)
	if err != nil {
		return v, err
	}
	if v.Words, err = audit.WordsBeside(ctx, meter.Meter, x); err != nil {
		return v, err
	}
	v.Covers = audit.CoveredWords(meter.Meter, x, v.Words)
	return v, v.addGains(st)
}

// levels is the RMS level over a window around each bin, in dBFS.
func levels(b pcm.Block, bins, window int64) []float32 {
	n := b.Len()
	sums := make([]float64, n+1)
	for i := range n {
		power := 0.0
		for _, ch := range b {
			power += ch[i] * ch[i]
		}
		sums[i+1] = sums[i] + power/float64(len(b))
	}
	out := make([]float32, bins)
	for k := range bins {
		mid := (2*k + 1) * n / (2 * bins)
		a, z := max(0, mid-window/2), min(n, mid+window/2+1)
		out[k] = float32(math.Round(10*max(-120, level.DB(math.Sqrt((sums[z]-sums[a])/float64(z-a))))) / 10)
	}
	return out
}

// Laws differ by 3 dB in the middle of a blend. That is not heard where it lasts no longer than shortestMS, and where
// both sides lie below softestDB (common practice, no source).
const (
	shortestMS = 8
	softestDB  = -66
)

// equalLaws says why constant power and constant gain sound alike over a blend of two sides, "" if they do not.
func equalLaws(out, in pcm.Block, outDB, inDB float64, rate int64) string {
	louder := max(measure.RMSDB(out)+outDB, measure.RMSDB(in)+inDB)
	switch {
	case out.Len()*1000 <= shortestMS*rate:
		return fmt.Sprintf("Equal either way: over %.0f ms no law is heard.", float64(out.Len())*1000/float64(rate))
	case louder < softestDB:
		return fmt.Sprintf("Equal either way: both sides lie below %.0f dBFS here.", math.Ceil(louder))
	}
	return ""
}

// addGains says how the gains of both sides run across the seam, and what their sum is.
func (v *BenchView) addGains(st *workspace.Scene) error {
	sc := st.Scene
	t := sc.Track(v.Seam.Track)
	_, left := sc.Clip(v.Seam.Left)
	_, right := sc.Clip(v.Seam.Right)
	const points = 96
	if v.Seam.Kind == audit.Cut {
		v.ReachB, v.ReachA = sc.Reach(t, *left, *right)
		if b := t.Blend(left.ID, right.ID); b != nil {
			v.Law, v.Before, v.After, v.CurveOut, v.CurveIn = string(b.Law), b.Before, b.After, b.CurveOut, b.CurveIn
			out, in, err := mix.Sides(t, *b, func(c scene.Clip) (pcm.ReaderAt, error) { return st.Sound(sc.Sources[c.Source]) })
			if err != nil {
				return err
			}
			v.summed(*b, left.GainDB, right.GainDB, out, in, points, sc.SampleRate)
			v.Equal = equalLaws(out, in, left.GainDB+t.GainDB, right.GainDB+t.GainDB, sc.SampleRate)
			return nil
		}
	}
	if v.Seam.Pair {
		p := sc.PairAt(v.Seam.Left, true)
		out, in, err := mix.PairSides(
			sc,
			*p,
			func(c scene.Clip) (pcm.ReaderAt, error) { return st.Sound(sc.Sources[c.Source]) },
		)
		if err != nil {
			return err
		}
		v.Law, v.CurveOut, v.CurveIn = string(p.Law), p.CurveOut, p.CurveIn
		v.Before, v.After = v.Seam.At-v.Seam.From, v.Seam.To-v.Seam.At
		v.summed(
			scene.Blend{Before: v.Before, After: v.After, Law: p.Law, CurveOut: p.CurveOut, CurveIn: p.CurveIn},
			left.GainDB,
			right.GainDB,
			out,
			in,
			points,
			sc.SampleRate,
		)
		head, _ := sc.Handles(sc.Track(v.Seam.Track), *right)
		_, tail := sc.Handles(t, *left)
		v.ReachB, v.ReachA = v.Before+min(head, v.Seam.From-left.Start), v.After+min(tail, right.End()-v.Seam.To)
		return nil
	}
	if v.Seam.Kind == audit.Lull {
		v.lulled(left, right, points)
		return nil
	}
	for i := range int64(points) {
		if v.Seam.From == v.Seam.To {
			break
		}
		x := blend.Position(i, points)
		at := v.Seam.From + int64(x*float64(v.Seam.To-v.Seam.From))
		g := Gains{At: at}
		if left != nil && at < left.End() {
			g.Out = 1
			if n := left.FadeOut.Length; n > 0 && at >= left.End()-n {
				g.Out = round(left.FadeOut.Curve.Rise(float64(left.End()-at) / float64(n)))
			}
		}
		if right != nil && at >= right.Start {
			g.In = 1
			if n := right.FadeIn.Length; n > 0 && at < right.Start+n {
				g.In = round(right.FadeIn.Curve.Rise(float64(at-right.Start) / float64(n)))
			}
		}
		v.Gains = append(v.Gains, g)
	}
	return nil
}

// lulled adds the gains of a lull, and of the patch that fills it.
func (v *BenchView) lulled(c, patch *scene.Clip, points int64) {
	u := c.Lull(v.Seam.Lull)
	v.Before, v.After = v.Seam.At-v.Seam.From, v.Seam.To-v.Seam.At
	v.ReachB, v.ReachA = v.Seam.At-c.Start, c.End()-v.Seam.At
	v.Lull = u
	for i := range points {
		at := v.Seam.From + int64(blend.Position(i, points)*float64(v.Seam.To-v.Seam.From))
		g := Gains{At: at, Out: round(u.Gain(at - c.Shift()))}
		if patch != nil && patch.Span().Contains(at) {
			g.In = 1
			if n := patch.FadeIn.Length; at < patch.Start+n {
				g.In = round(patch.FadeIn.Curve.Rise(float64(at-patch.Start) / float64(n)))
			}
			if n := patch.FadeOut.Length; at >= patch.End()-n {
				g.In = round(patch.FadeOut.Curve.Rise(float64(patch.End()-at) / float64(n)))
			}
		}
		power := float64(g.Out)*float64(g.Out) + float64(g.In)*float64(g.In)
		g.Sum = float32(math.Round(100*level.OfPower(max(1e-6, power))) / 100)
		g.Heard = g.Sum
		v.Gains = append(v.Gains, g)
	}
}

// summed adds the gains of both sides of a blend, and what their sum is: predicted and as rendered.
func (v *BenchView) summed(b scene.Blend, leftDB, rightDB float64, left, right pcm.Block, points int64, rate int64) {
	r := measure.Correlation(left, right)
	heard := mix.RenderedSum(b, leftDB, rightDB, left, right, r, int(points), rate)
	two := func(db float64) float32 { return float32(math.Round(100*db) / 100) }
	for i := range points {
		x := blend.Position(i, points)
		out, in := b.Gains(x, r)
		v.Gains = append(
			v.Gains,
			Gains{
				v.Seam.From + int64(x*float64(b.Length())),
				round(out),
				round(in),
				two(blend.PowerDB(out, in, r)),
				two(heard[i]),
			},
		)
	}
}

// peaks sends one tile of a recording's waveform; tiles never change.
func (s *Server) peaks(w http.ResponseWriter, r *http.Request) error {
	var rate, step, tile int64
	if err := numbers(r, map[string]*int64{"rate": &rate, "step": &step, "tile": &tile}, 0, farthest); err != nil {
		return err
	}
	if scene.IsMissing(chi.URLParam(r, "source")) { // it is silent
		w.Header().Set("Content-Type", "application/octet-stream")
		w.Write(make([]byte, 4*peaks.TileBins))
		return nil
	}
	raw, err := s.Library.Peaks(chi.URLParam(r, "source"), rate, step, tile)
	if err != nil {
		return noFile(err, peaks.ErrNone)
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	w.Write(raw)
	return nil
}

// pictures sends one sheet of a recording's pictures.
func (s *Server) pictures(w http.ResponseWriter, r *http.Request) error {
	var num, den int64
	if err := numbers(r, map[string]*int64{"num": &num, "den": &den}, 1, 1<<30); err != nil {
		return err
	}
	sheet, err := strconv.Atoi(strings.TrimSuffix(chi.URLParam(r, "sheet"), ".jpg"))
	if err != nil || sheet < 0 {
		return store.ErrNotFound
	}
	id := chi.URLParam(r, "source")
	if strings.ContainsAny(id, "/.\\") {
		return store.ErrNotFound
	}
	if scene.IsMissing(id) { // there is nothing to be seen
		w.WriteHeader(http.StatusNoContent)
		return nil
	}
	file := s.Library.Sheet(id, timecode.Rate{Num: num, Den: den}, sheet)
	if _, err := os.Stat(file); err != nil {
		return store.ErrNotFound
	}
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	http.ServeFile(w, r, file)
	return nil
}
