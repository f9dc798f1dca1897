package web

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// Whatever the headers of an upload say, and whatever comes: it is taken or refused, never an error of ours, and
// nothing is written but in the folder of the library.
func FuzzUploads(f *testing.F) {
	c := newClient(f)
	id := c.newScene()
	for _, name := range []string{"voice.wav", "..%2f..%2fx.wav", "%", "%00.flac", "", "a b [c] %25d é.mp4",
		strings.Repeat("x", 400) + ".otio", "x.otio"} {
		f.Add(
			name,
			`{"a":"b"}`,
			[]byte(
				"RIFF\x24\x00\x00\x00WAVEfmt "+
					"\x10\x00\x00\x00\x01\x00\x01\x00\x80\xbb\x00\x00\x00\x77\x01\x00\x02\x00\x10\x00data\x04\x00\x00\x00abcd",
			),
		)
		f.Add(name, "", []byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[]}}`))
	}
	f.Fuzz(func(t *testing.T, name, choices string, body []byte) {
		for _, path := range []string{"/scenes/" + id + "/sources", "/scenes/file", "/tones"} {
			r := httptest.NewRequest("POST", path, strings.NewReader(string(body)))
			r.Host = "localhost"
			r.Header = http.Header{"Blendseam-Name": {name}, "Blendseam-Choices": {choices}}
			w := httptest.NewRecorder()
			c.server.ServeHTTP(w, r)
			if w.Code >= 500 {
				t.Fatalf("%s: %d %s", path, w.Code, w.Body)
			}
		}
	})
}
