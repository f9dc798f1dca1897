package seam

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/speech"
)

// A Recording is what a clip's recording holds around a seam, beyond the clip's edge too: where its words, breaths and
// pauses lie, in samples of the scene.
type Recording struct {
	Stretches    []speech.Stretch `json:"stretches"`
	BackgroundDB float64          `json:"background_db"`
	Span         pcm.Span         `json:"span"` // that was looked at
	finding      speech.Finding
	pauses       int64          // how much of it is pause, samples
	colour       measure.Colour // of its pauses
}

// WordAt gives the word that sounds at a moment of the scene, with its ends in the scene.
func (r *Recording) WordAt(at int64) (speech.Stretch, bool) {
	for _, s := range r.Stretches {
		if s.Kind == speech.Word && s.Span.Contains(at) {
			return s, true
		}
	}
	return speech.Stretch{}, false
}

// Beyond a seam the recordings are looked at for this long, in milliseconds.
const beyondMS = 800

// Recording looks at a clip's recording around a moment: so much before and after, in milliseconds, as the recording has.
func (m *Meter) Recording(c *scene.Clip, at int64, beforeMS, afterMS float64) (*Recording, error) {
	src, err := m.recording(c)
	if err != nil {
		return nil, err
	}
	all := pcm.Span{From: c.Start - c.In, To: c.Start - c.In + src.Len()}
	span := pcm.Span{From: at - m.ms(beforeMS), To: at + m.ms(afterMS)}.Intersect(all)
	r := &Recording{Span: span}
	if span.Empty() {
		return r, nil
	}
	b, err := m.raw(c, span)
	if err != nil {
		return nil, err
	}
	mono := measure.Mono(b)
	r.finding = speech.Find(mono, int(m.scene.SampleRate))
	r.BackgroundDB = r.finding.BackgroundDB
	for _, p := range r.finding.Pauses() {
		r.pauses += p.Len()
	}
	r.colour = measure.ColourOf(pcm.Block{mono}, r.finding.Pauses(), int(m.scene.SampleRate))
	for _, s := range r.finding.Stretches {
		s.Span = s.Span.Add(span.From)
		if !s.Voiced.Empty() {
			s.Voiced = s.Voiced.Add(span.From)
		}
		r.Stretches = append(r.Stretches, s)
	}
	return r, nil
}

// gone is the moment at which a side of the change is 7 dB down under constant power: a word in it is as good as gone from
// there on.
func gone(s Seam, incoming bool) int64 {
	if incoming {
		return s.To - (s.To-s.From)*7/10
	}
	return s.From + (s.To-s.From)*7/10
}

// around looks at the recording of a seam's left or right clip, at what is heard of it and a while beyond.
func (m *Meter) around(c *scene.Clip, s Seam, incoming bool) (*Recording, error) {
	fade := float64(s.To-s.From) * 1000 / float64(m.scene.SampleRate)
	if c.Length <= m.ms(2*sideMS) && fade < beyondMS/2 { // both its ends at once
		m.mu.Lock()
		r := m.known[c.ID]
		m.mu.Unlock()
		if r != nil {
			return r, nil
		}
		r, err := m.Recording(c, c.Start, beyondMS, m.inMS(c.Length)+beyondMS)
		m.mu.Lock()
		m.known[c.ID] = r
		m.mu.Unlock()
		return r, err
	}
	if incoming {
		return m.Recording(c, s.To, beyondMS+fade, sideMS)
	}
	return m.Recording(c, s.From, sideMS, beyondMS+fade)
}

// words measures how much of a word is lost at the seam: a word of one recording that sounds on both sides of its edge,
// unless the voice goes on in the other clip as if nothing had happened.
func (l *look) words() error {
	if l.track.Purpose != "dialogue" {
		return nil
	}
	var lost [2]float64
	within := l.ms(12) // a word must sound this long on both sides of the edge to be cut into
	for i, c := range []*scene.Clip{l.left, l.right} {
		if c == nil {
			continue
		}
		edge, r := gone(l.r.Seam, i == 1), l.sounds[i]
		w, ok := r.WordAt(edge)
		if l.stopsShort(c, r, edge, i == 1) {
			lost[i] = stopsShortMS
			continue
		}
		if !ok || w.Span.From > edge-within || w.Span.To < edge+within {
			continue
		}
		beyond := float64(w.Span.To - edge)
		if i == 1 {
			beyond = float64(edge - w.Span.From)
		}
		if l.stands(c, r, edge) {
			lost[i] = beyond * 1000 / float64(l.scene.SampleRate)
		}
	}
	if (lost[0] > 0 || lost[1] > 0) && l.left != nil && l.right != nil {
		if l.voiceGoesOn = l.goesOn(); l.voiceGoesOn {
			lost = [2]float64{}
		}
	}
	m := &l.r.Measures
	m.WordCutMS = &lost[0]
	if lost[0] > 0 {
		m.WordCutSide = "outgoing"
	}
	if lost[1] > lost[0] {
		m.WordCutMS, m.WordCutSide = &lost[1], "incoming"
	}
	return nil
}

// stopsShortMS is what a word counts that stops, or sets in, with its recording: how much of it is lost nobody knows.
const stopsShortMS = 100

// stopsShort tells whether a recording ends, or begins, at the edge in the middle of a word: its last, or first, 15 ms are
// within 12 dB of the loudest of the word, as no word ends or begins by itself.
func (l *look) stopsShort(c *scene.Clip, r *Recording, edge int64, incoming bool) bool {
	span := pcm.Span{From: r.Span.To - l.ms(15), To: r.Span.To}
	ends := r.Span.To <= edge+l.ms(3)
	if incoming {
		span = pcm.Span{From: r.Span.From, To: r.Span.From + l.ms(15)}
		ends = r.Span.From >= edge-l.ms(3)
	}
	if !ends {
		return false
	}
	w, ok := r.WordAt((span.From + span.To) / 2)
	return ok && measure.RMSDB(pcm.Block{l.monoOf(c, span)}) > w.PeakDB-12 && w.PeakDB > r.BackgroundDB+voiceAbove
}

