package intelligibility

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"reflect"
	"regexp"
	"slices"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// What words are to have over all else unless another figure is asked for (common practice, no source).
const (
	UnderNarrationLU = 10.0
	UnderDialogueLU  = 6.0
)

const (
	mostDB  = 24.0 // more is not proposed: then the voice is too soft
	leastDB = 1.0  // less is not worth it
	faintDB = 15.0 // words so far below the loudest of their clip are not looked at
	leastMS = 100  // nor are shorter ones
	pauseMS = 1200 // words less than that apart are one phrase
	partyDB = 12.0 // what alone would leave words a margin of more than that over what is wanted has no part in it
)

// narration is how tracks of narration are named.
var narration = regexp.MustCompile(`(?i)\b(narrat|comment|voice.?over|off\b)`)

// A Wish says which words are looked at and what they are to have.
type Options struct {
	Span     pcm.Span        // an empty one is the whole scene
	Under    []scene.TrackID // whose words; none: those of all tracks of dialogue
	Ducks    []scene.TrackID // what may make way; none: all tracks of music and effects
	MarginLU float64         // 0: UnderNarrationLU or UnderDialogueLU
	ByDB     float64         // by how much it makes way; 0: by as much as is needed
}

// A Phrase is some words of a clip without a longer pause between them.
type Phrase struct {
	Clip     scene.ClipID `json:"id"`
	Name     string       `json:"clip"`
	Track    string       `json:"track"`
	From     int64        `json:"from"` // samples of the scene
	To       int64        `json:"to"`
	MarginDB float64      `json:"margin_db"` // of the word that has least, as it sounds now
	WantedDB float64      `json:"wanted_db"`
	Drowned  bool         `json:"drowned"`
	By       []string     `json:"by"`     // the tracks that cover it
	Yields   []Yield      `json:"yields"` // by how much tracks would have to make way, from their own level
	Why      string       `json:"why"`    // why that is not proposed; "": it is, or is not needed
}

// A Yield is by how much a track would make way for some words.
type Yield struct {
	Track string  `json:"track"`
	DB    float64 `json:"db"`
}

// A Proposal lets a track make way.
type Proposal struct {
	Track scene.TrackID `json:"id"`
	Name  string        `json:"track"`
	Under []string      `json:"under"`
	DB    float64       `json:"db"`

	duck scene.Duck
}

// A Plan is what was found, and what is proposed.
type Plan struct {
	Phrases []Phrase   `json:"phrases"`
	Ducks   []Proposal `json:"ducks"`

	Edit edit.Edit `json:"-" tstype:"-"` // nil if there is nothing to do
}

// Drowned is how many phrases are.
func (p *Plan) Drowned() (n int) {
	for _, x := range p.Phrases {
		if x.Drowned {
			n++
		}
	}
	return n
}

// a planner holds what is needed for one plan.
type planner struct {
	*meter.Meter
	wish  Options
	other []other
}

// An other is a track that words may be covered by.
type other struct {
	track  *scene.Track
	yields bool               // it may make way
	mixer  *mix.Mixer         // of it alone, without making way
	line   []scene.LevelPoint // how it makes way now
}

// A word is what was measured of one.
type word struct {
	track    *scene.Track
	clip     *scene.Clip
	span     pcm.Span // of the scene
	speech   Bands
	others   []Bands // of each track, without making way
	marginDB float64
	wantedDB float64
	yields   []float64 // by how much each track is to make way
	by       []int     // the tracks that cover it
	why      string
}

// NewPlan looks at all words and says which are drowned. The error is a refuse.Error where a wish cannot be met.
func NewPlan(ctx context.Context, m *meter.Meter, w Options, threads int) (*Plan, error) {
	if w.Span.Empty() {
		w.Span = pcm.Span{To: m.Scene.Length()}
	}
	p := planner{Meter: m, wish: w}
	if err := p.open(); err != nil {
		return nil, err
	}
	var clips []*scene.Clip
	var tracks []*scene.Track
	for t, c := range scene.Dialogue(m.Scene) {
		under := len(w.Under) == 0 || slices.Contains(w.Under, t.ID)
		if under && m.Heard(t.ID) && c.Span().Overlaps(w.Span) {
			clips, tracks = append(clips, c), append(tracks, t)
		}
	}
	found := make([][]word, len(clips))
	err := parallel.Each(ctx, len(clips), threads, func(i int) (err error) {
		found[i], err = p.words(ctx, tracks[i], clips[i])
		return err
	})
	if err != nil {
		return nil, err
	}
	words := slices.Concat(found...)
	slices.SortStableFunc(words, func(a, b word) int { return cmp.Compare(a.span.From, b.span.From) })
	return p.plan(ctx, words)
}

