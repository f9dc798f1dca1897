// Package seam finds every seam of a scene, measures it in the rendered sound, and says in words what would be
// heard there, what would mend it, and what that would give.
package seam

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"slices"

	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// Kind says what changes at a seam.
type Kind string

// The kinds of seam.
const (
	Cut      Kind = "cut"       // one clip goes over into the next
	GapStart Kind = "gap_start" // a clip ends and nothing follows at once
	GapEnd   Kind = "gap_end"   // a clip begins after nothing
	Fade     Kind = "fade"      // an edge, not at a cut, that is faded
	Head     Kind = "head"      // the first clip of a track begins
	Tail     Kind = "tail"      // the last clip of a track ends
	Lull     Kind = "lull"      // a stretch of a clip is turned down
)

// Verdict says how a seam will be heard.
type Verdict string

// The verdicts, best first.
const (
	Clean   Verdict = "clean"
	Audible Verdict = "audible"
	Rough   Verdict = "rough"
)

// A Seam is a place where a track's sound changes.
type Seam struct {
	ID        string `json:"id"`
	Track     string `json:"track"`
	TrackName string `json:"track_name"`
	Kind      Kind   `json:"kind"`
	At        int64  `json:"at"`   // sample
	From      int64  `json:"from"` // where the change begins
	To        int64  `json:"to"`   // and where it is over
	Left      string `json:"left"` // ids and names of the clips, "" where there is none
	Right     string `json:"right"`
	LeftName  string `json:"left_name"`
	RightName string `json:"right_name"`
	Blend     bool   `json:"blend"`
	Pair      bool   `json:"pair,omitempty"` // from a clip of this track over into one of another
	Lull      string `json:"lull,omitempty"` // its id; the clip is Left, the patch that fills it Right
	index     int    // of the left clip, else of the right one
	accepted  *scene.Accepted
}

// Find gives all seams of the sound tracks of a scene, in order of time.
func Find(s *scene.Scene) []Seam {
	var list []Seam
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		blends := make(map[string]*scene.Blend, len(t.Blends)) // by left clip
		for i := range t.Blends {
			blends[t.Blends[i].Left] = &t.Blends[i]
		}
		for i, c := range t.Clips {
			patch := c.Fills != nil // its hole says how it is heard
			if p := s.PairAt(c.ID, false); !patch && (i == 0 || !t.Touches(i-1)) && p == nil {
				list = append(list, edge(t, i, true, i == 0))
			}
			if p := s.PairAt(c.ID, true); p != nil {
				list = append(list, pair(s, t, i, *p))
			} else if t.Touches(i) {
				list = append(list, cut(t, i, blends[c.ID]))
			} else if !patch {
				list = append(list, edge(t, i, false, i+1 == len(t.Clips)))
			}
			for _, l := range c.Lulls {
				if span := c.LullSpan(l); !span.Empty() {
					list = append(list, lull(s, t, i, l))
				}
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Seam) int { return cmp.Compare(a.At, b.At) })
	return list
}

func cut(t *scene.Track, i int, b *scene.Blend) Seam {
	l, r := t.Clips[i], t.Clips[i+1]
	s := Seam{ID: "cut:" + l.ID + ":" + r.ID, Track: t.ID, TrackName: t.Name, Kind: Cut, At: r.Start, From: r.Start, To: r.Start,
		Left: l.ID, Right: r.ID, LeftName: l.Name, RightName: r.Name, index: i, accepted: l.AcceptedTail}
	if b != nil {
		s.Blend, s.From, s.To = true, r.Start-b.Before, r.Start+b.After
		return s
	}
	// Fades that meet at a cut are part of it.
	s.From -= l.FadeOut.Length
	s.To += r.FadeIn.Length
	return s
}

// pair is the seam of two clips of two tracks that go over into each other: the outgoing one's track has it.
func pair(s *scene.Scene, t *scene.Track, i int, p scene.Pair) Seam {
	span, _ := s.Overlap(p)
	_, in := s.Clip(p.In)
	return Seam{ID: "pair:" + p.Out + ":" + p.In, Track: t.ID, TrackName: t.Name, Kind: Fade, At: (span.From + span.To) / 2, From: span.From, To: span.To,
		Left: p.Out, Right: p.In, LeftName: t.Clips[i].Name, RightName: in.Name, Pair: true, index: i, accepted: t.Clips[i].AcceptedTail}
}

