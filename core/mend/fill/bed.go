package fill

import (
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/audit"
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Bed is one tone under a range of a scene, and what it does to the backgrounds there.
type Bed struct {
	LevelDB  float64   `json:"level_db"`
	StepDB   float64   `json:"step_db"`  // the largest step between takes that touch or follow each other, without it
	ThenDB   float64   `json:"then_db"`  // and with it
	RiseDB   float64   `json:"rise_db"`  // by how much the quietest take's background rises
	Quietest string    `json:"quietest"` // its clip's name
	Words    string    `json:"words"`
	Edit     edit.Edit `json:"-"`
	From     string    `json:"from"` // the name of the recording that it is made from
}

// stepHidden is the largest step between backgrounds that a bed leaves, in dB; it is not heard.
const stepHidden = 1.8

// bedOverDB is how far a bed lies over the loudest take at most, with all else that is heard there, in dB: more would
// be noise for its own sake (common practice, no source).
const bedOverDB = 3.0

// takeRoom is the background of a clip under a range.
type takeRoom struct {
	clip *scene.Clip
	*meter.Room
}

// rooms of all dialogue clips that sound in a range, in order of time.
func (m *Filler) takeRooms(ctx context.Context, span pcm.Span) (list []takeRoom, err error) {
	for t, c := range scene.Dialogue(m.Scene) {
		if !c.Span().Overlaps(span) {
			continue
		}
		middle := c.Start + c.Length/2
		both, err := m.Rooms(ctx, c, pcm.Span{From: middle, To: middle})
		if err != nil {
			return nil, err
		}
		if all := meter.OneRoom(both); all != nil {
			all = all.Turned(t.GainDB)
			list = append(list, takeRoom{c, all})
		}
	}
	return list, nil
}

// Bed proposes a bed of tone under a range of the scene: of the room of its loudest take, or of a source of the
// library, at the lowest level that hides the steps between takes. nil if there is no take with a pause to measure.
func (m *Filler) Bed(ctx context.Context, span pcm.Span, chosen *Filling) (*Bed, error) {
	takes, err := m.takeRooms(ctx, span)
	if err != nil || len(takes) == 0 {
		return nil, err
	}
	heard := heardRooms(takes)
	loudest, quietest := heard[0], heard[0]
	for _, h := range heard {
		if h.level > loudest.level {
			loudest = h
		}
		if h.level < quietest.level {
			quietest = h
		}
	}
	cuts, err := m.cutBackgrounds(ctx, span)
	if err != nil {
		return nil, err
	}
	noise := loudest.level // of the loudest take, with all else that is heard there
	for _, c := range cuts {
		noise = max(noise, c[0], c[1])
	}
	step := func(bed float64) (most float64) {
		for _, c := range cuts {
			most = math.Max(most, math.Abs(level.Sum(c[0], bed)-level.Sum(c[1], bed)))
		}
		return most
	}
	out := &Bed{StepDB: step(math.Inf(-1)), Quietest: quietest.clip.Name}
	low, high := quietest.level-12, noise+bedOverDB
	if step(low) <= stepHidden { // nothing to hide: a bed that fills holes lies as low as the takes do
		out.LevelDB = quietest.level
	} else {
		for range 40 {
			if mid := (low + high) / 2; step(mid) > stepHidden {
				low = mid
			} else {
				high = mid
			}
		}
		out.LevelDB = high
	}
	out.ThenDB, out.RiseDB = step(out.LevelDB), level.Sum(quietest.level, out.LevelDB)-quietest.level
	f := chosen
	if f == nil {
		quiet, err := m.Quiets(
			ctx,
			loudest.clip,
			pcm.Span{From: loudest.clip.Start + loudest.clip.Length/2, To: loudest.clip.Start + loudest.clip.Length/2},
			nearS,
		)
		if err != nil {
			return nil, err
		}
		src := m.Scene.Sources[loudest.clip.Source]
		f = &Filling{Source: src.ID, SourceName: src.Name, From: SameRecording}
		var list []tone.Quiet
		for _, c := range tone.Rank(quiet, []tone.Side{{LevelDB: loudest.level, Thirds: loudest.room.Thirds(m.Rate())}}, 4,
			m.Rate(), func(tone.Quiet) float64 { return 0 }) {
			c.Span = c.Span.Add(-loudest.clip.Shift())
			list = append(list, c.Quiet)
		}
		if len(list) == 0 {
			return nil, nil
		}
		f.used = tone.Similar(list, tone.EnoughS*m.Scene.SampleRate)
	}
	if err := m.spread(ctx, span, f, out.LevelDB); err != nil {
		return nil, err
	}
	out.Edit, out.From = f.Edit, f.SourceName
	out.Words = fmt.Sprintf(
		"Steps between takes shrink from %.1f to %.1f dB. The background of %s, the quietest take, rises by %.1f dB, that "+
			"of %s, the loudest, by %.1f dB.",
		out.StepDB,
		out.ThenDB,
		out.Quietest,
		out.RiseDB,
		loudest.clip.Name,
		level.Sum(loudest.level, out.LevelDB)-loudest.level,
	)
	if out.StepDB <= stepHidden {
		out.Words = fmt.Sprintf(
			"The takes differ by %.1f dB at most, which is not heard; the bed fills what lies between them. The background "+
				"of %s rises by %.1f dB.",
			out.StepDB,
			out.Quietest,
			out.RiseDB,
		)
	}
	return out, nil
}

// cutBackgrounds are the backgrounds on both sides of each cut of the dialogue in a range, as the audit measures them:
// with those of all other tracks.
func (m *Filler) cutBackgrounds(ctx context.Context, span pcm.Span) (list [][2]float64, err error) {
	for _, s := range audit.Find(m.Scene) {
		if s.Kind != audit.Cut || !span.Contains(s.At) || m.Scene.Track(s.Track).Purpose != scene.ForDialogue ||
			musicPlays(m.Meter, s.At) {
			continue
		}
		r, err := audit.Judge(ctx, m.Meter, s)
		if err != nil {
			return nil, err
		}
		if left, right := r.Measures.BackgroundLeftDB, r.Measures.BackgroundRightDB; left != nil && right != nil &&
			*left > audit.DeadSilenceDB &&
			*right > audit.DeadSilenceDB {
			list = append(list, [2]float64{*left, *right})
		}
	}
	return list, nil
}

// coveredMS is how far from a moment music covers the rooms that are compared there, in milliseconds.
const coveredMS = 2500

// musicPlays tells whether music is heard near a moment: it covers the rooms.
func musicPlays(m *meter.Meter, at int64) bool {
	near := pcm.Span{From: at - m.Samples(coveredMS), To: at + m.Samples(coveredMS)}
	for _, t := range m.Scene.Tracks {
		if t.Purpose != scene.ForMusic || !m.Heard(t.ID) {
			continue
		}
		for _, c := range t.Clips {
			if c.Span().Overlaps(near) && !c.Muted {
				return true
			}
		}
	}
	return false
}

// A heardRoom is the background of a stretch of the scene: of all takes that sound in it, the loudest of which is clip.
type heardRoom struct {
	clip  *scene.Clip
	level float64
	room  *meter.Room // of that clip
	most  float64
}

// heardRooms are the backgrounds one after the other, from one head or tail of a clip to the next; where no take sounds
// there is none.
func heardRooms(takes []takeRoom) (list []heardRoom) {
	var moments []int64
	for _, t := range takes {
		moments = append(moments, t.clip.Start, t.clip.End())
	}
	slices.Sort(moments)
	moments = slices.Compact(moments)
	for i := 0; i+1 < len(moments); i++ {
		h := heardRoom{level: math.Inf(-1), most: math.Inf(-1)}
		for _, t := range takes {
			if !t.clip.Span().Contains(moments[i]) {
				continue
			}
			if h.level = level.Sum(h.level, t.LevelDB); t.LevelDB > h.most {
				h.clip, h.room, h.most = t.clip, t.Room, t.LevelDB
			}
		}
		if h.clip != nil {
			list = append(list, h)
		}
	}
	return list
}

// bedFadeMS is how long a bed takes to come and to go.
const bedFadeMS = 400

// spread makes the edit that lays a filling's tone under a stretch of the scene at a level, on a track of its own.
func (m *Filler) spread(ctx context.Context, span pcm.Span, f *Filling, level float64) error {
	in := m.Scene.ToneMiddle()
	t := recipe.Tone{Seed: seedOf(scene.Hole{Clip: scene.ClipID(f.Source)}), Phase: in - span.From}
	wish := tone.Options{
		Span:  pcm.Span{From: in, To: in + min(span.Len(), 8*m.Scene.SampleRate)},
		Left:  level,
		Right: level,
	}
	t, gain, err := m.settle(ctx, f, t, wish)
	if err != nil {
		return err
	}
	fade := min(m.Samples(bedFadeMS), span.Len()/4)
	lay := &edit.LayTone{
		Tone:    t,
		Name:    "Bed of " + f.SourceName,
		From:    span.From,
		To:      span.To,
		In:      in,
		GainDB:  math.Round(100*max(-100, min(40, gain))) / 100,
		FadeIn:  fade,
		FadeOut: fade,
	}
	f.Did = fmt.Sprintf("bed of %s from %s", m.LengthWords(span.Len()), f.SourceName)
	f.finish(lay, nil)
	return nil
}

// Built is a filling's tone at a level, laid from the middle of the tone on.
func (m *Filler) Built(ctx context.Context, f *Filling, levelDB float64) (pcm.ReaderAt, error) {
	if err := m.spread(ctx, pcm.Span{To: 60 * m.Scene.SampleRate}, f, levelDB); err != nil {
		return nil, err
	}
	r := tone.Open(f.lay.Tone, m.Rate(), f.source.Channels, f.source.Samples, m.materials(f))
	return pcm.WithGain{ReaderAt: r, Gain: level.Amplitude(f.lay.GainDB)}, nil
}

// A Kept is what keeping the words leaves of a clip.
type Kept struct {
	Clip      scene.ClipID `json:"clip"`
	ClipName  string       `json:"clip_name"`
	Track     string       `json:"track"` // its name
	At        int64        `json:"at"`
	Stretches []pcm.Span   `json:"stretches"`
	Seconds   float64      `json:"seconds"` // that are taken out
	Edit      edit.Edit    `json:"-"`
	Words     string       `json:"words"`
}

// Beside words so much is kept, in milliseconds, and pauses shorter than leastPauseMS stay. The stretches have fades of
// keepFadeMS.
const (
	keepBeforeMS = 80
	keepAfterMS  = 200
	keepFadeMS   = 50
	leastPauseMS = 350
)

// KeepWords proposes to cut the dialogue clips of a range down to their words, with margins and soft fades. Breaths
// count as words. Clips without a word are left.
func (m *Filler) KeepWords(ctx context.Context, span pcm.Span) (list []Kept, err error) {
	for t, c := range scene.Dialogue(m.Scene) {
		if t.Locked || !c.Span().Overlaps(span) {
			continue
		}
		k, err := m.keep(ctx, t, c, span)
		if err != nil {
			return nil, err
		}
		if k != nil {
			list = append(list, *k)
		}
	}
	return list, nil
}

func (m *Filler) keep(ctx context.Context, t *scene.Track, c *scene.Clip, within pcm.Span) (*Kept, error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	var stretches []pcm.Span
	put := func(s pcm.Span) {
		if s = s.Intersect(c.Span()); s.Empty() {
			return
		}
		if n := len(stretches); n > 0 && s.From-stretches[n-1].To < m.Samples(leastPauseMS) {
			stretches[n-1].To = max(stretches[n-1].To, s.To)
			return
		}
		stretches = append(stretches, s)
	}
	outside := within.Intersect(c.Span())
	if outside.From > c.Start {
		put(pcm.Span{From: c.Start, To: outside.From})
	}
	strays, err := search{m}.strays(ctx, t, c)
	if err != nil {
		return nil, err
	}
	for _, s := range a.Within(c.Span().Add(-c.Shift())) {
		s.Span = s.Span.Add(c.Shift())
		stray := false
		for _, f := range strays {
			stray = stray || s.Span.In(f.Lull)
		}
		if !stray {
			put(pcm.Span{From: s.Span.From - m.Samples(keepBeforeMS), To: s.Span.To + m.Samples(keepAfterMS)})
		}
	}
	if outside.To < c.End() {
		put(pcm.Span{From: outside.To, To: c.End()})
	}
	if len(stretches) == 0 {
		return nil, nil
	}
	// What is left at the ends is no pause worth a cut.
	if stretches[0].From-c.Start < m.Samples(keepBeforeMS) {
		stretches[0].From = c.Start
	}
	if last := &stretches[len(stretches)-1]; c.End()-last.To < m.Samples(keepBeforeMS) {
		last.To = c.End()
	}
	kept := int64(0)
	for _, s := range stretches {
		kept += s.Len()
	}
	if kept == c.Length {
		return nil, nil
	}
	k := &Kept{
		Clip:      c.ID,
		ClipName:  c.Name,
		Track:     t.Name,
		At:        c.Start,
		Stretches: stretches,
		Seconds:   float64(c.Length-kept) / float64(m.Scene.SampleRate),
	}
	k.Edit = &edit.Keep{Clip: c.ID, Stretches: stretches, Fade: m.Samples(keepFadeMS)}
	if _, err := edit.Apply(m.Scene, k.Edit); err != nil {
		return nil, nil // a blend at its edge, or picture linked to it
	}
	k.Words = fmt.Sprintf("%d stretches of words kept, %.1f s between them left to the bed", len(stretches), k.Seconds)
	if len(stretches) == 1 {
		k.Words = fmt.Sprintf("its words kept, %.1f s beside them left to the bed", k.Seconds)
	}
	return k, nil
}