// open prepares all tracks that words may be covered by.
func (p *planner) open() error {
	bare := *p.Scene
	bare.Tracks = slices.Clone(bare.Tracks)
	for i, t := range bare.Tracks {
		if len(t.Ducks) > 0 {
			own := *t
			own.Ducks = nil
			bare.Tracks[i] = &own
		}
	}
	for _, t := range p.Scene.Tracks {
		if t.Kind != scene.Sound || len(t.Clips) == 0 || !p.Heard(t.ID) {
			continue
		}
		x, err := mix.New(&bare, p.Mix(&bare), mix.Options{Track: t.ID})
		if err != nil {
			return err
		}
		yields := t.Purpose == scene.ForMusic || t.Purpose == scene.ForEffects
		if len(p.wish.Ducks) > 0 {
			yields = slices.Contains(p.wish.Ducks, t.ID)
		}
		line := scene.DuckLine(p.Scene, t)
		p.other = append(p.other, other{track: t, yields: yields && !t.Locked, mixer: x, line: line})
	}
	return nil
}

// words measures the words of a clip.
func (p *planner) words(ctx context.Context, t *scene.Track, c *scene.Clip) (list []word, err error) {
	a, err := p.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	inside := pcm.Span{From: c.In, To: c.In + c.Length}
	back, err := a.Background(inside)
	if err != nil {
		return nil, err
	}
	var loudness []float64
	words, err := a.Spoken(inside)
	if err != nil {
		return nil, err
	}
	for _, on := range words {
		at := on.Add(c.Start - c.In)
		if on.Len() < p.Samples(leastMS) || !at.Overlaps(p.wish.Span) {
			continue
		}
		w := word{track: t, clip: c, span: at, wantedDB: p.wanted(t)}
		f, err := a.Frames(on)
		if err != nil || f.Count == 0 {
			return nil, err
		}
		db := c.GainDB + t.GainDB + c.LevelDB((on.From+on.To)/2)
		sum := 0.0
		for i := range f.Count {
			for b, power := range f.Of(i) {
				w.speech[b] += level.Power(db) * max(0, float64(power)-back.Bands[b]) / float64(f.Count)
			}
		}
		for k, share := range importance {
			sum += share * w.speech[k+1]
		}
		list, loudness = append(list, w), append(loudness, level.OfPower(max(sum, 1e-30)))
	}
	kept := list[:0]
	for i, w := range list {
		if loudness[i] < slices.Max(loudness)-faintDB {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := p.against(&w); err != nil {
			return nil, err
		}
		kept = append(kept, w)
	}
	return kept, nil
}

// wanted is the margin that the words of a track are to have.
func (p *planner) wanted(t *scene.Track) float64 {
	switch {
	case p.wish.MarginLU != 0:
		return p.wish.MarginLU
	case narration.MatchString(t.Name):
		return UnderNarrationLU
	}
	return UnderDialogueLU
}

// against measures a word against all else, and by how much what yields would have to make way.
func (p *planner) against(w *word) error {
	w.others = make([]Bands, len(p.other))
	now := Bands{}
	for i, o := range p.other {
		if o.track.ID == w.track.ID {
			continue
		}
		if err := p.heard(o.mixer, w.span, &w.others[i]); err != nil {
			return err
		}
		add(&now, &w.others[i], scene.LevelAt(o.line, (w.span.From+w.span.To)/2))
	}
	w.marginDB = MarginDB(&w.speech, &now)
	own := make([]float64, len(p.other)) // the margin over each track alone, where it may make way
	w.yields = make([]float64, len(p.other))
	for i, o := range p.other {
		if own[i] = math.Inf(1); o.track.ID == w.track.ID {
			continue
		}
		alone := MarginDB(&w.speech, &w.others[i])
		if alone < w.wantedDB+partyDB {
			w.by = append(w.by, i)
		}
		if o.yields {
			own[i] = alone
		}
	}
	// Each makes way until words stand over it alone by as much as over every other that does: so what is softer makes
	// less way, or none.
	at := func(over float64) float64 {
		all := Bands{}
		for i := range p.other {
			add(&all, &w.others[i], -max(0, over-own[i]))
		}
		return MarginDB(&w.speech, &all)
	}
	least := slices.Min(own)
	switch {
	case at(-MaxDB) >= w.wantedDB:
	case at(2*MaxDB) < w.wantedDB:
		w.why = "what covers it cannot make way; turn that down, or the voice up"
	default:
		low, high := -MaxDB, 2*MaxDB
		for high-low > 0.05 {
			if mid := (low + high) / 2; at(mid) < w.wantedDB {
				low = mid
			} else {
				high = mid
			}
		}
		if high-least > mostDB {
			w.why = fmt.Sprintf("over %.0f dB would be needed; turn the voice up", mostDB)
			break
		}
		for i := range own {
			w.yields[i] = max(0, math.Ceil(2*(high-own[i]))/2)
		}
	}
	return nil
}

func add(to, of *Bands, db float64) {
	by := level.Power(db)
	for b := range to {
		to[b] += by * of[b]
	}
}

// heard measures a mix over a span, as the mean of its channels' powers.
func (p *planner) heard(x *mix.Mixer, span pcm.Span, to *Bands) error {
	bands := measure.GetBands(p.Rate(), int(p.Samples(20)), 125, 8000)
	defer bands.Done()
	window := int64(bands.Window())
	sound := pcm.NewBlock(x.Channels(), max(window, span.Len()))
	if err := x.Render(sound, span.From); err != nil {
		return err
	}
	count := 0.0
	var powers []float64
	for from := int64(0); from+window <= sound.Len(); from += window / 2 {
		for _, ch := range sound {
			powers = bands.Powers(powers[:0], ch[from:from+window])
			for b, v := range powers {
				to[b] += v
			}
			count++
		}
	}
	for b := range to {
		to[b] /= count
	}
	return nil
}

// plan puts words into phrases and says what is to make way for whose.
func (p *planner) plan(ctx context.Context, words []word) (*Plan, error) {
	plan := &Plan{Phrases: []Phrase{}, Ducks: []Proposal{}}
	last := map[scene.ClipID]int{}
	for _, w := range words {
		drowned := w.marginDB < w.wantedDB-leastDB
		i, ok := last[w.clip.ID]
		if !ok || w.span.From-plan.Phrases[i].To >= p.Samples(pauseMS) {
			i = len(plan.Phrases)
			plan.Phrases = append(plan.Phrases, Phrase{
				Clip: w.clip.ID, Name: w.clip.Name, Track: w.track.Name, From: w.span.From, MarginDB: MaxDB,
				WantedDB: w.wantedDB, By: []string{}, Yields: []Yield{},
			})
			last[w.clip.ID] = i
		}
		x := &plan.Phrases[i]
		x.To = w.span.To
		for k, db := range w.yields {
			x.yield(p.other[k].track.Name, db)
		}
		if w.marginDB < x.MarginDB {
			x.MarginDB, x.Why = w.marginDB, w.why
		}
		if x.Drowned = x.Drowned || drowned; drowned {
			for _, k := range w.by {
				if name := p.other[k].track.Name; !slices.Contains(x.By, name) {
					x.By = append(x.By, name)
				}
			}
		}
	}
	plan.propose(p, words)
	return plan, plan.edit(ctx, p)
}

// yield notes by how much a track is to make way.
func (x *Phrase) yield(track string, db float64) {
	if db < leastDB {
		return
	}
	i := slices.IndexFunc(x.Yields, func(y Yield) bool { return y.Track == track })
	if i < 0 {
		i, x.Yields = len(x.Yields), append(x.Yields, Yield{Track: track})
	}
	x.Yields[i].DB = max(x.Yields[i].DB, db)
}

// propose lets each track that covers words make way for those of the tracks where it does: by one depth for narration
// and one for dialogue.
func (x *Plan) propose(p *planner, words []word) {
	for k, o := range p.other {
		if !o.yields {
			continue
		}
		groups := map[float64]*Proposal{} // by what is wanted
		for _, w := range words {
			db := w.yields[k]
			if p.wish.ByDB > 0 && (slices.Contains(w.by, k) || len(p.wish.Ducks) > 0) {
				db = p.wish.ByDB
			}
			if db < leastDB {
				continue
			}
			g := groups[w.wantedDB]
			if g == nil {
				g = &Proposal{Track: o.track.ID, Name: o.track.Name}
				groups[w.wantedDB] = g
			}
			g.DB = max(g.DB, db)
			if !slices.Contains(g.duck.Under, w.track.ID) {
				g.duck.Under, g.Under = append(g.duck.Under, w.track.ID), append(g.Under, w.track.Name)
			}
		}
		for _, g := range groups {
			g.duck = scene.NewDuck(p.Scene, g.duck.Under, g.DB)
			x.Ducks = append(x.Ducks, *g)
		}
	}
	slices.SortFunc(x.Ducks, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(b.DB, a.DB))
	})
}

