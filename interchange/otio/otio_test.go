package otio

import (
	"bytes"
	"encoding/json"
	"math/big"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	"blendseam/internal/formattest"
	"blendseam/internal/scenetest"
)

func nothingThere(string) (sound, picture *big.Rat) { return nil, nil }

func byHand(t testing.TB) []byte {
	t.Helper()
	raw, err := os.ReadFile("testdata/by-hand.otio")
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

func read(t *testing.T, raw []byte) *scene.Scene {
	t.Helper()
	s, _, err := Read(raw, nothingThere)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestAFileWrittenByHand(t *testing.T) {
	s := read(t, byHand(t))
	if s.Name != "Two takes" || s.SampleRate != 48000 || s.Rate.String() != "25" || s.StartFrame != 90000 {
		t.Errorf("%s at %d Hz, %s fps from frame %d", s.Name, s.SampleRate, s.Rate, s.StartFrame)
	}
	tr := s.Tracks[0]
	if tr.Kind != scene.Sound || tr.Name != "D1" || len(tr.Clips) != 3 || len(tr.Blends) != 1 {
		t.Fatalf("track %+v", tr)
	}
	// 10 and 50 frames of 25 are 19200 and 96000 samples of 48000.
	one, two, three := tr.Clips[0], tr.Clips[1], tr.Clips[2]
	if one.In != 19200 || one.Start != 0 || one.Length != 96000 {
		t.Errorf("first clip %+v", one)
	}
	if two.In != 24000 || two.Start != 96000 || two.Length != 72001 {
		t.Errorf("second clip %+v", two)
	}
	if three.Start != 96000+72001+9600 || three.GainDB != -3.5 || three.FadeOut.Length != 5760 ||
		three.FadeOut.Curve.Shape != blend.QuarterSine {
		t.Errorf("third clip %+v", three)
	}
	if b := tr.Blends[0]; b.Before != 5760 || b.After != 3840 || b.Law != blend.ConstantGain || b.Left != one.ID ||
		b.Right != two.ID {
		t.Errorf("blend %+v", b)
	}
	if s.Sources[one.Source].URL != "one.wav" || s.Sources[two.Source].URL != "sub%20folder/two.wav" ||
		one.Source != three.Source {
		t.Errorf("sources %+v", s.Sources)
	}
}

func TestARoundTripKeepsTheSceneAndWhatIsForeign(t *testing.T) {
	first := read(t, byHand(t))
	raw, err := Write(first)
	if err != nil {
		t.Fatal(err)
	}
	second := read(t, raw)
	a, _ := json.Marshal(first)
	b, _ := json.Marshal(second)
	if string(a) != string(b) {
		t.Errorf("came back otherwise:\n%s\n%s", a, b)
	}
	for _, kept := range []string{`"reel": "A007"`, `"colour": 3`, `"take": 4`} {
		if !strings.Contains(string(raw), kept) {
			t.Errorf("%s is lost", kept)
		}
	}
}

func TestTheDemoComesBackAsItWas(t *testing.T) {
	raw, err := os.ReadFile("../../demo/kiln-night.otio")
	if err != nil {
		t.Fatal(err)
	}
	s := read(t, raw)
	again, err := Write(s)
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	json.Unmarshal(raw, &a)
	json.Unmarshal(again, &b)
	if !reflect.DeepEqual(a, b) {
		t.Error("the demo's file, read and written, differs")
	}
}

// schema is what OpenTimelineIO's published file format says of each object that is written here: its fields and the
// kinds of their values (docs "OTIO serialized schema", version 0.15; from memory). No validator of it is in the
// package registries.
var schema = map[string]map[string]string{
	"Timeline.1": {
		"name":              "string",
		"metadata":          "object",
		"global_start_time": "RationalTime.1",
		"tracks":            "Stack.1",
	},
	"Stack.1": {
		"name":         "string",
		"metadata":     "object",
		"source_range": "TimeRange.1?",
		"effects":      "array",
		"markers":      "array",
		"enabled":      "bool",
		"children":     "array",
		"color":        "any",
	},
	"Track.1": {
		"name":         "string",
		"metadata":     "object",
		"source_range": "TimeRange.1?",
		"effects":      "array",
		"markers":      "array",
		"enabled":      "bool",
		"children":     "array",
		"kind":         "string",
		"color":        "any",
	},
	"Clip.2": {
		"name":                       "string",
		"metadata":                   "object",
		"source_range":               "TimeRange.1?",
		"effects":                    "array",
		"markers":                    "array",
		"enabled":                    "bool",
		"media_references":           "object",
		"active_media_reference_key": "string",
		"color":                      "any",
	},
	"Gap.1": {
		"name":         "string",
		"metadata":     "object",
		"source_range": "TimeRange.1?",
		"effects":      "array",
		"markers":      "array",
		"enabled":      "bool",
		"color":        "any",
	},
	"Transition.1": {
		"name":            "string",
		"metadata":        "object",
		"in_offset":       "RationalTime.1",
		"out_offset":      "RationalTime.1",
		"transition_type": "string",
	},
	"ExternalReference.1": {
		"name":                   "string",
		"metadata":               "object",
		"available_range":        "TimeRange.1?",
		"available_image_bounds": "any",
		"target_url":             "string",
	},
	"TimeRange.1":    {"start_time": "RationalTime.1", "duration": "RationalTime.1"},
	"RationalTime.1": {"value": "number", "rate": "number"},
	"Marker.2": {
		"name":         "string",
		"metadata":     "object",
		"color":        "string",
		"marked_range": "TimeRange.1",
		"comment":      "string",
	},
}

func conforms(t *testing.T, at string, v any, want string) {
	t.Helper()
	optional := strings.HasSuffix(want, "?")
	want = strings.TrimSuffix(want, "?")
	if v == nil && optional || want == "any" {
		return
	}
	kind := map[string]bool{}
	switch x := v.(type) {
	case string:
		kind["string"] = true
	case bool:
		kind["bool"] = true
	case float64:
		kind["number"] = true
	case []any:
		kind["array"] = true
		for _, e := range x {
			conforms(t, at+"[]", e, e.(map[string]any)["OTIO_SCHEMA"].(string))
		}
	case map[string]any:
		name, _ := x["OTIO_SCHEMA"].(string)
		kind[name], kind["object"] = true, name == ""
		fields, known := schema[name]
		if name != "" && !known {
			t.Errorf("%s: %s is not in the schema", at, name)
		}
		for f, v := range x {
			if f == "OTIO_SCHEMA" || name == "" {
				continue
			}
			if fields[f] == "" {
				t.Errorf("%s: %s has no field %s", at, name, f)
				continue
			}
			conforms(t, at+"."+f, v, fields[f])
		}
	}
	if !kind[want] {
		t.Errorf("%s is %v, want %s", at, v, want)
	}
}

func TestWrittenFilesFollowThePublishedSchema(t *testing.T) {
	demo, err := os.ReadFile("../../demo/kiln-night.otio")
	if err != nil {
		t.Fatal(err)
	}
	for _, in := range [][]byte{byHand(t), demo} {
		raw, err := Write(read(t, in))
		if err != nil {
			t.Fatal(err)
		}
		var v any
		if err := json.Unmarshal(raw, &v); err != nil {
			t.Fatal(err)
		}
		conforms(t, "timeline", v, "Timeline.1")
	}
}

func TestMalformedFilesNameThePlace(t *testing.T) {
	good := string(byHand(t))
	for name, c := range map[string]struct{ old, new, place string }{
		"length below 0": {`"value": 72001`, `"value": -1`, "tracks/0/children/2"},
		"unknown law":    {`"law": "constant_gain"`, `"law": "wishful"`, "tracks/0/children/1"},
		"rate of 0":      {`"rate": 25, "value": 10`, `"rate": 0, "value": 10`, "tracks/0/children/0"},
		"number as text": {`"rate": 25, "value": 5}`, `"rate": 25, "value": "five"}`, "tracks/0/children/3"},
		"no recording":   {`"target_url": "one.wav",`, ``, "tracks/0/children/0"},
	} {
		bad := strings.Replace(good, c.old, c.new, 1)
		if bad == good {
			t.Fatalf("%s: nothing was replaced", name)
		}
		_, _, err := Read([]byte(bad), nothingThere)
		if err == nil || !strings.Contains(err.Error(), c.place) || strings.Contains(err.Error(), "\n") {
			t.Errorf("%s: %v, want one line that names %s", name, err, c.place)
		}
	}
	for name, bad := range map[string]string{"not JSON": "{", "another schema": `{"OTIO_SCHEMA":"Clip.1"}`,
		"nothing": "", "a list": "[]", "no tracks": `{"OTIO_SCHEMA":"Timeline.1"}`} {
		if _, _, err := Read([]byte(bad), nothingThere); err == nil {
			t.Errorf("%s was read", name)
		}
	}
}

func TestEveryLawAndShapeComesBack(t *testing.T) {
	s := read(t, byHand(t))
	clips := s.Tracks[0].Clips
	for _, law := range blend.Laws {
		for _, shape := range blend.Shapes {
			shaped := &blend.Curve{Shape: shape.Shape}
			edited, err := edit.Apply(
				s,
				&edit.SetBlend{Left: clips[0].ID, Right: clips[1].ID, Before: 1001, After: 77, Law: law.Law, CurveOut: shaped},
			)
			if err != nil {
				t.Fatal(err)
			}
			raw, err := Write(edited)
			if err != nil {
				t.Fatal(err)
			}
			got := read(t, raw).Tracks[0].Blends
			if !slices.ContainsFunc(got, func(b scene.Blend) bool {
				fading := b.CurveOut
				return b.Before == 1001 && b.After == 77 && b.Law == law.Law && fading != nil && fading.Shape == shape.Shape &&
					b.CurveIn == nil
			}) {
				t.Errorf("%s with %s came back as %+v", law.Law, shape.Shape, got)
			}
		}
	}
}

// FuzzRead feeds damaged scene files to the reader; what it takes must hold the laws of a scene and be writable.
func FuzzRead(f *testing.F) {
	f.Add(byHand(f))
	format := interchange.Format{Write: Write,
		Read: func(raw []byte, _ interchange.Hints) (*scene.Scene, []string, error) { return Read(raw, nothingThere) }}
	f.Fuzz(func(t *testing.T, raw []byte) { formattest.Feed(t, format, raw) })
}

func TestStretchesOfSourcesAreWrittenAndReadAgain(t *testing.T) {
	s := read(t, byHand(t))
	var id string
	for k, src := range s.Sources {
		if src.URL == "one.wav" {
			id = k
		}
	}
	src := s.Sources[id]
	src.Stretches = []scene.Stretch{{Name: "first word", From: 100, To: 4711}, {Name: "breath", From: 5000, To: 9601}}
	s.Sources[id] = src
	raw, err := Write(s)
	if err != nil {
		t.Fatal(err)
	}
	again := read(t, raw)
	found := false
	for _, x := range again.Sources {
		if x.URL == "one.wav" {
			found = reflect.DeepEqual(x.Stretches, src.Stretches)
		}
	}
	if !found {
		t.Errorf("read again: %+v", again.Sources)
	}
	bad := strings.Replace(string(raw), `"name": "breath",`, `"name": "",`, 1)
	if _, _, err := Read(
		[]byte(bad),
		nothingThere,
	); err == nil ||
		!strings.Contains(err.Error(), "metadata/blendseam/stretches/1: a stretch needs a name") {
		t.Errorf("a stretch without a name: %v", err)
	}
}

// hushedRoom is a room with all that one can have.
func hushedRoom() recipe.Room {
	r := scenetest.Room(9)
	r.Hush = &recipe.Hush{RoomDB: slices.Clone(r.FillDB), GainDB: make([]float64, recipe.FineBands)}
	r.Hush.GainDB[7] = -3.5
	r.Decay = &recipe.Decay{S: 0.45, LevelDB: -7}
	return r
}

// What the standard has no field for comes back as it was: level lines, accepted seams, pairs.
func TestLevelLinesAcceptedSeamsAndPairsComeBack(t *testing.T) {
	s := scene.New("more", timecode.F25, 48000)
	made := scenetest.Room(5)
	tone := scenetest.MadeFrom(
		&scene.Scene{SampleRate: 48000}, &made, recipe.Material{Source: "a.wav", From: 7, To: 96000},
	)
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a.wav", Name: "a", URL: "a.wav", Samples: 480000, Channels: 1, Offset: 4800}},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"}, &edit.AddTrack{Name: "E", Purpose: "effects"},
		&edit.Add{Track: "t1", Source: "a.wav", In: 1000, Length: 96000},
		&edit.Add{Track: "t2", Source: "a.wav", In: 100000, Start: 96000, Length: 72000},
		&edit.SetLevel{Clip: "c3", Points: []scene.LevelPoint{{At: 2000, DB: -3.5}, {At: 5000, DB: 2}}},
		&edit.SetRoom{Rooms: []recipe.Room{hushedRoom()}, Clips: map[scene.ClipID]int{"c4": 0}},
		&edit.SetRoom{Tones: []recipe.Tone{tone}, Rooms: []recipe.Room{made}, Tracks: map[scene.TrackID]int{"t1": 0}},
		&edit.Accept{Left: "c3", Sound: "abc", Note: "as it is"}, &edit.Accept{Right: "c4", Sound: "def"},
		&edit.SetPair{Out: "c3", In: "c4", From: 90000, To: 100000, Law: blend.Matched,
			CurveIn: &blend.Curve{Shape: blend.Exponential, Bend: 0.5}},
	} {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		s = next
	}
	raw, err := Write(s)
	if err != nil {
		t.Fatal(err)
	}
	back, warnings, err := Read(raw, nothingThere)
	if err != nil || len(warnings) > 0 {
		t.Fatal(err, warnings)
	}
	was, is := s.Tracks[0].Clips[0], back.Tracks[0].Clips[0]
	if !reflect.DeepEqual(was.Level, is.Level) || !reflect.DeepEqual(was.AcceptedTail, is.AcceptedTail) ||
		back.Tracks[1].Clips[0].AcceptedHead.Sound != "def" {
		t.Errorf("came back as %+v", is)
	}
	if room := s.Tracks[1].Clips[0].Room; room == nil || !room.Equal(back.Tracks[1].Clips[0].Room) ||
		back.Tracks[0].Room == nil || back.Tracks[1].Room != nil {
		t.Errorf("rooms came back as %+v and %+v", back.Tracks[1].Clips[0].Room, back.Tracks[0].Room)
	}
	room := *back.Tracks[0].Room
	of := back.Sources[room.Tone].Tone
	if room.Tone = made.Tone; !room.Equal(s.Tracks[0].Room) {
		t.Errorf("the track's room came back as %+v", room)
	}
	tone.Left = []recipe.Material{{Source: is.Source, From: 7, To: 96000}}
	if of == nil || !reflect.DeepEqual(*of, tone) {
		t.Errorf("the tone that a room is made from came back as %+v, not %+v", of, tone)
	}
	if len(back.Pairs) != 1 || back.Pairs[0].Out != is.ID || back.Pairs[0].Law != blend.Matched ||
		back.Pairs[0].CurveIn.Bend != 0.5 {
		t.Errorf("pairs %+v", back.Pairs)
	}
	for _, bad := range []string{`{"level": [{"db": 1}]}`, `{"level": [{"at": {"value": 5, "rate": 48000}, "db": 99}]}`,
		`{"room": 5}`, `{"room": {"fill_db": [1]}}`, `{"room": {"fill_db": "loud"}}`, `{"room": {"hum": [{"hz": 1e9}]}}`,
		`{"room": {"tone": 7}}`, `{"room": {"tone": {"generator_kind": "x"}}}`,
		`{"pair_out": {"with": "x", "law": "glue"}}`} {
		var tree map[string]any
		json.Unmarshal(raw, &tree)
		clip := child(tree["tracks"], 0, 0)
		var mine map[string]any
		json.Unmarshal([]byte(bad), &mine)
		clip["metadata"] = map[string]any{"blendseam": mine}
		damaged, _ := json.Marshal(tree)
		if _, _, err := Read(damaged, nothingThere); err == nil || !strings.Contains(err.Error(), "tracks/0/children/0") {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

func withURLs(s *scene.Scene) *scene.Scene {
	for id, url := range map[string]string{"s1": "one.wav", "s2": "two.wav"} {
		src := s.Sources[id]
		src.URL = url
		s.Sources[id] = src
	}
	return s
}

// Lulls, patches that follow them, and the recipes of tone come back as they were; a second writing gives the same
// bytes.
func TestLullsAndToneComeBack(t *testing.T) {
	s := withURLs(scenetest.Mixed(t, timecode.F25))
	clips := s.Tracks[1].Clips
	s = scenetest.Must(
		t,
		s,
		&edit.AddLull{Clip: clips[1].ID, From: clips[1].Start + 9000, To: clips[1].Start + 30000, DepthDB: 18},
		&edit.AddLull{Clip: clips[1].ID, From: clips[1].Start + 40000, To: clips[1].Start + 50000},
		&edit.Remove{Clips: []scene.ClipID{clips[3].ID}},
	)
	lull := s.Tracks[1].Clips[1].Lulls[0].ID
	colour := make([]float64, recipe.Bands)
	for i := range colour {
		colour[i] = -60.25 - float64(i)
	}
	mid := s.ToneMiddle()
	s = scenetest.Must(
		t,
		s,
		&edit.LayTone{
			Name:    "room",
			From:    100000,
			To:      200000,
			In:      mid,
			FadeIn:  900,
			FadeOut: 900,
			GainDB:  -1.5,
			Fills:   &scene.Hole{Clip: clips[1].ID, Lull: lull},
			Tone: recipe.Tone{
				Seed:    1<<63 + 5,
				Left:    []recipe.Material{{Source: "s2", From: 100, To: 48000}},
				Right:   []recipe.Material{{Source: "s1", To: 30000}},
				LeftDB:  colour,
				RightDB: colour,
				From:    mid,
				To:      mid + 100000,
				Phase:   -5000,
			},
		},
		&edit.LayTone{
			Name:  "bed",
			From:  300000,
			To:    500000,
			In:    mid,
			Tone:  recipe.Tone{Seed: 7, Left: []recipe.Material{{Source: "s2", From: 100, To: 48000}}},
			Fills: &scene.Hole{Clip: clips[2].ID, Next: clips[4].ID},
		},
	)
	one, err := Write(s)
	if err != nil {
		t.Fatal(err)
	}
	back := read(t, one)
	if two, err := Write(
		read(t, one),
	); err != nil ||
		!bytes.Equal(
			regexp.MustCompile(`"(id|clip|next|link)": "[a-z]*\d+"`).ReplaceAll(one, nil),
			regexp.MustCompile(`"(id|clip|next|link)": "[a-z]*\d+"`).ReplaceAll(two, nil),
		) {
		t.Errorf("written again it differs (%v)", err)
	}
	got := back.Tracks[1].Clips[1].Lulls
	if want := s.Tracks[1].Clips[1].Lulls; !slices.Equal(got, want) {
		t.Errorf("lulls %+v, want %+v", got, want)
	}
	tones := func(s *scene.Scene) []scene.Clip {
		return s.Tracks[slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.Purpose == "tone" })].Clips
	}
	for i, c := range tones(back) {
		was := tones(s)[i]
		a, b := *s.Sources[was.Source].Tone, *back.Sources[c.Source].Tone
		for _, list := range [][]recipe.Material{b.Left, b.Right} {
			for k, m := range list {
				list[k].Source = map[string]string{"one.wav": "s1", "two.wav": "s2"}[back.Sources[m.Source].URL]
			}
		}
		if !reflect.DeepEqual(a, b) {
			t.Errorf("tone %+v, was %+v", b, a)
		}
		before, _ := s.HoleSpan(*was.Fills)
		if c.Fills == nil {
			t.Fatalf("the patch %s has lost its hole", c.Name)
		}
		if now, ok := back.HoleSpan(*c.Fills); !ok || now != before || c.GainDB != was.GainDB || c.FadeIn != was.FadeIn {
			t.Errorf("its hole lies at %v, was at %v: %+v", now, before, c)
		}
	}
}

// Lulls as another hand may write them: without ids, with plain lengths, and with the depth as it is said in speech.
func TestLullsWrittenByHand(t *testing.T) {
	s := withURLs(scenetest.Mixed(t, timecode.F25))
	s = scenetest.Must(t, s, &edit.AddLull{Clip: s.Tracks[1].Clips[0].ID, From: 9600, To: 48000})
	raw, err := Write(s)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		lulls string
		want  scene.Lull
		wrong string
	}{
		{`[{"from":{"OTIO_SCHEMA":"RationalTime.1","value":1,"rate":1},"to":{"value":2,"rate":1},"depth_db":-12,` +
			`"fade_in":{"OTIO_SCHEMA":"RationalTime.1","value":4800,"rate":48000},"fade_out":{"length":{"value":1,"rate":25}}}]`,
			scene.Lull{From: 48000, To: 96000, DepthDB: 12, FadeIn: 4800, FadeOut: 1920}, ""},
		{`[{"from":{"value":1,"rate":1},"to":{"value":2,"rate":1}}]`, scene.Lull{From: 48000, To: 96000}, ""},
		{`[{"from":{"value":2,"rate":1},"to":{"value":2,"rate":1}}]`, scene.Lull{}, "lulls/0: a lull needs a length"},
		{`[{"from":{"value":2,"rate":1}}]`, scene.Lull{}, "a lull needs its start and its end"},
	} {
		var tree map[string]any
		json.Unmarshal(raw, &tree)
		clip := child(tree["tracks"], 1, 0)
		var lulls any
		if err := json.Unmarshal([]byte(c.lulls), &lulls); err != nil {
			t.Fatal(err)
		}
		clip["metadata"].(map[string]any)["blendseam"].(map[string]any)["lulls"] = lulls
		again, _ := json.Marshal(tree)
		s, _, err := Read(again, nothingThere)
		if c.wrong != "" {
			if err == nil || !strings.Contains(err.Error(), c.wrong) {
				t.Errorf("%s: %v", c.lulls, err)
			}
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		got := s.Tracks[1].Clips[0].Lulls[0]
		if got.ID == "" {
			t.Error("it has no id")
		}
		if got.ID = ""; got != c.want {
			t.Errorf("%s is read as %+v", c.lulls, got)
		}
	}
}

// child gives what lies at a path of places among children in a file that was read.
func child(of any, path ...int) map[string]any {
	for _, i := range path {
		of = of.(map[string]any)["children"].([]any)[i]
	}
	return of.(map[string]any)
}
