package fill_test

import (
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/mend/fill"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/seamtest"
)

// What a range covers is a gap, a lull that is there, or a lull that is to be made; where it covers nothing, what would
// work is said.
func TestWhatARangeCovers(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 5, -50), 0) // to 4 s
	s.Lay("b", seamtest.Bed(2, 5, -50), 6) // 6 to 10 s
	track := s.Scene.Tracks[0]
	a, b := track.Clips[0].ID, track.Clips[1].ID
	s.Do(&edit.AddLull{Clip: b, Lull: "u", From: 7 * rate, To: 8 * rate})
	for _, c := range []struct {
		about    string
		from, to float64
		want     scene.Hole
		first    bool
		err      string
	}{
		{"the gap", 4, 6, scene.Hole{Clip: a, Next: b}, false, ""},
		{"most of the gap and some of a clip", 3.5, 5.5, scene.Hole{Clip: a, Next: b}, false, ""},
		{"a little inside the gap", 4.5, 4.6, scene.Hole{Clip: a, Next: b}, false, ""},
		{"a stretch of the first clip", 1, 2, scene.Hole{Clip: a, Lull: "u" + scene.LullID(a) + ".48000"}, true, ""},
		{"a lull", 6.5, 7.5, scene.Hole{Clip: b, Lull: "u"}, false, ""},
		{"nothing", 20, 21, scene.Hole{}, false,
			"The range covers no gap between two clips and no clip of this track. Lay a bed under it instead."},
	} {
		span := pcm.Span{From: int64(c.from * rate), To: int64(c.to * rate)}
		h, first, err := fill.HoleIn(s.Scene, track.ID, span)
		if h != c.want || (first != nil) != c.first || (err != nil) != (c.err != "") || err != nil && err.Error() != c.err {
			t.Errorf("%s: %+v, %+v, %v", c.about, h, first, err)
		}
	}
	if _, _, err := fill.HoleIn(s.Scene, "nothing", pcm.Span{To: 1}); err == nil {
		t.Error("a track that is not there is filled")
	}
	if clip, on := fill.Covered(
		s.Scene.Tracks[0],
		pcm.Span{From: 3 * rate, To: 5 * rate},
	); clip == nil || clip.ID != a ||
		on.To != 4*rate {
		t.Errorf("%v, %v", clip, on)
	}
	for _, x := range audit.Find(s.Scene) {
		h, err := fill.HoleAt(s.Scene, x)
		switch x.Kind {
		case audit.Lull:
			if h.Lull != "u" {
				t.Errorf("at the lull: %+v", h)
			}
		case audit.GapStart, audit.GapEnd:
			if h != (scene.Hole{Clip: a, Next: b}) {
				t.Errorf("%s: %+v", x.Kind, h)
			}
		default:
			if err == nil {
				t.Errorf("%s: %+v", x.Kind, h)
			}
		}
	}
}

// A bed that hides the step between a quiet and a loud take lies no more than 3 dB over the loud one, and says by how
// much it raises each.
func TestABedAddsNoMoreNoiseThanTheLoudestTakeBears(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("quiet", seamtest.Bed(1, 5, -66), 0)
	s.Lay("loud", seamtest.Bed(2, 5, -40), 4)
	b, err := (&fill.Filler{Meter: s.Meter()}).Bed(t.Context(), pcm.Span{To: 8 * seamtest.Rate}, nil)
	if err != nil || b == nil {
		t.Fatal(b, err)
	}
	if b.LevelDB > -40+3 || !strings.Contains(b.Words, "loud, the loudest, by") {
		t.Errorf("%.1f dB, a step of %.1f left: %s", b.LevelDB, b.ThenDB, b.Words)
	}
	b, err = (&fill.Filler{Meter: s.Meter()}).Bed(t.Context(), pcm.Span{To: 3 * seamtest.Rate}, nil)
	if err != nil || b.LevelDB > -60 {
		t.Errorf("under one take alone: %+v %v", b, err)
	}
}
