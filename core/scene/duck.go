package scene

import (
	"cmp"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm"
)

// A Duck lets a track make way for words: it is turned down before each and up after it. Where the words are is found
// anew whenever it is asked for, so that it follows them. Lengths are samples.
type Duck struct {
	Under  []TrackID  `json:"under"`            // the tracks whose words it makes way for
	Clips  []ClipID   `json:"clips,omitempty"`  // of those tracks; none: all
	DB     float64    `json:"db"`               // by how much the track is turned down, above 0
	Down   int64      `json:"down"`             // length of the slope before words
	Up     int64      `json:"up"`               // and of that after them
	Before int64      `json:"before"`           // how long before the first word it is down
	After  int64      `json:"after"`            // and how long after the last
	Hold   int64      `json:"hold"`             // pauses shorter than this stay down
	Except []pcm.Span `json:"except,omitempty"` // of the scene, where it never applies
}

// Speech says where in a recording there are words, in order of time.
type Speech struct {
	Words []pcm.Span `json:"words"`
}

// mostDuckDB is how far a track can be turned down under words.
const mostDuckDB = 60

// NewDuck makes way for the words of tracks by so many dB with slopes that are not heard as steps: down within 300 ms,
// up within 800, none steeper than 1 dB in 12 ms; down 150 ms before a word and 250 after it (common practice, no
// source), and in pauses of less than 1.2 s.
func NewDuck(s *Scene, under []TrackID, db float64) Duck {
	ms := func(n int64) int64 { return n * s.SampleRate / 1000 }
	return Duck{
		Under: under, DB: db, Down: max(ms(300), ms(int64(12*db))), Up: max(ms(800), ms(int64(12*db))),
		Before: ms(150), After: ms(250), Hold: ms(1200),
	}
}

// words are the stretches of the scene in which words sound that a duck makes way for, in order of time. Of a recording
// of which nothing is known, all is taken for words.
func (u *Duck) words(s *Scene) (list []pcm.Span) {
	for _, t := range s.Tracks {
		if t.Mute || t.Kind != Sound || !slices.Contains(u.Under, t.ID) {
			continue
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			if !s.Heard(*c) || len(u.Clips) > 0 && !slices.Contains(u.Clips, c.ID) {
				continue
			}
			list = append(list, SpokenSpans(s, c)...)
		}
	}
	slices.SortFunc(list, func(a, b pcm.Span) int { return cmp.Compare(a.From, b.From) })
	return list
}

// spoken are the words of a clip, in samples of the scene: those that no lull takes away.
func SpokenSpans(s *Scene, c *Clip) (list []pcm.Span) {
	inside := pcm.Span{From: c.In, To: c.In + c.Length}
	words := []pcm.Span{inside}
	if known := s.Sources[c.Source].Speech; known != nil {
		words = known.Words
	}
	endsAfter := func(w pcm.Span, at int64) int { return cmp.Compare(w.To, at+1) }
	first, _ := slices.BinarySearchFunc(words, inside.From, endsAfter)
	for _, w := range words[first:] {
		if w.From >= inside.To {
			break
		}
		w = w.Intersect(inside)
		lulled := slices.ContainsFunc(c.Lulls, func(l Lull) bool { return !l.Off && l.DepthDB == 0 && w.In(l.Span()) })
		if !w.Empty() && !lulled {
			list = append(list, w.Add(c.Start-c.In))
		}
	}
	return list
}

// low are the stretches of the scene in which a duck is wholly down, apart and in order of time.
func (u *Duck) low(s *Scene) (list []pcm.Span) {
	until := int64(0) // the end of the last word so far
	for _, w := range u.words(s) {
		n := len(list)
		switch open := (pcm.Span{From: w.From - u.Before, To: w.To + u.After}); {
		case n > 0 && (w.From-until < u.Hold || open.From <= list[n-1].To):
			list[n-1].To = max(list[n-1].To, open.To)
		default:
			list = append(list, open)
		}
		until = max(until, w.To)
	}
	for _, x := range u.Except {
		// Slopes lie outside of it: what is excepted is at its own level throughout.
		x = pcm.Span{From: x.From - u.Up, To: x.To + u.Down}
		var left []pcm.Span
		for _, l := range list {
			if !l.Overlaps(x) {
				left = append(left, l)
				continue
			}
			for _, part := range []pcm.Span{{From: l.From, To: min(l.To, x.From)}, {From: max(l.From, x.To), To: l.To}} {
				if !part.Empty() {
					left = append(left, part)
				}
			}
		}
		list = left
	}
	return list
}

