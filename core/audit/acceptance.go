package audit

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// AroundS is how far from a seam anything has a part in its measures, in seconds.
const AroundS = 5

// A Digest stands for a value.
type Digest [16]byte

// DigestOf is that of a value of ours, by its JSON.
func DigestOf(v any) Digest {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err) // values of our own
	}
	sum := sha256.Sum256(raw)
	return Digest(sum[:16])
}

// Sound is a digest of what sounds at a seam itself: of the clips beside it, within a second, by their recordings. It
// stays the same when the seam moves, when its clips are trimmed elsewhere, and from one file to another.
func Sound(sc *scene.Scene, s Seam) string {
	within := pcm.Span{From: s.From - sc.SampleRate, To: s.To + sc.SampleRate}
	var parts []any
	for _, id := range []scene.ClipID{s.Left, s.Right} {
		t, c := sc.Clip(id)
		if c == nil {
			parts = append(parts, nil)
			continue
		}
		heard := c.Span().Intersect(within)
		fit := scene.FitOf(sc, c.Source)
		recorded := fit.BackSpan(heard.Add(c.In - c.Start))
		if fit.Reversed > 0 {
			parts = append(parts, "backwards")
		}
		for _, p := range fit.Parts {
			if p.Span().Overlaps(recorded) {
				parts = append(parts, p)
			}
		}
		parts = append(
			parts,
			sc.Sources[c.Source].Name,
			recorded.From,
			heard.From-s.At,
			heard.To-s.At,
			c.GainDB,
			c.Muted,
			t.GainDB,
			c.LevelDB(c.In+s.At-c.Start),
		)
		if curve := scene.CurveOf(sc, *c); curve.Does() {
			parts = append(parts, curve)
		}
		if c.Treatments.Does() {
			parts = append(parts, c.Treatments.With(""))
		}
		if c.Room != nil {
			room := *c.Room
			room.Tone = "" // its id is another in another file
			parts = append(parts, room)
		}
		for _, l := range c.Lulls {
			if c.LullSpan(l).Overlaps(within) {
				recorded := fit.BackSpan(l.Span())
				l.From, l.To = recorded.From, recorded.To
				parts = append(parts, l)
			}
		}
		if c.End() <= within.To {
			parts = append(parts, c.FadeOut)
		}
		if c.Start >= within.From {
			parts = append(parts, c.FadeIn)
		}
		if b := t.Blend(s.Left, s.Right); b != nil {
			parts = append(parts, b.Before, b.After, b.Law, b.CurveOut, b.CurveIn)
		}
	}
	if s.Pair {
		p := sc.PairAt(s.Left, true)
		parts = append(parts, p.Law, p.CurveOut, p.CurveIn)
	}
	sum := DigestOf(parts)
	return hex.EncodeToString(sum[:])
}

// Acceptance is an editor's word that a seam is to be as it sounds; nil if there is none, or the sound is another now.
func Acceptance(sc *scene.Scene, s Seam) *scene.Accepted {
	if s.accepted == nil || s.accepted.Sound != Sound(sc, s) {
		return nil
	}
	return s.accepted
}
