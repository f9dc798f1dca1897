package web

import (
	"bytes"
	"encoding/json"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// form is a request's body with files and fields, and its content type.
func form(t *testing.T, files map[string][]byte, fields map[string]string) ([]byte, string) {
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for name, raw := range files {
		f, err := m.CreateFormFile(name, name+".otio")
		if err != nil {
			t.Fatal(err)
		}
		f.Write(raw)
	}
	for k, v := range fields {
		m.WriteField(k, v)
	}
	m.Close()
	return b.Bytes(), m.FormDataContentType()
}

// What somebody else did to a file of the scene is found from the state that it was saved of, heard, and taken as one
// edit; where both touch, it is chosen.
func TestTwoPeoplesVersionsComeTogether(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	do := func(e edit.Edit) {
		t.Helper()
		c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": state.Revision, "edit": edit.Wire{Edit: e}}, 200,
			nil)
	}
	do(&edit.AddMarker{At: 0, Name: "before"})
	_, base, _ := c.do("GET", "/scenes/"+id+"/scene.otio", nil)
	theirs := changedClips(t, base, func(n int, meta map[string]any) { meta["gain_db"] = []float64{-3, -6}[n] })
	do(&edit.Gain{Clips: []scene.ClipID{clips[0].ID}, DB: 2})
	do(&edit.Trim{Clip: clips[0].ID, Edge: scene.Tail, To: clips[0].End() - 9600, Close: true})

	ask := func(address string, want int, files map[string][]byte, fields map[string]string) (a MergeAnswer, raw []byte) {
		t.Helper()
		body, kind := form(t, files, fields)
		status, raw, _ := c.do("POST", "/scenes/"+id+address, body, "Content-Type", kind)
		if status != want {
			t.Fatalf("%s: %d %.300s", address, status, raw)
		}
		json.Unmarshal(raw, &a)
		return a, raw
	}
	sent := map[string][]byte{"theirs": theirs}
	a, _ := ask("/merge", 200, sent, nil)
	if !strings.HasPrefix(a.From, "edit ") || !strings.Contains(a.From, "before") || len(a.Conflicts) != 1 ||
		len(a.Rows) != 4 {
		t.Fatalf("%+v", a)
	}
	_, sound := ask("/merge/sound.wav?at=48000", 200, sent, nil)
	_, other := ask("/merge/sound.wav?at=48000", 200, sent, map[string]string{"conflicts": "0"})
	if !bytes.HasPrefix(sound, []byte("RIFF")) || len(other) != len(sound) || bytes.Equal(other, sound) {
		t.Errorf("it sends %.40q, and the same whatever is chosen", sound)
	}
	ask("/merge/sound.wav?at=-1", 400, sent, nil)
	_, raw := ask("/merge/take", 400, sent, map[string]string{"without": "3"})
	if !strings.Contains(string(raw), "Revision must be") {
		t.Errorf("%s", raw)
	}
	revision := map[string]string{"revision": "1"}
	ask("/merge/take", http.StatusConflict, sent, revision)
	var now StateView
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &now)
	fields := map[string]string{"revision": "4", "conflicts": "0"}
	if now.Revision != a.Revision {
		t.Fatalf("revision %d was compared, %d is", a.Revision, now.Revision)
	}
	b, _ := json.Marshal(now.Revision)
	fields["revision"] = string(b)
	ask("/merge/take", 200, sent, fields)
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &now)
	got := now.Tracks[0].Clips
	if got[0].GainDB != -3 || got[1].GainDB != -6 || got[0].Length != clips[0].Length-9600 ||
		got[1].Start != clips[1].Start-9600 || !strings.Contains(now.Undo, "2 changes taken from theirs.otio") {
		t.Errorf("%s: %+v", now.Undo, got)
	}

	// Once more, there is nothing that the scene has not; nothing can be taken.
	if a, _ = ask("/merge", 200, sent, nil); len(a.Conflicts) != 0 {
		t.Errorf("%+v", a)
	}
	b, _ = json.Marshal(now.Revision)
	fields = map[string]string{"revision": string(b)}
	if _, raw = ask("/merge/take", 400, sent, fields); !strings.Contains(string(raw), "Nothing of the other version") {
		t.Errorf("%s", raw)
	}

	// A file that does not say where it comes from: from a version, the beginning, or a file, if somebody says.
	plain := func(raw []byte) []byte { return bytes.ReplaceAll(raw, []byte(id), []byte("nobody")) }
	sent["theirs"] = plain(theirs)
	if a, _ = ask("/merge", 200, sent, nil); a.From != "" || len(a.Bases) != 1 || len(a.Rows) != 0 {
		t.Errorf("%+v", a)
	}
	_, raw = ask("/merge/take", 400, sent, fields)
	if !strings.Contains(string(raw), "Say which version both began with") {
		t.Errorf("%s", raw)
	}
	if a, _ = ask("/merge", 200, sent, map[string]string{"base": "beginning"}); a.From != "the scene as it began" {
		t.Errorf("%+v", a)
	}
	ask("/merge", 400, sent, map[string]string{"base": "never"})
	c.json("POST", "/scenes/"+id+"/versions", map[string]any{"name": "evened"}, 204, nil)
	a, _ = ask("/merge", 200, sent, map[string]string{"base": "evened"})
	if a.From != "version evened" || len(a.Bases) != 2 {
		t.Errorf("%+v", a)
	}
	sent["from"] = plain(base)
	if a, _ = ask("/merge", 200, sent, nil); a.From != "a file" || len(a.Rows) != 3 {
		t.Errorf("%+v", a)
	}
	ask("/merge", 400, map[string][]byte{"theirs": []byte("{")}, nil)
	ask("/merge", 400, nil, nil)
}

// changedClips is a scene file with other metadata of the first track's clips.
func changedClips(t *testing.T, raw []byte, change func(n int, meta map[string]any)) []byte {
	var file map[string]any
	if err := json.Unmarshal(raw, &file); err != nil {
		t.Fatal(err)
	}
	track := file["tracks"].(map[string]any)["children"].([]any)[0].(map[string]any)
	n := 0
	for _, item := range track["children"].([]any) {
		o := item.(map[string]any)
		if !strings.HasPrefix(o["OTIO_SCHEMA"].(string), "Clip") {
			continue
		}
		meta, _ := o["metadata"].(map[string]any)
		if meta == nil {
			meta = map[string]any{}
			o["metadata"] = meta
		}
		mine, _ := meta["blendseam"].(map[string]any)
		if mine == nil {
			mine = map[string]any{}
			meta["blendseam"] = mine
		}
		change(n, mine)
		n++
	}
	out, err := json.Marshal(file)
	if err != nil {
		t.Fatal(err)
	}
	return out
}
