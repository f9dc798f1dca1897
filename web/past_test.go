package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
	"blendseam/store"
	"blendseam/web/commands"
	"blendseam/workspace"
)

func (c *client) edit(id string, revision int64, e any) EditAnswer {
	c.t.Helper()
	var a EditAnswer
	c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": revision, "edit": e}, 200, &a)
	return a
}

func TestAnEditIsTriedWithoutBeingDone(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	var told struct{ Words string }
	c.json(
		"POST",
		"/scenes/"+id+"/try",
		map[string]any{"edit": map[string]any{"edit": "remove", "clips": []scene.ClipID{clips[0].ID}, "close": true}},
		200,
		&told,
	)
	if !strings.HasPrefix(told.Words, clips[0].Name+" removed, closed up; scene ") {
		t.Errorf("it would do %q", told.Words)
	}
	var p struct{ Message string }
	c.json(
		"POST",
		"/scenes/"+id+"/try",
		map[string]any{
			"edit": map[string]any{
				"edit":  "trim",
				"clip":  clips[0].ID,
				"edge":  "tail",
				"to":    clips[0].Length + 9600,
				"close": true,
			},
		},
		422,
		&p,
	)
	if !strings.Contains(p.Message, "0 frames of handle at its tail, and 5 frames are needed") {
		t.Errorf("refused with %q", p.Message)
	}
	var after StateView
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &after)
	if after.Revision != state.Revision {
		t.Error("a try was kept")
	}
}

func TestARangeIsCopiedAndPastedIntoAnotherScene(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	cut := clips[1].Start
	rev := c.edit(
		id,
		state.Revision,
		map[string]any{"edit": "trim", "clip": clips[0].ID, "edge": "tail", "to": cut - 9600, "close": true},
	).Revision
	rev = c.edit(
		id,
		rev,
		map[string]any{"edit": "trim", "clip": clips[1].ID, "edge": "head", "to": cut, "close": true},
	).Revision
	c.edit(
		id,
		rev,
		map[string]any{
			"edit":   "set_blend",
			"left":   clips[0].ID,
			"right":  clips[1].ID,
			"before": 1920,
			"after":  1920,
			"law":    "constant_power",
		},
	)
	cut -= 9600
	var got struct {
		Piece json.RawMessage
		Words string
	}
	c.json("POST", "/scenes/"+id+"/piece", map[string]any{"from": cut - 4000, "to": cut + 4000}, 200, &got)
	if got.Words != "2 clips copied with 1 blend" {
		t.Errorf("it says %q", got.Words)
	}
	var less struct{ Words string }
	c.json("POST", "/scenes/"+id+"/piece", map[string]any{"from": cut - 1000, "to": cut + 4000}, 200, &less)
	if less.Words != "2 clips copied; 1 blend left out, which the range's edge runs through" {
		t.Errorf("it says %q", less.Words)
	}
	var other StateView
	to := c.newScene()
	var p struct {
		Alternatives []struct {
			Words string
			Edit  json.RawMessage
		}
	}
	c.json(
		"POST",
		"/scenes/"+to+"/edits",
		map[string]any{"revision": 0, "edit": map[string]any{"edit": "paste", "piece": got.Piece, "at": 0, "how": "over"}},
		422,
		&p,
	)
	if len(p.Alternatives) != 1 || p.Alternatives[0].Words != "add a track for dialogue and paste" {
		t.Fatalf("%+v", p)
	}
	c.edit(to, 0, p.Alternatives[0].Edit)
	c.json("GET", "/scenes/"+to+"/state", nil, 200, &other)
	if n := other.Tracks[0]; len(n.Clips) != 2 || len(n.Blends) != 1 || other.Scene.Length() != 8000 {
		t.Errorf("pasted: %+v", n)
	}
}

