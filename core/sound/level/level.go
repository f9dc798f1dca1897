// Package level turns amplitudes and powers into decibels and back. It knows one silence: sound without any power has
// the figure Silence, never minus infinity, so that figures can be stored, sent and added.
package level

import "math"

// Silence is the figure, in dB, of what has no power, and the lowest that any function here gives.
const Silence = -150.0

// DB is an amplitude ratio in dB: 20 lg a, at least Silence. A negative ratio counts by its size.
func DB(amplitude float64) float64 { return OfPower(amplitude * amplitude) }

// Amplitude is the amplitude ratio of a level in dB: 10^(db/20). Silence gives 3e-8, not 0.
func Amplitude(db float64) float64 { return math.Pow(10, db/20) }

// OfPower is a power ratio, such as a mean square, in dB: 10 lg p, at least Silence; Silence too for a power below 0.
func OfPower(power float64) float64 {
	if power < 1e-15 {
		return Silence
	}
	return math.Log(power) * (10 / math.Ln10)
}

// Power is the power ratio of a level in dB: 10^(db/10).
func Power(db float64) float64 { return math.Pow(10, db/10) }

// Sum is the level, in dB, of sounds together that have nothing in common: the level of the sum of their powers. No
// level at all gives Silence; minus infinity counts as no power.
func Sum(db ...float64) float64 {
	power := 0.0
	for _, v := range db {
		power += Power(v)
	}
	return OfPower(power)
}
