package roommatch

import (
	"context"
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// What is laid under takes is made from the pauses of the take whose room is the target, or is nearest to it: so that
// it crackles, clatters and sways as that does. There has to be enough of them, in long enough pieces, and what they
// have must not have to be turned up far; else noise is made by chance.
const (
	leastMaterialS = 3.0 // in all
	mostMaterialS  = 20.0
	leastPieceS    = 0.25
	mostTurnedDB   = 12.0   // up
	nothingDB      = -100.0 // dBFS: a band with less needs nothing
	materialApart  = 6.0    // dB, as Apart has it
	alikeDB        = 1.5    // in level: a pause farther off of which room is made as well
	toneMeasuredS  = 12.0
)

// A stuff is a tone that rooms can be made from.
type stuff struct {
	tone   recipe.Tone
	source scene.Source // that it is
	of     string       // the recording whose pauses it is made from
	hasDB  []float64    // what it has in each band
}

// stuffFor finds what rooms can be made from: the pauses of the take whose room is nearest to the target. It is nil
// where no take has enough of them.
func stuffFor(ctx context.Context, m *meter.Meter, list []taking, target Room) (*stuff, error) {
	rate := float64(m.Scene.SampleRate)
	wanted, least := target.Bands.Thirds(), materialApart
	var out *stuff
	for _, x := range list {
		if x.room.Later != nil || len(x.clip.Level) > 0 {
			continue
		}
		off := apart(x.room.Bands.Thirds(), wanted)
		if off >= least {
			continue
		}
		a, _, err := recordingOf(ctx, m, x.clip)
		if err != nil {
			return nil, err
		}
		if parts := pieces(a, x, rate); parts != nil {
			for i, p := range parts {
				parts[i] = scene.MaterialOf(m.Scene, p.Source, p.Span())
			}
			least = off
			out = &stuff{
				tone: recipe.Tone{Seed: 1, Left: parts, NoHum: true},
				of:   m.Scene.Sources[x.clip.Source].Name,
			}
		}
	}
	if out == nil {
		return nil, nil
	}
	var err error
	if out.source, err = m.Scene.ToneSource(out.tone, out.of); err != nil {
		return nil, err
	}
	sound := tone.Open(out.tone, int(rate), out.source.Channels, out.source.Samples, m.Material(m.Scene))
	middle := m.Scene.ToneMiddle()
	b, err := pcm.Read(sound, pcm.Span{From: middle, To: middle + int64(toneMeasuredS*rate)})
	if err != nil {
		return nil, err
	}
	out.hasDB = tenths(ambience.Analyze([][]float64{measure.Mono(b)}, int(rate), nil).DB())
	return out, nil
}

// pieces are the pauses of a take that tone is made from, the longest first: those that its room was measured on, and
// where they are not enough all of its recording that are as loud. nil if there is not enough of them.
func pieces(a *analysis.Recording, x taking, rate float64) (list []recipe.Material) {
	if list = longest(x.clip.Source, x.room.parts, rate); list != nil {
		return list
	}
	db, count := 0.0, 0.0
	for _, s := range x.room.parts {
		for _, q := range a.QuietsIn(s) {
			db, count = db+q.LevelDB, count+1
		}
	}
	var parts []pcm.Span
	for _, q := range a.Quiets {
		if math.Abs(q.LevelDB-db/max(1, count)) < alikeDB {
			parts = append(parts, q.Span)
		}
	}
	return longest(x.clip.Source, parts, rate)
}

// longest are stretches as material, the longest first; nil if there is not enough of them.
func longest(source string, parts []pcm.Span, rate float64) (list []recipe.Material) {
	parts = slices.Clone(parts)
	slices.SortStableFunc(parts, func(a, b pcm.Span) int { return int(b.Len() - a.Len()) })
	all := 0.0
	for _, p := range parts {
		if s := float64(p.Len()) / rate; s >= leastPieceS && all < mostMaterialS {
			list, all = append(list, recipe.Material{Source: source, From: p.From, To: p.To}), all+s
		}
	}
	if all < leastMaterialS {
		return nil
	}
	return recipe.Within(list, int64(rate))
}

// makeFrom has the rooms of an edit be made from the pauses of a take, as far as they can be.
func (p *Plan) makeFrom(ctx context.Context, m *meter.Meter, list []taking, target Room) error {
	from, err := stuffFor(ctx, m, list, target)
	if err != nil || from == nil {
		return err
	}
	for i := range p.edit.Rooms {
		r := &p.edit.Rooms[i]
		if len(r.FillDB) == 0 || !reaches(from.hasDB, r.FillDB) || r.Change != nil && !reaches(from.hasDB, r.Change.FillDB) {
			continue
		}
		r.Tone, r.ToneDB, p.From = from.source.ID, from.hasDB, from.of
	}
	if p.From != "" {
		p.edit.Tones = []recipe.Tone{from.tone}
	}
	return nil
}

// reaches tells whether what has some levels can be brought to others without being turned up far.
func reaches(has, fill []float64) bool {
	for b, db := range fill {
		if db > nothingDB && db-has[b] > mostTurnedDB {
			return false
		}
	}
	return true
}