// Line is how far the track is turned down over the time of the scene: straight in dB between its points.
func (u *Duck) Line(s *Scene) (list []LevelPoint) {
	low := u.low(s)
	for i, l := range low {
		between := int64(0) // from here to the next
		if i+1 < len(low) {
			between = low[i+1].From - l.To
		}
		if i == 0 {
			list = append(list, LevelPoint{At: l.From - u.Down})
		}
		list = append(list, LevelPoint{l.From, -u.DB}, LevelPoint{l.To, -u.DB})
		switch {
		case i+1 == len(low):
			list = append(list, LevelPoint{At: l.To + u.Up})
		case between >= u.Up+u.Down:
			list = append(list, LevelPoint{At: l.To + u.Up}, LevelPoint{At: low[i+1].From - u.Down})
		default: // up again only as far as there is time to
			share := float64(between) / float64(u.Up+u.Down)
			list = append(list, LevelPoint{At: l.To + int64(share*float64(u.Up)), DB: -u.DB * (1 - share)})
		}
	}
	return slices.CompactFunc(list, func(a, b LevelPoint) bool { return a.At == b.At })
}

// DuckLine is how far a track is turned down by all its ducks over the time of the scene: at each moment by the one
// that is lowest. It has no points where it is never turned down.
func DuckLine(s *Scene, t *Track) (line []LevelPoint) {
	for i := range t.Ducks {
		line = lower(line, t.Ducks[i].Line(s))
	}
	return line
}

// lower is the lower of two lines that are straight between their points, and no higher than 0.
func lower(a, b []LevelPoint) []LevelPoint {
	if len(a) == 0 || len(b) == 0 {
		return append(a, b...)
	}
	at := make([]int64, 0, len(a)+len(b))
	for _, p := range append(slices.Clone(a), b...) {
		at = append(at, p.At)
	}
	slices.Sort(at)
	at = slices.Compact(at)
	var list []LevelPoint
	for i, t := range at {
		if i > 0 { // where they cross
			u := at[i-1]
			d0, d1 := LevelAt(a, u)-LevelAt(b, u), LevelAt(a, t)-LevelAt(b, t)
			if x := u + int64(float64(t-u)*d0/(d0-d1)); d0*d1 < 0 && x > u && x < t {
				list = append(list, LevelPoint{x, min(LevelAt(a, x), LevelAt(b, x))})
			}
		}
		list = append(list, LevelPoint{t, min(LevelAt(a, t), LevelAt(b, t))})
	}
	return PlainLine(list)
}

// Unheard are the recordings that ducks make way for and of which it is not known where they have words, in order.
func Unheard(s *Scene) (sources []string) {
	under := map[TrackID]bool{}
	for _, t := range s.Tracks {
		for _, u := range t.Ducks {
			for _, id := range u.Under {
				under[id] = true
			}
		}
	}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if src, ok := s.Sources[c.Source]; under[t.ID] && ok && src.Speech == nil && src.Tone == nil {
				sources = append(sources, c.Source)
			}
		}
	}
	slices.Sort(sources)
	return slices.Compact(sources)
}

// CheckDuck refuses a duck that cannot be, or that would be heard as a step.
func CheckDuck(s *Scene, t *Track, u *Duck) error {
	least := LeastSlopeMS * s.SampleRate / 1000
	switch {
	case len(u.Under) == 0:
		return invalid("Say whose words %s is to make way for.", t.Name)
	case !(u.DB > 0 && u.DB <= mostDuckDB):
		return invalid("A track makes way for words by up to %d dB, not by %g.", mostDuckDB, u.DB)
	case min(u.Down, u.Up) < least || min(u.Before, u.After, u.Hold) < 0 ||
		max(u.Down, u.Up, u.Before, u.After, u.Hold) > Unbounded:
		return invalid(
			"%s cannot make way in no time: slopes take %d ms or more, all else 0 or more.", t.Name, LeastSlopeMS,
		)
	case len(u.Except) > limit.Lulls || len(u.Clips) > limit.Batch:
		return invalid("%s would make way with %d exceptions; %d are the most.", t.Name, len(u.Except), limit.Lulls)
	}
	for _, id := range u.Under {
		if id == t.ID {
			return invalid("%s cannot make way for its own words; name another track.", t.Name)
		}
	}
	return nil
}

func CheckSpeech(src Source) error {
	if src.Speech == nil {
		return nil
	}
	for i, w := range src.Speech.Words {
		if w.Empty() || w.From < 0 || w.To > Unbounded || i > 0 && w.From < src.Speech.Words[i-1].To {
			return invalid(
				"Word %d of %s, from sample %d to %d, does not lie behind the one before it.", i+1, src.Name, w.From, w.To,
			)
		}
	}
	return nil
}
