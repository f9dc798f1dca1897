package scene

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/sound/recipe"
)

// Check says which law of the model a scene breaks, nil if none: clips in order and apart, inside their
// sources, fades inside their clips, blends on cuts and within handles, tones made from what their recordings have,
// and all within the bounds of core/limit.
func (s *Scene) Check() error {
	if s.Rate.Num <= 0 || s.Rate.Den <= 0 || s.SampleRate < limit.LowestRate || s.SampleRate > limit.HighestRate ||
		s.Channels < 1 ||
		s.Channels > 2 {
		return fmt.Errorf(
			"scene %q: frame rate %s, %d samples a second, %d channels",
			s.Name,
			s.Rate,
			s.SampleRate,
			s.Channels,
		)
	}
	if len(s.Tracks) > limit.Tracks {
		return fmt.Errorf("the scene has %d tracks; %d are the most", len(s.Tracks), limit.Tracks)
	}
	for _, src := range s.Sources {
		if err := CheckSource(s, src); err != nil {
			return err
		}
	}
	if err := CheckAside(s); err != nil {
		return err
	}
	for _, t := range s.Tracks {
		if err := CheckTrack(s, t); err != nil {
			return fmt.Errorf("track %s: %w", t.Name, err)
		}
		if err := CheckBounds(s, t); err != nil {
			return fmt.Errorf("track %s: %w", t.Name, err)
		}
	}
	return nil
}

// CheckAside refuses stretches that are kept aside and could not come back.
func CheckAside(s *Scene) error {
	for i, a := range s.Aside {
		if a == nil || a.Length < 1 || a.Length > limit.SceneHours*3600*s.Rate.Nominal() || a.From < 0 {
			return invalid("Stretch %d of what is kept aside has no length, or lies nowhere.", i+1)
		}
		apart := *s
		apart.Tracks = a.Tracks
		for _, t := range a.Tracks {
			if err := cmp.Or(CheckTrack(&apart, t), CheckBounds(&apart, t)); err != nil {
				return invalid("Stretch %d of what is kept aside, track %s: %s", i+1, t.Name, err)
			}
		}
	}
	return nil
}

// farthest is how far from a scene's start anything may lie, in samples.
func farthest(s *Scene) int64 { return limit.SceneHours * 3600 * s.SampleRate }

// CheckSource says what is wrong with what a scene knows of a recording or a tone.
func CheckSource(s *Scene, src Source) error {
	most := farthest(s)
	if src.Samples < 0 || src.Samples > most || src.Frames < 0 || src.Frames > limit.SceneHours*3600*s.Rate.Nominal() ||
		src.Channels < 0 || src.Channels > limit.Channels || src.Offset < -Unbounded || src.Offset > Unbounded {
		return invalid(
			"The source %s cannot be: it is said to have %d samples in %d channels and %d frames.",
			src.Name,
			src.Samples,
			src.Channels,
			src.Frames,
		)
	}
	if src.Tone != nil {
		return CheckTone(s, *src.Tone)
	}
	if src.Fit != nil {
		if err := checkFit(s, src); err != nil {
			return err
		}
	}
	if src.Joined != nil {
		if err := checkJoined(s, src); err != nil {
			return err
		}
	}
	return CheckSpeech(src)
}

// CheckTone refuses a recipe that no sound can be made from, or none within bounds.
func CheckTone(s *Scene, t recipe.Tone) error {
	if len(t.Left) == 0 {
		return invalid("Tone needs a quiet stretch of a recording to be made from.")
	}
	for _, list := range [][]recipe.Material{t.Left, t.Right} {
		if len(list) > limit.Materials {
			return invalid("Tone would be made from %d stretches; %d are the most.", len(list), limit.Materials)
		}
		total := int64(0)
		for _, m := range list {
			if err := checkMaterial(s, m); err != nil {
				return err
			}
			total += m.To - m.From
		}
		if total > limit.MaterialS*s.SampleRate {
			return invalid(
				"Tone would be made from %d s of recordings; %d s are the most. Choose shorter stretches.",
				total/s.SampleRate,
				limit.MaterialS,
			)
		}
	}
	for _, list := range [][]float64{t.LeftDB, t.RightDB} {
		if list != nil && len(list) != recipe.Bands {
			return invalid("A tone's colour has %d third-octaves, not %d.", recipe.Bands, len(list))
		}
		for _, db := range list {
			if !(math.Abs(db) <= mostColourDB) {
				return invalid("A tone's colour has a third-octave at %g dB.", db)
			}
		}
	}
	if most := farthest(s); t.From < 0 || t.To < 0 || max(t.From, t.To, t.Phase, -t.Phase) > most {
		return invalid("Tone cannot go over from sample %d to %d.", t.From, t.To)
	}
	return nil
}

