package otio

import (
	"encoding/json"
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"github.com/tidwall/gjson"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
)

// toneKind is the generator_kind of room tone in a GeneratorReference.1.
const toneKind = "blendseam.room_tone"

// silentDB is the depth that a lull to silence is written with; as deep and deeper is read as silence.
const silentDB = 120

func writeLulls(c scene.Clip, offset int64, rate float64) (list []any) {
	for _, l := range c.Lulls {
		fade := func(n int64) object {
			return writeFade(scene.Fade{Length: n, Curve: blend.Curve{Shape: blend.QuarterSine}}, rate)
		}
		o := object{
			"id":       l.ID,
			"from":     rational(l.From+offset, rate),
			"to":       rational(l.To+offset, rate),
			"depth_db": l.DepthDB,
			"fade_in":  fade(l.FadeIn),
			"fade_out": fade(l.FadeOut),
		}
		if l.DepthDB == 0 {
			o["depth_db"] = float64(silentDB)
		}
		put(o, "off", true, l.Off)
		list = append(list, o)
	}
	return list
}

// lulls reads the lulls of a clip. Their moments are the recording's own; a lull without an id gets one.
func (r *reader) lulls(mine node, c scene.Clip, src scene.Source, t *scene.Track) (lulls []scene.Lull, err error) {
	num, den := r.unit(t)
	err = mine.each("lulls", mine.place+"/lulls", func(_ int, n node) error {
		var at [2]int64
		for i, key := range []string{"from", "to"} {
			m, ok, err := n.time(key)
			if err != nil {
				return err
			}
			if !ok {
				return n.errorf("a lull needs its start and its end, from and to")
			}
			at[i] = timecode.Units(new(big.Rat).Sub(m.seconds, big.NewRat(src.Offset, r.scene.SampleRate)), num, den)
		}
		l := scene.Lull{ID: scene.LullID(n.text("id")), From: at[0], To: at[1], Off: n.flag("off", false)}
		if l.ID == "" {
			l.ID = scene.NewID(r.scene, scene.ALull)
		} else if k, err := strconv.ParseInt(string(l.ID[1:]), 10, 64); err == nil && k < limit.Ids {
			// new ones come behind it
			r.scene.LastID = max(r.scene.LastID, k)
		}
		if n.has("depth_db") {
			depth, err := n.number("depth_db")
			if err != nil {
				return err
			}
			l.DepthDB, _ = depth.Float64()
			if l.DepthDB = max(l.DepthDB, -l.DepthDB); l.DepthDB == 0 {
				r.warnings = append(r.warnings, fmt.Sprintf("%s: a lull of 0 dB turns nothing down and is left out", n.place))
				return nil
			}
			if l.DepthDB >= silentDB {
				l.DepthDB = 0
			}
		}
		for key, to := range map[string]*int64{"fade_in": &l.FadeIn, "fade_out": &l.FadeOut} {
			if *to, err = r.lullFade(n, key, t); err != nil {
				return err
			}
		}
		if k := len(lulls); l.To <= l.From || l.FadeIn+l.FadeOut > l.To-l.From || k > 0 && l.From < lulls[k-1].To {
			return n.errorf("a lull needs a length, fades that fit into it, and to lie behind the one before it")
		}
		lulls = append(lulls, l)
		return nil
	})
	return lulls, err
}

// lullFade reads a fade with its curve, or its length alone.
func (r *reader) lullFade(n node, key string, t *scene.Track) (int64, error) {
	if o, ok, err := n.object(key); err == nil && ok && o.schema() == "" {
		f, err := r.fade(n, key, t)
		return f.Length, err
	}
	m, ok, err := n.time(key)
	if !ok || err != nil {
		return 0, err
	}
	num, den := r.unit(t)
	if m.seconds.Sign() < 0 {
		return 0, n.errorf("a fade needs a length of 0 or more")
	}
	return timecode.Units(m.seconds, num, den), nil
}

// writeRecording says which recording is meant where no clip shows it.
func writeRecording(src scene.Source, rate float64) object {
	o := object{"target_url": src.URL, "name": src.Name}
	put(o, "starts", rational(src.Offset, rate), src.Offset != 0)
	put(o, "sha256", src.SHA256, src.SHA256 != "")
	return o
}

