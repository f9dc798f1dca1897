// Package keys tells seams apart by all that their measures follow from.
package keys

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"math"

	"blendseam/core/audit"
	"blendseam/core/listen/analysis"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// Keys tells seams of one scene, or of several, apart by what sounds around them.
type Keys struct {
	scene  *scene.Scene
	tracks []trackKeys // of sound
}

// trackKeys has digests of what a track says, of its clips wherever they lie, and of the blend at each clip's tail.
type trackKeys struct {
	track         *scene.Track
	own           audit.Digest
	duck          []scene.LevelPoint // how it makes way for words
	clips, blends []audit.Digest
}

// New prepares a scene.
func New(sc *scene.Scene) *Keys {
	k := &Keys{scene: sc}
	for _, t := range sc.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		tk := trackKeys{
			track:  t,
			own:    audit.DigestOf([]any{t.ID, t.Mute, t.Solo, t.GainDB, t.Balance, t.Room, t.Filters, t.Treatments}),
			duck:   scene.DuckLine(sc, t),
			clips:  make([]audit.Digest, len(t.Clips)),
			blends: make([]audit.Digest, len(t.Clips)),
		}
		index := make(map[scene.ClipID]int, len(t.Clips))
		for i, c := range t.Clips {
			index[c.ID] = i
			tk.clips[i] = audit.DigestOf([]any{sc.Heard(c), c.Sounding(), correctionsOf(sc, c.Source)})
		}
		for _, b := range t.Blends {
			tk.blends[index[b.Left]] = audit.DigestOf(b)
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
func (k *Keys) Of(s audit.Seam) string {
	sc := k.scene
	window := pcm.Span{From: s.From - audit.AroundS*sc.SampleRate, To: s.To + audit.AroundS*sc.SampleRate}
	var pair *scene.Pair
	if s.Pair {
		pair = sc.PairAt(s.Left, true)
	}
	own := audit.DigestOf(
		[]any{
			audit.Version, analysis.Version, analysis.HeardVersion,
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
