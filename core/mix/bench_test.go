package mix

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
)

// seekBuffer is a file in memory, written by seeking and read anywhere.
type seekBuffer struct {
	b  []byte
	at int64
}

func (s *seekBuffer) Write(p []byte) (int, error) {
	if n := s.at + int64(len(p)); n > int64(len(s.b)) {
		s.b = append(s.b, make([]byte, n-int64(len(s.b)))...)
	}
	copy(s.b[s.at:], p)
	s.at += int64(len(p))
	return len(p), nil
}

func (s *seekBuffer) Seek(to int64, from int) (int64, error) {
	s.at = to
	return to, nil
}

func (s *seekBuffer) ReadAt(p []byte, at int64) (int, error) { return copy(p, s.b[at:]), nil }

// eight is a scene of eight stereo tracks of a minute, one clip each.
func eight(b *testing.B) (*scene.Scene, Open) {
	const n = 48000 * 60
	s := scene.New("bench", timecode.F25, 48000)
	files := map[string]*wav.Reader{}
	for k := range 8 {
		rng := rand.New(rand.NewPCG(uint64(k), 1))
		block := pcm.NewBlock(2, n)
		for _, ch := range block {
			for i := range ch {
				ch[i] = rng.Float64()*0.2 - 0.1
			}
		}
		e := pcm.Encoder{Format: pcm.Format{Rate: 48000, Channels: 2, Bits: 24}}
		raw := make([]byte, e.Size(n))
		e.Encode(raw, block, 0)
		var file seekBuffer
		w, _ := wav.NewWriter(&file, e.Format, nil)
		w.Write(raw)
		w.Close()
		id := fmt.Sprint(k)
		files[id], _ = wav.NewReader(&file, int64(len(file.b)))
		s.Sources[id] = scene.Source{ID: id, Samples: n}
		s.Tracks = append(
			s.Tracks,
			&scene.Track{
				ID:    scene.TrackID(id),
				Kind:  scene.Sound,
				Clips: []scene.Clip{{ID: scene.ClipID(id), Source: id, Length: n}},
			},
		)
	}
	return s, func(src scene.Source) (pcm.ReaderAt, error) { return files[src.ID], nil }
}

var stereo24 = pcm.Encoder{Format: pcm.Format{Rate: 48000, Channels: 2, Bits: 24}}

func BenchmarkExportEightStereoTracks24Bit(b *testing.B) {
	s, open := eight(b)
	m, err := New(s, open, Options{})
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(8 * s.Length() * 6)
	for b.Loop() {
		if _, err := m.Export(context.Background(), pcm.Span{To: s.Length()}, stereo24, io.Discard, nil); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkExportEightStemsAndTheirMix24Bit(b *testing.B) {
	s, open := eight(b)
	m, err := New(s, open, Options{})
	if err != nil {
		b.Fatal(err)
	}
	var groups [][]scene.TrackID
	for _, t := range s.Tracks {
		groups = append(groups, []scene.TrackID{t.ID})
	}
	b.SetBytes(8 * s.Length() * 6)
	for b.Loop() {
		var outputs []*Output
		for i := range len(groups) + 1 {
			outputs = append(outputs, &Output{Part: i, To: io.Discard, Encoder: stereo24})
		}
		if err := m.ExportAll(context.Background(), pcm.Span{To: s.Length()}, m.Stems(groups), outputs, nil); err != nil {
			b.Fatal(err)
		}
	}
}
