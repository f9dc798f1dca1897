package otio

import (
	"encoding/json"
	"maps"
	"math"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
)

// transitionType is what transitions are called in files that this package writes.
const transitionType = "SMPTE_Dissolve"

type object = map[string]any

// Write gives a scene as a scene file.
func Write(s *scene.Scene) ([]byte, error) {
	stack := object{
		"OTIO_SCHEMA":  "Stack.1",
		"name":         "tracks",
		"source_range": nil,
		"effects":      []any{},
		"enabled":      true,
		"metadata":     object{},
	}
	tracks := make([]any, len(s.Tracks))
	named := namedClips(s)
	for i, t := range s.Tracks {
		tracks[i] = writeTrack(s, t, named)
	}
	stack["children"] = tracks
	markers := make([]any, len(s.Markers))
	for i, m := range s.Markers {
		o := object{"OTIO_SCHEMA": "Marker.2", "name": m.Name, "color": markerColor, "comment": "",
			"marked_range": timeRange(m.At, m.Length, float64(s.SampleRate))}
		markers[i] = withForeign(o, m.Foreign, object{})
	}
	stack["markers"] = markers
	mine := object{"sample_rate": s.SampleRate, "channels": s.Channels}
	if s.Rate.Drop {
		mine["drop_frame"] = true
	}
	if list := writeStretches(s); len(list) > 0 {
		mine["stretches"] = list
	}
	if list := writeCorrections(s); len(list) > 0 {
		mine["heard"] = list
	}
	if list := writeSpeech(s); len(list) > 0 {
		mine["speech"] = list
	}
	if list := writeJoined(s); len(list) > 0 {
		mine["joined_from"] = list
	}
	if list := writeAside(s); len(list) > 0 {
		mine["aside"] = list
	}
	put(mine, "origins", s.Origins, len(s.Origins) > 0)
	top := object{"OTIO_SCHEMA": "Timeline.1", "name": s.Name, "tracks": stack,
		"global_start_time": rational(s.StartFrame, s.Rate.Float())}
	return json.MarshalIndent(withForeign(top, s.Foreign, mine), "", "  ")
}

// writeStretches gives the stretches of all sources, by the addresses that clips know these by.
func writeStretches(s *scene.Scene) (list []any) {
	for _, id := range slices.Sorted(maps.Keys(s.Sources)) {
		src := s.Sources[id]
		for _, x := range src.Stretches {
			rate := float64(s.SampleRate)
			o := object{"target_url": src.URL, "name": x.Name, "from": rational(x.From, rate), "to": rational(x.To, rate)}
			put(o, "sha256", src.SHA256, src.SHA256 != "")
			list = append(list, o)
		}
	}
	return list
}

// writeCorrections gives what people said that recordings hold, by the addresses that clips know these by.
func writeCorrections(s *scene.Scene) (list []any) {
	for _, id := range slices.Sorted(maps.Keys(s.Sources)) {
		src, rate := s.Sources[id], float64(s.SampleRate)
		for _, c := range src.Corrections {
			o := object{"target_url": src.URL, "kind": string(c.Kind),
				"from": rational(c.Span.From, rate), "to": rational(c.Span.To, rate)}
			put(o, "sha256", src.SHA256, src.SHA256 != "")
			list = append(list, o)
		}
	}
	return list
}

func rational(value int64, rate float64) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "value": value, "rate": rate}
}

func timeRange(start, length int64, rate float64) object {
	return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": rational(start, rate), "duration": rational(length, rate)}
}

// withForeign puts back what was kept of a foreign file, and our own part of the metadata.
func withForeign(o object, foreign scene.Foreign, mine object) object {
	meta := object{}
	for key, raw := range foreign {
		var v any
		if json.Unmarshal(raw, &v) != nil {
			continue
		}
		fields, isObject := v.(object)
		switch {
		case key == "metadata" && isObject:
			for k, v := range fields {
				meta[k] = v
			}
		case key == ours && isObject:
			for k, v := range fields {
				if _, set := mine[k]; !set {
					mine[k] = v
				}
			}
		default:
			o[key] = v
		}
	}
	if len(mine) > 0 {
		meta[ours] = mine
	}
	o["metadata"] = meta
	return o
}

