package roommatch

import (
	"context"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"slices"

	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// The targets that need no take to be named.
const (
	Natural = "natural" // what each take has of the others
	Quiet   = "quiet"   // as low as the hush allows
)

// MostHushDB is how far a background may be turned down. Nothing said, it is turned down as far as UsualHushDB for a
// target other than Natural, and for that one only where each take has something that the other has not, so that all of
// it together would be louder than any of them: by as much, and at most LittleHushDB.
const (
	MostHushDB   = 10
	UsualHushDB  = 6
	LittleHushDB = 3
	AsNeeded     = -1 // the HushDB of a Wish of which nothing is said
)

// A Wish says to what room the takes in a span of a scene are to be brought: Natural, Quiet, or the room of a clip, by
// its id or its name; and by how many dB at most a background may be turned down for it.
type Options struct {
	Span   pcm.Span
	Target string
	HushDB float64
	Voices bool // takes of drier voice are given the answer of the wettest one's room, or of the target's
}

// A Plan is what evening does to the takes in a span, and the edit that does it.
type Plan struct {
	Target             Target   `json:"target"`
	Takes              []Take   `json:"takes"`
	ApartDB            float64  `json:"apart_db"`              // how far the two takes that differ most lie apart now
	LeftDB             float64  `json:"left_db"`               // the largest difference that stays in a third-octave
	RiseOverLoudestDB  float64  `json:"rise_over_loudest_db"`  // of the room over the loudest take as it was
	RiseOverQuietestDB float64  `json:"rise_over_quietest_db"` // and over the quietest
	Blends             int      `json:"blends"`                // put on cuts that had none
	From               string   `json:"made_from"`             // whose pauses fills are made from; "": noise by chance
	Unmeasured         []string `json:"unmeasured"`            // clips whose recordings have no pause
	Covered            []string `json:"covered"`               // clips that lie over others all along, and are left

	Edit edit.Edit     `json:"-" tstype:"-"` // nil if there is nothing to do
	edit *edit.SetRoom // all rooms
	more []edit.Wire   // what goes with them: patches that go, blends that come
}

// A Target is the room that all takes are brought to.
type Target struct {
	LevelDB float64   `json:"level_db"`
	Thirds  []float64 `json:"thirds_db"` // from 125 Hz to 8 kHz
}

// A Take is a clip, or some clips of one recording that share a room, and what is done to its background.
type Take struct {
	Clips    []scene.ClipID `json:"clips"`
	Clip     string         `json:"clip"` // the name of the first
	Source   string         `json:"source"`
	Measured `tstype:",extends"`
	FillDB   float64        `json:"fill_db"` // the level of what is laid under it; level.Silence is nothing
	HushDB   float64        `json:"hush_db"` // by how much it is turned down
	RiseDB   float64        `json:"rise_db"` // by how much its background rises in the end; below 0 it falls
	Answer   *Reverberation `json:"answer"`  // what its voice is given of another's room; null: nothing
}

// An Answer is what a take is given of the room that another take's voice is in: reverberation that dies away by 60 dB
// within S seconds, with so much energy against the voice itself.
type Reverberation struct {
	S        float64 `json:"s"`
	LevelDB  float64 `json:"level_db"`
	BeforeDB float64 `json:"before_db"` // by how much further its voice fell within 40 to 160 ms than the other's
	AfterDB  float64 `json:"after_db"`  // and falls then
}

// NewPlan plans how the takes of a scene are brought to one room. The error is a refuse.Error where the options cannot
// be met.
func NewPlan(ctx context.Context, m *meter.Meter, w Options, threads int) (*Plan, error) {
	if !(w.HushDB >= 0 && w.HushDB <= MostHushDB || w.HushDB == AsNeeded) {
		return nil, refuse.Errorf("a background can be hushed by 0 to %d dB, not by %g", MostHushDB, w.HushDB)
	}
	if w.Span.Empty() {
		w.Span = pcm.Span{To: m.Scene.Length()}
	}
	if err := m.Prepare(ctx, m.Scene, threads); err != nil {
		return nil, err
	}
	list, without, err := takings(ctx, m, w.Span, threads)
	if err != nil {
		return nil, err
	}
	if err = drifts(ctx, m, list); err != nil {
		return nil, err
	}
	list, covered := uncovered(list)
	if w.Voices {
		like := w.Target
		if like == Natural || like == Quiet {
			like = ""
		}
		if err := answers(ctx, m, list, like, threads); err != nil {
			return nil, err
		}
	}
	if len(list) == 0 {
		return nil, refuse.Errorf("no take with a pause lies on a track of dialogue there, so that no room can be " +
			"measured; lay one there first")
	}
	target, hush, err := w.target(list)
	if err != nil {
		return nil, err
	}
	if err := tooLoud(list, target); err != nil {
		return nil, err
	}
	p := &Plan{
		Target: Target{round(target.LevelDB()), thirdsDB(target.Bands)}, Takes: []Take{},
		Unmeasured: without, Covered: covered,
	}
	changed := p.lay(m.Scene, list, target, hush)
	if !changed && !gaps(list) {
		return p, nil
	}
	if err := p.makeFrom(ctx, m, list, target); err != nil {
		return nil, err
	}
	if err := leads(ctx, m, list, target, p.edit, threads); err != nil {
		return nil, err
	}
	blends, err := blendsOn(ctx, m, list)
	if err != nil {
		return nil, err
	}
	p.Blends = len(blends)
	if gone := patches(m.Scene, p.edit.Clips); len(gone) > 0 {
		p.more = append(p.more, edit.Wire{Edit: &edit.Remove{Clips: gone, Alone: true}})
	}
	p.Also(blends)
	return p, nil
}

// Also has the plan do more beside the rooms.
func (p *Plan) Also(edits []edit.Wire) {
	p.more = append(p.more, edits...)
	p.Edit = needed(p.edit)
	if len(p.more) > 0 {
		p.Edit = &edit.Batch{Edits: append([]edit.Wire{{Edit: p.Edit}}, p.more...), Words: p.words()}
	}
}

// A band is hushed from this on, in dB. A take is left none of whose third-octaves is off by leastOffDB, and all of
// them together by no more than they may be by chance, twice, as both it and the target were measured.
const (
	leastHushDB = 0.3
	leastOffDB  = 1.0
	byChance    = 4
)

// does says what brings a room to the target, what each of its states is then, and the power of its hum.
func does(r, target Room, hushDB float64) (room recipe.Room, after []ambience.Spectrum, humAfter float64) {
	wanted := target.Bands.With(target.Hum)
	var fills [][]float64
	var hushes []*recipe.Hush
	hushed := false
	for _, bands := range r.states() {
		gain := make([]float64, len(bands))
		fill := make(ambience.Spectrum, len(bands))
		sum := make(ambience.Spectrum, len(bands))
		all := bands.With(r.Hum)
		for b, p := range bands {
			over := level.OfPower((p + 1e-18) / (target.Bands[b] + 1e-18))
			if all[b] > p { // what stands out of the noise there comes down with it
				over = level.OfPower(all[b] / (wanted[b] + 1e-18))
			}
			if hushDB > 0 && over > leastHushDB {
				gain[b] = -math.Round(100*min(hushDB, over)) / 100
				hushed = true
			}
			left := p * level.Power(gain[b])
			fill[b] = max(0, target.Bands[b]-left)
			sum[b] = left + fill[b]
		}
		fills = append(fills, tenths(fill.DB()))
		hushes = append(hushes, &recipe.Hush{RoomDB: tenths(all.DB()), GainDB: gain})
		after = append(after, sum)
	}
	room.FillDB, room.Width = fills[0], target.Width
	if r.Later != nil {
		room.Change = &recipe.Change{FillDB: fills[1], Course: r.Course}
	}
	gain := hushes[0].GainDB
	if hushed {
		room.Hush = hushes[0]
		if r.Later != nil {
			room.Change.Hush = hushes[1]
		}
	}
	for _, h := range target.Hum {
		own := level.Silence
		add := h
		for _, o := range r.Hum {
			if b := recipe.FineBand(o.Hz); math.Abs(o.Hz-h.Hz) < sameHz && b >= 0 {
				own = o.LevelDB + gain[b]
				add.Hz, add.Phase = o.Hz, o.Phase // on top of its own, in step with that
			}
		}
		if own < h.LevelDB-humLack {
			add.LevelDB = math.Round(100*level.DB(level.Amplitude(h.LevelDB)-level.Amplitude(own))) / 100
			room.Hum = append(room.Hum, add)
			own = h.LevelDB
		}
		humAfter += level.Power(own)
	}
	return room, after, humAfter
}

func tenths(db []float64) []float64 {
	for i, v := range db {
		db[i] = math.Round(10*v) / 10
	}
	return db
}

// lay fills in the takes and the edit, and tells whether any take is changed.
func (p *Plan) lay(s *scene.Scene, list []taking, target Room, hushDB float64) (changed bool) {
	edit := &edit.SetRoom{Rooms: []recipe.Room{}, Clips: map[scene.ClipID]int{}, Tracks: map[scene.TrackID]int{}}
	loudest, quietest := level.Silence, math.Inf(1)
	byRoom := map[*float64]int{} // takes, by their common bands
	var distinct [][]float64
	wanted := target.Bands.Thirds()
	for _, t := range list {
		loudest, quietest = max(loudest, t.room.MostDB()), min(quietest, t.room.LevelDB())
		if k, ok := byRoom[&t.room.Bands[0]]; ok {
			p.Takes[k].Clips = append(p.Takes[k].Clips, t.clip.ID)
			edit.Clips[t.clip.ID] = k
			continue
		}
		room, after, humAfter := does(t.room, target, hushDB)
		most, surely := 0.0, 0.0
		for k, state := range t.room.states() {
			own, left := state.Thirds(), after[k].Thirds()
			for _, o := range distinct {
				p.ApartDB = max(p.ApartDB, apart(own, o))
			}
			distinct = append(distinct, own)
			for i := range own {
				off := ratioDB(own[i], wanted[i])
				most = max(most, math.Abs(off))
				surely += off * off / chance(ambience.ThirdLow+i, t.room.Seconds) / float64(len(own))
				p.LeftDB = max(p.LeftDB, math.Abs(ratioDB(left[i], wanted[i])))
			}
		}
		if most < leastOffDB && surely < byChance*float64(len(after)) && len(room.Hum) == 0 { // shares the room already
			room, after, humAfter = recipe.Room{}, t.room.states(), humPower(t.room.Hum)
		}
		if t.answer != nil {
			room.Decay = &recipe.Decay{S: t.answer.S, LevelDB: t.answer.LevelDB}
		}
		changed = changed || room.Does()
		by := level.Power(-(t.clip.GainDB + t.track.GainDB)) // levels are those of the recording
		turnRoom(&room, level.OfPower(by))
		room.Seed = seedOf(t.clip.Source)
		fill, hushed := level.Silence, 0.0
		if len(room.FillDB) > 0 {
			fill = level.OfPower(ambience.FromDB(room.FillDB).Power()/by + humPower(room.Hum)/by)
		}
		if room.Hush != nil {
			left := 0.0
			for b, db := range room.Hush.GainDB {
				left += t.room.Bands[b] * level.Power(db)
			}
			hushed = -level.OfPower(left / t.room.Bands.Power())
		}
		byRoom[&t.room.Bands[0]] = len(p.Takes)
		edit.Clips[t.clip.ID] = len(p.Takes)
		edit.Rooms = append(edit.Rooms, room)
		heard := after[0].Power() + humAfter
		p.Takes = append(p.Takes, Take{
			Clips: []scene.ClipID{t.clip.ID}, Clip: t.clip.Name, Source: s.Sources[t.clip.Source].Name,
			Measured: t.room.known(s.SampleRate),
			FillDB:   round(fill), HushDB: round(hushed), RiseDB: round(level.OfPower(heard) - t.room.LevelDB()),
			Answer: t.answer,
		})
	}
	p.LeftDB, p.ApartDB = round(p.LeftDB), round(p.ApartDB)
	p.RiseOverLoudestDB = round(target.LevelDB() - loudest)
	p.RiseOverQuietestDB = round(target.LevelDB() - quietest)
	p.between(s, list, target, edit)
	p.edit = edit
	return changed
}

// seedOf is what chance is made from in the rooms of a recording.
func seedOf(source string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(source))
	return h.Sum64() >> 12
}

