package audit

import (
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// InaudibleAt is the moment at which a side of the change is 7 dB down under constant power: a word in it is as good as
// gone from there on.
func InaudibleAt(s Seam, incoming bool) int64 {
	if incoming {
		return s.To - (s.To-s.From)*7/10
	}
	return s.From + (s.To-s.From)*7/10
}

// words measures how much of a word is lost at the seam: a word of one recording that sounds on both sides of its edge,
// unless the voice goes on in the other clip as if nothing had happened.
func (l *look) words() error {
	if l.track.Purpose != scene.ForDialogue {
		return nil
	}
	var lost [2]float64
	within := l.Samples(12) // a word must sound this long on both sides of the edge to be cut into
	for i, c := range []*scene.Clip{l.left, l.right} {
		if c == nil {
			continue
		}
		edge, r := InaudibleAt(l.r.Seam, i == 1), l.sounds[i]
		w, ok := r.WordAt(edge)
		short, err := l.stopsShort(c, r, edge, i == 1)
		if err != nil {
			return err
		}
		if short {
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
		stands, err := l.stands(c, r, edge)
		if err != nil {
			return err
		}
		if stands {
			lost[i] = beyond * 1000 / float64(l.Scene.SampleRate)
		}
	}
	if (lost[0] > 0 || lost[1] > 0) && l.left != nil && l.right != nil {
		var err error
		if l.voiceGoesOn, err = l.goesOn(); err != nil {
			return err
		}
		if l.voiceGoesOn {
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

// wordsInBlend measures how much of the words of a side lies within the blend: of the side that has more.
func (l *look) wordsInBlend() {
	if l.r.From == l.r.To || l.left == nil || l.right == nil || l.track.Purpose != scene.ForDialogue {
		return
	}
	var within [2]int64
	for i, r := range l.sounds {
		for _, w := range r.Stretches {
			if w.Kind == speech.Word {
				within[i] += w.Span.Intersect(pcm.Span{From: l.r.From, To: l.r.To}).Len()
			}
		}
	}
	ms := float64(max(within[0], within[1])) * 1000 / float64(l.Scene.SampleRate)
	l.r.Measures.BlendWordsMS = &ms
}

// stopsShortMS is what a word counts that stops, or sets in, with its recording: how much of it is lost nobody knows.
const stopsShortMS = 100

// stopsShort tells whether a recording ends, or begins, at the edge in the middle of a word: its last, or first, 15 ms
// are within 12 dB of the loudest of the word, as no word ends or begins by itself.
func (l *look) stopsShort(c *scene.Clip, r *meter.Surroundings, edge int64, incoming bool) (bool, error) {
	span := pcm.Span{From: r.Span.To - l.Samples(15), To: r.Span.To}
	ends := r.Span.To <= edge+l.Samples(3)
	if incoming {
		span = pcm.Span{From: r.Span.From, To: r.Span.From + l.Samples(15)}
		ends = r.Span.From >= edge-l.Samples(3)
	}
	w, ok := r.WordAt((span.From + span.To) / 2)
	if !ends || !ok || w.PeakDB <= r.BackgroundDB+voiceAbove {
		return false, nil
	}
	sound, err := l.Mono(c, span)
	return err == nil && measure.RMSDB(pcm.Block{sound}) > w.PeakDB-12, err
}

// standsDB is how far a voice stands above the background where it is really there.
const standsDB = 9.0

// stands tells whether a voice is really there at the edge, and not only the last of its decay: 22 ms on each side, 3
// ms away from it, stand above the background by standsDB in one of the bands of speech.
func (l *look) stands(c *scene.Clip, r *meter.Surroundings, edge int64) (bool, error) {
	background := r.Colour
	for _, from := range []int64{edge - l.Samples(25), edge + l.Samples(3)} {
		span := pcm.Span{From: from, To: from + l.Samples(22)}
		sound, err := l.Mono(c, span)
		if err != nil {
			return false, err
		}
		now := measure.ColourOf(pcm.Block{sound}, []pcm.Span{{To: span.Len()}}, l.Rate())
		highest := math.Inf(-1)
		for b := range now.Powers {
			if now.Centres[b] < 200 {
				continue
			}
			if above := level.OfPower((now.Powers[b] + 1e-14) / (background.Powers[b] + 1e-14)); above > highest {
				highest = above
			}
		}
		if highest < standsDB {
			return false, nil
		}
	}
	return true, nil
}

const tightenMS = 2000

// goesOn tells whether a voice runs through the seam: what the outgoing recording would have said next sounds like what
// the incoming one says, and what the incoming one said just before like what the outgoing one says. Their
// third-octaves and their levels differ by less than alikeDB in both places. What was taken out of the middle of a
// word, or put in twice, up to tightenMS of one recording, is an editor's wish.
func (l *look) goesOn() (bool, error) {
	const alikeDB = 6.0
	if apart := (l.right.In + l.r.At - l.right.Start) - (l.left.In +
		l.r.At - l.left.Start); l.left.Source == l.right.Source &&
		max(apart, -apart) < l.Samples(tightenMS) {
		return true, nil
	}
	for _, span := range []pcm.Span{{From: l.r.At - l.Samples(45), To: l.r.At},
		{From: l.r.At, To: l.r.At + l.Samples(45)}} {
		var c [2]measure.Colour
		var db [2]float64
		for i, clip := range []*scene.Clip{l.left, l.right} {
			mono, err := l.Mono(clip, span)
			if err != nil {
				return false, err
			}
			sound := pcm.Block{mono}
			c[i], db[i] = measure.ColourOf(sound, []pcm.Span{{To: span.Len()}}, l.Rate()), measure.RMSDB(sound)
		}
		if measure.ColourStepDB(c[0], c[1], -90) > alikeDB || math.Abs(db[1]-db[0]) > alikeDB {
			return false, nil
		}
	}
	return true, nil
}

// WordsBeside returns the words and breaths of the outgoing and the incoming recording around a seam, with the pitched
// part of each word.
func WordsBeside(ctx context.Context, m *meter.Meter, s Seam) (out [2][]speech.Part, err error) {
	for i, id := range []scene.ClipID{s.Left, s.Right} {
		out[i] = []speech.Part{}
		t, c := m.Scene.Clip(id)
		if c == nil || t.Purpose != scene.ForDialogue {
			continue
		}
		r, err := Beside(ctx, m, c, s, i == 1)
		if err != nil {
			return out, err
		}
		out[i] = append(out[i], r.Stretches...)
	}
	return out, nil
}

// CoveredWords says which words a blend covers, and by which lean it would not.
func CoveredWords(m *meter.Meter, s Seam, words [2][]speech.Part) []string {
	list := []string{}
	if s.Kind != Cut || !s.Blend {
		return list
	}
	t := m.Scene.Track(s.Track)
	reachBefore, reachAfter := m.Scene.Reach(t, t.Clips[s.index], t.Clips[s.index+1])
	length := s.To - s.From
	instead := func(before, after int64) string {
		if before < 0 || after < 0 || before > reachBefore || after > reachAfter {
			return "no lean of this length would leave it whole"
		}
		return fmt.Sprintf(
			"with %s before the cut and %s after it, it would not",
			m.LengthWords(before),
			m.LengthWords(after),
		)
	}
	for _, w := range words[1] {
		if w.Kind == speech.Word && w.Span.From > s.From && w.Span.From < s.To-m.Samples(3) {
			after := max(0, w.Span.From-s.At)
			list = append(
				list,
				fmt.Sprintf(
					"The blend covers the first %s of a word of %s; %s.",
					m.LengthWords(s.To-w.Span.From),
					s.RightName,
					instead(length-after, after),
				),
			)
			break
		}
	}
	for _, w := range slices.Backward(words[0]) {
		if w.Kind == speech.Word && w.Span.To < s.To && w.Span.To > s.From+m.Samples(3) {
			before := max(0, s.At-w.Span.To)
			list = append(
				list,
				fmt.Sprintf(
					"The blend covers the last %s of a word of %s; %s.",
					m.LengthWords(w.Span.To-s.From),
					s.LeftName,
					instead(before, length-before),
				),
			)
			break
		}
	}
	return list
}