func TestThePastIsListedGoneToAndCompared(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clip := state.Tracks[0].Clips[1]
	a := c.edit(id, state.Revision, map[string]any{"edit": "gain", "clips": []scene.ClipID{clip.ID}, "db": -6})
	if status, raw, _ := c.do("POST", "/scenes/"+id+"/versions", map[string]string{"name": "quiet / one"}); status != 204 {
		t.Fatalf("%d %s", status, raw)
	}
	a = c.edit(id, a.Revision, map[string]any{"edit": "set_clip", "clip": clip.ID, "muted": true})
	var past struct {
		Now      int64
		Edits    []store.Past
		Versions []store.Version
	}
	c.json("GET", "/scenes/"+id+"/history", nil, 200, &past)
	n := len(past.Edits)
	if past.Now != past.Edits[n-1].Node || past.Edits[n-1].Words != clip.Name+" muted" || len(past.Versions) != 1 ||
		past.Edits[0].Words != "the scene as it began" {
		t.Fatalf("%+v", past)
	}
	var diff struct{ Differences []string }
	c.json("GET", "/scenes/"+id+"/versions/compare?from="+url.QueryEscape("quiet / one")+"&to=", nil, 200, &diff)
	if len(diff.Differences) != 1 || !strings.Contains(diff.Differences[0], clip.Name) ||
		!strings.Contains(diff.Differences[0], "muted") {
		t.Errorf("they differ in %q", diff.Differences)
	}
	var back EditAnswer
	c.json("POST", "/scenes/"+id+"/go", map[string]any{"revision": a.Revision, "version": "quiet / one"}, 200, &back)
	if back.Words != "version quiet / one brought back" || back.Redo != clip.Name+" muted" {
		t.Errorf("%+v", back)
	}
	c.json(
		"POST",
		"/scenes/"+id+"/go",
		map[string]any{"revision": back.Revision, "node": past.Edits[n-3].Node},
		200,
		&back,
	)
	if !strings.HasPrefix(back.Words, "gone to: ") {
		t.Errorf("%+v", back)
	}
	c.json("GET", "/scenes/"+id+"/versions/compare?from=nobody&to=", nil, 400, nil)
	c.json("POST", "/scenes/"+id+"/go", map[string]any{"revision": back.Revision, "node": 4711}, 404, nil)
	if status, _, _ := c.do("POST", "/scenes/"+id+"/versions", map[string]string{"name": " "}); status != 400 {
		t.Errorf("a version without a name: %d", status)
	}
	if status, raw, _ := c.do("DELETE", "/scenes/"+id+"/versions/"+url.PathEscape("quiet / one"), nil); status != 204 {
		t.Errorf("dropping the name: %d %s", status, raw)
	}
}

func TestKeysAreSetCheckedAndHandedOn(t *testing.T) {
	c := newClient(t)
	defer c.do("DELETE", "/keys", nil)
	set := func(kind string, commands map[string][]string) (int, string) {
		status, raw, _ := c.do("POST", "/keys", map[string]any{"kind": kind, "commands": commands})
		return status, string(raw)
	}
	status, raw := set(commands.FileKind, map[string][]string{"divide": {"Alt+9", "Ctrl+j"}, "blend": {}})
	if status != 200 {
		t.Fatal(status, raw)
	}
	keys := func() map[string][]string {
		var f commands.File
		c.json("GET", "/keys.json", nil, 200, &f)
		if f.Kind != commands.FileKind || len(f.Commands) != len(commands.Start) {
			t.Fatalf("the file has %d commands, kind %q", len(f.Commands), f.Kind)
		}
		return f.Commands
	}
	before := keys()
	if k := before["divide"]; len(k) != 2 || k[1] != "Ctrl+j" || len(before["blend"]) != 0 ||
		before["undo"][0] != "Ctrl+z" {
		t.Errorf("%v", before)
	}
	for _, bad := range []struct {
		kind     string
		commands map[string][]string
		says     string
	}{
		{"other", nil, "not a file of keys"},
		{commands.FileKind, map[string][]string{"undo": {"Ctrl+j"}},
			`J is on two commands, \"Divide the clip at the playhead\" and \"Undo\"`},
		{commands.FileKind, map[string][]string{"glue": {"q"}}, `There is no command \"glue\"`},
		{commands.FileKind, map[string][]string{"undo": {""}}, "is not a key"},
	} {
		if status, raw := set(bad.kind, bad.commands); status != 400 || !strings.Contains(raw, bad.says) {
			t.Errorf("%v: %d %s", bad.commands, status, raw)
		}
	}
	after := keys()
	for id := range after {
		if strings.Join(after[id], " ") != strings.Join(before[id], " ") {
			t.Errorf("what was refused changed the keys of %s", id)
		}
	}
	// The page of a scene and the keys screen have them; the file goes back in as it came; the start set comes back.
	id := c.newScene()
	for _, path := range []string{"/scenes/" + id + "/", "/keys"} {
		if _, raw, _ := c.do("GET", path, nil); !strings.Contains(string(raw), `"Ctrl+j"`) {
			t.Errorf("%s does not have the key", path)
		}
	}
	if status, raw := set(commands.FileKind, after); status != 200 {
		t.Error(status, raw)
	}
	c.json("DELETE", "/keys", nil, 200, nil)
	if k := keys()["divide"]; len(k) != 1 || k[0] != "d" {
		t.Errorf("after going back: %v", k)
	}
}

