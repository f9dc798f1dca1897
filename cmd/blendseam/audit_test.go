package main

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/media/scenefile"
)

const demoScene = "../../demo/kiln-night.otio"

// auditJSON is what scripts rely on; pointers are figures that may be null.
type auditJSON struct {
	Track    string              `json:"track"`
	AtS      *float64            `json:"at_s"`
	AtTC     string              `json:"at_tc"`
	Kind     string              `json:"kind"`
	Left     string              `json:"left"`
	Right    string              `json:"right"`
	Verdict  string              `json:"verdict"`
	Cause    string              `json:"cause"`
	Why      string              `json:"why"`
	Accepted *string             `json:"accepted"`
	Measures map[string]*float64 `json:"measures"`
}

func auditFile(t *testing.T, path string) (code int, seams []auditJSON) {
	t.Helper()
	code, out, complaint := blendseam(t, "audit", path, "--json")
	var got struct{ Seams []auditJSON }
	if err := json.Unmarshal([]byte(out), &got); err != nil {
		t.Fatalf("%v\n%s\n%s", err, out, complaint)
	}
	return code, got.Seams
}

func TestAuditAndMendOfTheDemo(t *testing.T) {
	code, before := auditFile(t, demoScene)
	if code != exitRough || len(before) < 30 {
		t.Fatalf("exit %d, %d seams", code, len(before))
	}
	causes := map[string]int{}
	for _, s := range before {
		causes[s.Cause]++
		if s.Track == "" || s.AtS == nil || s.AtTC == "" || s.Left+s.Right == "" || s.Why == "" || s.Verdict == "" {
			t.Errorf("%+v lacks something", s)
		}
		for _, key := range []string{"click_db", "level_step_lu", "background_step_db", "colour_step_db", "dead_silence_ms",
			"blend_level_db", "correlation"} {
			if _, ok := s.Measures[key]; !ok {
				t.Errorf("the measures of %s lack %s", s.AtTC, key)
			}
		}
	}
	for _, planted := range []string{"click", "background_step", "colour_step", "dead_silence", "abrupt_end"} {
		if causes[planted] == 0 {
			t.Errorf("no %s was found in the demo: %v", planted, causes)
		}
	}
	dir := t.TempDir()
	out, table := filepath.Join(dir, "mended.otio"), filepath.Join(dir, "seams.csv")
	code, printed, complaint := blendseam(t, "mend", demoScene, "-o", out, "--json", "--csv", table)
	if code != 0 {
		t.Fatalf("exit %d: %s", code, complaint)
	}
	var done struct {
		Changes []struct {
			Track, Did    string
			AtS           float64 `json:"at_s"`
			Before, After struct{ Verdict, Cause, Why string }
		}
		Left []struct {
			Verdict string
			Left    string `json:"left_because"`
		}
	}
	if err := json.Unmarshal([]byte(printed), &done); err != nil {
		t.Fatal(err)
	}
	rank := map[string]int{"clean": 0, "audible": 1, "rough": 2}
	for _, c := range done.Changes {
		if c.Did == "" || rank[c.After.Verdict] > rank[c.Before.Verdict] {
			t.Errorf("%+v", c)
		}
	}
	for _, l := range done.Left {
		if l.Left == "" {
			t.Errorf("%+v is left without a reason", l)
		}
	}
	_, after := auditFile(t, out)
	rough := func(list []auditJSON) (n int) {
		for _, s := range list {
			if s.Verdict == "rough" {
				n++
			}
		}
		return n
	}
	if len(done.Changes) < 12 || rough(after) > rough(before)/3 {
		t.Errorf("%d changes; %d were rough, %d are", len(done.Changes), rough(before), rough(after))
	}
	for _, s := range after {
		if s.Cause == "click" || s.Cause == "dead_silence" || s.Cause == "word_cut" || s.Cause == "abrupt_end" {
			t.Errorf("%s is still %s: %s", s.AtTC, s.Verdict, s.Why)
		}
	}
	raw, err := os.ReadFile(table)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	if err != nil || len(rows) != len(before)+1 {
		t.Errorf("the table has %d rows, %v", len(rows), err)
	}
	// Length and sync stay: rendered, both are as long.
	a, b := filepath.Join(dir, "a.wav"), filepath.Join(dir, "b.wav")
	for from, to := range map[string]string{demoScene: a, out: b} {
		if code, _, complaint := blendseam(t, "render", from, "-o", to); code != 0 {
			t.Fatal(complaint)
		}
	}
	// Sound alone was moved: the picture is cut where it was, and nothing runs out of sync.
	var pictures [2][]scene.Clip
	for i, file := range []string{demoScene, out} {
		f, err := scenefile.Read(context.Background(), file)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		if off := f.Scene.Offsets(); len(off) > 0 {
			t.Errorf("%s: out of sync by %v", file, off)
		}
		for _, c := range f.Scene.Tracks[0].Clips {
			pictures[i] = append(pictures[i], scene.Clip{Start: c.Start, In: c.In, Length: c.Length})
		}
	}
	if !reflect.DeepEqual(pictures[0], pictures[1]) {
		t.Error("the picture is cut otherwise")
	}
	sa, _ := os.Stat(a)
	sb, _ := os.Stat(b)
	if sa.Size() != sb.Size() {
		t.Errorf("the mended scene renders to %d bytes, was %d", sb.Size(), sa.Size())
	}
}