// edit makes one edit of all proposals; ducks that the tracks have for the words of the same tracks are replaced, but
// where they are as deep, or for some clips alone. It is none where all that is proposed is there.
func (x *Plan) edit(ctx context.Context, p *planner) error {
	if len(x.Ducks) == 0 {
		return nil
	}
	all := &edit.Batch{Words: "music and effects make way for words"}
	after := p.Scene
	do := func(e edit.Edit) (err error) {
		all.Edits = append(all.Edits, edit.Wire{Edit: e})
		after, err = edit.Apply(after, e)
		return err
	}
	for _, o := range p.other {
		var ducks []scene.Duck
		for _, g := range x.Ducks {
			if g.Track == o.track.ID {
				ducks = append(ducks, g.duck)
			}
		}
		if ducks == nil {
			continue
		}
		ducks = beside(ducks, o.track.Ducks)
		if reflect.DeepEqual(ducks, o.track.Ducks) {
			continue
		}
		if err := do(&edit.SetDucks{Track: o.track.ID, Ducks: ducks}); err != nil {
			return err
		}
	}
	if len(all.Edits) == 0 {
		return nil
	}
	know, err := SpeechEdit(ctx, p.Sources, after, scene.Unheard(after))
	if err == nil && know != nil {
		err = do(know)
	}
	x.Edit = all
	return err
}

