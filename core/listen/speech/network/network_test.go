package network_test

import (
	"bytes"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"blendseam/core/listen/speech/network"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// Every probability of the real voices of Debian's alsa-utils, and of noise, is that of the published model in the
// reference runtime (onnxruntime-web) within 1e-4.
func TestProbabilitiesAreThoseOfTheReferenceRuntime(t *testing.T) {
	tools := filepath.Join("..", "..", "..", "..", "tools", "network")
	if _, err := os.Stat(filepath.Join(tools, "node_modules", "onnxruntime-web")); err != nil {
		t.Fatal("the reference runtime is not installed: run make tools/network/node_modules/.package-lock.json")
	}
	var sound []float32
	for _, file := range outside.Voices(t) {
		for _, v := range outside.Decode(t, file, 1, "-ar", "16000")[0] {
			sound = append(sound, float32(v))
		}
	}
	r := rand.New(rand.NewPCG(33, 1))
	for range 2 * network.Rate {
		sound = append(sound, float32(0.01*r.NormFloat64()))
	}
	var in, complaint bytes.Buffer
	_ = binary.Write(&in, binary.LittleEndian, sound)
	cmd := exec.Command("node", filepath.Join(tools, "reference.mjs"))
	cmd.Stdin, cmd.Stderr = &in, &complaint
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("%v: %s", err, complaint.String())
	}
	want := make([]float32, len(out)/4)
	if err := binary.Read(bytes.NewReader(out), binary.LittleEndian, want); err != nil {
		t.Fatal(err)
	}
	listener := network.NewListener()
	var got []float32
	for len(sound) > 0 { // in uneven pieces
		n := min(len(sound), 1+r.IntN(3000))
		got, sound = append(got, listener.Hear(sound[:n])...), sound[n:]
	}
	if len(got) != len(want) || len(want) < 400 {
		t.Fatalf("%d probabilities, want %d", len(got), len(want))
	}
	furthest, spoken := 0.0, 0
	for i := range want {
		furthest = max(furthest, math.Abs(float64(got[i]-want[i])))
		if want[i] > 0.5 {
			spoken++
		}
	}
	t.Logf("%d windows, %d of them spoken; %.2g at most apart", len(want), spoken, furthest)
	if furthest > 1e-4 || spoken < 100 {
		t.Errorf("%g apart, want 1e-4 at most, in %d spoken windows", furthest, spoken)
	}
}

// Tones up to 6.5 kHz come through any change of rate as they are, at the same moments; what lies above 9 kHz is gone.
// A stretch on its own gives the samples that it has in the whole.
func TestResamplingKeepsTonesAndMoments(t *testing.T) {
	for _, rate := range []int{8000, 11025, 16000, 22050, 44100, 48000, 96000} {
		r := network.NewResampler(rate)
		for _, hz := range []float64{100, 1000, 3000, 6500, 9500, 15000} {
			if hz > 0.43*float64(rate) {
				continue
			}
			v := make([]float64, rate)
			for i := range v {
				v[i] = math.Sin(2 * math.Pi * hz * float64(i) / float64(rate))
			}
			all := r.Between(v, 0, 0, network.Rate)
			worst := 0.0
			for n := 200; n < network.Rate-200; n++ {
				want := 0.0
				if hz < 8000 {
					want = math.Sin(2 * math.Pi * hz * float64(n) / network.Rate)
				}
				worst = max(worst, math.Abs(float64(all[n])-want))
			}
			if worst > 0.01 {
				t.Errorf("%g Hz from %d Hz: off by %g", hz, rate, worst)
			}
			from := int64(rate / 3)
			part := r.Between(v[from:], from, network.Rate/2, network.Rate/2+777)
			for i, x := range part {
				if x != all[network.Rate/2+i] {
					t.Fatalf("from %d Hz: sample %d of a stretch is %g, in the whole %g", rate, i, x, all[network.Rate/2+i])
				}
			}
		}
	}
}

func BenchmarkNetwork(b *testing.B) {
	const rate, seconds = 48000, 60
	r := rand.New(rand.NewPCG(1, 1))
	v := pcm.NewBlock(1, rate*seconds)[0]
	for i := range v {
		v[i] = 0.1 * r.NormFloat64()
	}
	for b.Loop() {
		network.NewListener().Hear(network.NewResampler(rate).Between(v, 0, 0, network.Rate*seconds))
	}
	b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "x")
}
