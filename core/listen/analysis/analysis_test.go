package analysis_test

import (
	"bytes"
	"context"
	"errors"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
	"blendseam/internal/roomtest"
)

func analysed(t testing.TB, r pcm.ReaderAt) *analysis.Recording {
	t.Helper()
	a, err := analysis.Analyze(t.Context(), r)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func frames(t testing.TB, a *analysis.Recording, s pcm.Span) analysis.Frames {
	t.Helper()
	f, err := a.Frames(s)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// The loudness of all frames together is that of the recording, as ffmpeg's ebur128 (libebur128) measures it.
func TestTheLoudnessOfFramesIsThatOfEbur128(t *testing.T) {
	words := roomtest.Words(t)
	sound := room.Kinds[0].Sound(40*rate, rate, 2, 9)
	for i, w := range words[:min(8, len(words))] {
		for k, v := range w {
			sound[0][(1+4*i)*rate+k] += v
			sound[1][(1+4*i)*rate+k] += v / 2
		}
	}
	a := analysed(t, pcm.Memory{Rate: rate, Sound: sound})
	f := frames(t, a, pcm.Span{To: a.Length})
	var blocks []float64
	for at := 0; at+40 <= f.Count; at += 10 {
		sum := 0.0
		for _, v := range f.Loud[at : at+40] {
			sum += float64(v) / 40
		}
		blocks = append(blocks, sum)
	}
	file := filepath.Join(t.TempDir(), "a.wav")
	write(t, file, sound)
	out := outside.Run(t, "ffmpeg", "-nostats", "-i", file, "-af", "ebur128", "-f", "null", "-")
	found := regexp.MustCompile(`I:\s+(-?[\d.]+) LUFS`).FindAllStringSubmatch(out, -1)
	want, _ := strconv.ParseFloat(found[len(found)-1][1], 64)
	if got := measure.IntegratedLUFS(blocks); math.Abs(got-want) > 0.11 {
		t.Errorf("%.2f LUFS, ffmpeg says %.1f", got, want)
	}
}

func write(t testing.TB, file string, b pcm.Block) {
	t.Helper()
	out, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	defer out.Close()
	f := pcm.Format{Rate: rate, Channels: len(b), Bits: 32, Float: true}
	w, err := wav.NewWriter(out, f, nil)
	if err != nil {
		t.Fatal(err)
	}
	e := pcm.Encoder{Format: f}
	raw := make([]byte, e.Size(b.Len()))
	e.Encode(raw, b, 0)
	if _, err := w.Write(raw); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
}

// White noise has in each third-octave of IEC 61260-1 the share of its power that the band has of all frequencies.
func TestTheBandsOfWhiteNoiseAreAsWideAsTheStandardSays(t *testing.T) {
	noise := outside.Filter(t, 1, "anoisesrc=d=30:r=48000:a=0.1:c=white:s=3")
	a := analysed(t, pcm.Memory{Rate: rate, Sound: noise})
	f := frames(t, a, pcm.Span{To: a.Length})
	sums := make([]float64, analysis.Bands)
	for i := range f.Count {
		for b, p := range f.Of(i) {
			sums[b] += float64(p) / float64(f.Count)
		}
	}
	power := level.Power(measure.RMSDB(noise))
	for b, hz := range measure.ThirdOctaves(125, 8000) {
		share := hz * (math.Pow(10, 0.05) - math.Pow(10, -0.05)) / (rate / 2)
		// Halving the rate by means of two takes some of the highest bands; the lowest is narrower than a bin.
		if off := level.OfPower(
			sums[b] / (power * share),
		); math.Abs(off) > 0.6 && hz > 150 && hz < 4000 ||
			math.Abs(off) > 1.8 {
			t.Errorf("%.0f Hz: %.2f dB off", hz, off)
		}
	}
}

// Whatever was written is read again: the lists as they were, frames to a hundredth of a decibel, and a stretch alone
// as it is in the whole.
func TestWhatIsKeptIsReadByStretches(t *testing.T) {
	sound := spoken(t, 1)
	var kept bytes.Buffer
	if err := analysis.Write(t.Context(), &kept, sound, nil); err != nil {
		t.Fatal(err)
	}
	a, err := analysis.Read(bytes.NewReader(kept.Bytes()), int64(kept.Len()))
	if err != nil {
		t.Fatal(err)
	}
	again := analysed(t, sound)
	if !reflect.DeepEqual(a.Stretches, again.Stretches) || !reflect.DeepEqual(a.Quiets, again.Quiets) ||
		len(a.Stretches) < 10 ||
		len(a.Quiets) < 10 {
		t.Errorf(
			"%d words, %d quiet stretches; another time %d, %d",
			len(a.Stretches),
			len(a.Quiets),
			len(again.Stretches),
			len(again.Quiets),
		)
	}
	whole := frames(t, a, pcm.Span{To: a.Length})
	for _, s := range []pcm.Span{{From: 0, To: 4800}, {From: 31*rate + 77, To: 33 * rate}, {From: -rate, To: rate},
		{From: a.Length - rate, To: a.Length + rate}} {
		part := frames(t, a, s)
		for i := range part.Count {
			n := part.First + int64(i)
			if n < 0 || n >= int64(whole.Count) {
				continue
			}
			if part.Level[i] != whole.Level[n] || part.Loud[i] != whole.Loud[n] ||
				!reflect.DeepEqual(part.Of(i), whole.Of(int(n))) {
				t.Fatalf("frame %d of %v is another one than in the whole", n, s)
			}
			if !part.Span(i).In(s) {
				t.Errorf("frame %d lies outside %v", n, s)
			}
		}
	}
	// Tone is looked at only where it is asked for, and has the same frames there.
	tone := frames(t, analysis.AnalyzeTone(sound), pcm.Span{From: 3 * rate, To: 5 * rate})
	for i := range tone.Count {
		n := tone.First + int64(i)
		if off := level.OfPower(float64(tone.Level[i])) - level.OfPower(float64(whole.Level[n])); math.Abs(off) > 0.02 {
			t.Fatalf("frame %d is %.3f dB off", n, off)
		}
	}
	for _, bad := range [][]byte{nil, []byte("short"), kept.Bytes()[:kept.Len()-3], kept.Bytes()[:100],
		append([]byte("another version..........\n"), kept.Bytes()...)} {
		if _, err := analysis.Read(bytes.NewReader(bad), int64(len(bad))); !errors.Is(err, analysis.ErrOther) {
			t.Errorf("%d bytes are read: %v", len(bad), err)
		}
	}
}

// A long recording is looked at in pieces; what lies across the border of two is found once, whole.
func TestAWordAcrossTwoPiecesIsOne(t *testing.T) {
	word := roomtest.Words(t)[0]
	sound := room.Kinds[0].Sound(50*rate, rate, 1, 5)
	at := 30*rate - len(word)/2
	for _, from := range []int{at, 10 * rate} {
		for k, v := range word {
			sound[0][from+k] += v
		}
	}
	a := analysed(t, pcm.Memory{Rate: rate, Sound: sound})
	shape := func(from int) (spans []pcm.Span) {
		for _, s := range a.Within(pcm.Span{From: int64(from - rate/2), To: int64(from + len(word) + rate/2)}) {
			spans = append(spans, s.Span.Add(-int64(from)))
		}
		return spans
	}
	across, inside := shape(at), shape(10*rate)
	if len(across) != len(inside) {
		t.Fatalf("across the border there are %v, elsewhere %v", across, inside)
	}
	for i := range across {
		if d := across[i].From - inside[i].From; max(d, -d) > rate/50 {
			t.Errorf("stretch %d begins %d samples apart", i, d)
		}
		if d := across[i].To - inside[i].To; max(d, -d) > rate/20 {
			t.Errorf("stretch %d ends %d samples apart", i, d)
		}
	}
}

// A voice far quieter than the rest of a long recording is found all the same, where its room is as quiet.
func TestRoomsMayChangeWithinARecording(t *testing.T) {
	quiet, loud := room.Kinds[0], room.Kinds[0]
	loud.Level += 25
	sound := pcm.Block{append(quiet.Sound(25*rate, rate, 1, 1)[0], loud.Sound(25*rate, rate, 1, 2)[0]...)}
	word := roomtest.Words(t)[1]
	gain := level.Amplitude(quiet.Level + 20 - measure.RMSDB(pcm.Block{word}))
	for k, v := range word {
		sound[0][8*rate+k] += v * gain
	}
	a := analysed(t, pcm.Memory{Rate: rate, Sound: sound})
	if len(a.Within(pcm.Span{From: 8 * rate, To: int64(8*rate + len(word))})) == 0 {
		t.Error("the voice in the quiet room is not found")
	}
	for _, s := range a.Stretches {
		if s.Span.From > 26*rate {
			t.Errorf("the louder room is taken for a word: %v", s.Span)
		}
	}
}

func TestAnalysingStopsWhenToldTo(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	sound := spoken(t, 2)
	told := 0
	err := analysis.Write(ctx, &bytes.Buffer{}, sound, func(float64) {
		told++
		stop()
	})
	if !errors.Is(err, context.Canceled) || told != 1 {
		t.Errorf("%v after %d pieces", err, told)
	}
}