// EditOf is the part of the edit that changes one take, nil if that is left as it is.
func (p *Plan) EditOf(take int) edit.Edit {
	if p.Edit == nil {
		return nil
	}
	if !p.edit.Rooms[take].Does() {
		return nil
	}
	e := &edit.SetRoom{Tones: p.edit.Tones, Rooms: p.edit.Rooms, Clips: map[scene.ClipID]int{}}
	for _, id := range p.Takes[take].Clips {
		e.Clips[id] = p.edit.Clips[id]
	}
	return needed(e)
}

// Rest is the part of the edit that changes no take: what sounds between them, the blends on their cuts, and which are
// in the room already.
func (p *Plan) Rest() edit.Edit {
	if p.Edit == nil {
		return nil
	}
	e := &edit.SetRoom{
		Tones: p.edit.Tones, Rooms: p.edit.Rooms, Clips: map[scene.ClipID]int{}, Tracks: p.edit.Tracks,
	}
	for i, t := range p.Takes {
		if p.EditOf(i) == nil {
			for _, id := range t.Clips {
				e.Clips[id] = p.edit.Clips[id]
			}
		}
	}
	return &edit.Batch{Edits: append([]edit.Wire{{Edit: needed(e)}}, p.more...), Words: p.words()}
}

// needed is an edit with only the rooms that it gives to a clip or a track.
func needed(e *edit.SetRoom) *edit.SetRoom {
	out := &edit.SetRoom{Rooms: []recipe.Room{}, Clips: map[scene.ClipID]int{}, Tracks: map[scene.TrackID]int{}}
	place := map[int]int{-1: -1}
	of := func(i int) int {
		if _, ok := place[i]; !ok {
			place[i] = len(out.Rooms)
			out.Rooms = append(out.Rooms, e.Rooms[i])
		}
		return place[i]
	}
	for _, id := range slices.Sorted(maps.Keys(e.Clips)) {
		out.Clips[id] = of(e.Clips[id])
	}
	for _, id := range slices.Sorted(maps.Keys(e.Tracks)) {
		out.Tracks[id] = of(e.Tracks[id])
	}
	if slices.ContainsFunc(out.Rooms, func(r recipe.Room) bool { return r.Tone != "" }) {
		out.Tones = e.Tones
	}
	return out
}

