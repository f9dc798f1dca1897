package main

import (
	"encoding/json"
	"math"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/app"
	"blendseam/core/audit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/seamtest"
	"blendseam/media"
)

// twoRooms is a scene file of two takes of one room, the second of which is 7 dB louder.
func twoRooms(t *testing.T) string {
	s := seamtest.New(t)
	s.Lay("near", room.Kinds[0].Sound(9*48000, 48000, 1, 1), 0)
	far := room.Kinds[0].Sound(9*48000, 48000, 1, 2)
	for i := range far[0] {
		far[0][i] *= level.Amplitude(7)
	}
	s.Lay("far", far, 8)
	return s.File()
}

// backgrounds are the levels of the first and of the second half of a sound file, dBFS.
func backgrounds(t *testing.T, path string) (one, two float64) {
	r, err := media.Open(t.Context(), path, 48000)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	of := func(from, to int64) float64 {
		b, err := pcm.Read(r, pcm.Span{From: from * 48000, To: to * 48000})
		if err != nil {
			t.Fatal(err)
		}
		sum := 0.0
		for _, v := range b[0] {
			sum += v * v / float64(b.Len())
		}
		return level.OfPower(sum)
	}
	return of(1, 7), of(9, 15)
}

func TestRoomBringsTakesTogether(t *testing.T) {
	file, dir := twoRooms(t), t.TempDir()
	out, wav := filepath.Join(dir, "one.otio"), filepath.Join(dir, "one.wav")
	code, stdout, stderr := blendseam(t, "room", file, "-o", out, "--json")
	if code != 0 {
		t.Fatal(code, stderr)
	}
	var told struct {
		Target struct {
			LevelDB float64   `json:"level_db"`
			Thirds  []float64 `json:"thirds_db"`
		}
		Takes []struct {
			Clip   string
			WasDB  float64 `json:"was_db"`
			FillDB float64 `json:"fill_db"`
			RiseDB float64 `json:"rise_db"`
			HushDB float64 `json:"hush_db"`
		}
		LeftDB float64 `json:"left_db"`
		Rise   float64 `json:"rise_over_loudest_db"`
		Blends int
	}
	if err := json.Unmarshal([]byte(stdout), &told); err != nil {
		t.Fatal(err, stdout)
	}
	if len(told.Takes) != 2 || len(told.Target.Thirds) != 19 || told.Blends != 1 || told.LeftDB > 1 ||
		math.Abs(told.Rise) > 1 || math.Abs(told.Takes[0].RiseDB-7) > 1 || told.Takes[1].HushDB != 0 {
		t.Errorf("%+v", told)
	}
	if code, _, stderr := blendseam(t, "render", out, "-o", wav, "--depth", "32f"); code != 0 {
		t.Fatal(stderr)
	}
	if one, two := backgrounds(t, wav); math.Abs(one-two) > 1 || math.Abs(one-told.Target.LevelDB) > 1.5 {
		t.Errorf("the takes are heard at %.1f and %.1f dBFS; the room was said to be at %.1f", one, two, told.Target.LevelDB)
	}
	// Heard without being told what was done, the cut has nothing wrong with it.
	if code, stdout, _ := blendseam(t, "audit", file); code != exitRough || !strings.Contains(stdout, "background") {
		t.Errorf("the scene as it is cut: %d %s", code, stdout)
	}
	_, heard, err := do[*app.Audit](t.Context(), out, "audit", &app.Nothing{})
	if err != nil {
		t.Fatal(err)
	}
	if cut := seamtest.Find(heard.Results, audit.Cut); cut.Verdict != audit.Clean {
		t.Errorf("the cut is %s: %s", cut.Verdict, cut.Why)
	}
	// As quiet as can be: the louder one comes down.
	if code, stdout, _ = blendseam(t, "room", file, "-o", out, "--target", "quiet"); code != 0 ||
		!strings.Contains(stdout, "hushed by 6.0 dB") && !strings.Contains(stdout, "hushed by 5.") {
		t.Errorf("%d %s", code, stdout)
	}
	if code, _, stderr := blendseam(t, "render", out, "-o", wav); code != 0 {
		t.Fatal(stderr)
	}
	if one, two := backgrounds(t, wav); math.Abs(one-two) > 1.2 || one > told.Target.LevelDB-4 {
		t.Errorf("quiet: the takes are heard at %.1f and %.1f dBFS", one, two)
	}
}

func TestRoomSaysWhatCannotBe(t *testing.T) {
	file, out := twoRooms(t), filepath.Join(t.TempDir(), "out.otio")
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"--target", "nobody"}, `no take with a pause is called "nobody"`},
		{[]string{"--hush", "40"}, "0 to 10 dB, not by 40"},
		{[]string{"--from", "99:00:00:00"}, "must lie in the scene"},
	} {
		code, _, stderr := blendseam(t, append([]string{"room", file, "-o", out}, c.args...)...)
		if code != exitFailed || !strings.Contains(stderr, c.want) || strings.Count(stderr, "\n") != 1 {
			t.Errorf("%v: %d %q", c.args, code, stderr)
		}
	}
}

func TestMendEvensRoomsWhenAsked(t *testing.T) {
	file, out := twoRooms(t), filepath.Join(t.TempDir(), "out.otio")
	code, stdout, stderr := blendseam(t, "mend", file, "-o", out, "--room", "--json")
	var told struct {
		Room    *struct{ Takes []any }
		Changes []any
	}
	if code != 0 || json.Unmarshal([]byte(stdout), &told) != nil || told.Room == nil || len(told.Room.Takes) != 2 {
		t.Fatal(code, stdout, stderr)
	}
	_, heard, err := do[*app.Audit](t.Context(), out, "audit", &app.Nothing{})
	if err != nil || seamtest.Find(heard.Results, audit.Cut).Verdict != audit.Clean {
		t.Errorf("%v: the cut is not clean", err)
	}
}
