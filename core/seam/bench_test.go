package seam_test

import (
	"testing"

	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
)

// BenchmarkAuditOf500 measures a scene of 500 seams from nothing: 250 cuts on each of two dialogue tracks, over a bed.
func BenchmarkAuditOf500(b *testing.B) {
	s, open := long(b, 250)
	for b.Loop() {
		all, err := seam.All(s, open, 0)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(all)), "seams")
	}
}

// long lays so many clips of 2 to 4 s on each of two tracks, one touching the next, over a bed of tone.
func long(t testing.TB, clips int) (*scene.Scene, func(scene.Source) (pcm.ReaderAt, error)) {
	m := newMaker(t, 3)
	st := newStudio(t)
	k := m.room()
	for i := range 12 {
		id := string(rune('a' + i))
		var v []float64
		for range 4 {
			v = append(v, m.take(k, -52, 0, 0).sound...)
		}
		st.sound[id] = pcm.Block{v}
		st.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: int64(len(v)), Channels: 1}})
	}
	st.do(&scene.AddTrack{Name: "E", Purpose: "dialogue"})
	st.do(&scene.AddTrack{Name: "T", Purpose: "tone"})
	for _, track := range []*scene.Track{st.scene.Tracks[0], st.scene.Tracks[1]} {
		at := int64(0)
		for i := range clips {
			n := int64(m.between(2, 4) * rate)
			id := string(rune('a' + i%12))
			in := m.r.Int64N(st.sound[id].Len() - n - rate)
			st.do(&scene.Add{Track: track.ID, Source: id, In: in + rate/2, Start: at, Length: n})
			at += n
		}
	}
	bed := pcm.Block{m.noise(k, int(st.scene.Length()), -60)}
	st.sound["bed"] = bed
	st.do(&scene.Bring{Source: scene.Source{ID: "bed", Name: "bed", Samples: bed.Len(), Channels: 1}})
	st.do(&scene.Add{Track: st.scene.Tracks[2].ID, Source: "bed", Length: st.scene.Length()})
	return st.scene, st.open
}
