package roommatch

import (
	"context"
	"math"

	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/recipe"
)

// Measured is what was measured of the room of a take, as it is heard.
type Measured struct {
	WasDB  float64   `json:"was_db"`
	ThenDB float64   `json:"then_db"` // what it goes over to, if it changes; else as it was
	Thirds []float64 `json:"thirds_db"`
	Later  []float64 `json:"later_db"`   // the thirds that it goes over to; none: it does not change
	S      float64   `json:"measured_s"` // on how many seconds of pauses that rests
	SureDB float64   `json:"sure_db"`    // standard error of a third-octave, root mean square over all
	Hum    *Hum      `json:"hum"`        // null: it has none
}

// Hum is what a room has of it.
type Hum struct {
	Hz      float64 `json:"hz"` // of the mains, or of its loudest tone
	Tones   int     `json:"tones"`
	LevelDB float64 `json:"level_db"` // of all of them, dBFS
	DriftHz float64 `json:"drift_hz"` // by how much its frequency lies off that in the end, by how far its phase has moved
}

func (r Room) known(rate int64) Measured {
	k := Measured{
		WasDB: round(r.LevelDB()), ThenDB: round(r.laterDB()), Thirds: thirdsDB(r.Bands), Later: thirdsDB(r.Later),
		S: round(r.Seconds), SureDB: round(r.sureDB()),
	}
	if len(r.Hum) > 0 {
		k.Hum = &Hum{
			Hz:    math.Round(100*float64(rate)/periodOf(r.Hum, int(rate))) / 100,
			Tones: len(r.Hum), LevelDB: round(level.OfPower(humPower(r.Hum))), DriftHz: r.driftHz,
		}
	}
	return k
}

// sureDB is how far a third-octave lies off by chance, root mean square over all.
func (r Room) sureDB() float64 {
	sum, count := 0.0, 0.0
	for n := ambience.ThirdLow; n <= ambience.ThirdHigh; n++ {
		sum, count = sum+chance(n, r.Seconds), count+1
	}
	return math.Sqrt(sum / count)
}

// chance is the variance of a third-octave of noise that was heard for some seconds, in dB squared.
func chance(third int, seconds float64) float64 {
	low, high := ambience.Third(third)
	return measure.NoiseVarianceDB(high-low, seconds)
}

// thirdsDB are the third-octaves of a spectrum; none of nil.
func thirdsDB(s ambience.Spectrum) []float64 {
	out := []float64{}
	if s == nil {
		return out
	}
	for _, p := range s.Thirds() {
		out = append(out, round(level.OfPower(p)))
	}
	return out
}

// drifts finds by how much the hum of each room moves off its frequency from head to tail.
func drifts(ctx context.Context, m *meter.Meter, list []taking) error {
	rate := int(m.Scene.SampleRate)
	found := map[*recipe.Sine]float64{} // by hum: clips of one room share it
	for i := range list {
		t := &list[i]
		if len(t.room.Hum) == 0 {
			continue
		}
		if hz, ok := found[&t.room.Hum[0]]; ok {
			t.room.driftHz = hz
			continue
		}
		head, tail, err := ownHum(ctx, m, *t, t.room.Hum)
		if err != nil {
			return err
		}
		period := periodOf(t.room.Hum, rate)
		by := leadOf(tail, t.room.Hum, period, rate) - leadOf(head, t.room.Hum, period, rate)
		by = nearest(by, 0, period)
		t.room.driftHz = math.Round(100*by/float64(t.clip.Length)*float64(rate)/period) / 100
		found[&t.room.Hum[0]] = t.room.driftHz
	}
	return nil
}

// RoomOf is what is known of the room of one clip. The error is a refuse.Error where it has none.
func RoomOf(ctx context.Context, m *meter.Meter, id scene.ClipID) (Measured, error) {
	t, c := m.Scene.Clip(id)
	switch {
	case c == nil:
		return Measured{}, refuse.Errorf("there is no clip %q in this scene; it may have been removed", id)
	case t.Kind != scene.Sound || m.Scene.Sources[c.Source].Tone != nil:
		return Measured{}, refuse.Errorf("%s is no recording of sound, and has no room of its own", c.Name)
	}
	room, err := roomOf(ctx, m, c)
	if err != nil {
		return Measured{}, err
	}
	list := []taking{{track: t, clip: c, room: room}}
	if room.Bands == nil {
		return Measured{}, refuse.Errorf("the recording of %s has no pause in which its room could be heard", c.Name)
	}
	if err = changes(ctx, m, list); err == nil {
		err = drifts(ctx, m, list)
	}
	atGain(list)
	return list[0].room.known(m.Scene.SampleRate), err
}
