// Package otio reads and writes scene files: OpenTimelineIO JSON, with what that standard has no field for
// under metadata.blendseam.
package otio

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"net/url"
	"path"
	"slices"
	"strings"

	"github.com/tidwall/gjson"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
)

// ours is the key, in metadata, of what this application adds.
const ours = "blendseam"

// kept are the fields of OTIO objects that are carried along unread.
var kept = []string{"effects", "color", "comment"}

// markerColor is that of markers that came from no file.
const markerColor = "RED"

func init() {
	interchange.Register(
		interchange.Format{
			Name:       "OpenTimelineIO",
			Extensions: []string{".otio"},
			MediaType:  "application/json",
			Read: func(raw []byte, hints interchange.Hints) (*scene.Scene, []string, error) {
				return Read(raw, hints.Length)
			},
			Write:   Write,
			Targets: Targets,
		},
	)
}

type reader struct {
	scene    *scene.Scene
	length   interchange.Length
	lengths  map[string][2]*big.Rat // what length said
	sources  map[string]string      // id by keyOf
	inTones  map[string]bool        // ids of recordings that only tones have named so far
	warnings []string
	pairs    []scene.Pair                  // with the name of their incoming clip
	incoming map[scene.ClipID]scene.ClipID // id of the incoming clips of pairs, by name
	clips    map[scene.ClipID]scene.ClipID // id of clips beside holes, by their name in the file
	cut      int                           // names and notes that were too long
	duckings []ducking
	joinings []joining
}

// Read reads a scene file. length may be nil. Warnings name what was kept but is not heard.
func Read(raw []byte, length interchange.Length) (s *scene.Scene, warnings []string, err error) {
	top, err := parse(raw)
	if err != nil {
		return nil, nil, err
	}
	if s := top.schema(); s != "Timeline.1" {
		return nil, nil, top.errorf("a scene file holds a Timeline.1, not %q", s)
	}
	stack, ok, err := top.object("tracks")
	if err != nil {
		return nil, nil, err
	}
	if !ok || stack.schema() != "Stack.1" {
		return nil, nil, top.errorf("tracks must be a Stack.1")
	}
	if stack.has("source_range") {
		return nil, nil, stack.errorf("a trimmed stack (source_range) cannot be read; write the scene untrimmed")
	}
	stack.place = "tracks"
	r := &reader{
		length:   length,
		lengths:  map[string][2]*big.Rat{},
		sources:  map[string]string{},
		inTones:  map[string]bool{},
		incoming: map[scene.ClipID]scene.ClipID{},
		clips:    map[scene.ClipID]scene.ClipID{},
	}
	if err := r.frame(top, stack); err != nil {
		return nil, nil, err
	}
	if err := eachTrack(stack, r.track); err != nil {
		return nil, nil, err
	}
	r.matchPairs()
	r.matchHoles()
	if err := r.joined(top); err != nil {
		return nil, nil, err
	}
	if err := r.aside(top); err != nil {
		return nil, nil, err
	}
	if err := r.matchJoined(); err != nil {
		return nil, nil, err
	}
	if err := r.matchDucks(); err != nil {
		return nil, nil, err
	}
	if err := r.matchFits(); err != nil {
		return nil, nil, err
	}
	if err := r.markers(stack); err != nil {
		return nil, nil, err
	}
	if err := r.stretches(top); err != nil {
		return nil, nil, err
	}
	if err := r.scene.Check(); err != nil {
		return nil, nil, err
	}
	if r.cut > 0 {
		r.warnings = append(
			r.warnings,
			fmt.Sprintf("names over %d and notes over %d letters were cut, %d of them", limit.Names, limit.Notes, r.cut),
		)
	}
	return r.scene, r.warnings, nil
}

// Targets are the media URLs that the clips of a scene file name, whatever else is wrong with it.
func Targets(raw []byte) (list []string) {
	top, err := parse(raw)
	if err != nil {
		return nil
	}
	stack, _, err := top.object("tracks")
	if err != nil {
		return nil
	}
	seen := map[string]bool{}
	_ = eachTrack(stack, func(t node) error {
		return eachItem(t, func(item node) error {
			if ref, ok, err := item.reference(); ok && err == nil {
				if target := ref.text("target_url"); target != "" && !seen[target] {
					seen[target] = true
					list = append(list, target)
				}
			}
			return nil
		})
	})
	return list
}

