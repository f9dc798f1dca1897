package app

import (
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
)

// A LevelRequest says how voices are brought to one loudness, and which tracks make way for words.
type LevelRequest struct {
	Voices   string   `json:"voices,omitempty" doc:"A loudness in LUFS, or median."`
	Duck     []string `json:"duck,omitempty" doc:"Names of tracks that make way for words, or all."`
	Under    []string `json:"under,omitempty" doc:"Names of tracks whose words they make way for."`
	ByDB     float64  `json:"by_db,omitempty" doc:"By how many dB; by as much as the words need if not given."`
	MarginLU float64  `json:"margin_lu,omitempty" doc:"What words are to have over all else."`
	Range
}

// A Levelled says what was done to the voices and to what makes way for them.
type Levelled struct {
	Voices *levelmatch.Plan      // nil: not asked for
	Ducks  *intelligibility.Plan // nil: not asked for
}

type (
	voicesPlan = levelmatch.Plan
	ducksPlan  = intelligibility.Plan
)

// MarshalJSON writes the fields of both as one object.
func (l Levelled) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		*voicesPlan
		*ducksPlan
	}{l.Voices, l.Ducks})
}

// Check refuses a request that cannot be, in the words of the command line.
func (q *LevelRequest) Check() error {
	switch {
	case len(q.Duck) == 0 && (len(q.Under) > 0 || q.ByDB != 0 || q.MarginLU != 0):
		return refuse.Errorf("--under, --by and --margin say how tracks make way; name the tracks with --duck")
	case q.Voices == "" && len(q.Duck) == 0:
		return refuse.Errorf(
			"nothing is asked for; --voices LUFS, --voices median, --duck TRACK or --duck all would work",
		)
	case !(q.ByDB >= 0 && q.ByDB <= 60 && q.MarginLU >= 0 && q.MarginLU <= 40):
		return refuse.Errorf("--by takes 0 to 60 dB, --margin 0 to 40 LU")
	}
	_, err := q.lufs()
	return err
}

// lufs is the loudness that is asked for; nil is the median.
func (q *LevelRequest) lufs() (*float64, error) {
	if q.Voices == "median" || q.Voices == "" {
		return nil, nil
	}
	lufs, err := strconv.ParseFloat(q.Voices, 64)
	if err != nil {
		return nil, refuse.Errorf(
			"--voices: %q is no loudness; a number of LUFS such as -24, or median, would work",
			q.Voices,
		)
	}
	return &lufs, nil
}

func level(ctx context.Context, p Project, q *LevelRequest) (*Levelled, error) {
	if err := q.Check(); err != nil {
		return nil, err
	}
	span, err := spanOf(p.Scene(), q.Range)
	if err != nil {
		return nil, err
	}
	done := &Levelled{}
	if q.Voices != "" {
		o := levelmatch.Options{Span: span}
		if o.LUFS, err = q.lufs(); err != nil {
			return nil, err
		}
		if done.Voices, err = p.Plans().MatchLevels(ctx, o); err == nil {
			err = apply(ctx, p, done.Voices.Edit)
		}
		if err != nil {
			return nil, err
		}
	}
	if len(q.Duck) > 0 {
		o := intelligibility.Options{Span: span, ByDB: q.ByDB, MarginLU: q.MarginLU}
		if !slices.Equal(q.Duck, []string{"all"}) {
			if o.Ducks, err = tracksNamed(p.Scene(), "--duck", q.Duck); err != nil {
				return nil, err
			}
		}
		if o.Under, err = tracksNamed(p.Scene(), "--under", q.Under); err != nil {
			return nil, err
		}
		if done.Ducks, err = p.Plans().Intelligibility(ctx, o); err == nil {
			err = apply(ctx, p, done.Ducks.Edit)
		}
		if err != nil {
			return nil, err
		}
	}
	return done, nil
}

// tracksNamed returns the tracks of sound of some names.
func tracksNamed(s *scene.Scene, field string, names []string) (ids []scene.TrackID, err error) {
	for _, name := range names {
		i := slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.Name == name && t.Kind == scene.Sound })
		if i < 0 {
			return nil, refuse.Errorf("%s: the scene has no track of sound %q; it has %s", field, name, soundTracks(s))
		}
		ids = append(ids, s.Tracks[i].ID)
	}
	return ids, nil
}

func soundTracks(s *scene.Scene) string {
	var names []string
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound {
			names = append(names, t.Name)
		}
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}
