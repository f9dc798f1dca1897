package otio

import (
	"encoding/json"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/eq"
)

// A clipField is what a scene file says of a clip in our own metadata, written and read: one entry for each state that
// a clip may have and the standard has no field for.
type clipField struct {
	keys  []string
	write func(to object, c clipOut)
	read  func(from node, c clipIn) error
}

// A clipOut is a clip being written; offset is where its recording begins, in the track's unit.
type clipOut struct {
	scene.Clip
	scene  *scene.Scene
	offset int64
	rate   float64
	named  map[scene.ClipID]bool // ids that others name
}

// A clipIn is a clip being read.
type clipIn struct {
	*scene.Clip
	r   *reader
	src scene.Source
	t   *scene.Track
}

var clipFields = []clipField{
	{ // ahead of all that lies on the sound as it is fitted
		[]string{"fit"},
		func(to object, c clipOut) {
			fit := writeFit(c)
			put(to, "fit", fit, fit != nil)
		},
		func(from node, c clipIn) error { return c.r.fit(from, c) },
	},
	{
		[]string{"gain_db"},
		func(to object, c clipOut) { put(to, "gain_db", c.GainDB, c.GainDB != 0) },
		func(from node, c clipIn) (err error) {
			c.GainDB, err = from.db("gain_db")
			return err
		},
	},
	{
		[]string{"fade_in"},
		func(to object, c clipOut) { put(to, "fade_in", writeFade(c.FadeIn, c.rate), c.FadeIn.Length > 0) },
		func(from node, c clipIn) (err error) {
			c.FadeIn, err = c.r.fade(from, "fade_in", c.t)
			return err
		},
	},
	{
		[]string{"fade_out"},
		func(to object, c clipOut) { put(to, "fade_out", writeFade(c.FadeOut, c.rate), c.FadeOut.Length > 0) },
		func(from node, c clipIn) (err error) {
			c.FadeOut, err = c.r.fade(from, "fade_out", c.t)
			return err
		},
	},
	{
		[]string{"link"},
		func(to object, c clipOut) { put(to, "link", c.Link, c.Link != "") },
		func(from node, c clipIn) error {
			c.Link = scene.LinkID(from.text("link"))
			return nil
		},
	},
	{
		[]string{"note"},
		func(to object, c clipOut) { put(to, "note", c.Note, c.Note != "") },
		func(from node, c clipIn) error {
			c.Note = c.r.short(from.text("note"), limit.Notes)
			return nil
		},
	},
	{ // written as the standard's own field, enabled
		[]string{"muted"},
		func(object, clipOut) {},
		func(from node, c clipIn) error {
			c.Muted = c.Muted || from.flag("muted", false)
			return nil
		},
	},
	{
		[]string{"room"},
		func(to object, c clipOut) { put(to, "room", writeRoom(c.scene, c.Room), c.Room != nil) },
		func(from node, c clipIn) (err error) {
			c.Room, err = c.r.room(from)
			return err
		},
	},
	{
		[]string{"filters"},
		func(to object, c clipOut) { put(to, "filters", c.Filters, c.Filters != nil) },
		func(from node, c clipIn) (err error) {
			c.Filters, err = readJSON[eq.Filters](from, "filters")
			return err
		},
	},
	{
		[]string{"like"},
		func(to object, c clipOut) { put(to, "like", c.Like, c.Like != nil) },
		func(from node, c clipIn) (err error) {
			c.Like, err = readJSON[eq.Like](from, "like")
			return err
		},
	},
	{
		[]string{"level"},
		func(to object, c clipOut) {
			var level []any
			for _, p := range c.Level {
				level = append(level, object{"at": rational(p.At+c.offset, c.rate), "db": p.DB})
			}
			put(to, "level", level, level != nil)
		},
		func(from node, c clipIn) (err error) {
			c.Level, err = c.r.level(from, c.src, c.t)
			return err
		},
	},
	{
		[]string{"pair_out", "pair_in"},
		func(to object, c clipOut) {
			if p := c.scene.PairAt(c.ID, true); p != nil {
				o := object{"with": p.In, "law": p.Law}
				putCurves(o, p.CurveOut, p.CurveIn)
				to["pair_out"] = o
			}
			if p := c.scene.PairAt(c.ID, false); p != nil {
				to["pair_in"] = p.In
			}
		},
		func(from node, c clipIn) error { return c.r.pair(from, c.ID) },
	},
	{ // read with the clip's source
		[]string{"id"},
		func(to object, c clipOut) { put(to, "id", c.ID, c.named[c.ID]) },
		func(node, clipIn) error { return nil },
	},
	{
		[]string{"accepted_head"},
		func(to object, c clipOut) { putAccepted(to, "accepted_head", c.AcceptedHead) },
		func(from node, c clipIn) (err error) {
			c.AcceptedHead, err = c.r.accepted(from, "accepted_head")
			return err
		},
	},
	{
		[]string{"accepted_tail"},
		func(to object, c clipOut) { putAccepted(to, "accepted_tail", c.AcceptedTail) },
		func(from node, c clipIn) (err error) {
			c.AcceptedTail, err = c.r.accepted(from, "accepted_tail")
			return err
		},
	},
	{
		[]string{"lulls"},
		func(to object, c clipOut) {
			lulls := writeLulls(c.Clip, c.offset, c.rate)
			put(to, "lulls", lulls, lulls != nil)
		},
		func(from node, c clipIn) (err error) {
			c.Lulls, err = c.r.lulls(from, *c.Clip, c.src, c.t)
			return err
		},
	},
	{
		[]string{"fills"},
		func(to object, c clipOut) {
			if c.Fills != nil {
				to["fills"] = writeHole(c.Fills)
			}
		},
		func(from node, c clipIn) error { return c.r.hole(from, c.Clip) },
	},
}

// readJSON reads a value that is written as the model has it; nil if it is not there. What it may be is a law of the
// model.
func readJSON[T any](of node, key string) (*T, error) {
	o, ok, err := of.object(key)
	if !ok || err != nil {
		return nil, err
	}
	v := new(T)
	if err := json.Unmarshal([]byte(o.raw), v); err != nil {
		return nil, o.errorf("cannot be read: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	return v, nil
}

// clipKeys are the names of all that is ours in a clip's metadata.
func clipKeys() (list []string) {
	for _, f := range clipFields {
		list = append(list, f.keys...)
	}
	return list
}

func putAccepted(to object, key string, a *scene.Accepted) {
	if a != nil {
		to[key] = object{"sound": a.Sound, "note": a.Note}
	}
}

func (r *reader) accepted(from node, key string) (*scene.Accepted, error) {
	a, ok, err := from.object(key)
	if err != nil || !ok || a.text("sound") == "" {
		return nil, err
	}
	return &scene.Accepted{Sound: a.text("sound"), Note: r.short(a.text("note"), limit.Notes)}, nil
}
