package audit

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"math"

	"blendseam/core/analysis"
	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// AroundS is how far from a seam anything has a part in its measures, in seconds.
const AroundS = 5

// Keys tells seams of one scene, or of several, apart by what sounds around them.
type Keys struct {
	scene  *scene.Scene
	tracks []trackKeys // of sound
}

type digest [16]byte

// trackKeys has digests of what a track says, of its clips wherever they lie, and of the blend at each clip's tail.
type trackKeys struct {
	track         *scene.Track
	own           digest
	duck          []scene.LevelPoint // how it makes way for words
	clips, blends []digest
}

func digestOf(v any) digest {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err) // values of our own
	}
	sum := sha256.Sum256(raw)
	return digest(sum[:16])
}

// NewKeys prepares a scene.
func NewKeys(sc *scene.Scene) *Keys {
	k := &Keys{scene: sc}
	for _, t := range sc.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		tk := trackKeys{
			track:  t,
			own:    digestOf([]any{t.ID, t.Mute, t.Solo, t.GainDB, t.Balance, t.Room, t.Filters}),
			duck:   scene.DuckLine(sc, t),
			clips:  make([]digest, len(t.Clips)),
			blends: make([]digest, len(t.Clips)),
		}
		index := make(map[scene.ClipID]int, len(t.Clips))
		for i, c := range t.Clips {
			index[c.ID] = i
			tk.clips[i] = digestOf([]any{sc.Heard(c), c.Sounding(), correctionsOf(sc, c.Source)})
		}
		for _, b := range t.Blends {
			tk.blends[index[b.Left]] = digestOf(b)
		}
		k.tracks = append(k.tracks, tk)
	}
	return k
}

// correctionsOf is what people said of the recording of a source.
func correctionsOf(sc *scene.Scene, source string) []scene.Correction {
	src := sc.Sources[source]
	if src.Fit != nil {
		src = sc.Sources[src.Fit.Of]
	}
	return src.Corrections
}

// Of is equal for two seams that measure the same: it is a digest of all that sounds around the seam.
func (k *Keys) Of(s Seam) string {
	sc := k.scene
	window := pcm.Span{From: s.From - AroundS*sc.SampleRate, To: s.To + AroundS*sc.SampleRate}
	var pair *scene.Pair
	if s.Pair {
		pair = sc.PairAt(s.Left, true)
	}
	own := digestOf(
		[]any{
			analysis.Version, analysis.HeardVersion,
			s.Kind,
			s.Track,
			s.Left,
			s.Right,
			s.At - s.From,
			s.To - s.At,
			sc.SampleRate,
			sc.Channels,
			sc.Length() <= window.To,
			window.From <= 0,
			pair,
		},
	)
	h := sha256.New()
	h.Write(own[:])
	var at [8]byte
	for _, t := range k.tracks {
		h.Write(t.own[:])
		for i, p := range t.duck {
			if i+1 < len(t.duck) && t.duck[i+1].At < window.From || i > 0 && t.duck[i-1].At > window.To {
				continue
			}
			binary.LittleEndian.PutUint64(at[:], uint64(p.At-s.At))
			h.Write(at[:])
			binary.LittleEndian.PutUint64(at[:], math.Float64bits(p.DB))
			h.Write(at[:])
		}
		first := t.track.At(window.From)
		if first > 0 {
			h.Write(t.blends[first-1][:])
		}
		for i := first; i < len(t.clips) && t.track.Clips[i].Start < window.To; i++ {
			binary.LittleEndian.PutUint64(at[:], uint64(t.track.Clips[i].Start-s.At))
			h.Write(at[:])
			h.Write(t.clips[i][:])
			h.Write(t.blends[i][:])
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
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
		recorded := pcm.Span{From: fit.Back(c.In + heard.From - c.Start), To: fit.Back(c.In + heard.To - c.Start)}
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
		if c.Room != nil {
			room := *c.Room
			room.Tone = "" // its id is another in another file
			parts = append(parts, room)
		}
		for _, l := range c.Lulls {
			if c.LullSpan(l).Overlaps(within) {
				l.From, l.To = fit.Back(l.From), fit.Back(l.To)
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
	sum := digestOf(parts)
	return hex.EncodeToString(sum[:])
}

// Acceptance is an editor's word that a seam is to be as it sounds; nil if there is none, or the sound is another now.
func Acceptance(sc *scene.Scene, s Seam) *scene.Accepted {
	if s.accepted == nil || s.accepted.Sound != Sound(sc, s) {
		return nil
	}
	return s.accepted
}
