package scene

import (
	"unicode/utf8"

	"blendseam/core/sound/effects"
	"blendseam/core/sound/recipe"
)

// How many bytes of a scene file a thing takes, at most, beside its texts.
const (
	trackBytes  = 1200
	clipBytes   = 2600
	pointBytes  = 300
	lullBytes   = 1400
	takeBytes   = 2400
	blendBytes  = 1100
	roomBytes   = 3500 // and what each of its lists has
	setBytes    = 2600 // of filters, or of what brings a clip near another voice
	markerBytes = 1200
	sourceBytes = 1800
	spanBytes   = 400
	numberBytes = 30
	letterBytes = 6 // of a letter that has to be written as an escape
)

// FileBytes returns about how large a scene file of the scene can be, in bytes, and rather more than less.
func FileBytes(s *Scene) (sum int64) {
	sum = int64(trackBytes + text(s.Name) + foreign(s.Foreign) + markerBytes*len(s.Pairs))
	for _, m := range s.Markers {
		sum += int64(markerBytes + text(m.Name))
	}
	for _, src := range s.Sources {
		sum += int64(sourceWeight(&src))
	}
	for _, t := range s.Tracks {
		sum += int64(trackWeight(t))
	}
	for _, a := range s.Aside {
		for _, t := range a.Tracks {
			sum += int64(trackWeight(t))
		}
	}
	return sum
}

// text is how many bytes a text takes.
func text(s string) int {
	if len(s) < 64 { // its letters need not be counted
		return letterBytes * len(s)
	}
	return letterBytes * utf8.RuneCountInString(s)
}

func foreign(f Foreign) (sum int) {
	for key, raw := range f {
		sum += 2*len(raw) + text(key)
	}
	return sum
}

func trackWeight(t *Track) (sum int) {
	sum = trackBytes + text(t.Name) + foreign(t.Foreign) + roomWeight(t.Room) + blendBytes*len(t.Blends)
	for _, d := range t.Ducks {
		sum += setBytes + spanBytes*len(d.Except)
	}
	if t.Filters != nil {
		sum += setBytes
	}
	sum += chainWeight(t.Treatments)
	for i := range t.Clips {
		sum += clipWeight(&t.Clips[i])
	}
	return sum
}

func clipWeight(c *Clip) (sum int) {
	sum = clipBytes + text(c.Name) + text(c.Note) + foreign(c.Foreign) + pointBytes*len(c.Level) + lullBytes*len(c.Lulls) +
		roomWeight(c.Room) + chainWeight(c.Treatments)
	for _, is := range []bool{c.Filters != nil, c.Like != nil, c.AcceptedHead != nil, c.AcceptedTail != nil} {
		if is {
			sum += setBytes
		}
	}
	if c.Takes != nil {
		for _, k := range c.Takes.Others {
			sum += takeBytes + text(k.Name) + pointBytes*len(k.Level) + lullBytes*len(k.Lulls) + 2*setBytes +
				roomWeight(k.Room) + chainWeight(k.Treatments)
		}
	}
	return sum
}

func chainWeight(c *effects.Chain) int {
	if c == nil {
		return 0
	}
	return 4 * setBytes
}

func roomWeight(r *recipe.Room) int {
	if r == nil {
		return 0
	}
	sum := roomBytes + numberBytes*(len(r.FillDB)+len(r.ToneDB)+2*len(r.Lead)+4*len(r.Hum))
	if c := r.Change; c != nil {
		sum += roomBytes + 4*numberBytes*recipe.FineBands
	}
	return sum
}

func sourceWeight(src *Source) (sum int) {
	sum = sourceBytes + text(src.Name) + text(src.URL) + foreign(src.Foreign) +
		spanBytes*(len(src.Stretches)+len(src.Corrections))
	for _, s := range src.Stretches {
		sum += text(s.Name)
	}
	if src.Speech != nil {
		sum += spanBytes * len(src.Speech.Words)
	}
	if src.Fit != nil {
		sum += spanBytes * (1 + len(src.Fit.Parts))
	}
	if src.Joined != nil {
		sum += markerBytes * (1 + len(src.Joined.Pairs) + len(src.Joined.Ties))
		for _, t := range src.Joined.Tracks {
			sum += trackWeight(t)
		}
	}
	if src.Tone != nil {
		sum += sourceBytes + spanBytes*len(src.Tone.Materials()) + 2*numberBytes*recipe.Bands
	}
	return sum
}
