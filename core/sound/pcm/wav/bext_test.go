package wav

import (
	"encoding/binary"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// Every field stands where EBU Tech 3285 (version 2, 2011), section 2.3, puts it, and ffprobe reads the same.
func TestADescriptionIsThatOfTheStandard(t *testing.T) {
	x := &Bext{
		Description:         "Kiln Night, mixdown",
		Originator:          "Blend Seam",
		OriginatorReference: "BS0123456789ABCDEF",
		Date:                "2026-11-27",
		Time:                "08:15:30",
		TimeReference:       3600*48000 + 1<<33,
		CodingHistory:       "A=PCM,F=48000,W=24,M=stereo,T=Blend Seam\r\n",
	}
	path := filepath.Join(t.TempDir(), "x.wav")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	format := pcm.Format{Rate: 48000, Channels: 2, Bits: 24}
	w, err := NewWriter(file, format, x)
	if err != nil {
		t.Fatal(err)
	}
	sound := make([]byte, 6*1000)
	w.Write(sound)
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	file.Close()
	x.Loudness = &BextLoudness{
		IntegratedLUFS: -23.04, RangeLU: 7.5, TruePeakDBTP: -1.02, MomentaryMaxLUFS: -15.006, ShortTermMaxLUFS: -18}
	if err := Describe(path, x); err != nil {
		t.Fatal(err)
	}
	longer := *x
	longer.CodingHistory += "A=PCM,F=48000,W=24,M=stereo,T=more\r\n"
	if Describe(path, &longer) == nil {
		t.Error("a description that has no room was written")
	}
	raw, _ := os.ReadFile(path)
	at := strings.Index(string(raw), "bext") + 8
	size := int(binary.LittleEndian.Uint32(raw[at-4:]))
	b := raw[at : at+size]
	for _, f := range []struct {
		what     string
		from, to int
		want     string
	}{
		{"Description", 0, 256, x.Description},
		{"Originator", 256, 288, x.Originator},
		{"OriginatorReference", 288, 320, x.OriginatorReference},
		{"OriginationDate", 320, 330, x.Date},
		{"OriginationTime", 330, 338, x.Time},
		{"TimeReferenceLow, TimeReferenceHigh", 338, 346, "\x00\xb8\x4c\x0a\x02"},
		{"Version", 346, 348, "\x02"},
		{"UMID", 348, 412, ""},
		{"LoudnessValue", 412, 414, "\x00\xf7"}, // -2304
		{"LoudnessRange", 414, 416, "\xee\x02"}, // 750
		{"MaxTruePeakLevel", 416, 418, "\x9a\xff"},
		{"MaxMomentaryLoudness", 418, 420, "\x23\xfa"}, // -1501
		{"MaxShortTermLoudness", 420, 422, "\xf8\xf8"}, // -1800
		{"Reserved", 422, 602, ""},
		{"CodingHistory", 602, size, x.CodingHistory},
	} {
		if got := string(b[f.from:f.to]); got != f.want+strings.Repeat("\x00", f.to-f.from-len(f.want)) {
			t.Errorf("%s is %q, want %q", f.what, got, f.want)
		}
	}
	var said struct {
		Format struct{ Tags map[string]string }
	}
	out := outside.Run(t, "ffprobe", "-v", "error", "-show_entries", "format_tags", "-of", "json", path)
	if err := json.Unmarshal([]byte(out), &said); err != nil {
		t.Fatal(err)
	}
	for tag, want := range map[string]string{
		"comment": x.Description, "encoded_by": x.Originator, "originator_reference": x.OriginatorReference,
		"date": x.Date, "creation_time": x.Time, "time_reference": "8762734592",
		"coding_history": x.CodingHistory,
	} {
		if got := said.Format.Tags[tag]; strings.TrimSpace(got) != strings.TrimSpace(want) {
			t.Errorf("ffprobe reads %s as %q, want %q", tag, got, want)
		}
	}
	r, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	if r.Len() != 1000 || *r.Bext.Loudness != (BextLoudness{-23.04, 7.5, -1.02, -15.01, -18}) ||
		strings.TrimSpace(r.Bext.CodingHistory) != strings.TrimSpace(x.CodingHistory) {
		t.Errorf("read again: %d samples, %+v, %+v", r.Len(), r.Bext, r.Bext.Loudness)
	}
}
