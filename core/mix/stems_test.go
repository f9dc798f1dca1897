package mix_test

import (
	"bytes"
	"context"
	"math"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// Stems of a scene, one a track and in groups, are rendered with the mix in one go: the mix is the bits that it is
// alone, each stem what its only track is alone, and files of 32 bits float add to it within 1e-6.
func TestStemsAddToTheMix(t *testing.T) {
	s, open := busy(t)
	span := pcm.Span{From: 1234, To: s.Length() + 77}
	var single [][]scene.TrackID
	var group []scene.TrackID
	for i, track := range s.Tracks {
		if track.Kind != scene.Sound {
			continue
		}
		single = append(single, []scene.TrackID{track.ID})
		if i%2 == 0 {
			group = append(group, track.ID)
		}
	}
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	whole := render(t, s, open, mix.Options{}, span)
	float := pcm.Encoder{Format: pcm.Format{Rate: int(s.SampleRate), Channels: s.Channels, Bits: 32, Float: true}}
	for _, groups := range [][][]scene.TrackID{single, {group, single[1]}, {group}} {
		files := make([]bytes.Buffer, len(groups)+1)
		var outputs []*mix.Output
		for i := range files {
			outputs = append(outputs, &mix.Output{Part: i, Encoder: float, To: &files[i]})
		}
		if err := m.ExportAll(context.Background(), span, m.Stems(groups), outputs, nil); err != nil {
			t.Fatal(err)
		}
		parts := make([]pcm.Block, len(files))
		for i := range files {
			parts[i] = pcm.NewBlock(s.Channels, span.Len())
			pcm.Decode(parts[i], files[i].Bytes(), float.Format)
		}
		outside.Same(t, "the mix beside its stems", as32(whole), parts[0])
		for i, g := range groups {
			if len(g) == 1 {
				outside.Same(t, "a track's stem", parts[i+1], as32(render(t, s, open, mix.Options{Track: g[0]}, span)))
			}
		}
		if len(groups) < len(single) {
			continue
		}
		for c := range parts[0] {
			for i, want := range parts[0][c] {
				sum := 0.0
				for _, p := range parts[1:] {
					sum += p[c][i]
				}
				if d := math.Abs(sum - want); d > 1e-6 {
					t.Fatalf("at %d stems add to %g, the mix is %g", i, sum, want)
				}
			}
		}
	}
}

// What is done to an output before it is encoded is done to it alone, and one channel is the mean of two.
func TestOutputsAreTreatedEachForItself(t *testing.T) {
	s, open := busy(t)
	span := pcm.Span{To: s.Length()}
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	float := pcm.Encoder{Format: pcm.Format{Rate: int(s.SampleRate), Channels: 1, Bits: 64, Float: true}}
	var half, full bytes.Buffer
	outputs := []*mix.Output{
		{Encoder: float, To: &half, Treat: func(b pcm.Block, _ int64) {
			for _, ch := range b {
				for i := range ch {
					ch[i] /= 2
				}
			}
		}},
		{Encoder: float, To: &full},
	}
	if err := m.ExportAll(context.Background(), span, nil, outputs, nil); err != nil {
		t.Fatal(err)
	}
	a, b := pcm.NewBlock(1, span.Len()), pcm.NewBlock(1, span.Len())
	pcm.Decode(a, half.Bytes(), float.Format)
	pcm.Decode(b, full.Bytes(), float.Format)
	whole := render(t, s, open, mix.Options{}, span)
	for i := range b[0] {
		mean := whole[0][i]/2 + whole[1][i]/2
		if math.Abs(b[0][i]-mean) > 1e-15 || a[0][i] != b[0][i]/2 {
			t.Fatalf("at %d: %g and %g, the mean is %g", i, a[0][i], b[0][i], mean)
		}
	}
}
