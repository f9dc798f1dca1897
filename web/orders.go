package web

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"blendseam/core/scene"
	"blendseam/core/sound/limiter"
	"blendseam/core/sound/pcm"
	"blendseam/export"
	"blendseam/media"
	"blendseam/workspace"
)

// A mixdownRequest says what to make.
type mixdownRequest struct {
	Kind     string     `json:"kind"`  // one of media.Kinds, by its ending
	Depth    string     `json:"depth"` // one of media.Depths
	KBits    int        `json:"kbits"`
	Rate     int        `json:"rate"`     // 0: the scene's
	Channels int        `json:"channels"` // 0: the scene's
	From     string     `json:"from"`     // timecodes; "" is the scene's start or end
	To       string     `json:"to"`
	Ranges   bool       `json:"ranges"` // every named range in place of from and to
	NoDither bool       `json:"no_dither"`
	Target   *float64   `json:"target_lufs"`
	Ceiling  *float64   `json:"ceiling_dbtp"`
	Limit    bool       `json:"limit"`
	Look     bool       `json:"look"`  // only tells what would be made
	Stems    string     `json:"stems"` // one of export.StemKinds, "groups", "" for none
	Groups   []stemWish `json:"groups"`
	NoMix    bool       `json:"no_mix"`
	Pattern  string     `json:"pattern"`
}

// A stemWish is a stem of tracks that were chosen.
type stemWish struct {
	Name   string          `json:"name"`
	Tracks []scene.TrackID `json:"tracks"`
}

// A mixdownOrder is a request that holds, for one range of a scene.
type mixdownOrder struct {
	export.Order
	name export.Naming
}

// orders are what a request of some moment comes to, one for each range.
func (q mixdownRequest) orders(st *workspace.Scene, when time.Time) (list []mixdownOrder, err error) {
	sc := st.Scene
	span, err := sc.Stretch(q.From, q.To)
	if err != nil {
		return nil, err
	}
	form := media.Form{Rate: q.Rate, Channels: q.Channels, Depth: q.Depth, NoDither: q.NoDither, KBits: q.KBits}
	asked := form
	if asked.Rate == 0 {
		asked.Rate = int(sc.SampleRate)
	}
	switch err := asked.Check("x." + q.Kind); {
	case err != nil:
		return nil, errors.New(strings.TrimPrefix(err.Error(), "x."+q.Kind+": "))
	case asked.Rate < 8000 || asked.Rate > 192000:
		return nil, fmt.Errorf("%d is no rate to write; 44100, 48000 and 96000 are usual", asked.Rate)
	case q.Channels < 0 || q.Channels > 2:
		return nil, fmt.Errorf("a mixdown has 1 or 2 channels, not %d", q.Channels)
	case q.Target != nil && !(*q.Target >= -60 && *q.Target <= 0):
		return nil, fmt.Errorf("%g LUFS is no loudness to bring a mix to; -60 to 0 are", *q.Target)
	case q.NoMix && q.Stems == "":
		return nil, errors.New("neither the mix nor stems are asked for; choose one of them")
	}
	if q.Ceiling != nil {
		if err := limiter.Check(*q.Ceiling); err != nil {
			return nil, err
		}
	}
	stems, err := q.stems(sc)
	if err != nil {
		return nil, err
	}
	order := export.Order{Form: form, TargetLUFS: q.Target, CeilingDBTP: q.Ceiling, Limit: q.Limit, Stems: stems,
		Made: when}
	name := export.Naming{Scene: sc.Name, Version: st.Revision, Date: when}
	if _, err := name.File(q.Pattern); err != nil {
		return nil, err
	}
	if !q.Ranges {
		order.Span = span
		if q.From != "" || q.To != "" { // a part: two parts have two names
			name.Range = sc.Timecode(span.From) + " to " + sc.Timecode(span.To)
		}
		return []mixdownOrder{{order, name}}, nil
	}
	for _, m := range sc.Markers {
		order.Span, name.Range = m.Span().Intersect(pcm.Span{To: sc.Length()}), m.Name
		if !order.Span.Empty() {
			list = append(list, mixdownOrder{order, name})
		}
	}
	if len(list) == 0 {
		return nil, errors.New("the scene has no named range; choose a range on its timeline and press H to name it")
	}
	return list, nil
}

// stems are those that a request asks for, without files.
func (q mixdownRequest) stems(sc *scene.Scene) (list []export.Stem, err error) {
	switch {
	case q.Stems == "":
		return nil, nil
	case slices.Contains(export.StemKinds, q.Stems):
		list = export.StemsBy(sc, q.Stems)
	case q.Stems == "groups":
		for _, g := range q.Groups {
			for _, id := range g.Tracks {
				if t := sc.Track(id); t == nil || t.Kind != scene.Sound {
					return nil, fmt.Errorf("the stem %s names the track %q, which the scene has not", g.Name, id)
				}
			}
			if len(g.Tracks) > 0 {
				list = append(list, export.Stem{Name: g.Name, Tracks: g.Tracks})
			}
		}
	default:
		return nil, fmt.Errorf("stems are made by track, purpose or groups, not by %q", q.Stems)
	}
	if len(list) == 0 {
		return nil, errors.New("no track that is heard is in a stem; choose tracks for one")
	}
	return list, nil
}

// words say what is asked for.
func (q mixdownRequest) words(sc *scene.Scene, list []mixdownOrder) string {
	kind, _ := media.KindOf("x." + q.Kind)
	words := kind.Name
	if q.Look {
		words = "Looked through"
	}
	if n := len(list[0].Stems); n > 0 {
		words += fmt.Sprintf(", %d stems", n)
	}
	if q.Ranges {
		return words + fmt.Sprintf(", %d ranges", len(list))
	}
	span := list[0].Span
	return fmt.Sprintf("%s, %s to %s", words, sc.Timecode(span.From), sc.Timecode(span.To))
}

// name gives all files of orders their names.
func (q mixdownRequest) name(dir string, list []mixdownOrder) error {
	var names []string
	each := func(do func(o *mixdownOrder, stem *export.Stem)) {
		for i := range list {
			if !q.NoMix {
				do(&list[i], nil)
			}
			list[i].Stems = slices.Clone(list[i].Stems)
			for k := range list[i].Stems {
				do(&list[i], &list[i].Stems[k])
			}
		}
	}
	var wrong error
	each(func(o *mixdownOrder, stem *export.Stem) {
		n := o.name
		if stem != nil {
			n.Stem = stem.Name
		}
		name, err := n.File(q.Pattern)
		if err != nil {
			wrong = err
		}
		names = append(names, name+"."+q.Kind)
	})
	names = export.Distinct(names)
	each(func(o *mixdownOrder, stem *export.Stem) {
		path := filepath.Join(dir, names[0])
		names = names[1:]
		if stem != nil {
			stem.File = path
		} else {
			o.Mix = path
		}
	})
	return wrong
}
