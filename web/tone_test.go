package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
	"blendseam/media"
	"blendseam/media/peaks"
)

// kitchen is a WAV file of a real voice (Debian's alsa-utils) in a modelled kitchen, with pauses, at 48 kHz.
func kitchen(t testing.TB) []byte {
	t.Helper()
	b := room.Kinds[0].Sound(8*48000, 48000, 1, 3)
	for i, v := range outside.Decode(t, outside.Voices(t)[0], 1)[0] {
		if at := 2*48000 + i; at < len(b[0]) {
			b[0][at] += 0.2 * v
		}
	}
	for i := range 2400 { // a knock in the pause
		b[0][6*48000+i] += 0.2 * math.Exp(-float64(i)/480) * math.Sin(float64(i)/20)
	}
	path := filepath.Join(t.TempDir(), "kitchen.wav")
	f, err := media.Create(path, 48000, 1, "24", false)
	if err != nil {
		t.Fatal(err)
	}
	raw := make([]byte, f.Encoder.Size(b.Len()))
	f.Encoder.Encode(raw, pcm.Block(b), 0)
	f.Write(raw)
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	raw, _ = os.ReadFile(path)
	return raw
}

// inTheKitchen is a scene with that recording laid out.
func (c *client) inTheKitchen() (id, source string) {
	c.t.Helper()
	id = c.newScene()
	source, problem := c.upload(id, "kitchen.wav", kitchen(c.t))
	if problem != "" {
		c.t.Fatal(problem)
	}
	c.json("POST", "/scenes/"+id+"/sources/"+source+"/lay?purpose=dialogue", nil, 200, nil)
	return id, source
}

// A lull is filled, its patch is drawn and shown on the bench; a finding is taken out; the scene goes out as a file and
// comes back with the same sound.
func TestLullsAreFilledAndComeBackFromTheFile(t *testing.T) {
	c := newClient(t)
	id, _ := c.inTheKitchen()
	var state StateView
	edit := func(e any) {
		t.Helper()
		c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": state.Revision, "edit": e}, 200, nil)
		state = StateView{}
		c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
	}
	var found struct {
		Findings []FindingView
		Hums     []struct{ Words string }
	}
	c.json("GET", "/scenes/"+id+"/findings", nil, 200, &found)
	if len(found.Findings) != 1 || found.Findings[0].Kind != "bump" || len(found.Hums) != 1 ||
		!strings.Contains(found.Hums[0].Words, "100.0 Hz") {
		t.Fatalf("%+v", found)
	}
	var p struct {
		Proposal struct{ Edit json.RawMessage }
	}
	c.json("GET", "/scenes/"+id+"/finding?id="+url.QueryEscape(found.Findings[0].ID), nil, 200, &p)
	edit(p.Proposal.Edit)

	c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
	clip := state.Tracks[0].Clips[0]
	var fill FillAnswer
	c.json(
		"GET",
		fmt.Sprintf("/scenes/%s/fill?best=1&track=%s&from=%d&to=%d", id, state.Tracks[0].ID, 5*48000, 5*48000+24000),
		nil,
		200,
		&fill,
	)
	if len(fill.List) == 0 || !strings.HasPrefix(fill.Did, "lull and patch") {
		t.Fatalf("%+v", fill)
	}
	edit(fill.Edit)
	if len(state.Tracks[0].Clips[0].Lulls) != 2 || len(state.Tracks[1].Clips) != 2 || state.Tracks[1].Purpose != "tone" {
		t.Fatalf("%+v", state.Tracks)
	}
	lull := state.Tracks[0].Clips[0].Lulls[0]
	var bench BenchView
	c.json(
		"GET",
		fmt.Sprintf(
			"/scenes/%s/bench?seam=lull:%s:%s&from=%d&to=%d&bins=200",
			id,
			clip.ID,
			lull.ID,
			5*48000-9600,
			5*48000+33600,
		),
		nil,
		200,
		&bench,
	)
	if bench.Lull == nil || bench.Incoming == nil || len(bench.Gains) == 0 || bench.Gains[len(bench.Gains)/2].Out != 0 ||
		bench.Gains[len(bench.Gains)/2].In != 1 {
		t.Errorf("%+v", bench)
	}
	patch := state.Tracks[1].Clips[0]
	status, tile, _ := c.do(
		"GET",
		fmt.Sprintf("/scenes/%s/tones/%s/peaks/512/%d", id, patch.Source, patch.In/512/peaks.TileBins),
		nil,
	)
	if status != 200 || len(tile) != 4*peaks.TileBins || bytes.Count(tile, []byte{0}) > len(tile)/2 {
		t.Errorf("%d, %d bytes", status, len(tile))
	}
	if status, _, _ := c.do("GET", "/scenes/"+id+"/tones/nobody/peaks/512/0", nil); status != 404 {
		t.Errorf("%d", status)
	}

	_, raw, _ := c.do("GET", "/scenes/"+id+"/scene.otio", nil)
	var made struct{ ID string }
	status, answer, _ := c.do("POST", "/scenes/file", raw, "Blendseam-Name", "again.otio")
	if json.Unmarshal(answer, &made); status != 201 {
		t.Fatalf("%d %s", status, answer)
	}
	_, one, _ := c.do("GET", "/scenes/"+id+"/pcm?from=0&n=384000", nil)
	_, two, _ := c.do("GET", "/scenes/"+made.ID+"/pcm?from=0&n=384000", nil)
	if !bytes.Equal(one, two) {
		t.Error("the scene that came back from its file sounds otherwise")
	}

	for _, path := range []string{"fill?seam=nothing", "fill?track=t1&from=9000000&to=9100000",
		"fill?track=no&from=0&to=9", "bed?from=0&to=100", "bed?tone=nobody"} {
		status, raw, _ := c.do("GET", "/scenes/"+id+"/"+path, nil)
		if status != 400 && status != 404 || bytes.Count(raw, []byte("\n")) != 0 ||
			!bytes.Contains(raw, []byte(`"message"`)) {
			t.Errorf("%s: %d %s", path, status, raw)
		}
	}
}