// mostColourDB bounds the level of a third-octave, which is far below full scale where there is nothing.
const mostColourDB = 400

func checkMaterial(s *Scene, m recipe.Material) error {
	src, ok := s.Sources[m.Source]
	if !ok {
		return invalid("The scene has no source %q; bring it in first.", m.Source)
	}
	if m.From < 0 || m.To <= m.From || m.To > farthest(s) || !src.Unknown && m.To > src.Samples ||
		src.Made() {
		return invalid("%s has no sound from sample %d to %d for tone to be made from.", src.Name, m.From, m.To)
	}
	return nil
}

// CheckBounds says what on a track is beyond the bounds of core/limit. Edits of the past are done again without it.
func CheckBounds(s *Scene, t *Track) error {
	most := s.Unit(t, farthest(s))
	if !(math.Abs(t.Balance) <= 1) {
		return invalid("A balance of %g is none; -1 (left) to 1 (right) are.", t.Balance)
	}
	if why := t.Filters.Wrong(); why != "" {
		return invalid("Such filters cannot be: %s.", why)
	}
	if err := CheckTreatments(s, t.Treatments); err != nil {
		return err
	}
	for i := range t.Ducks {
		if err := CheckDuck(s, t, &t.Ducks[i]); err != nil {
			return err
		}
	}
	for i := range t.Clips {
		c := &t.Clips[i]
		switch {
		case max(c.Start, c.In, c.Length) > most || c.Start+c.Length > most:
			return invalid("%s would lie more than %d hours from the scene's start, or be longer.", c.Name, limit.SceneHours)
		case len(c.Lulls) > limit.Lulls:
			return invalid("%s would have %d lulls; %d are the most.", c.Name, len(c.Lulls), limit.Lulls)
		case len(c.Level) > limit.LevelPoints:
			return invalid(
				"The level line of %s would have %d points; %d are the most.",
				c.Name,
				len(c.Level),
				limit.LevelPoints,
			)
		case c.Filters.Wrong()+c.Like.Wrong() != "":
			return invalid("How %s is filtered cannot be: %s.", c.Name, cmp.Or(c.Filters.Wrong(), c.Like.Wrong()))
		case !SaneDB(c.GainDB):
			return invalid("A gain of %g dB is outside -120 to 40.", c.GainDB)
		}
		for k, p := range c.Level {
			if !SaneDB(p.DB) || max(p.At, -p.At) > Unbounded || k > 0 && p.At <= c.Level[k-1].At {
				return invalid(
					"Point %d of the level line of %s has %g dB, or does not lie behind the one before it.",
					k+1,
					c.Name,
					p.DB,
				)
			}
		}
		if err := CheckTreatments(s, c.Treatments); err != nil {
			return err
		}
		if err := CheckRoomOf(s, c.Room); err != nil {
			return err
		}
		if err := CheckTakes(s, c); err != nil {
			return err
		}
		for _, f := range []Fade{c.FadeIn, c.FadeOut} {
			if f.Length > 0 {
				if err := f.Curve.Check(); err != nil {
					return invalid("A fade of %s: %s.", c.Name, err)
				}
			}
		}
	}
	if err := CheckRoomOf(s, t.Room); err != nil {
		return err
	}
	for _, b := range t.Blends {
		if err := CheckLaw(b.Law, b.CurveOut, b.CurveIn); err != nil {
			return err
		}
	}
	return nil
}