// writeTone gives the media reference of room tone: the recipe, with the recordings that it is made from.
func writeTone(s *scene.Scene, src scene.Source) object {
	rate := float64(s.SampleRate)
	materials := func(list []recipe.Material) []any {
		out := []any{}
		for _, m := range list {
			from := s.Sources[m.Source]
			o := writeRecording(from, rate)
			o["from"], o["to"] = rational(m.From+from.Offset, rate), rational(m.To+from.Offset, rate)
			out = append(out, o)
		}
		return out
	}
	t := src.Tone
	p := object{"seed": strconv.FormatUint(t.Seed, 10), "left": materials(t.Left), "phase": rational(t.Phase, rate)}
	put(p, "right", materials(t.Right), len(t.Right) > 0)
	put(p, "left_db", t.LeftDB, t.LeftDB != nil)
	put(p, "right_db", t.RightDB, t.RightDB != nil)
	put(p, "from", rational(t.From, rate), t.To > t.From)
	put(p, "to", rational(t.To, rate), t.To > t.From)
	put(p, "no_hum", true, t.NoHum)
	return object{
		"OTIO_SCHEMA":            "GeneratorReference.1",
		"name":                   src.Name,
		"available_range":        timeRange(0, src.Samples, rate),
		"available_image_bounds": nil,
		"generator_kind":         toneKind,
		"parameters":             p,
		"metadata":               object{},
	}
}

// tone reads the recipe of room tone, and brings its recordings in.
func (r *reader) tone(ref node) (scene.Source, error) {
	none := scene.Source{}
	if kind := ref.text("generator_kind"); kind != toneKind {
		return none, ref.errorf("a generator of kind %q cannot be read; %s can", kind, toneKind)
	}
	p, ok, err := ref.object("parameters")
	if err != nil || !ok {
		return none, ref.errorf("room tone needs its parameters")
	}
	t := recipe.Tone{NoHum: p.flag("no_hum", false)}
	if t.Seed, err = strconv.ParseUint(p.text("seed"), 10, 64); err != nil {
		return none, p.errorf("room tone needs its seed, a whole number written as text")
	}
	for key, to := range map[string]*[]recipe.Material{"left": &t.Left, "right": &t.Right} {
		if *to, err = r.materials(p, key); err != nil {
			return none, err
		}
	}
	if len(t.Left) == 0 {
		return none, p.errorf("room tone needs what it is made from, left")
	}
	for key, to := range map[string]*[]float64{"left_db": &t.LeftDB, "right_db": &t.RightDB} {
		p.value(key).ForEach(func(_, x gjson.Result) bool {
			if x.Type != gjson.Number || !(x.Num >= -400 && x.Num <= 100) || len(*to) > recipe.Bands {
				err = p.errorf("%s has something else than %d levels in dB", key, recipe.Bands)
				return false
			}
			*to = append(*to, x.Num)
			return true
		})
		if err != nil {
			return none, err
		}
		if n := len(*to); n != 0 && n != recipe.Bands {
			return none, p.errorf("%s has %d third-octaves; %d are needed", key, n, recipe.Bands)
		}
	}
	for key, to := range map[string]*int64{"from": &t.From, "to": &t.To, "phase": &t.Phase} {
		m, ok, err := p.time(key)
		if err != nil {
			return none, err
		}
		if ok {
			*to = timecode.Units(m.seconds, r.scene.SampleRate, 1)
		}
	}
	src, err := r.scene.ToneSource(t, r.name(ref))
	if err == nil {
		r.scene.Sources[src.ID] = src
	}
	return src, err
}

// writtenRoom is a room as it is written: the tone that it is made from stands in it, in place of its id.
type writtenRoom struct {
	recipe.Room
	Tone any `json:"tone,omitempty"`
}

func writeRoom(s *scene.Scene, r *recipe.Room) any {
	if len(r.Tones()) == 0 {
		return r
	}
	return writtenRoom{*r, writeTone(s, s.Sources[r.Tone])}
}

