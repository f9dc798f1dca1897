package export_test

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/export"
	"blendseam/interchange"
	"blendseam/internal/outside"
	"blendseam/internal/scenetest"
	"blendseam/media"
)

// everything is a scene of real voices with all that a list does not carry: lulls, filters, level lines, treatments,
// tone, and a track with gain, balance and ducking; with blends of all laws, fades and a pair across tracks.
func everything(t *testing.T) (*scene.Scene, *meter.Sources) {
	t.Helper()
	const rate = 48000
	s := scene.New("everything", timecode.F25, rate)
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.AddTrack{Name: "M", Purpose: scene.ForMusic}, &edit.AddTrack{Name: "D2", Purpose: scene.ForDialogue})
	at := int64(0)
	for i, v := range outside.Voices(t)[:3] {
		id, n := string(rune('a'+i)), outside.Decode(t, v, 1).Len()
		words := []pcm.Span{{From: 20000, To: n - 20000}}
		s = scenetest.Must(t, s,
			&edit.Bring{Source: scene.Source{ID: id, Name: id, URL: v, Samples: n, Channels: 1,
				Speech: &scene.Speech{Words: words}}},
			&edit.Add{Track: "t1", Source: id, In: 12000, Start: at, Length: n - 24000},
			&edit.Add{Track: "t2", Source: id, In: 8000, Start: at, Length: n - 24000})
		at += n - 24000
	}
	d, m := s.Tracks[0].Clips, s.Tracks[1].Clips
	duck := scene.NewDuck(s, []scene.TrackID{"t1"}, 6)
	gain, balance := -3.0, 0.3
	s = scenetest.Must(t, s,
		&edit.SetBlend{Left: d[0].ID, Right: d[1].ID, Before: 3000, After: 4000, Law: blend.Matched},
		&edit.SetBlend{Left: d[1].ID, Right: d[2].ID, Before: 2400, After: 2400, Law: blend.ConstantGain},
		&edit.SetBlend{Left: m[0].ID, Right: m[1].ID, Before: 6000, After: 6000, Law: blend.ConstantPower},
		&edit.AddLull{Clip: d[0].ID, From: 20000, To: 30000},
		&edit.SetLevel{Clip: d[1].ID, Points: []scene.LevelPoint{{At: 20000, DB: 0}, {At: 40000, DB: -6}}},
		&edit.SetFilters{Clips: []scene.ClipID{d[2].ID}, Filters: &eq.Filters{LowCutHz: 200}},
		&edit.SetTreatments{Clips: []scene.ClipID{d[2].ID}, Treatments: &effects.Chain{
			Compressor: &effects.Compressor{ThresholdDB: -30, Ratio: 3, AttackMS: 5, ReleaseMS: 100}}},
		&edit.SetTreatments{Tracks: []scene.TrackID{"t3"}, Treatments: &effects.Chain{
			Reverb: &effects.Reverb{Room: "living room", LevelDB: -6}}},
		&edit.Speed{Clip: m[2].ID, Times: 1, Reverse: true},
		&edit.FadeEdge{Clip: m[0].ID, Edge: scene.Head, Length: 4800, Curve: blend.Curve{Shape: blend.Straight}},
		&edit.SetTrack{Track: "t2", GainDB: &gain, Balance: &balance},
		&edit.SetDucks{Track: "t2", Ducks: []scene.Duck{duck}},
		&edit.Add{Track: "t3", Source: "a", In: 10000, Start: at - 4000, Length: 40000},
		&edit.LayTone{Name: "room", From: at + 60000, To: at + 100000, In: s.ToneMiddle(),
			Tone: recipe.Tone{Seed: 3, Left: []recipe.Material{{Source: "a", To: 9000}}}},
	)
	s = scenetest.Must(t, s, &edit.SetPair{Out: d[2].ID, In: s.Tracks[2].Clips[0].ID, From: at - 4000, To: at,
		Law: blend.ConstantPower})
	return s, meter.NewSources(func(src scene.Source) (pcm.ReaderAt, error) {
		return media.Open(context.Background(), src.URL, rate)
	}, nil)
}

// Out as a list, with what it cannot carry in recordings of its own, and in again, the scene sounds as it did, within
// 0.1 dB in every tenth of a second and both channels.
func TestWhatAListCannotCarryIsInItsRecordings(t *testing.T) {
	s, from := everything(t)
	want := sounding(t, s, from.Mix(s))
	f, err := interchange.FormatOf("x.adl")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	os.Mkdir(filepath.Join(dir, "carried"), 0o755)
	c, err := export.Carry(t.Context(), s, from, f, filepath.Join(dir, "carried"), "carried/", nil)
	if err != nil {
		t.Fatal(edit.Message(err))
	}
	if left := f.LostOf(c.Scene); len(left) > 0 {
		t.Errorf("%s still loses %+v", f.Name, left)
	}
	got := throughList(t, f, c.Scene, filepath.Join(dir, "list.adl"))
	if got.Len() != want.Len() {
		t.Fatalf("%d samples of %d", got.Len(), want.Len())
	}
	worst := furthest(want, got)
	without := furthest(want, throughList(t, f, s, filepath.Join(dir, "plain.adl")))
	t.Logf("%d recordings, at most %.4f dB apart; without them %.1f", len(c.Files), worst, without)
	if worst > 0.1 || without < 1 {
		t.Errorf("up to %.3f dB apart, without the recordings %.1f", worst, without)
	}
}

// throughList is what a scene sounds like that is written as a list, and read from there.
func throughList(t *testing.T, f interchange.Format, s *scene.Scene, path string) pcm.Block {
	t.Helper()
	raw, err := f.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	os.WriteFile(path, raw, 0o644)
	return rendered(t, path)
}

// furthest is how far two sounds are apart at most, in dB, in any tenth of a second and channel that is above -70 dBFS.
func furthest(want, got pcm.Block) (worst float64) {
	for at := int64(0); at+4800 <= min(want.Len(), got.Len()); at += 4800 {
		for ch := range want {
			a := measure.RMSDB(pcm.Block{want[ch][at : at+4800]})
			b := measure.RMSDB(pcm.Block{got[ch][at : at+4800]})
			if a > -70 {
				worst = max(worst, math.Abs(a-b))
			}
		}
	}
	return worst
}

// sounding is what a scene sounds like.
func sounding(t *testing.T, s *scene.Scene, open mix.Open) pcm.Block {
	t.Helper()
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	b := pcm.NewBlock(m.Channels(), m.Length())
	if err := m.Render(b, 0); err != nil {
		t.Fatal(err)
	}
	return b
}
