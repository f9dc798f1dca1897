package timing_test

import (
	"encoding/json"
	"os"
	"testing"

	"blendseam/core/sound/timestretch/timing"
)

// What the page draws by is what core has: testdata/back.json is read by both. UPDATE=1 writes it anew.
func TestMomentsLieWhereThePageHasThem(t *testing.T) {
	type vector struct {
		Fit  timing.Fit `json:"fit"`
		At   []int64    `json:"at"`
		Back []int64    `json:"back"`
	}
	const file = "testdata/back.json"
	part := timing.Part{From: 48000, To: 144000, Length: 48000, Kind: timing.Tape}
	eased, slow := part, timing.Part{From: 200000, To: 248000, Length: 384000, Kind: timing.Tape, Ease: 9600}
	eased.Ease = 24000
	var list []vector
	for _, f := range []timing.Fit{
		{Of: "a", Parts: []timing.Part{part}}, {Of: "a", Parts: []timing.Part{eased, slow}},
		{Of: "a", Parts: []timing.Part{}, Reversed: 480000}, {Of: "a", Parts: []timing.Part{eased, slow}, Reversed: 480000},
		{Of: "a", Parts: []timing.Part{{From: 960, To: 48000, Length: 40000, Kind: timing.Words}}},
	} {
		v := vector{Fit: f}
		for at := int64(0); at < f.Len(480000); at += 17041 {
			v.At, v.Back = append(v.At, at), append(v.Back, f.Back(at))
		}
		list = append(list, v)
	}
	now, err := json.Marshal(list)
	if err != nil {
		t.Fatal(err)
	}
	if os.Getenv("UPDATE") != "" {
		if err := os.WriteFile(file, append(now, '\n'), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if string(kept) != string(now)+"\n" {
		t.Error("core has moments elsewhere than testdata/back.json")
	}
}