func CheckTrack(s *Scene, t *Track) error {
	room := make(map[ClipID]int64, len(t.Blends)) // what blends take of a clip's inside
	order := make(map[ClipID]int, len(t.Clips))
	end := int64(0)
	for i := range t.Clips {
		c := &t.Clips[i]
		if c.Start < 0 || c.In < 0 || max(c.Start, c.In, c.Length, c.FadeIn.Length, c.FadeOut.Length) > Unbounded {
			return fmt.Errorf("clip %s shows %d, %d long, at %d", c.Name, c.In, c.Length, c.Start)
		}
		if c.Length <= 0 {
			return fmt.Errorf("clip %s has length %d", c.Name, c.Length)
		}
		if c.Start < end {
			return fmt.Errorf("clip %s starts at %d, before %d where its neighbour ends", c.Name, c.Start, end)
		}
		end = c.End()
		if head, tail := s.Handles(t, *c); head < 0 || tail < 0 {
			return fmt.Errorf(
				"clip %s shows %d to %d of a source that is %d long",
				c.Name,
				c.In,
				c.In+c.Length,
				SourceLength(s, t, *c),
			)
		}
		if c.FadeIn.Length < 0 || c.FadeOut.Length < 0 || c.FadeIn.Length+c.FadeOut.Length > c.Length {
			return fmt.Errorf(
				"clip %s: fades of %d and %d in a length of %d",
				c.Name,
				c.FadeIn.Length,
				c.FadeOut.Length,
				c.Length,
			)
		}
		if err := c.checkLulls(); err != nil {
			return err
		}
		if len(t.Blends) > 0 {
			order[c.ID] = i
		}
	}
	for _, b := range t.Blends {
		l, okL := order[b.Left]
		r, okR := order[b.Right]
		if !okL || !okR || r != l+1 || !t.Touches(l) {
			return fmt.Errorf("a blend from %s to %s is not on a cut", b.Left, b.Right)
		}
		left, right := t.Clips[l], t.Clips[r]
		if b.Before < 0 || b.After < 0 || max(b.Before, b.After) > Unbounded || b.Length() == 0 {
			return fmt.Errorf(
				"the blend from %s to %s is %d before and %d after its cut",
				left.Name,
				right.Name,
				b.Before,
				b.After,
			)
		}
		if err := BlendFits(s, t, left, right, b.Before, b.After); err != nil {
			return err
		}
		room[b.Left] += b.Before
		room[b.Right] += b.After
		if room[b.Left] > left.Length || room[b.Right] > right.Length {
			return fmt.Errorf("two blends overlap in clip %s or %s", left.Name, right.Name)
		}
	}
	return nil
}

// Invalid says what in a scene is not possible, as a sentence for a person.
type Invalid = refuse.Error

func invalid(format string, args ...any) *Invalid { return refuse.Errorf(format, args...) }

// ShortHandle says that a clip has less unused recording beyond an edge than is needed.
type ShortHandle struct {
	Clip       ClipID
	Name       string
	Side       Side
	Have, Want int64 // samples
	Words      string
}

func (e *ShortHandle) Error() string { return e.Words }

// NewShortHandle returns what is missing at an edge of a clip; have and want are in the unit of its track.
func NewShortHandle(s *Scene, t *Track, c Clip, side Side, have, want int64) *ShortHandle {
	haveS, wantS := s.Time(t, have), s.Time(t, want)
	return &ShortHandle{c.ID, c.Name, side, haveS, wantS, fmt.Sprintf(
		"%s has %s of handle at its %s, and %s.", c.Name, LengthWords(s, haveS), side, NeededWords(LengthWords(s, wantS)))}
}

// needed says "15 frames are needed".
func NeededWords(length string) string {
	if strings.HasPrefix(length, "1 frame") && !strings.HasPrefix(length, "1 frames") {
		return length + " is needed"
	}
	return length + " are needed"
}

// BlendFits returns nil if both sides have the handle for a blend of their cut, else a *ShortHandle.
func BlendFits(s *Scene, t *Track, left, right Clip, before, after int64) error {
	if _, tail := s.Handles(t, left); tail < after {
		return NewShortHandle(s, t, left, Tail, tail, after)
	}
	if head, _ := s.Handles(t, right); head < before {
		return NewShortHandle(s, t, right, Head, head, before)
	}
	return nil
}

// Unbounded stands for the length of a source that has not been looked at.
const Unbounded = int64(1) << 50
