package scenetest

import (
	"encoding/json"
	"math"
	"reflect"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
)

// A Wild makes edits of every kind there is out of bytes, with whatever in their fields: ids that are there and that
// are not, figures that are near something, far from everything or none. The same bytes make the same edits.
type Wild struct {
	Bytes []byte
	scene *scene.Scene
}

// More tells whether bytes are left.
func (w *Wild) More() bool { return len(w.Bytes) > 0 }

// Edit gives the next edit for a scene, as a client would send it.
func (w *Wild) Edit(s *scene.Scene) []byte {
	w.scene = s
	e := w.edit(2)
	raw, err := edit.Marshal(e)
	if err != nil { // a figure that JSON does not have
		return []byte(`{"edit":"` + edit.NameOf(e) + `","db":NaN}`)
	}
	return raw
}

func (w *Wild) edit(depth int) edit.Edit {
	names := edit.Names()
	name := names[w.below(len(names))]
	if depth == 0 && name == "several" {
		name = "rename"
	}
	e, err := edit.Parse([]byte(`{"edit":"` + name + `"}`))
	if err != nil {
		panic(err)
	}
	w.fill(reflect.ValueOf(e).Elem(), "", depth)
	return e
}

// below takes a number below n from the bytes, 0 when there are none left.
func (w *Wild) below(n int) int {
	if len(w.Bytes) == 0 || n <= 1 {
		return 0
	}
	v := int(w.Bytes[0])
	w.Bytes = w.Bytes[1:]
	if n > 256 && len(w.Bytes) > 0 {
		v = v<<8 | int(w.Bytes[0])
		w.Bytes = w.Bytes[1:]
	}
	return v % n
}

func (w *Wild) fill(v reflect.Value, field string, depth int) {
	switch v.Interface().(type) {
	case timecode.Rate:
		v.Set(reflect.ValueOf(w.scene.Rate))
		return
	case json.RawMessage:
		v.Set(reflect.ValueOf(json.RawMessage(`{"x":1}`)))
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(w.text(field))
	case reflect.Int, reflect.Int64:
		v.SetInt(w.number())
	case reflect.Uint64:
		v.SetUint(uint64(w.below(1 << 16)))
	case reflect.Float64:
		v.SetFloat([]float64{0, -6, 3, 40, 41, -120, -130, 1e9, -1e300, math.Inf(1), math.NaN(), 0.5, 1}[w.below(13)])
	case reflect.Bool:
		v.SetBool(w.below(2) == 1)
	case reflect.Pointer:
		if w.below(3) > 0 && depth > -6 {
			v.Set(reflect.New(v.Type().Elem()))
			w.fill(v.Elem(), field, depth-1)
		}
	case reflect.Interface:
		v.Set(reflect.ValueOf(w.edit(depth - 1)))
	case reflect.Slice:
		n := w.below(4)
		if v.Type().Elem().Kind() == reflect.Float64 && w.below(2) == 1 {
			n = 28 // a tone's third-octaves
		}
		list := reflect.MakeSlice(v.Type(), n, n)
		for i := range n {
			w.fill(list.Index(i), field, depth)
		}
		v.Set(list)
	case reflect.Map:
		m := reflect.MakeMap(v.Type())
		for range w.below(3) {
			key, item := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
			w.fill(key, "Source", depth)
			w.fill(item, field, depth)
			m.SetMapIndex(key, item)
		}
		v.Set(m)
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				w.fill(v.Field(i), v.Type().Field(i).Name, depth)
			}
		}
	}
}

var words = []string{
	"",
	"head",
	"tail",
	"over",
	"insert",
	"gap",
	"close",
	"free",
	"constant_power",
	"constant_gain",
	"matched",
	"straight",
	"quarter_sine",
	"exponential",
	"dialogue",
	"picture",
	"tone",
	"music",
	"sound",
	"indigo",
	"nobody",
	"é\x00\n",
	"../../etc",
	strings.Repeat("n", 300),
	"<b>",
	"one",
}

// text is an id of the kind that a field names, or some word.
func (w *Wild) text(field string) string {
	var ids []string
	for _, t := range w.scene.Tracks {
		if field != "Source" && field != "ID" {
			for _, c := range t.Clips {
				ids = append(ids, string(c.ID))
				for _, l := range c.Lulls {
					ids = append(ids, string(l.ID))
				}
			}
		}
		ids = append(ids, string(t.ID))
	}
	switch field {
	case "Source", "ID":
		ids = []string{"s1", "s2"}
	case "Track":
		ids = nil
		for _, t := range w.scene.Tracks {
			ids = append(ids, string(t.ID))
		}
	case "Name", "Note", "Words", "Law", "Shape", "Edge", "How", "Purpose", "Kind", "Hue":
		return words[w.below(len(words))]
	case "Marker":
		for _, m := range w.scene.Markers {
			ids = append(ids, string(m.ID))
		}
	}
	if n := w.below(len(ids) + 4); n < len(ids) {
		return ids[n]
	}
	return words[w.below(len(words))]
}

// number is near an edge of a clip, or anything.
func (w *Wild) number() int64 {
	switch w.below(8) {
	case 0:
		return 0
	case 1:
		return int64(w.below(1<<16)) - 1<<15
	case 2:
		return []int64{1, -1, 1 << 40, -1 << 40, 1 << 45, math.MaxInt64, math.MinInt64, 1 << 31, 48000 * 3600 * 100,
			48000*3600*100 + 1}[w.below(10)]
	case 3:
		return w.scene.ToneMiddle()
	case 4:
		return int64(w.below(1<<16)) * 97
	}
	if len(w.scene.Tracks) == 0 {
		return 1
	}
	t := w.scene.Tracks[w.below(len(w.scene.Tracks))]
	if len(t.Clips) == 0 {
		return 1
	}
	c := t.Clips[w.below(len(t.Clips))]
	return w.scene.Time(t, []int64{c.Start, c.End(), c.In, c.Length, c.In + c.Length}[w.below(5)]) + int64(w.below(5)) - 2
}