// The library has six made-up rooms, takes tones from recordings and files, says why it refuses, and builds what is
// asked for.
func TestTheToneLibrary(t *testing.T) {
	c := newClient(t)
	id, source := c.inTheKitchen()
	var list []ToneView
	c.json("GET", "/tones", nil, 200, &list)
	madeUp := 0
	for _, x := range list {
		if x.MadeUp {
			madeUp++
		}
	}
	if madeUp != 6 {
		t.Fatalf("%d made-up rooms", madeUp)
	}
	before := len(list)
	c.json(
		"POST",
		"/scenes/"+id+"/tone",
		map[string]any{"name": "Our kitchen", "place": "home", "source": source, "from": 0, "to": 80000},
		200,
		&list,
	)
	if len(list) != before+1 || list[0].Name != "Our kitchen" || math.Abs(list[0].LevelDB-room.Kinds[0].Level) > 1.5 ||
		len(list[0].Thirds) != 28 {
		t.Fatalf("%+v", list[0])
	}
	mine := list[0].ID
	c.json("POST", "/tones/"+mine, map[string]any{"name": "Kitchen at home", "place": "window"}, 200, &list)
	if list[0].Name != "Kitchen at home" || list[0].Place != "window" {
		t.Errorf("%+v", list[0])
	}
	status, wav, _ := c.do("GET", "/tones/"+mine+"/sound.wav?seconds=4", nil)
	if status != 200 || len(wav) < 4*48000*3 {
		t.Errorf("%d, %d bytes", status, len(wav))
	}
	if status, _, _ := c.do("GET", "/tones/"+mine+"/sound.wav?scene="+id, nil); status != 200 {
		t.Errorf("under the scene: %d", status)
	}
	var bed struct {
		Edit json.RawMessage
		Bed  struct{ From string }
	}
	c.json("GET", "/scenes/"+id+"/bed?tone="+mine, nil, 200, &bed)
	if bed.Bed.From != "Kitchen at home" {
		t.Errorf("%+v", bed)
	}
	for _, bad := range []struct {
		method, path string
		body         any
		headers      []string
	}{
		{"POST", "/scenes/" + id + "/tone", map[string]any{"source": source, "from": 0, "to": 1 << 40}, nil},
		// nothing but voice
		{"POST", "/scenes/" + id + "/tone", map[string]any{"source": source, "from": 110000, "to": 130000}, nil},
		{"POST", "/tones", []byte("no sound"), []string{"Blendseam-Name", "noise.wav"}},
		{"POST", "/tones", []byte("no name"), nil},
		{"POST", "/tones/" + mine, map[string]any{"name": " "}, nil},
		{"DELETE", "/tones/" + list[len(list)-1].ID, nil, nil}, // it ships
		{"GET", "/tones/nobody/sound.wav", nil, nil},
		{"GET", "/tones/" + mine + "/sound.wav?seconds=99999", nil, nil},
	} {
		status, raw, _ := c.do(bad.method, bad.path, bad.body, bad.headers...)
		if status != 400 && status != 404 || bytes.Count(raw, []byte("\n")) != 0 {
			t.Errorf("%s %s: %d %s", bad.method, bad.path, status, raw)
		}
	}
	c.json("DELETE", "/tones/"+mine, nil, 200, &list)
	if len(list) != before {
		t.Errorf("%d tones, had %d", len(list), before)
	}
}
