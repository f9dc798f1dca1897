package store_test

import (
	"errors"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/store"
)

func TestBlendsAreKeptByNameAndOneIsTheDefault(t *testing.T) {
	s := open(t)
	list, err := s.Blends(ctx, store.FirstProduction)
	if err != nil || len(list) < 3 || !list[0].Default || list[0].Name != "Speech" || list[0].Frames != 4 {
		t.Fatal(err, list)
	}
	mine := scene.Style{
		Name:    "Mine",
		Law:     blend.Matched,
		CurveIn: &blend.Curve{Shape: blend.Exponential, Bend: -0.5},
		MS:      35,
		Lean:    0.25,
		Default: true,
	}
	if err := s.SetBlend(ctx, store.FirstProduction, "", mine); err != nil {
		t.Fatal(err)
	}
	list, _ = s.Blends(ctx, store.FirstProduction)
	if got := list[0]; got.Name != "Mine" || got.MS != 35 || got.CurveIn.Bend != -0.5 || !got.Default || list[1].Default {
		t.Errorf("%+v", list)
	}
	mine.Name, mine.Default = "Renamed", false // stays the default under its new name
	if err := s.SetBlend(ctx, store.FirstProduction, "Mine", mine); err != nil {
		t.Fatal(err)
	}
	if list, _ = s.Blends(ctx, store.FirstProduction); list[0].Name != "Renamed" || !list[0].Default {
		t.Errorf("%+v", list)
	}
	if err := s.DropBlend(ctx, store.FirstProduction, "Renamed"); !errors.Is(err, store.ErrLastBlend) {
		t.Error(err)
	}
	if err := s.DropBlend(ctx, store.FirstProduction, "Speech"); err != nil {
		t.Error(err)
	}
	if again, _ := s.Blends(ctx, store.FirstProduction); len(again) != len(list)-1 {
		t.Errorf("%+v", again)
	}
}