// beside are proposed ducks with those that a track has: for the same tracks a new one takes the place of an old one
// and its exceptions, unless that is as deep, and then stays; those for other tracks and for clips stay.
func beside(proposed, has []scene.Duck) (ducks []scene.Duck) {
	gone := make([]bool, len(has))
	for _, d := range proposed {
		for i, was := range has {
			meets := func(id scene.TrackID) bool { return slices.Contains(d.Under, id) }
			if len(was.Clips) > 0 || !slices.ContainsFunc(was.Under, meets) {
				continue
			}
			gone[i] = true
			switch {
			case was.DB == d.DB && slices.Equal(was.Under, d.Under):
				d = was
			default:
				d.Except = append(slices.Clone(d.Except), was.Except...)
			}
		}
		ducks = append(ducks, d)
	}
	for i, was := range has {
		if !gone[i] {
			ducks = append(ducks, was)
		}
	}
	return ducks
}

// SpeechEdit tells a scene where some of its recordings have words; nil if none are named.
func SpeechEdit(ctx context.Context, m *meter.Sources, s *scene.Scene, recordings []string) (edit.Edit, error) {
	know := &edit.SetSpeech{Words: map[string][]pcm.Span{}}
	for _, id := range recordings {
		a, err := m.Analysis(ctx, s, s.Sources[id])
		if err != nil {
			return nil, err
		}
		words, err := a.Spoken(pcm.Span{To: s.Sources[id].Samples})
		if err != nil {
			return nil, err
		}
		know.Words[id] = words
	}
	if len(know.Words) == 0 {
		return nil, nil
	}
	return know, nil
}
