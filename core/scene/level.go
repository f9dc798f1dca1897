package scene

import (
	"fmt"
	"math"

	"blendseam/core/sound/interpolate"
)

// LevelAt is the gain of a line of levels at a moment, in dB: straight between its points, on like the outermost beyond
// them, 0 without points.
func LevelAt(points []LevelPoint, at int64) float64 {
	return interpolate.Linear(len(points), at, func(i int) (int64, float64) { return points[i].At, points[i].DB })
}

// LevelDB is the gain of a clip's level line at a sample of its source, in dB.
func (c *Clip) LevelDB(at int64) float64 { return LevelAt(c.Level, at) }

// LeastSlopeMS is how long a slope is at least: a steeper one is heard as a step.
const LeastSlopeMS = 5

// PlainLine is a level line without the points that change nothing: those on the straight line between their
// neighbours, those like their only neighbour, and all if they are 0.
func PlainLine(list []LevelPoint) []LevelPoint {
	const nothing = 1e-9 // dB
	out := list[:0:0]
	for i, p := range list {
		if i > 0 && i+1 < len(list) {
			a, b := out[len(out)-1], list[i+1]
			if math.Abs(a.DB+(b.DB-a.DB)*float64(p.At-a.At)/float64(b.At-a.At)-p.DB) < nothing {
				continue
			}
		}
		out = append(out, p)
	}
	for len(out) > 1 && math.Abs(out[0].DB-out[1].DB) < nothing {
		out = out[1:]
	}
	for n := len(out); n > 1 && math.Abs(out[n-1].DB-out[n-2].DB) < nothing; n = len(out) {
		out = out[:n-1]
	}
	if len(out) == 1 && math.Abs(out[0].DB) < nothing {
		return nil
	}
	return out
}

func SaneDB(gainDB float64) bool { return gainDB >= -120 && gainDB <= 40 }

// BalanceWords says where a track lies between left and right.
func BalanceWords(balance float64) string {
	switch {
	case balance < 0:
		return fmt.Sprintf("%.0f %% to the left", -100*balance)
	case balance > 0:
		return fmt.Sprintf("%.0f %% to the right", 100*balance)
	}
	return "in the middle"
}

// BalanceGains are the gains of both channels for a balance from -1 to 1: of constant power, 1 in the middle.
func BalanceGains(balance float64) (left, right float64) {
	angle := (balance + 1) * math.Pi / 4
	return math.Sqrt2 * math.Cos(angle), math.Sqrt2 * math.Sin(angle)
}
