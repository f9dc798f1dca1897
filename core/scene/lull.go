package scene

import (
	"fmt"
	"math"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Lull is a stretch of a clip turned down, with soft edges inside it. It lies on its sound: its times are samples
// of the source, so that it stays there however the clip is trimmed, slipped, moved or divided.
type Lull struct {
	ID      LullID  `json:"id"`
	From    int64   `json:"from"`
	To      int64   `json:"to"`
	DepthDB float64 `json:"depth_db,omitempty"` // by how much it is turned down; 0 is to silence
	FadeIn  int64   `json:"fade_in"`            // samples from From on in which it goes down
	FadeOut int64   `json:"fade_out"`           // samples up to To in which it comes back
	Off     bool    `json:"off,omitempty"`      // switched off, to compare
}

// Span is where the lull lies in the source.
func (l Lull) Span() pcm.Span { return pcm.Span{From: l.From, To: l.To} }

// Floor is the gain at the bottom of the lull.
func (l Lull) Floor() float64 {
	if l.DepthDB == 0 {
		return 0
	}
	return level.Amplitude(-l.DepthDB)
}

// Gain is the lull's gain at a sample of the source. At its edges the power goes between 1 and the floor's as cos^2,
// so that tone which fades in as sin holds the power of a background.
func (l Lull) Gain(at int64) float64 {
	if l.Off || at < l.From || at >= l.To {
		return 1
	}
	x := 1.0 // how far down
	if n := l.FadeIn; at < l.From+n {
		x = (float64(at-l.From) + 0.5) / float64(n)
	}
	if n := l.FadeOut; at >= l.To-n {
		x = min(x, (float64(l.To-at)-0.5)/float64(n))
	}
	floor := l.Floor()
	if x == 1 {
		return floor
	}
	c := math.Cos(math.Pi / 2 * x)
	return math.Sqrt(floor*floor + (1-floor*floor)*c*c)
}

// DepthWords is how deep the lull is.
func (l Lull) DepthWords() string {
	if l.DepthDB == 0 {
		return "to silence"
	}
	return fmt.Sprintf("%.1f dB down", l.DepthDB)
}

// Shift is what takes a sample of a clip's source to its place on the track.
func (c *Clip) Shift() int64 { return c.Start - c.In }

// LullSpan is where a lull is heard on the clip's track; empty if the clip does not show it.
func (c *Clip) LullSpan(l Lull) pcm.Span { return l.Span().Add(c.Shift()).Intersect(c.Span()) }

// Lull gives a lull of the clip by its id, nil if there is none.
func (c *Clip) Lull(id LullID) *Lull {
	for i := range c.Lulls {
		if c.Lulls[i].ID == id {
			return &c.Lulls[i]
		}
	}
	return nil
}

// lullOf gives a lull by its clip's id and its own.
func LullByID(s *Scene, clip ClipID, lull LullID) Lull {
	if _, c := s.Clip(clip); c != nil {
		if l := c.Lull(lull); l != nil {
			return *l
		}
	}
	return Lull{}
}

// checkLulls says which law the lulls of a clip break, nil if none.
func (c *Clip) checkLulls() error {
	end := int64(math.MinInt64)
	for _, l := range c.Lulls {
		if l.From < end || l.From < -Unbounded || l.To > Unbounded || l.To <= l.From ||
			max(l.FadeIn, l.FadeOut) > Unbounded ||
			l.FadeIn < 0 ||
			l.FadeOut < 0 ||
			l.FadeIn+l.FadeOut > l.To-l.From ||
			l.DepthDB < 0 {
			return fmt.Errorf(
				"clip %s: a lull from %d to %d with fades of %d and %d, after one that ends at %d",
				c.Name,
				l.From,
				l.To,
				l.FadeIn,
				l.FadeOut,
				end,
			)
		}
		end = l.To
	}
	return nil
}
