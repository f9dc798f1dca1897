package main

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/listen/noiseevent"
	"blendseam/core/mend"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
	"blendseam/media"
	"blendseam/media/scenefile"
)

// writeSound writes a sound as a WAV file of 32-bit float.
func writeSound(t *testing.T, path string, b pcm.Block) {
	t.Helper()
	f, err := media.Create(path, 48000, len(b), "32f", true)
	if err != nil {
		t.Fatal(err)
	}
	raw := make([]byte, f.Encoder.Size(b.Len()))
	f.Encoder.Encode(raw, b, 0)
	if _, err := f.Write(raw); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
}

// spoken is a real voice (Debian's alsa-utils) over a modelled hall, with pauses.
func spoken(t *testing.T) pcm.Block {
	b := room.Kinds[3].Sound(48000*6, 48000, 1, 4)
	for i, v := range outside.Decode(t, outside.Voices(t)[0], 1)[0] {
		if at := 48000*2 + i; at < len(b[0]) {
			b[0][at] += v * 0.3
		}
	}
	return b
}

func TestToneOfARecording(t *testing.T) {
	dir := t.TempDir()
	source, out := filepath.Join(dir, "take.wav"), filepath.Join(dir, "tone.wav")
	b := spoken(t)
	writeSound(t, source, b)
	code, stdout, stderr := blendseam(t, "tone", source, "--length", "7.25", "-o", out, "--json")
	if code != 0 {
		t.Fatal(code, stderr)
	}
	var got struct {
		Found []struct {
			FromS   float64  `json:"from_s"`
			ToS     float64  `json:"to_s"`
			LevelDB float64  `json:"level_db"`
			Reasons []string `json:"reasons"`
		}
		LengthS float64 `json:"length_s"`
		LevelDB float64 `json:"level_db"`
		Method  string
	}
	if err := json.Unmarshal([]byte(stdout), &got); err != nil {
		t.Fatal(err, stdout)
	}
	if got.LengthS != 7.25 || got.Method != "grains" || len(got.Found) == 0 || len(got.Found[0].Reasons) == 0 {
		t.Errorf("%+v", got)
	}
	for _, f := range got.Found {
		if f.FromS < 3.3 && f.ToS > 2.05 {
			t.Errorf("%.2f to %.2f s lies in the voice", f.FromS, f.ToS)
		}
	}
	built := outside.Decode(t, out, 1)
	if built.Len() != 48000*29/4 {
		t.Errorf("%d samples", built.Len())
	}
	if d := measure.RMSDB(built) - measure.RMSDB(b.Slice(0, 48000*3/2)); math.Abs(d) > 1 {
		t.Errorf("the tone is %.2f dB off the room", d)
	}
	first, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	if code, _, stderr := blendseam(t, "tone", source, "--length", "7.25", "-o", out); code != 0 {
		t.Fatal(stderr)
	}
	if second, _ := os.ReadFile(out); string(first) != string(second) {
		t.Error("the same tone is another one the second time")
	}

	writeSound(t, source, b.Slice(48000*9/4, 48000*5/2)) // nothing but voice
	code, _, stderr = blendseam(t, "tone", source, "--length", "1", "-o", filepath.Join(dir, "none.wav"))
	if _, err := os.Stat(
		filepath.Join(dir, "none.wav"),
	); code != 1 || !strings.Contains(stderr, "no stretch") || strings.Count(stderr, "\n") != 1 ||
		err == nil {
		t.Errorf("exit %d: %s", code, stderr)
	}
	if code, _, stderr = blendseam(
		t,
		"tone",
		source,
		"--length=-1",
		"-o",
		filepath.Join(dir, "none.wav"),
	); code != 1 ||
		!strings.Contains(stderr, "--length") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}