func TestAuditOfACleanSceneAndOfNone(t *testing.T) {
	_, path := sceneFile(t)
	code, _, complaint := blendseam(t, "audit", filepath.Join(filepath.Dir(path), "nothing.otio"))
	if code != exitFailed || strings.Count(complaint, "\n") != 1 {
		t.Errorf("exit %d: %s", code, complaint)
	}
	if code, _, _ := blendseam(t, "audit"); code != exitUsage {
		t.Errorf("exit %d without a scene", code)
	}
	if code, _, _ := blendseam(t, "mend", path); code != exitUsage {
		t.Errorf("exit %d without -o", code)
	}
}

// A shout is no fault of the seams beside it: their verdicts stay, and it is listed by itself.
func TestPeaksAreAListOfTheirOwn(t *testing.T) {
	_, plain := sceneFile(t)
	_, before := auditFile(t, plain)
	_, path := sceneFile(t, &edit.Gain{Clips: []scene.ClipID{"c4"}, DB: 12})
	_, out, _ := blendseam(t, "audit", path, "--json")
	var got struct {
		Seams []auditJSON
		Loud  []struct {
			Kind, Track, Clip string
			AtTC              string   `json:"at_tc"`
			Peak              float64  `json:"peak_dbfs"`
			Turn              *float64 `json:"turn_db"`
		}
	}
	if err := json.Unmarshal([]byte(out), &got); err != nil || len(got.Loud) == 0 || len(got.Seams) != len(before) {
		t.Fatal(err, got)
	}
	for i, s := range append(before, got.Seams...) {
		if s.Cause == "peak" || strings.Contains(s.Why, "peak") {
			t.Errorf("seam %d at %s: %s (%s)", i, s.AtTC, s.Cause, s.Why)
		}
	}
	for _, p := range got.Loud {
		if p.Kind != "over_band" && p.Kind != "over_full" || p.Track == "" || p.Clip == "" || len(p.AtTC) != 11 ||
			p.Peak < -6 || p.Turn == nil {
			t.Errorf("%+v", p)
		}
	}
	if _, out, _ := blendseam(t, "audit", path); !strings.Contains(out, "too loud  peak") {
		t.Errorf("in words:\n%s", out)
	}
}

// What is rough and accepted does not make the audit fail, as long as it sounds as it did.
func TestAnAcceptedSeamIsNotRoughForTheAudit(t *testing.T) {
	_, path := sceneFile(t, &edit.Gain{Clips: []scene.ClipID{"c4"}, DB: 9})
	code, _ := auditFile(t, path)
	if code != exitRough {
		t.Fatalf("exit %d of a scene that stops dead", code)
	}
	accepted := filepath.Join(filepath.Dir(path), "accepted.otio")
	write := func(louder float64) (int, []auditJSON) {
		f, err := scenefile.Read(context.Background(), path)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		s := f.Scene
		var more []edit.Edit
		for _, x := range audit.Find(s) {
			more = append(more, &edit.Accept{Left: x.Left, Right: x.Right, Sound: audit.Sound(s, x), Note: "it has to be so"})
		}
		second := s.Tracks[0].Clips[1]
		more = append(more, &edit.Gain{Clips: []scene.ClipID{second.ID}, DB: second.GainDB + louder})
		for _, e := range more {
			if s, err = edit.Apply(s, e); err != nil {
				t.Fatal(edit.Message(err))
			}
		}
		if err := writeScene(s, path, accepted); err != nil {
			t.Fatal(err)
		}
		return auditFile(t, accepted)
	}
	code, seams := write(0)
	if code != 0 || seams[1].Accepted == nil || *seams[1].Accepted != "it has to be so" {
		t.Errorf("exit %d, %+v", code, seams)
	}
	if code, _ = write(-1); code != exitRough {
		t.Errorf("exit %d though the sound is another", code)
	}
}