func TestTheStartSetHasEachKeyOnce(t *testing.T) {
	owner, ids := map[string]string{}, map[string]bool{}
	for _, c := range commands.Start {
		if ids[c.ID] || c.Group == "" || c.Words == "" {
			t.Errorf("command %s is there twice, or has no group or words", c.ID)
		}
		ids[c.ID] = true
		for _, k := range c.Keys {
			if owner[k] != "" {
				t.Errorf("%q is a key of %s and of %s", k, owner[k], c.ID)
			}
			owner[k] = c.ID
		}
	}
}

func TestASourceIsListenedThroughAndTakenOut(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clip := state.Tracks[0].Clips[0]
	at := "/scenes/" + id + "/sources/" + clip.Source
	rev := c.edit(
		id,
		state.Revision,
		map[string]any{"edit": "set_stretch", "source": clip.Source, "name": "word", "from": 10000, "to": 30000},
	).Revision
	status, raw, _ := c.do("GET", at+"/", nil)
	if status != 200 || !strings.Contains(string(raw), `"word"`) || !strings.Contains(string(raw), string(clip.ID)) {
		t.Errorf("its page: %d", status)
	}
	var a EditAnswer
	c.json(
		"POST",
		at+"/take",
		map[string]any{"names": []string{"word"}, "track": state.Tracks[0].ID, "at": 0, "how": "insert"},
		200,
		&a,
	)
	if !strings.HasPrefix(a.Words, "word of "+clip.Name+" taken out") || a.Revision != rev+1 {
		t.Errorf("%+v", a)
	}
	c.json(
		"POST",
		at+"/take",
		map[string]any{"names": []string{"nothing"}, "track": state.Tracks[0].ID, "at": -1},
		422,
		nil,
	)

	// The stretch as a file: the samples of the recording, as ffmpeg reads them.
	status, raw, h := c.do("GET", at+"/stretch.wav?from=10000&to=30000&name=word", nil)
	if status != 200 || !strings.Contains(h.Get("Content-Disposition"), "word.wav") {
		t.Fatalf("%d %v", status, h)
	}
	file := filepath.Join(t.TempDir(), "word.wav")
	if err := os.WriteFile(file, raw, 0o644); err != nil {
		t.Fatal(err)
	}
	got, want := outside.Decode(t, file, 1), outside.Decode(t, outside.Voices(t)[0], 1)
	if got.Len() != 20000 {
		t.Fatalf("%d samples", got.Len())
	}
	for i := range int64(20000) {
		if d := got[0][i] - want[0][10000+i]; d > 1e-6 || d < -1e-6 {
			t.Fatalf("sample %d is %g, in the recording %g", i, got[0][i], want[0][10000+i])
		}
	}
	for _, bad := range []string{"from=30000&to=10000", "from=0&to=99999999", "from=x&to=5"} {
		if status, _, _ := c.do("GET", at+"/stretch.wav?"+bad, nil); status != 400 {
			t.Errorf("%s: %d", bad, status)
		}
	}
	// Browsers ask for parts of the sound, to jump about in it.
	status, raw, _ = c.do("GET", "/media/"+clip.Source+"/sound/48000", nil, "Range", "bytes=0-3")
	if status != 206 || string(raw) != "RIFF" {
		t.Errorf("a part of the sound: %d %q", status, raw)
	}
	if status, _, _ := c.do("GET", "/media/..%2f..%2fx/sound/48000", nil); status != 404 {
		t.Errorf("outside the media folder: %d", status)
	}
}