// The demo's dead silence is filled with tone, its dropped shovel is found and taken out, and a bed hides the rain's
// start.
func TestTheDemoIsFilled(t *testing.T) {
	f, err := scenefile.Read(t.Context(), "../../demo/kiln-night.otio")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	ctx := t.Context()
	m := mend.New(meter.NewMeter(f.Scene, f.Sources()))
	measured := func(sc *scene.Scene, which func(audit.Seam) bool) audit.Result {
		m := m.In(sc)
		for _, s := range audit.Find(sc) {
			if which(s) {
				r, err := audit.Judge(ctx, m.Meter, s)
				if err != nil {
					t.Fatal(err)
				}
				return r
			}
		}
		t.Fatal("no such seam")
		return audit.Result{}
	}
	apply := func(e edit.Edit) *scene.Scene {
		sc, err := edit.Apply(f.Scene, e)
		if err != nil {
			t.Fatal(err)
		}
		if sc.Length() != f.Scene.Length() {
			t.Errorf("the scene is %d samples long, was %d", sc.Length(), f.Scene.Length())
		}
		return sc
	}

	gap := measured(f.Scene, func(s audit.Seam) bool { return s.Kind == audit.GapStart && s.TrackName == "Dialogue" })
	if *gap.Measures.DeadSilenceMS < 600 {
		t.Fatalf("the demo's hole: %+v", gap)
	}
	var next scene.ClipID
	for i, c := range f.Scene.Track(gap.Track).Clips {
		if c.ID == gap.Left {
			next = f.Scene.Track(gap.Track).Clips[i+1].ID
		}
	}
	patch, err := m.Patch(ctx, scene.Hole{Clip: gap.Left, Next: next})
	if err != nil || patch == nil {
		t.Fatal(err, patch)
	}
	for _, side := range []scene.ClipID{gap.Left, next} {
		r := measured(apply(patch.Edit), func(s audit.Seam) bool {
			return s.Track == gap.Track && (s.Left == side && s.Right == "" || s.Right == side && s.Left == "")
		})
		if r.Verdict != audit.Clean || *r.Measures.DeadSilenceMS != 0 {
			t.Errorf("filled, the seam is %s: %s", r.Verdict, r.Why)
		}
	}

	found, hums, err := m.Findings(ctx, 0)
	if err != nil {
		t.Fatal(err)
	}
	if len(found) != 1 || found[0].Kind != noiseevent.Bump || found[0].ClipName != "Oda, take 2" || len(hums) == 0 {
		t.Fatalf("found %+v and %d hums", found, len(hums))
	}
	p, err := m.Stray(ctx, found[0])
	if err != nil || p.After == nil || p.After.Verdict != audit.Clean {
		t.Errorf("the shovel: %+v, %v", p, err)
	}

	rain := f.Scene.Markers[slices.IndexFunc(f.Scene.Markers,
		func(m scene.Marker) bool { return m.Name == "rain begins" })].At
	atRain := func(s audit.Seam) bool { return s.Kind == audit.Cut && s.TrackName == "Dialogue" && s.At >= rain }
	before := measured(f.Scene, atRain)
	bed, err := m.Bed(ctx, pcm.Span{To: f.Scene.Length()}, nil)
	if err != nil || bed == nil {
		t.Fatal(err, bed)
	}
	after := measured(apply(bed.Edit), atRain)
	if math.Abs(*before.Measures.BackgroundStepDB) < 5 || math.Abs(*after.Measures.BackgroundStepDB) > 2 ||
		bed.ThenDB > 1.9 ||
		bed.RiseDB <= 0 {
		t.Errorf(
			"the rain's start: %.1f dB before, %.1f dB with the bed; %+v",
			*before.Measures.BackgroundStepDB,
			*after.Measures.BackgroundStepDB,
			bed,
		)
	}
	t.Logf(
		"the rain's start: %.1f dB before, %.1f dB with the bed; %s",
		*before.Measures.BackgroundStepDB,
		*after.Measures.BackgroundStepDB,
		bed.Words,
	)
	kept, err := m.KeepWords(ctx, pcm.Span{To: f.Scene.Length()})
	if err != nil || len(kept) < 10 {
		t.Fatal(err, len(kept))
	}
	edits := []edit.Edit{bed.Edit}
	for _, k := range kept {
		edits = append(edits, k.Edit)
	}
	apply(edit.NewBatch("words kept", edits...))
}

// At 01:00:15:06 of the demo a blend by constant gain dips; by constant power it is clean, and that was not offered.
func TestEveryLawIsTriedAtTheBlendThatIsThere(t *testing.T) {
	ctx := context.Background()
	f, err := scenefile.Read(ctx, demoScene)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	at := func(sc *scene.Scene) audit.Seam {
		for _, x := range audit.Find(sc) {
			if x.Kind == audit.Cut && x.TrackName == "Dialogue" && sc.Timecode(x.At) == "01:00:15:06" {
				return x
			}
		}
		t.Fatal("the demo has no cut of dialogue at 01:00:15:06")
		return audit.Seam{}
	}
	x := at(f.Scene)
	half := f.Scene.SampleRate / 4
	gain, err := edit.Apply(f.Scene, &edit.SetBlend{
		Left: x.Left, Right: x.Right, Before: half, After: half, Law: blend.ConstantGain,
	})
	if err != nil {
		t.Fatal(edit.Message(err))
	}
	m := mend.New(meter.NewMeter(gain, f.Sources()))
	before, err := audit.Judge(ctx, m.Meter, at(gain))
	if err != nil || before.Verdict == audit.Clean {
		t.Fatal(before.Verdict, before.Why, err)
	}
	p, err := m.Propose(ctx, before)
	if err != nil || p.After == nil || !p.After.Fine() {
		t.Fatalf("%s (%s): %q, left: %s, %v", before.Verdict, before.Why, p.Did, p.Left, err)
	}
	b, ok := p.Edit.(*edit.SetBlend)
	if !ok || b.Before != half || b.After != half || b.Law == blend.ConstantGain {
		t.Errorf("%s: %+v", p.Did, p.Edit)
	}
}
