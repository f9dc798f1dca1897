package workspace_test

import (
	"errors"
	"os"
	"testing"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/sound/pcm"
	"blendseam/internal/seamtest"
)

// A recording that is found to be damaged counts as missing: it is not rendered as silence, nor as what it has become.
func TestADamagedRecordingIsNotRendered(t *testing.T) {
	w := open(t)
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(4, 4, -50), 0)
	sc := brought(t, w, s)
	render := func() error {
		m, err := sc.Mixer(t.Context(), mix.Options{})
		if err != nil {
			return err
		}
		_, err = pcm.Read(mix.Recording{Mixer: m, Rate: seamtest.Rate}, pcm.Span{To: 1000})
		return err
	}
	if err := render(); err != nil {
		t.Fatal(err)
	}
	if err := w.CheckFiles(t.Context()); err != nil || render() != nil {
		t.Fatal(err)
	}
	for id := range sc.Scene.Sources {
		original, err := w.Library.Original(id)
		if err != nil {
			t.Fatal(err)
		}
		f, err := os.OpenFile(original, os.O_RDWR, 0)
		if err != nil {
			t.Fatal(err)
		}
		f.WriteAt([]byte("damage"), 3000)
		f.Close()
	}
	if err := w.CheckFiles(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := render(); !errors.As(err, new(*meter.MissingRecording)) {
		t.Errorf("it is rendered: %v", err)
	}
}