func TestSeamsSayWhatLeadsAndWhatIsOutOfSync(t *testing.T) {
	c := newClient(t)
	s := scene.New("split", timecode.F25, 48000)
	do := func(list ...edit.Edit) {
		for _, e := range list {
			next, err := edit.Apply(s, e)
			if err != nil {
				t.Fatal(edit.Message(err))
			}
			s = next
		}
	}
	do(
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 480000, Frames: 250, Channels: 1}},
		&edit.AddTrack{Name: "P", Purpose: "picture"},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"},
		&edit.Add{
			Track:   "t2",
			Picture: "t1",
			Source:  "a",
			In:      96000,
			Length:  96000,
		},
		&edit.Add{Track: "t2", Picture: "t1", Source: "a", In: 240000, Start: 96000, Length: 96000},
	)
	clips := s.Tracks[1].Clips
	do(
		&edit.Lead{Left: clips[0].ID, Right: clips[1].ID, Frames: 7},
		&edit.Unlink{Clips: []scene.ClipID{clips[0].ID}},
		&edit.Slip{Clip: clips[0].ID, By: -5760},
	)
	id, err := c.server.Store.Create(context.Background(), s, store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	var got struct {
		Set []struct {
			Left, Right scene.ClipID
			Lead        *int64
		}
		Offsets map[scene.ClipID]int64
	}
	c.json("GET", "/scenes/"+id+"/seams", nil, 200, &got)
	found := false
	for _, x := range got.Set {
		if x.Left == clips[0].ID && x.Right == clips[1].ID {
			found = x.Lead != nil && *x.Lead == 7*1920
		}
	}
	if !found || got.Offsets[clips[0].ID] != 5760 {
		t.Errorf("%+v", got)
	}
}

func TestThePageIsToldOnlyOfSeamsThatChanged(t *testing.T) {
	c := newClient(t)
	id := ""
	{
		s := scene.New("many", timecode.F25, 48000)
		for _, e := range []edit.Edit{&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 48000 * 600,
			Channels: 1}}, &edit.AddTrack{Name: "D", Purpose: "dialogue"}} {
			s, _ = edit.Apply(s, e)
		}
		for k := range int64(40) {
			next, err := edit.Apply(
				s,
				&edit.Add{Track: "t1", Source: "a", In: 480000 + k*1920, Start: k * 96000, Length: 96000},
			)
			if err != nil {
				t.Fatal(err)
			}
			s = next
		}
		var err error
		if id, err = c.server.Store.Create(context.Background(), s, store.FirstProduction); err != nil {
			t.Fatal(err)
		}
	}
	ask := func(since int64) (a workspace.SeamAnswer) {
		c.json("GET", fmt.Sprintf("/scenes/%s/seams?since=%d", id, since), nil, 200, &a)
		return a
	}
	all := ask(0)
	if len(all.Set) != 41 || len(all.Order) != 41 || len(all.Moved) != 0 {
		t.Fatalf("at first: %d seams, %d in order, %d moved", len(all.Set), len(all.Order), len(all.Moved))
	}
	if same := ask(all.Token); len(same.Set)+len(same.Order)+len(same.Moved) != 0 || same.Token == all.Token {
		t.Errorf("nothing was done: %+v", same)
	}
	if again := ask(4711); len(again.Set) != 41 {
		t.Errorf("with a token that is not known: %d seams", len(again.Set))
	}
	// One clip 10 frames shorter, closed up: what lies far enough off has only moved.
	clip := all.Set[20].Left
	c.edit(
		id,
		0,
		map[string]any{"edit": "trim", "clip": clip, "edge": "tail", "to": all.Set[20].At - 19200, "close": true},
	)
	now := ask(all.Token)
	moved := map[audit.SeamID]bool{}
	if len(now.Moved) != 1 || now.Moved[0].By != -19200 || len(now.Order) != 0 {
		t.Fatalf("%d sets of moved seams, by %+v", len(now.Moved), now.Moved)
	}
	for _, id := range now.Moved[0].IDs {
		moved[audit.SeamID(id)] = true
	}
	for i, x := range all.Set {
		far := i > 22 // what it lies over, at two seconds each, has its own five around it
		if moved[x.ID] != far {
			t.Errorf("seam %d: moved alone %v, want %v", i, moved[x.ID], far)
		}
	}
	for _, x := range now.Set {
		if moved[x.ID] {
			t.Errorf("%s is told twice", x.ID)
		}
	}
}

// Every command of the table has a handler in the scripts of the page that offers it: those of listening through a
// source in that page's, all others among the scene's.
func TestEveryCommandHasAHandler(t *testing.T) {
	code := func(pattern string, least int) string {
		files, err := filepath.Glob(pattern)
		if err != nil || len(files) < least {
			t.Fatal(len(files), err)
		}
		var all strings.Builder
		for _, f := range files {
			raw, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			all.Write(raw)
		}
		return all.String()
	}
	scene, source := code("ui/commands/*.ts", 10), code("ui/pages/source.ts", 1)
	for _, c := range commands.Start {
		handler := regexp.MustCompile(`(^|[^\w."])` + c.ID + `\s*[:(,]`)
		if !handler.MatchString(scene) && !handler.MatchString(source) {
			t.Errorf("the command %s has no handler", c.ID)
		}
	}
}