// room reads what is done to a background; nil if there is nothing.
func (r *reader) room(of node) (*recipe.Room, error) {
	o, ok, err := of.object("room")
	if !ok || err != nil {
		return nil, err
	}
	w := writtenRoom{}
	if err := json.Unmarshal([]byte(o.raw), &w); err != nil {
		return nil, o.errorf("is no room: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	ref, ok, err := o.object("tone")
	if err != nil {
		return nil, err
	}
	if ok {
		src, err := r.tone(ref)
		if err != nil {
			return nil, err
		}
		w.Room.Tone = src.ID
	}
	if err := scene.CheckRoom(&w.Room); err != nil {
		return nil, o.errorf("%s", err)
	}
	return &w.Room, nil
}

func (r *reader) materials(p node, key string) (out []recipe.Material, err error) {
	err = p.each(key, p.place+"/"+key, func(i int, n node) error {
		if i >= limit.Materials {
			return n.errorf("room tone is made from at most %d stretches", limit.Materials)
		}
		id, err := r.recording(n)
		if err != nil {
			return err
		}
		m := recipe.Material{Source: id}
		for key, to := range map[string]*int64{"from": &m.From, "to": &m.To} {
			at, ok, err := n.time(key)
			if err != nil {
				return err
			}
			if !ok {
				return n.errorf("needs its start and its end, from and to")
			}
			*to = timecode.Units(at.seconds, r.scene.SampleRate, 1) - r.scene.Sources[id].Offset
		}
		if m.From < 0 || m.To <= m.From {
			return n.errorf("has no length, or begins before its recording")
		}
		out = append(out, m)
		return nil
	})
	return out, err
}

// recording reads which recording is meant where no clip shows it, and gives its id.
func (r *reader) recording(n node) (id string, err error) {
	target := n.text("target_url")
	if target == "" {
		return "", n.errorf("has no target_url")
	}
	key := keyOf(target, n.text("sha256"))
	if id, seen := r.sources[key]; seen {
		return id, nil
	}
	src := scene.Source{
		ID:      r.sourceID(),
		Name:    r.name(n),
		URL:     target,
		Unknown: true,
		SHA256:  n.text("sha256"),
	}
	if src.Name == "" {
		src.Name = baseName(target)
	}
	if sound, _ := r.lengthOf(target); sound != nil {
		src.Samples, src.Unknown = timecode.Units(sound, r.scene.SampleRate, 1), false
	}
	if starts, ok, err := n.time("starts"); err != nil {
		return "", err
	} else if ok {
		src.Offset = timecode.Units(starts.seconds, r.scene.SampleRate, 1)
	}
	r.sources[key], r.scene.Sources[src.ID], r.inTones[src.ID] = src.ID, src, true
	return src.ID, nil
}

// hole reads what a clip says of the hole that it fills, and of itself beside one.
func (r *reader) hole(mine node, c *scene.Clip) error {
	if name := scene.ClipID(mine.text("id")); name != "" {
		r.clips[name] = c.ID
	}
	o, ok, err := mine.object("fills")
	if ok {
		hole := readHole(o)
		c.Fills = &hole
	}
	return err
}

func readHole(o node) scene.Hole {
	return scene.Hole{
		Clip: scene.ClipID(o.text("clip")),
		Lull: scene.LullID(o.text("lull")),
		Next: scene.ClipID(o.text("next")),
	}
}

func writeHole(h *scene.Hole) object {
	o := object{"clip": h.Clip}
	put(o, "lull", h.Lull, h.Lull != "")
	put(o, "next", h.Next, h.Next != "")
	return o
}

// holeOf is a hole by the ids that its clips have now.
func (r *reader) holeOf(h scene.Hole) scene.Hole {
	return scene.Hole{Clip: r.clips[h.Clip], Lull: h.Lull, Next: r.clips[h.Next]}
}

// namedClips are the clips that the holes of patches name, those whose words tracks make way for, and those that had to
// do with what was joined.
func namedClips(s *scene.Scene) map[scene.ClipID]bool {
	ids := map[scene.ClipID]bool{}
	for _, t := range s.Tracks {
		for _, u := range t.Ducks {
			for _, id := range u.Clips {
				ids[id] = true
			}
		}
		for _, c := range t.Clips {
			if h := c.Fills; h != nil {
				ids[h.Clip], ids[h.Next] = true, true
			}
		}
	}
	for _, src := range s.Sources {
		if src.Joined == nil {
			continue
		}
		for _, tie := range src.Joined.Ties {
			if ids[tie.Clip] = true; tie.Fills != nil {
				ids[tie.Fills.Clip], ids[tie.Fills.Next] = true, true
			}
		}
	}
	return ids
}

// matchHoles gives patches their holes once all clips are read. A patch whose hole is gone lies where it is.
func (r *reader) matchHoles() {
	for _, t := range r.scene.Tracks {
		for i := range t.Clips {
			h := t.Clips[i].Fills
			if h == nil {
				continue
			}
			now := r.holeOf(*h)
			if span, ok := r.scene.HoleSpan(now); ok && !span.Empty() {
				t.Clips[i].Fills = &now
			} else {
				t.Clips[i].Fills = nil
			}
		}
	}
}
