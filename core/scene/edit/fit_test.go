package edit_test

import (
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/scenetest"
)

// All that lies on the sound of a clip goes along when it is fitted: lulls, points of its line, words, marked
// stretches; its place stays, what follows stays, and taken off again all is as it was.
func TestWhatLiesOnASoundGoesAlongWhenItIsFitted(t *testing.T) {
	s := takes(t)
	id := s.Tracks[1].Clips[0].ID
	_, c := s.Clip(id)
	fade := new(int64(480))
	s = scenetest.Must(t, s,
		&edit.SetStretch{Source: c.Source, Name: "cough", From: c.In + 48000, To: c.In + 72000},
		&edit.SetSpeech{Words: map[string][]pcm.Span{c.Source: {{From: c.In + 48000, To: c.In + 96000}}}},
		&edit.AddLull{Clip: id, From: c.Start + 48000, To: c.Start + 72000, FadeIn: fade, FadeOut: fade},
		&edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: c.In + 24000, DB: -3}, {At: c.In + 120000, DB: 2}}},
	)
	_, c = s.Clip(id)
	// the first second as it is, the next in half a second, the rest as it is
	part := timing.Part{From: c.In + 48000, To: c.In + 96000, Length: 24000, Kind: timing.Words}
	after := scenetest.Must(t, s, &edit.Fit{Clip: id, Parts: []timing.Part{part}, Unlink: true})
	_, now := after.Clip(id)
	src := after.Sources[now.Source]
	switch {
	case now.Start != c.Start || now.Length != c.Length-24000 || now.In != c.In || now.Link != "":
		t.Errorf("the clip is %+v", now)
	case now.Level[0].At != c.In+24000 || now.Level[1].At != c.In+96000:
		t.Errorf("its line is %+v", now.Level)
	case now.Lulls[0].From != c.In+48000 || now.Lulls[0].To != c.In+60000 || now.Lulls[0].FadeIn != 480:
		t.Errorf("its lull is %+v", now.Lulls)
	case src.Stretches[0].To != c.In+60000 || src.Speech.Words[0] != (pcm.Span{From: c.In + 48000, To: c.In + 72000}):
		t.Errorf("its source is %+v, words %+v", src, src.Speech)
	case src.Samples != s.Sources[c.Source].Samples-24000:
		t.Errorf("the source has %d samples", src.Samples)
	}
	if got := scene.FitSpan(after, now); got != (pcm.Span{From: c.In, To: c.In + c.Length}) {
		t.Errorf("it shows %v of its recording", got)
	}
	if next, was := after.Tracks[1].Clips[1], s.Tracks[1].Clips[1]; next.Start != was.Start {
		t.Errorf("what follows moved to %d", next.Start)
	}
	// a range of it alone, beside what is fitted already
	other := timing.Part{From: c.In, To: c.In + 24000, Length: 20000, Kind: timing.Pause}
	both := scenetest.Must(t, after, &edit.Fit{Clip: id, From: c.In, To: c.In + 24000, Parts: []timing.Part{other}})
	if _, now := both.Clip(id); now.Length != c.Length-28000 || len(scene.FitOf(both, now.Source).Parts) != 2 {
		t.Errorf("with two fitted stretches it is %+v", now)
	}
	own := scenetest.Must(t, both, &edit.Fit{Clip: id})
	_, again := own.Clip(id)
	if again.Source != c.Source || again.In != c.In || again.Length != c.Length || again.Lulls[0] != c.Lulls[0] ||
		again.Level[1] != c.Level[1] {
		t.Errorf("at its own length again it is %+v, was %+v", again, c)
	}
}
