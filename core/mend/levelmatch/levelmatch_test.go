package levelmatch_test

import (
	"context"
	"encoding/binary"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/mend/levelmatch"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

var integrated = regexp.MustCompile(`I:\s+(-?[\d.]+) LUFS`)

// lufs is the loudness of a sound as ffmpeg's ebur128 (libebur128) says.
func lufs(t *testing.T, sound []float64) float64 {
	t.Helper()
	file := filepath.Join(t.TempDir(), "voice.f64")
	raw := make([]byte, 0, 8*len(sound))
	for _, v := range sound {
		raw = binary.LittleEndian.AppendUint64(raw, math.Float64bits(v))
	}
	if err := os.WriteFile(file, raw, 0o600); err != nil {
		t.Fatal(err)
	}
	out := outside.Run(t, "ffmpeg", "-nostats",
		"-f", "f64le", "-ar", "48000", "-ac", "1", "-i", file, "-af", "ebur128", "-f", "null", "-")
	found := integrated.FindAllStringSubmatch(out, -1)
	if len(found) == 0 {
		t.Fatalf("ebur128 says %s", out)
	}
	v, err := strconv.ParseFloat(found[len(found)-1][1], 64)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// voiced lays voices one after the other, each 0 to 20 dB softer than it was recorded and 10 to 30 dB over a room, and
// gives them as they are without it.
func voiced(t *testing.T, voices [][]float64, seed uint64) (s *seamtest.Studio, clean [][]float64) {
	t.Helper()
	s = seamtest.New(t)
	r := rand.New(rand.NewPCG(seed, 4))
	kinds := roomtest.All()
	at := 0.0
	for i, v := range voices {
		by := level.Amplitude(-20 * r.Float64())
		own := make([]float64, len(v)+4*rate)
		for k, x := range v {
			own[2*rate+k] = by * x
		}
		clean = append(clean, own)
		sound := kinds[i%len(kinds)].Sound(int64(len(own)), rate, 1, uint64(i))[0]
		over := measure.RMSDB(pcm.Block{own[2*rate : 2*rate+len(v)]}) - measure.RMSDB(pcm.Block{sound}) - 10 - 20*r.Float64()
		for k := range sound {
			sound[k] = own[k] + level.Amplitude(over)*sound[k]
		}
		s.Lay("voice "+strconv.Itoa(i), pcm.Block{sound}, at)
		at = (float64(s.Scene.Length()) + 0.5) / rate
	}
	return s, clean
}

// off counts the voices whose words are not within 0.5 LU of the target in the end, as ebur128 says of the voice alone.
func off(t *testing.T, voices [][]float64, seed uint64) (count int) {
	t.Helper()
	s, clean := voiced(t, voices, seed)
	target := -24.0
	p, err := levelmatch.NewPlan(context.Background(), s.Meter(), levelmatch.Options{LUFS: &target}, 2)
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Voices) != len(voices) {
		t.Errorf("%d of %d voices are measured; too short: %v", len(p.Voices), len(voices), p.Short)
	}
	for _, v := range p.Voices {
		n, _ := strconv.Atoi(strings.TrimPrefix(v.Name, "voice "))
		if d := lufs(t, clean[n]) + v.GainDB - target; math.Abs(d) > 0.5 {
			t.Logf("%s: %+.2f LU from the target, by %+.1f dB", v.Name, d, v.GainDB)
			count++
		}
	}
	return count
}

// Real voices (Debian's alsa-utils) over rooms end at one loudness.
func TestVoicesEndAtOneLoudness(t *testing.T) {
	if n := off(t, roomtest.Words(t), 1); n > 0 {
		t.Errorf("%d voices are off", n)
	}
}

// The same of 60 voices of many languages (Debian's klettres-data), some of each speaker's words together.
func TestSixtyVoicesEndAtOneLoudness(t *testing.T) {
	files := outside.ManyVoices(t)
	r := rand.New(rand.NewPCG(3, 9))
	var voices [][]float64
	for len(voices) < 60 {
		k := r.IntN(len(files) - 6)
		var v []float64
		for _, f := range files[k : k+6] {
			if filepath.Dir(f) == filepath.Dir(files[k]) {
				v = append(append(v, outside.Decode(t, f, 1, "-ac", "1", "-ar", "48000")[0]...), make([]float64, rate/4)...)
			}
		}
		if len(v) > 3*rate && measure.RMSDB(pcm.Block{v}) > -40 {
			voices = append(voices, v)
		}
	}
	n := off(t, voices, 2)
	t.Logf("%d of %d are off", n, len(voices))
	if n > len(voices)/20 {
		t.Errorf("%d of %d are off", n, len(voices))
	}
}

// The median of what there is, what is turned up too far, peaks that would pass the band, and what cannot be.
func TestWhatIsProposed(t *testing.T) {
	s := seamtest.New(t)
	word := roomtest.Words(t)[0]
	at := 0.0
	for i, db := range []float64{-24, -20, -18, -6, 0} {
		sound := make([]float64, len(word)+2*rate)
		for k, v := range word {
			sound[rate+k] = v * level.Amplitude(db)
		}
		s.Lay([]string{"far", "soft", "middle", "near", "loud"}[i], pcm.Block{sound}, at)
		at = (float64(s.Scene.Length()) + 0.5) / rate
	}
	p, err := levelmatch.NewPlan(context.Background(), s.Meter(), levelmatch.Options{}, 1)
	if err != nil {
		t.Fatal(err)
	}
	want := []float64{6, 2, 0, -12, -18}
	for i, v := range p.Voices {
		if math.Abs(v.GainDB-want[i]) > 0.11 {
			t.Errorf("%s is turned by %+.1f dB, not by %+.0f", v.Name, v.GainDB, want[i])
		}
	}
	if p.TargetLUFS != p.Voices[2].WasLUFS {
		t.Errorf("the target is %.1f LUFS, the one in the middle has %.1f", p.TargetLUFS, p.Voices[2].WasLUFS)
	}
	after, err := edit.Apply(s.Scene, p.Edit)
	if err != nil {
		t.Fatal(err)
	}
	if c := after.Tracks[0].Clips[4]; math.Abs(c.GainDB+18) > 0.11 {
		t.Errorf("the loud one has a gain of %+.1f dB", c.GainDB)
	}
	high := p.Voices[3].WasLUFS
	if p, err = levelmatch.NewPlan(context.Background(), s.Meter(), levelmatch.Options{LUFS: &high}, 1); err != nil {
		t.Fatal(err)
	}
	if v := p.Voices[0]; v.Ticked || !strings.Contains(v.Why, "starts to sound wrong") {
		t.Errorf("turned up by %.1f dB: %+v", v.GainDB, v)
	}
	higher := p.Voices[4].WasLUFS + 3
	if p, err = levelmatch.NewPlan(context.Background(), s.Meter(), levelmatch.Options{LUFS: &higher}, 1); err != nil {
		t.Fatal(err)
	}
	if v := p.Voices[4]; !v.Ticked || !strings.Contains(v.Why, "its peaks would reach") {
		t.Errorf("peaks of %.1f dBFS turned up by %.1f dB: %+v", v.PeakDBFS, v.GainDB, v)
	}
	bad := 3.0
	for _, w := range []levelmatch.Options{{LUFS: &bad}, {Span: pcm.Span{From: 99 * rate, To: 100 * rate}}} {
		if _, err := levelmatch.NewPlan(context.Background(), s.Meter(), w, 1); err == nil {
			t.Errorf("%+v is met", w)
		}
	}
}