func (p *Plan) words() string {
	n := 0
	for _, t := range p.Takes {
		n += len(t.Clips)
	}
	return fmt.Sprintf("%d clips brought to one room at %.1f dBFS", n, p.Target.LevelDB)
}

// turnRoom makes a room one of a recording that is turned up or down afterwards.
func turnRoom(r *recipe.Room, db float64) {
	if db == 0 {
		return
	}
	lists := [][]float64{r.FillDB}
	if r.Hush != nil {
		lists = append(lists, r.Hush.RoomDB)
	}
	if r.Change != nil {
		lists = append(lists, r.Change.FillDB)
		if r.Change.Hush != nil {
			lists = append(lists, r.Change.Hush.RoomDB)
		}
	}
	for _, list := range lists {
		for i := range list {
			if list[i] > level.Silence {
				list[i] = max(level.Silence, math.Round(10*(list[i]+db))/10)
			}
		}
	}
	for i := range r.Hum {
		r.Hum[i].LevelDB += db
	}
}

// between gives the first track the target itself, for what lies between its clips and those of the others.
func (p *Plan) between(s *scene.Scene, list []taking, target Room, edit *edit.SetRoom) {
	t := list[0].track
	room := recipe.Room{Seed: 1, Width: target.Width, FillDB: tenths(target.Bands.DB()), Hum: slices.Clone(target.Hum)}
	turnRoom(&room, -t.GainDB)
	edit.Tracks[t.ID] = len(edit.Rooms)
	edit.Rooms = append(edit.Rooms, room)
	for _, o := range s.Tracks {
		if o != t && o.Room != nil && !o.Locked && slices.ContainsFunc(list, func(x taking) bool { return x.track == o }) {
			edit.Tracks[o.ID] = -1
		}
	}
}

// gaps tells whether anything lies between clips that has no sound, or is silenced in one.
func gaps(list []taking) bool {
	end := list[0].clip.End()
	for _, t := range list {
		if t.clip.Start > end || len(t.clip.Lulls) > 0 || t.clip.FadeIn.Length+t.clip.FadeOut.Length > 0 {
			return true
		}
		end = max(end, t.clip.End())
	}
	return false
}

// patches are the clips of tone that fill holes of clips that are evened: their room fills those now.
func patches(s *scene.Scene, evened map[scene.ClipID]int) (list []scene.ClipID) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Fills == nil || t.Locked {
				continue
			}
			if _, ok := evened[c.Fills.Clip]; ok {
				list = append(list, c.ID)
			}
		}
	}
	return list
}

func round(db float64) float64 { return math.Round(10*db) / 10 }