// stands tells whether a voice is really there at the edge, and not only the last of its decay: the 20 ms on each side
// stand above the background by 6 dB in the bands of speech.
func (l *look) stands(c *scene.Clip, r *Recording, edge int64) bool {
	background := r.colour
	for _, from := range []int64{edge - l.ms(25), edge + l.ms(3)} {
		span := pcm.Span{From: from, To: from + l.ms(22)}
		now := measure.ColourOf(pcm.Block{l.monoOf(c, span)}, []pcm.Span{{To: span.Len()}}, int(l.scene.SampleRate))
		highest := math.Inf(-1)
		for b := range now.Powers {
			if now.Centres[b] < 200 {
				continue
			}
			if above := 10 * math.Log10((now.Powers[b]+1e-14)/(background.Powers[b]+1e-14)); above > highest {
				highest = above
			}
		}
		if highest < 9 {
			return false
		}
	}
	return true
}

func (l *look) monoOf(c *scene.Clip, span pcm.Span) []float64 {
	b, err := l.raw(c, span)
	if err != nil {
		return make([]float64, span.Len())
	}
	return measure.Mono(b)
}

const tightenMS = 2000

// goesOn tells whether a voice runs through the seam: what the outgoing recording would have said next sounds like what
// the incoming one says, and what the incoming one said just before like what the outgoing one says. Their third-octaves
// and their levels differ by less than alikeDB in both places. What was taken out of the middle of a word, or put in twice, up to tightenMS of
// one recording, is an editor's wish.
func (l *look) goesOn() bool {
	const alikeDB = 6.0
	if apart := (l.right.In + l.r.At - l.right.Start) - (l.left.In + l.r.At - l.left.Start); l.left.Source == l.right.Source && max(apart, -apart) < l.ms(tightenMS) {
		return true
	}
	for _, span := range []pcm.Span{{From: l.r.At - l.ms(45), To: l.r.At}, {From: l.r.At, To: l.r.At + l.ms(45)}} {
		var c [2]measure.Colour
		var db [2]float64
		for i, clip := range []*scene.Clip{l.left, l.right} {
			sound := pcm.Block{l.monoOf(clip, span)}
			c[i], db[i] = measure.ColourOf(sound, []pcm.Span{{To: span.Len()}}, int(l.scene.SampleRate)), measure.RMSDB(sound)
		}
		if measure.ColourStepDB(c[0], c[1], -90) > alikeDB || math.Abs(db[1]-db[0]) > alikeDB {
			return false
		}
	}
	return true
}

// Words are the words and breaths of the outgoing and the incoming recording around a seam, with the pitched part of each word.
func (m *Meter) Words(s Seam) (out [2][]speech.Stretch, err error) {
	m.mu.Lock()
	out, known := m.words[s.ID]
	m.mu.Unlock()
	if known { // the bench asks at every step of its zoom
		return out, nil
	}
	for i, id := range []string{s.Left, s.Right} {
		out[i] = []speech.Stretch{}
		t, c := m.scene.Clip(id)
		if c == nil || t.Purpose != "dialogue" {
			continue
		}
		r, err := m.around(c, s, i == 1)
		if err != nil {
			return out, err
		}
		b, err := m.raw(c, r.Span)
		if err != nil {
			return out, err
		}
		f := r.finding
		f.Stretches = slices.Clone(f.Stretches)
		f.Voice(measure.Mono(b))
		for _, w := range f.Stretches {
			w.Span = w.Span.Add(r.Span.From)
			if !w.Voiced.Empty() {
				w.Voiced = w.Voiced.Add(r.Span.From)
			}
			out[i] = append(out[i], w)
		}
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	m.words[s.ID] = out
	return out, nil
}

// Covers says which words a blend covers, and by which lean it would not.
func (m *Meter) Covers(s Seam, words [2][]speech.Stretch) []string {
	list := []string{}
	if s.Kind != Cut || !s.Blend {
		return list
	}
	t := m.scene.Track(s.Track)
	reachBefore, reachAfter := m.scene.Reach(t, t.Clips[s.index], t.Clips[s.index+1])
	length := s.To - s.From
	instead := func(before, after int64) string {
		if before < 0 || after < 0 || before > reachBefore || after > reachAfter {
			return "no lean of this length would leave it whole"
		}
		return fmt.Sprintf("with %s before the cut and %s after it, it would not", m.lengthWords(before), m.lengthWords(after))
	}
	for _, w := range words[1] {
		if w.Kind == speech.Word && w.Span.From > s.From && w.Span.From < s.To-m.ms(3) {
			after := max(0, w.Span.From-s.At)
			list = append(list, fmt.Sprintf("The blend covers the first %s of a word of %s; %s.", m.lengthWords(s.To-w.Span.From), s.RightName, instead(length-after, after)))
			break
		}
	}
	for _, w := range slices.Backward(words[0]) {
		if w.Kind == speech.Word && w.Span.To < s.To && w.Span.To > s.From+m.ms(3) {
			before := max(0, s.At-w.Span.To)
			list = append(list, fmt.Sprintf("The blend covers the last %s of a word of %s; %s.", m.lengthWords(w.Span.To-s.From), s.LeftName, instead(before, length-before)))
			break
		}
	}
	return list
}