func writeTrack(s *scene.Scene, t *scene.Track, named map[scene.ClipID]bool) object {
	kind, rate := "Audio", float64(s.SampleRate)
	if t.Kind == scene.Picture {
		kind, rate = "Video", s.Rate.Float()
	}
	var children []any
	at := int64(0)
	for i, c := range t.Clips {
		if c.Start > at {
			children = append(
				children,
				object{"OTIO_SCHEMA": "Gap.1", "name": "", "source_range": timeRange(0, c.Start-at, rate),
					"effects": []any{}, "markers": []any{}, "enabled": true, "metadata": object{}},
			)
		} else if i > 0 {
			if b := t.Blend(t.Clips[i-1].ID, c.ID); b != nil {
				children = append(children, writeBlend(*b, rate))
			}
		}
		children = append(children, writeClip(s, t, c, rate, named))
		at = c.End()
	}
	mine := object{"purpose": t.Purpose}
	put(mine, "gain_db", t.GainDB, t.GainDB != 0)
	put(mine, "hue", t.Hue, t.Hue != "")
	put(mine, "mute", true, t.Mute)
	put(mine, "solo", true, t.Solo)
	put(mine, "locked", true, t.Locked)
	put(mine, "stays", true, t.Stays)
	put(mine, "room", writeRoom(s, t.Room), t.Room != nil)
	put(mine, "filters", t.Filters, t.Filters != nil)
	put(mine, "treatments", writeTreatments(s, t.Treatments), t.Treatments != nil)
	put(mine, "balance", t.Balance, t.Balance != 0)
	ducks := writeDucks(s, t)
	put(mine, "ducks", ducks, ducks != nil)
	o := object{"OTIO_SCHEMA": "Track.1", "name": t.Name, "kind": kind, "children": children, "source_range": nil,
		"effects": []any{}, "markers": []any{}, "enabled": true}
	if children == nil {
		o["children"] = []any{}
	}
	return withForeign(o, t.Foreign, mine)
}

func put(o object, key string, v any, when bool) {
	if when {
		o[key] = v
	}
}

func writeClip(s *scene.Scene, t *scene.Track, c scene.Clip, rate float64, named map[scene.ClipID]bool) object {
	src, in := scene.Recorded(s, t, &c) // at the place that is heard first
	length := scene.SourceLength(s, t, c)
	if s.Sources[c.Source].Fit != nil {
		recorded := c
		recorded.Source = src.ID
		length = scene.SourceLength(s, t, recorded)
	}
	ref := object{
		"OTIO_SCHEMA":            "ExternalReference.1",
		"name":                   src.Name,
		"target_url":             src.URL,
		"available_range":        nil,
		"available_image_bounds": nil,
	}
	offset := s.Unit(t, src.Offset)
	if !src.Unknown {
		ref["available_range"] = timeRange(offset, length, rate)
	}
	mine := object{}
	for _, f := range clipFields {
		f.write(mine, clipOut{c, s, offset, rate, named})
	}
	known := object{}
	put(known, "sha256", src.SHA256, src.SHA256 != "")
	put(known, "held_from", rational(src.HeldFrom, float64(s.SampleRate)), src.HeldFrom > 0)
	media := withForeign(ref, src.Foreign, known)
	if src.Tone != nil {
		media = writeTone(s, src)
	}
	o := object{"OTIO_SCHEMA": "Clip.2", "name": c.Name, "source_range": timeRange(in+offset, c.Length, rate),
		"media_references":           object{"DEFAULT_MEDIA": media},
		"active_media_reference_key": "DEFAULT_MEDIA",
		"effects":                    []any{}, "markers": []any{}, "enabled": !c.Muted}
	return withForeign(o, c.Foreign, mine)
}

func writeFade(f scene.Fade, rate float64) object {
	o := object{"length": rational(f.Length, rate), "curve": f.Curve.Shape}
	if f.Curve.Shape == "" {
		o["curve"] = blend.Straight
	}
	put(o, "bend", f.Curve.Bend, math.Abs(f.Curve.Bend) > 0)
	return o
}

func writeBlend(b scene.Blend, rate float64) object {
	mine := object{"law": b.Law}
	putCurves(mine, b.CurveOut, b.CurveIn)
	o := object{"OTIO_SCHEMA": "Transition.1", "name": "", "transition_type": transitionType,
		"in_offset": rational(b.Before, rate), "out_offset": rational(b.After, rate)}
	return withForeign(o, b.Foreign, mine)
}

func putCurves(to object, out, in *blend.Curve) {
	for key, c := range map[string]*blend.Curve{"out": out, "in": in} {
		if c != nil {
			to["curve_"+key] = c.Shape
			put(to, "bend_"+key, c.Bend, c.Bend != 0)
		}
	}
}