// eachTrack calls do for the tracks of a scene.
func eachTrack(stack node, do func(node) error) error {
	return stack.each("children", "tracks", func(i int, t node) error {
		if i >= limit.Tracks {
			return t.errorf("a scene has at most %d tracks", limit.Tracks)
		}
		return do(t)
	})
}

// errEnough ends going through a list.
var errEnough = errors.New("enough")

// eachItem calls do for what lies on a track, until it gives errEnough.
func eachItem(track node, do func(node) error) error {
	err := track.each("children", track.place+"/children", func(_ int, item node) error { return do(item) })
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// name is an object's name, cut if it is too long.
func (r *reader) name(n node) string { return r.short(n.text("name"), limit.Names) }

func (r *reader) short(text string, letters int) string {
	short, cut := limit.Cut(text, letters)
	if cut {
		r.cut++
	}
	return short
}

// meta gives the blendseam part of an object's metadata, and the rest as it is.
func (n node) meta() (mine node, foreign scene.Foreign, err error) {
	m, ok, err := n.object("metadata")
	if err != nil {
		return node{}, nil, err
	}
	foreign = scene.Foreign{}
	if ok {
		rest, err := m.without(ours)
		if err != nil {
			return node{}, nil, err
		}
		if rest != nil {
			foreign["metadata"] = rest
		}
		mine, _, err = m.object(ours)
		if err != nil {
			return node{}, nil, err
		}
	}
	mine.place = n.place + "/metadata/" + ours
	for _, key := range kept {
		if v := n.value(key); v.Exists() && !isEmpty(v) && !(key == "color" && v.String() == markerColor) {
			if foreign[key], err = compact(v); err != nil {
				return node{}, nil, err
			}
		}
	}
	if len(foreign) == 0 {
		foreign = nil
	}
	return mine, foreign, nil
}

// compact is a value as it stands in the file, without blanks.
func compact(v gjson.Result) (json.RawMessage, error) { return json.Marshal(json.RawMessage(v.Raw)) }

func isEmpty(v gjson.Result) bool {
	some := false
	if v.IsArray() {
		v.ForEach(func(_, _ gjson.Result) bool {
			some = true
			return false
		})
		return !some
	}
	return v.Type == gjson.String && v.Str == ""
}

// without is the object without some fields; nil if it has no others.
func (n node) without(keys ...string) (json.RawMessage, error) {
	var left bytes.Buffer
	gjson.Parse(n.raw).ForEach(func(k, v gjson.Result) bool {
		if !slices.Contains(keys, k.String()) {
			if left.Len() == 0 {
				left.Grow(len(n.raw) + 1)
			}
			left.WriteByte(',')
			left.WriteString(k.Raw)
			left.WriteByte(':')
			left.WriteString(v.Raw)
		}
		return true
	})
	if left.Len() == 0 {
		return nil, nil
	}
	left.WriteByte('}')
	raw := left.Bytes()
	raw[0] = '{'
	var out bytes.Buffer
	out.Grow(len(raw))
	err := json.Compact(&out, raw)
	return out.Bytes(), err
}

// rest keeps those of our own fields that this version has no part for, so that they are written again.
func (n node) rest(foreign scene.Foreign, known ...string) (scene.Foreign, error) {
	raw, err := n.without(known...)
	if raw == nil || err != nil {
		return foreign, err
	}
	if foreign == nil {
		foreign = scene.Foreign{}
	}
	foreign[ours] = raw
	return foreign, err
}

// frame reads what holds for the whole scene.
func (r *reader) frame(top, stack node) error {
	mine, foreign, err := top.meta()
	if err != nil {
		return err
	}
	rate := timecode.F25
	start, okStart, err := top.time("global_start_time")
	if err != nil {
		return err
	}
	if okStart {
		if rate, err = frameRate(top, start.rate); err != nil {
			return err
		}
	} else if first := firstClip(stack, "Video"); first.raw != "" {
		if m, _, ok, err := first.span("source_range"); err != nil {
			return err
		} else if ok {
			if rate, err = frameRate(first, m.rate); err != nil {
				return err
			}
		}
	}
	rate.Drop = mine.flag("drop_frame", false) && rate.Den != 1
	sampleRate := int64(0)
	if mine.has("sample_rate") {
		v, err := mine.number("sample_rate")
		if err != nil {
			return err
		}
		sampleRate = timecode.Units(v, 1, 1)
	} else if sampleRate, err = r.soundRate(stack); err != nil {
		return err
	}
	if sampleRate < 8000 || sampleRate > 384000 {
		return top.errorf("a sample rate of %d is none; 8000 to 384000 are", sampleRate)
	}
	r.scene = scene.New(r.name(top), rate, sampleRate)
	if mine.has("channels") {
		v, err := mine.number("channels")
		if err != nil {
			return err
		}
		if n := timecode.Units(v, 1, 1); n == 1 || n == 2 {
			r.scene.Channels = int(n)
		} else {
			return mine.errorf("channels must be 1 or 2, not %d", n)
		}
	}
	if okStart {
		r.scene.StartFrame = timecode.Units(start.seconds, rate.Num, rate.Den)
	} else {
		r.scene.StartFrame = 0
	}
	if err := r.origins(mine); err != nil {
		return err
	}
	r.scene.Foreign, err = mine.rest(foreign, "sample_rate", "channels", "drop_frame", "stretches", "heard", "speech",
		"joined_from", "aside", "origins")
	return err
}

// origins reads the states of other logs that the scene comes from.
func (r *reader) origins(mine node) error {
	var list []scene.Origin
	err := mine.each("origins", mine.place+"/origins", func(_ int, n node) error {
		state, err := n.number("state")
		if err != nil {
			return err
		}
		list = append(list, scene.Origin{Scene: r.short(n.text("scene"), limit.Names), State: timecode.Units(state, 1, 1)})
		return nil
	})
	for _, o := range list {
		r.scene.Origins = scene.SavedFrom(r.scene, o).Origins
	}
	return err
}

func frameRate(n node, rate *big.Rat) (timecode.Rate, error) {
	f, _ := rate.Float64()
	r, ok := timecode.FromFloat(f)
	if !ok {
		return r, n.errorf("%g frames a second is none of 23.976, 24, 25, 29.97, 30, 50, 59.94, 60", f)
	}
	return r, nil
}

// firstClip is the first clip with a source_range on any track of a kind.
func firstClip(stack node, kind string) (first node) {
	_ = eachTrack(stack, func(t node) error { // what is wrong with them is said later
		if t.text("kind") != kind || first.raw != "" {
			return nil
		}
		return eachItem(t, func(item node) error {
			if strings.HasPrefix(item.schema(), "Clip.") && item.has("source_range") {
				first = item
				return errEnough
			}
			return nil
		})
	})
	return first
}

// soundRate is that of the first source of sound that states one, else 48000.
func (r *reader) soundRate(stack node) (rate int64, err error) {
	err = eachTrack(stack, func(t node) error {
		if t.text("kind") != "Audio" || rate != 0 {
			return nil
		}
		return eachItem(t, func(item node) error {
			if !strings.HasPrefix(item.schema(), "Clip.") {
				return nil
			}
			candidates := []node{item}
			keys := []string{"source_range"}
			if ref, ok, _ := item.reference(); ok {
				candidates, keys = append([]node{ref}, candidates...), append([]string{"available_range"}, keys...)
			}
			for i, n := range candidates {
				if m, _, ok, err := n.span(keys[i]); err != nil {
					return err
				} else if ok && m.rate.IsInt() && m.rate.Cmp(big.NewRat(8000, 1)) >= 0 {
					rate = m.rate.Num().Int64()
					return errEnough
				}
			}
			return nil
		})
	})
	if rate == 0 {
		rate = 48000
	}
	return rate, err
}

// reference is the active media reference of a clip of either version.
func (n node) reference() (ref node, ok bool, err error) {
	if n.schema() == "Clip.1" {
		return n.object("media_reference")
	}
	all, ok, err := n.object("media_references")
	if !ok || err != nil {
		return n.object("media_reference")
	}
	key := n.text("active_media_reference_key")
	if key == "" {
		key = "DEFAULT_MEDIA"
	}
	return all.object(key)
}

func (r *reader) track(n node) error {
	if s := n.schema(); s != "Track.1" {
		return n.errorf("a track must be a Track.1, not %q; flatten what is nested", s)
	}
	if n.has("source_range") {
		return n.errorf("a trimmed track (source_range) cannot be read; write the scene untrimmed")
	}
	t := &scene.Track{ID: scene.NewID(r.scene, scene.ATrack), Name: r.name(n), Clips: []scene.Clip{}}
	switch kind := n.text("kind"); kind {
	case "Video":
		t.Kind, t.Purpose = scene.Picture, "picture"
	case "Audio", "":
		t.Kind, t.Purpose = scene.Sound, "dialogue"
	default:
		return n.errorf("a track of kind %q cannot be read; Video and Audio can", kind)
	}
	mine, foreign, err := n.meta()
	if err != nil {
		return err
	}
	if p := scene.Purpose(mine.text("purpose")); p != "" {
		if !slices.Contains(scene.Purposes, p) || (p == "picture") != (t.Kind == scene.Picture) {
			return mine.errorf("purpose %q does not fit a track of this kind; %v are the purposes", p, scene.Purposes)
		}
		t.Purpose = p
	}
	if t.GainDB, err = mine.db("gain_db"); err != nil {
		return err
	}
	if t.Room, err = r.room(mine); err != nil {
		return err
	}
	if t.Filters, err = readJSON[eq.Filters](mine, "filters"); err != nil {
		return err
	}
	if t.Treatments, err = r.treatments(mine); err != nil {
		return err
	}
	if mine.has("balance") {
		v, err := mine.number("balance")
		if err != nil {
			return err
		}
		t.Balance, _ = v.Float64()
	}
	err = mine.each("ducks", mine.place+"/ducks", func(_ int, of node) error {
		r.duckings = append(r.duckings, ducking{t, of})
		return nil
	})
	if err != nil {
		return err
	}
	t.Hue, t.Solo = mine.text("hue"), mine.flag("solo", false)
	t.Locked, t.Stays = mine.flag("locked", false), mine.flag("stays", false)
	t.Mute = mine.flag("mute", false) || !n.flag("enabled", true)
	if t.Foreign, err = mine.rest(foreign, "purpose", "gain_db", "hue", "solo", "locked", "stays", "mute",
		"room", "balance", "ducks", "filters", "treatments"); err != nil {
		return err
	}
	if err := keepMarkers(n, &t.Foreign); err != nil {
		return err
	}
	if t.Name == "" {
		t.Name = strings.ToUpper(string(t.Purpose[:1])) + string(t.Purpose[1:])
	}
	r.scene.Tracks = append(r.scene.Tracks, t)
	return r.children(n, t)
}

// keepMarkers carries along markers that lie on something other than the scene.
func keepMarkers(n node, foreign *scene.Foreign) error {
	v := n.value("markers")
	if !v.Exists() || isEmpty(v) {
		return nil
	}
	raw, err := compact(v)
	if *foreign == nil {
		*foreign = scene.Foreign{}
	}
	(*foreign)["markers"] = raw
	return err
}

func (r *reader) sourceID() string {
	return fmt.Sprintf("s%d", len(r.sources)+1)
}

// unit is the rate that times on a track are counted in.
func (r *reader) unit(t *scene.Track) (num, den int64) {
	if t.Kind == scene.Picture {
		return r.scene.Rate.Num, r.scene.Rate.Den
	}
	return r.scene.SampleRate, 1
}

func (r *reader) children(n node, t *scene.Track) error {
	row := row{reader: r, track: t, at: new(big.Rat), gap: true}
	if err := eachItem(n, row.item); err != nil {
		return err
	}
	if row.pending.raw != "" {
		return r.edgeFade(row.pending, t, "tail")
	}
	return nil
}

// A row is a track as it is read, one thing after the other.
type row struct {
	*reader
	track   *scene.Track
	at      *big.Rat // seconds from the start of the scene, exact
	pending node     // a transition that waits for its right clip
	gap     bool     // what came last leaves no clip to blend from
}

func (r *row) item(item node) error {
	switch schema := item.schema(); schema {
	case "Gap.1":
		_, length, ok, err := item.span("source_range")
		if err != nil {
			return err
		}
		if !ok {
			return item.errorf("a gap needs a source_range")
		}
		if length.seconds.Sign() == 0 {
			return nil
		}
		if r.pending.raw != "" {
			if err := r.edgeFade(r.pending, r.track, "tail"); err != nil {
				return err
			}
			r.pending = node{}
		}
		r.at.Add(r.at, length.seconds)
		r.gap = true
	case "Transition.1":
		if r.pending.raw != "" {
			return item.errorf("two transitions follow one another")
		}
		r.pending = item
	case "Clip.1", "Clip.2":
		return r.clipItem(item)
	default:
		return item.errorf("a %.60q inside a track cannot be read; clips, gaps and transitions can", schema)
	}
	return nil
}

func (r *row) clipItem(item node) error {
	t := r.track
	num, den := r.unit(t)
	c, length, err := r.clip(item, t, r.at)
	if err != nil {
		return err
	}
	r.at.Add(r.at, length)
	c.Length = timecode.Units(r.at, num, den) - c.Start
	if c.Length <= 0 {
		return item.errorf("the clip has no length")
	}
	if c.Start > 1<<46 || c.Length > 1<<46 || c.In > 1<<46 {
		return item.errorf("the clip lies years away; check its rates")
	}
	t.Clips = append(t.Clips, c)
	switch {
	case r.pending.raw != "" && r.gap:
		err = r.edgeFade(r.pending, t, "head")
	case r.pending.raw != "":
		err = r.blend(r.pending, t)
	}
	r.pending, r.gap = node{}, false
	return err
}

// clip reads a clip that starts at a moment, and its exact length in seconds.
func (r *reader) clip(n node, t *scene.Track, at *big.Rat) (scene.Clip, *big.Rat, error) {
	num, den := r.unit(t)
	c := scene.Clip{ID: scene.NewID(r.scene, scene.AClip), Name: r.name(n), Start: timecode.Units(at, num, den)}
	src, available, err := r.source(n, t)
	if err != nil {
		return c, nil, err
	}
	c.Source = src.ID
	start, length, ok, err := n.span("source_range")
	if err != nil {
		return c, nil, err
	}
	if !ok {
		if available == nil {
			return c, nil, n.errorf("needs a source_range, as nothing says how long its recording is")
		}
		start, length = moment{seconds: available[0]}, moment{seconds: available[1]}
	}
	inSeconds := new(big.Rat).Sub(start.seconds, big.NewRat(src.Offset, r.scene.SampleRate))
	if c.In = timecode.Units(inSeconds, num, den); c.In < 0 {
		return c, nil, n.errorf("starts before its recording does")
	}
	if c.Name == "" {
		c.Name = src.Name
	}
	mine, foreign, err := n.meta()
	if err != nil {
		return c, nil, err
	}
	c.Muted = !n.flag("enabled", true)
	for _, f := range clipFields {
		if err := f.read(mine, clipIn{&c, r, src, t}); err != nil {
			return c, nil, err
		}
	}
	if c.Foreign, err = mine.rest(foreign, clipKeys()...); err != nil {
		return c, nil, err
	}
	if e := n.value("effects"); e.IsArray() && !isEmpty(e) {
		r.warnings = append(r.warnings, fmt.Sprintf("%s: effects of clip %s are kept, but not heard", n.place, c.Name))
	}
	return c, length.seconds, keepMarkers(n, &c.Foreign)
}

// source gives the scene's source for a clip's media, and the media's available range in seconds if it states
// one: start and length.
func (r *reader) source(n node, t *scene.Track) (scene.Source, *[2]*big.Rat, error) {
	ref, ok, err := n.reference()
	if err != nil {
		return scene.Source{}, nil, err
	}
	if !ok || ref.schema() == "MissingReference.1" {
		return scene.Source{}, nil, n.errorf("names no recording; relink it to a file and try again")
	}
	if s := ref.schema(); s == "GeneratorReference.1" && t.Kind == scene.Sound {
		src, err := r.tone(ref)
		return src, nil, err
	} else if s != "ExternalReference.1" {
		return scene.Source{}, nil, ref.errorf("media of kind %q cannot be read; ExternalReference.1 can", s)
	}
	target := ref.text("target_url")
	if target == "" {
		return scene.Source{}, nil, ref.errorf("has no target_url")
	}
	start, length, stated, err := ref.span("available_range")
	if err != nil {
		return scene.Source{}, nil, err
	}
	mine, foreign, err := ref.meta()
	if err != nil {
		return scene.Source{}, nil, err
	}
	key := keyOf(target, mine.text("sha256"))
	id, seen := r.sources[key]
	src := r.scene.Sources[id]
	if !seen || r.inTones[id] { // what a tone says of its recordings is not all
		if !seen {
			id = r.sourceID()
		}
		delete(r.inTones, id)
		src = scene.Source{ID: id, Name: r.name(ref), URL: target, Unknown: true}
		if src.Name == "" {
			src.Name = baseName(target)
		}
		if stated {
			src.Offset = timecode.Units(start.seconds, r.scene.SampleRate, 1)
		}
		src.SHA256 = mine.text("sha256")
		held, ok, err := mine.time("held_from")
		if err != nil {
			return scene.Source{}, nil, err
		}
		if ok {
			src.HeldFrom = timecode.Units(held.seconds, r.scene.SampleRate, 1)
		}
		if src.Foreign, err = mine.rest(foreign, "sha256", "held_from"); err != nil {
			return src, nil, err
		}
		r.sources[key] = src.ID
	}
	var soundLength, pictureLength *big.Rat
	if stated {
		soundLength, pictureLength = length.seconds, length.seconds
	} else {
		soundLength, pictureLength = r.lengthOf(target)
	}
	known := soundLength
	if t.Kind == scene.Picture {
		if known = pictureLength; known != nil {
			src.Frames = max(src.Frames, timecode.Units(known, r.scene.Rate.Num, r.scene.Rate.Den))
			src.Unknown = src.Unknown && src.Samples == 0 && r.length == nil && !stated
		}
	} else if known != nil {
		src.Samples = max(src.Samples, timecode.Units(known, r.scene.SampleRate, 1))
		src.Unknown = false
	}
	r.scene.Sources[src.ID] = src
	if known == nil {
		return src, nil, nil
	}
	from := new(big.Rat)
	if stated {
		from = start.seconds
	}
	return src, &[2]*big.Rat{from, known}, nil
}

// keyOf tells recordings apart: two may have one name.
func keyOf(target, sha256 string) string { return target + "\x00" + sha256 }

// lengthOf asks once for each recording how long it is.
func (r *reader) lengthOf(target string) (sound, picture *big.Rat) {
	if r.length == nil {
		return nil, nil
	}
	said, ok := r.lengths[target]
	if !ok {
		said[0], said[1] = r.length(target)
		r.lengths[target] = said
	}
	return said[0], said[1]
}

// baseName is the file name in a target URL, unescaped.
func baseName(target string) string {
	if u, err := url.Parse(target); err == nil {
		return path.Base(u.Path)
	}
	return path.Base(target)
}

func (r *reader) fade(mine node, key string, t *scene.Track) (scene.Fade, error) {
	n, ok, err := mine.object(key)
	if !ok || err != nil {
		return scene.Fade{}, err
	}
	length, ok, err := n.time("length")
	if err != nil {
		return scene.Fade{}, err
	}
	if !ok || length.seconds.Sign() < 0 {
		return scene.Fade{}, n.errorf("a fade needs a length of 0 or more")
	}
	num, den := r.unit(t)
	f := scene.Fade{Length: timecode.Units(length.seconds, num, den)}
	if f.Length == 0 {
		return f, nil
	}
	f.Curve, err = n.curve("curve", "bend")
	return f, err
}

// level reads a level line. Its moments are the recording's own.
func (r *reader) level(mine node, src scene.Source, t *scene.Track) ([]scene.LevelPoint, error) {
	var points []scene.LevelPoint
	num, den := r.unit(t)
	err := mine.each("level", mine.place+"/level", func(_ int, n node) error {
		at, ok, err := n.time("at")
		if err != nil {
			return err
		}
		if !ok {
			return n.errorf("a point of a level line needs its moment, at")
		}
		p := scene.LevelPoint{At: timecode.Units(new(big.Rat).Sub(at.seconds, big.NewRat(src.Offset, r.scene.SampleRate)),
			num, den)}
		if p.DB, err = n.db("db"); err != nil {
			return err
		}
		if k := len(points); k > 0 && p.At <= points[k-1].At {
			return n.errorf("does not lie behind the point before it")
		}
		points = append(points, p)
		return nil
	})
	return points, err
}

// curve reads a curve's name, or an object of its name and bend; straight if there is none.
func (n node) curve(key, bendKey string) (blend.Curve, error) {
	c := blend.Curve{Shape: blend.Straight}
	from := n
	if o := n.value(key); o.IsObject() {
		from, key, bendKey = node{n.place + "/" + key, o.Raw}, "curve", "bend"
	}
	if name := from.text(key); name != "" {
		c.Shape = blend.Shape(name)
	} else if from.has(key) {
		return c, from.errorf("%s must be the name of a curve", key)
	}
	if from.has(bendKey) {
		b, err := from.number(bendKey)
		if err != nil {
			return c, err
		}
		c.Bend, _ = b.Float64()
	}
	if err := c.Check(); err != nil {
		return c, from.errorf("%s", err)
	}
	return c, nil
}

// offsets reads both halves of a transition.
func (r *reader) offsets(n node, t *scene.Track) (before, after int64, err error) {
	num, den := r.unit(t)
	for key, to := range map[string]*int64{"in_offset": &before, "out_offset": &after} {
		m, ok, err := n.time(key)
		if err != nil {
			return 0, 0, err
		}
		if ok {
			if *to = timecode.Units(m.seconds, num, den); *to < 0 || *to > 1<<46 {
				return 0, 0, n.errorf("%s must be 0 or more", key)
			}
		}
	}
	if before+after == 0 {
		return 0, 0, n.errorf("the blend has no length")
	}
	return before, after, nil
}

// blend reads a transition between the last two clips of a track.
func (r *reader) blend(n node, t *scene.Track) error {
	b, err := r.blendOf(n, t)
	b.Left, b.Right = t.Clips[len(t.Clips)-2].ID, t.Clips[len(t.Clips)-1].ID
	t.Blends = append(t.Blends, b)
	return err
}

// blendOf reads a transition, whatever it lies between.
func (r *reader) blendOf(n node, t *scene.Track) (b scene.Blend, err error) {
	if b.Before, b.After, err = r.offsets(n, t); err != nil {
		return b, err
	}
	mine, foreign, err := n.meta()
	if err != nil {
		return b, err
	}
	if b.Law, b.CurveOut, b.CurveIn, err = mine.shape(); err != nil {
		return b, err
	}
	if b.Foreign, err = mine.rest(foreign, "law", "curve_out", "curve_in", "bend_out", "bend_in"); err != nil {
		return b, err
	}
	if kind := n.text("transition_type"); kind != "" && kind != transitionType {
		if b.Foreign == nil {
			b.Foreign = scene.Foreign{}
		}
		b.Foreign["transition_type"], _ = json.Marshal(kind)
	}
	return b, nil
}

// shape reads the law and the curves of a blend or a pair.
func (n node) shape() (law blend.Law, out, in *blend.Curve, err error) {
	law = blend.ConstantPower
	if name := n.text("law"); name != "" {
		if law = blend.Law(name); !law.Valid() {
			return law, nil, nil, n.errorf("law %q is not one of %s", name, blend.LawNames(", "))
		}
	}
	for key, to := range map[string]**blend.Curve{"curve_out": &out, "curve_in": &in} {
		if !n.has(key) {
			continue
		}
		c, err := n.curve(key, strings.Replace(key, "curve", "bend", 1))
		if err != nil {
			return law, nil, nil, err
		}
		*to = &c
	}
	return law, out, in, nil
}

// pair notes what a clip says of a pair that it is part of.
func (r *reader) pair(mine node, clip scene.ClipID) error {
	if name := scene.ClipID(mine.text("pair_in")); name != "" {
		r.incoming[name] = clip
	}
	o, ok, err := mine.object("pair_out")
	if err != nil || !ok {
		return err
	}
	p := scene.Pair{Out: clip, In: scene.ClipID(o.text("with"))}
	if p.Law, p.CurveOut, p.CurveIn, err = o.shape(); err != nil {
		return err
	}
	r.pairs = append(r.pairs, p)
	return nil
}

// matchPairs puts the pairs together once all clips are read. Clips that are none any more keep their fades.
func (r *reader) matchPairs() {
	for _, p := range r.pairs {
		p.In = r.incoming[p.In]
		span, ok := r.scene.Overlap(p)
		_, out := r.scene.Clip(p.Out)
		if _, in := r.scene.Clip(p.In); !ok || out.FadeOut.Length != span.Len() || in.FadeIn.Length != span.Len() {
			r.warnings = append(r.warnings, fmt.Sprintf("clip %s: its pair is not there any more, its fade stays", out.Name))
			continue
		}
		r.scene.Pairs = append(r.scene.Pairs, p)
	}
}

// edgeFade reads a transition next to a gap, which is a fade of the last clip read.
func (r *reader) edgeFade(n node, t *scene.Track, edge string) error {
	if len(t.Clips) == 0 {
		return n.errorf("a transition needs a clip beside it")
	}
	before, after, err := r.offsets(n, t)
	if err != nil {
		return err
	}
	c := &t.Clips[len(t.Clips)-1]
	length, outside := after, before
	if edge == "tail" {
		length, outside = before, after
	}
	if outside > 0 {
		return n.errorf("a transition between a clip and a gap can only lie inside the clip; its half over the gap must be 0")
	}
	mine, _, err := n.meta()
	if err != nil {
		return err
	}
	f := scene.Fade{Length: length, Curve: blend.Curve{Shape: blend.QuarterSine}}
	if blend.Law(mine.text("law")) == blend.ConstantGain {
		f.Curve.Shape = blend.Straight
	}
	if edge == "tail" {
		c.FadeOut = f
	} else {
		c.FadeIn = f
	}
	return nil
}

func (r *reader) markers(stack node) error {
	err := stack.each("markers", "tracks/markers", func(_ int, n node) error {
		key := "marked_range"
		if !n.has(key) {
			key = "range"
		}
		start, length, ok, err := n.span(key)
		if err != nil {
			return err
		}
		if !ok {
			return n.errorf("a marker needs a marked_range")
		}
		at := timecode.Units(start.seconds, r.scene.SampleRate, 1)
		end := timecode.Units(new(big.Rat).Add(start.seconds, length.seconds), r.scene.SampleRate, 1)
		m := scene.Marker{ID: scene.NewID(r.scene, scene.AMarker), Name: r.name(n), At: at, Length: max(0, end-at)}
		if _, m.Foreign, err = n.meta(); err != nil {
			return err
		}
		r.scene.Markers = append(r.scene.Markers, m)
		return nil
	})
	slices.SortStableFunc(r.scene.Markers, func(a, b scene.Marker) int { return cmp.Compare(a.At, b.At) })
	return err
}

// corrections reads what people said that recordings hold.
func (r *reader) corrections(mine node) error {
	return r.eachOfSource(mine, "heard", func(n node, src *scene.Source, span pcm.Span) error {
		kind := scene.SoundKind(n.text("kind"))
		last := int64(0)
		if k := len(src.Corrections); k > 0 {
			last = src.Corrections[k-1].Span.To
		}
		if !kind.Valid() || span.From < last || span.Empty() {
			return n.errorf("a correction is a word, breath, pause or other sound, its \"to\" after its \"from\", " +
				"and none lies over another")
		}
		src.Corrections = append(src.Corrections, scene.Correction{Span: span, Kind: kind})
		return nil
	})
}

// eachOfSource reads a list of what is said of stretches of sources; what is said of those that no clip has is left.
func (r *reader) eachOfSource(mine node, list string, read func(n node, src *scene.Source, span pcm.Span) error) error {
	return mine.each(list, mine.place+"/"+list, func(_ int, n node) error {
		id, known := r.sources[keyOf(n.text("target_url"), n.text("sha256"))]
		if !known {
			return nil
		}
		span, err := r.fromTo(n)
		if err != nil {
			return err
		}
		src := r.scene.Sources[id]
		err = read(n, &src, span)
		r.scene.Sources[id] = src
		return err
	})
}

// stretches reads what was marked in sources, and where their words are; of sources that no clip has, nothing is known
// and nothing kept.
func (r *reader) stretches(top node) error {
	mine, _, err := top.meta()
	if err != nil {
		return err
	}
	if err := r.speech(mine); err != nil {
		return err
	}
	if err := r.corrections(mine); err != nil {
		return err
	}
	return r.eachOfSource(mine, "stretches", func(n node, src *scene.Source, span pcm.Span) error {
		if n.text("name") == "" || span.From < 0 || span.Empty() {
			return n.errorf("a stretch needs a name, and its \"to\" after its \"from\"")
		}
		src.Stretches = append(src.Stretches, scene.Stretch{Name: r.name(n), From: span.From, To: span.To})
		return nil
	})
}
