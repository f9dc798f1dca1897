package audit_test

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/listen/analysis"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
)

// cutAt is how surely the backgrounds of two sounds are told to be two rooms where one is cut to the other; false where
// there is too little to tell.
func cutAt(t *testing.T, left pcm.Block, to int64, right pcm.Block, from int64) (float64, bool) {
	t.Helper()
	const most = 6 * seamtest.Rate
	s := seamtest.New(t)
	first, last := max(0, to-most), min(right.Len(), from+most)
	if to-first < seamtest.Rate/10 || last-from < seamtest.Rate/10 {
		return 0, false
	}
	for name, b := range map[string]pcm.Block{"left": left, "right": right} {
		s.Sound[name] = b
		s.Do(&edit.Bring{Source: scene.Source{ID: name, Name: name, URL: name + ".wav", Samples: b.Len(), Channels: 1}})
	}
	s.Do(&edit.Add{Track: "t1", Source: "left", In: first, Start: 0, Length: to - first})
	s.Do(&edit.Add{Track: "t1", Source: "right", In: from, Start: to - first, Length: last - from})
	seams := audit.Find(s.Scene)
	cut := slices.IndexFunc(seams, func(x audit.Seam) bool { return x.Kind == audit.Cut })
	r, err := audit.Judge(context.Background(), s.Meter(), seams[cut])
	if err != nil {
		t.Fatal(err)
	}
	if r.Measures.TwoRooms == nil {
		return 0, false
	}
	if *r.Measures.TwoRooms >= 0.99 && r.Verdict == audit.Clean {
		t.Errorf("%.4f, and yet it is clean", *r.Measures.TwoRooms)
	}
	return *r.Measures.TwoRooms, true
}

// Made-up rooms: two stretches of one are hardly ever taken for two, and rooms of two kinds, or of one 4 dB apart, are.
func TestTwoRoomsAreToldFromOne(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	steady := []room.Kind{}
	for _, k := range room.Kinds {
		if k.Drops == 0 && k.Swell == 0 {
			steady = append(steady, k)
		}
	}
	sound := func(k room.Kind, db float64) pcm.Block {
		b := k.Sound(5*seamtest.Rate, seamtest.Rate, 1, r.Uint64())
		sum := 0.0
		for _, v := range b[0] {
			sum += v * v / float64(b.Len())
		}
		for i := range b[0] {
			b[0][i] *= level.Amplitude(db - level.OfPower(sum))
		}
		return b
	}
	pairs := 60
	if testing.Short() {
		pairs = 5
	}
	one, two, louder := 0, 0, 0
	count := func(n *int, left, right pcm.Block) {
		v, ok := cutAt(t, left, 4*seamtest.Rate, right, seamtest.Rate)
		if !ok {
			t.Fatal("nothing is told")
		}
		if v >= 0.99 {
			*n++
		}
	}
	for i := range pairs {
		k, o := steady[i%len(steady)], steady[(i+1)%len(steady)]
		count(&one, sound(k, -55), sound(k, -55))
		count(&two, sound(k, -55), sound(o, -55))
		count(&louder, sound(k, -55), sound(k, -51))
	}
	if one > pairs/60 || two < pairs*9/10 || louder < pairs*9/10 {
		t.Errorf("of %d pairs: one room taken for two %d times; two told %d times, one 4 dB louder %d times",
			pairs, one, two, louder)
	}
}

// Pauses of real recordings that were never cut are called different at most once in 100; cuts from one recording to
// another nearly always.
func TestPausesOfRealRecordingsAreOneRoom(t *testing.T) {
	type recording struct {
		sound  pcm.Block
		pauses []int64
	}
	var all []recording
	for _, f := range outside.Rooms(t) {
		r := recording{sound: outside.Decode(t, f, 1, "-ac", "1", "-ar", "48000")}
		a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: seamtest.Rate, Sound: r.sound})
		if err != nil {
			t.Fatal(err)
		}
		at := int64(0)
		pause := func(to int64) {
			if to-at > seamtest.Rate*6/10 {
				r.pauses = append(r.pauses, (at+to)/2)
			}
		}
		for _, w := range a.Stretches {
			pause(w.Span.From)
			at = max(at, w.Span.To)
		}
		pause(r.sound.Len())
		all = append(all, r)
	}
	uncut, called, others, told := 0, 0, 0, 0
	for i, r := range all {
		for k, at := range r.pauses {
			if v, ok := cutAt(t, r.sound, at, r.sound, at); ok {
				uncut++
				if v >= 0.99 {
					called++
				}
			}
			o := all[(i+1+k)%len(all)]
			if len(o.pauses) == 0 || i == (i+1+k)%len(all) {
				continue
			}
			if v, ok := cutAt(t, r.sound, at, o.sound, o.pauses[k%len(o.pauses)]); ok {
				others++
				if v >= 0.99 {
					told++
				}
			}
		}
	}
	t.Logf("uncut: %d of %d called different; cuts between two: %d of %d", called, uncut, told, others)
	if uncut < 30 || called*100 > uncut || told*10 < others*8 {
		t.Errorf("uncut: %d of %d called different; cuts between two: %d of %d", called, uncut, told, others)
	}
}
