package edit_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// unheard are the states of a clip that change nothing of its sound.
var unheard = map[string]bool{
	"Start": true, "Name": true, "Link": true, "Note": true, "Foreign": true, "Fills": true,
	"AcceptedHead": true, "AcceptedTail": true, "Takes": true,
}

// changed gives a clip with another value in one of its fields.
func changed(t *testing.T, c scene.Clip, field int) scene.Clip {
	v := reflect.ValueOf(&c).Elem().Field(field)
	switch x := v.Addr().Interface().(type) {
	case *string:
		*x += "x"
	case *scene.ClipID:
		*x += "x"
	case *scene.LinkID:
		*x += "x"
	case *int64:
		*x += 1920
	case *float64:
		*x++
	case *bool:
		*x = !*x
	case *scene.Fade:
		*x = scene.Fade{Length: 960, Curve: blend.Curve{Shape: blend.Straight}}
	case *scene.Foreign:
		*x = scene.Foreign{"theirs": json.RawMessage("1")}
	case *[]scene.LevelPoint:
		*x = []scene.LevelPoint{{At: 5, DB: -3}}
	case *[]scene.Lull:
		*x = []scene.Lull{{ID: "u1", From: c.In + 10, To: c.In + 5000}}
	case **recipe.Room:
		room := scenetest.Room(1)
		*x = &room
	case **eq.Filters:
		*x = &eq.Filters{LowCutHz: 80}
	case **eq.Like:
		*x = &eq.Like{GainDB: 3}
	case **effects.Chain:
		*x = &effects.Chain{Echo: &effects.Echo{DelayMS: 9, Times: 1}}
	case **scene.Takes:
		*x = &scene.Takes{Number: 1, Others: []scene.Take{{Number: 2, Source: c.Source, Shift: 4800, Name: "again"}}}
	case **scene.Hole:
		*x = &scene.Hole{Clip: "c1"}
	case **scene.Accepted:
		*x = &scene.Accepted{Sound: "s"}
	default:
		t.Fatalf("a field of type %s: say here how it is changed", v.Type())
	}
	return c
}

// Whatever is new in a clip makes it another clip, and another sound unless it is named as unheard.
func TestEveryStateOfAClipCounts(t *testing.T) {
	s := scenetest.Mixed(t, timecode.F25)
	c := s.Tracks[1].Clips[0]
	for i := range reflect.TypeFor[scene.Clip]().NumField() {
		name := reflect.TypeFor[scene.Clip]().Field(i).Name
		o := changed(t, c, i)
		if c.Equal(o) || !o.Equal(o) {
			t.Errorf("two clips with another %s are equal", name)
		}
		if same := reflect.DeepEqual(c.Sounding(), o.Sounding()); same != unheard[name] {
			t.Errorf("%s: sounds the same: %v", name, same)
		}
	}
	empty := c
	empty.Level, empty.Lulls, empty.Foreign = []scene.LevelPoint{}, []scene.Lull{}, scene.Foreign{}
	if !c.Equal(empty) {
		t.Error("a list without entries is as good as none")
	}
}