func edge(t *scene.Track, i int, head, outermost bool) Seam {
	c := t.Clips[i]
	s := Seam{Track: t.ID, TrackName: t.Name, index: i}
	if head {
		s.ID, s.Kind, s.Right, s.RightName, s.At, s.accepted = "head:"+c.ID, GapEnd, c.ID, c.Name, c.Start, c.AcceptedHead
		s.From, s.To = c.Start, c.Start+c.FadeIn.Length
		if outermost {
			s.Kind = Head
		}
	} else {
		s.ID, s.Kind, s.Left, s.LeftName, s.At, s.accepted = "tail:"+c.ID, GapStart, c.ID, c.Name, c.End(), c.AcceptedTail
		s.From, s.To = c.End()-c.FadeOut.Length, c.End()
		if outermost {
			s.Kind = Tail
		}
	}
	if s.To > s.From {
		s.Kind = Fade
	}
	return s
}

// lull is the seam of a stretch that is turned down.
func lull(s *scene.Scene, t *scene.Track, i int, l scene.Lull) Seam {
	c := t.Clips[i]
	span := c.LullSpan(l)
	out := Seam{ID: "lull:" + c.ID + ":" + l.ID, Track: t.ID, TrackName: t.Name, Kind: Lull, At: (span.From + span.To) / 2, From: span.From, To: span.To,
		Left: c.ID, LeftName: c.Name, Lull: l.ID, index: i}
	if p := s.Patch(scene.Hole{Clip: c.ID, Lull: l.ID}); p != nil && p.Span().Overlaps(span) {
		out.Right, out.RightName = p.ID, p.Name
	}
	return out
}

// around is how far from a seam anything has a part in its measures, in seconds.
const around = 5

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
		tk := trackKeys{track: t, own: digestOf([]any{t.ID, t.Mute, t.Solo, t.GainDB}), clips: make([]digest, len(t.Clips)), blends: make([]digest, len(t.Clips))}
		index := make(map[string]int, len(t.Clips))
		for i, c := range t.Clips {
			index[c.ID] = i
			tk.clips[i] = digestOf([]any{c.ID, c.Source, c.In, c.Length, c.GainDB, c.FadeIn, c.FadeOut, sc.Heard(c), c.Level, c.Lulls})
		}
		for _, b := range t.Blends {
			tk.blends[index[b.Left]] = digestOf(b)
		}
		k.tracks = append(k.tracks, tk)
	}
	return k
}

// Of is equal for two seams that measure the same: it is a digest of all that sounds around the seam.
func (k *Keys) Of(s Seam) string {
	sc := k.scene
	window := pcm.Span{From: s.From - around*sc.SampleRate, To: s.To + around*sc.SampleRate}
	var pair *scene.Pair
	if s.Pair {
		pair = sc.PairAt(s.Left, true)
	}
	own := digestOf([]any{s.Kind, s.Track, s.Left, s.Right, s.At - s.From, s.To - s.At, sc.SampleRate, sc.Channels, sc.Length() <= window.To, window.From <= 0, pair})
	h := sha256.New()
	h.Write(own[:])
	var at [8]byte
	for _, t := range k.tracks {
		h.Write(t.own[:])
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

// Sound is a digest of what sounds at a seam itself: of the clips beside it, within a second, by their recordings. It stays
// the same when the seam moves, when its clips are trimmed elsewhere, and from one file to another.
func Sound(sc *scene.Scene, s Seam) string {
	within := pcm.Span{From: s.From - sc.SampleRate, To: s.To + sc.SampleRate}
	var parts []any
	for _, id := range []string{s.Left, s.Right} {
		t, c := sc.Clip(id)
		if c == nil {
			parts = append(parts, nil)
			continue
		}
		heard := c.Span().Intersect(within)
		parts = append(parts, sc.Sources[c.Source].Name, c.In+heard.From-c.Start, heard.From-s.At, heard.To-s.At, c.GainDB, c.Muted, t.GainDB, c.LevelDB(c.In+s.At-c.Start))
		for _, l := range c.Lulls {
			if c.LullSpan(l).Overlaps(within) {
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
