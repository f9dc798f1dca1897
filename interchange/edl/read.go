package edl

import (
	"cmp"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
)

// straight is how a list fades.
var straight = blend.Curve{Shape: blend.Straight}

// most is how many lines a list may have.
const most = 200_000

// entry is an event line as it is read, with what belongs to it.
type entry struct {
	line           int
	number         string
	reel           string
	on             channels
	kind           byte // C, D, W or K
	dissolve       int64
	in, out        int64
	recIn, recOut  int64
	from, to, file string
	fromReel       string // that a dissolve begins with
	before         int64
	law            blend.Law
	speed          float64 // frames a second, 0 unless it was said
	delay          [2]int64
}

type reader struct {
	hints    interchange.Hints
	scene    *scene.Scene
	drop     bool
	entries  []*entry
	warnings []string
	title    string
	start    int64
	started  bool
	names    map[string]string // of channels
	sources  map[string]string // ids by file or reel
	delay    [2]int64          // of sound, and of picture, of the next event
	unknown  []string
	nextID   int
}

var (
	eventLine = regexp.MustCompile(`^(\d{1,6}[A-Z]?)\s+(\S+)\s+(\S+)\s+(C|D|W\d+|K ?[BO]?)\s*(\d*)\s+` +
		`(\S+)\s+(\S+)\s+(\S+)\s+(\S+)\s*$`)
	timecodeForm = regexp.MustCompile(`^\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d$`)
	timecodes    = regexp.MustCompile(`\b\d\d[:;.]\d\d[:;.]\d\d[:;.](\d\d)\b`)
	audLine      = regexp.MustCompile(`^AUD((?:\s+[34])+)\s*$`)
	speedLine    = regexp.MustCompile(`^M2\s+(\S+)\s+(-?\d{1,4}(?:\.\d+)?)\s+(\S+)\s*$`)
	splitLine    = regexp.MustCompile(`^SPLIT:\s+(AUDIO|VIDEO)\s+DELAY=\s*(\S+)\s*$`)
)

// fieldChannels are what is written in the channels of an event.
var fieldChannels = map[string]channels{
	"V": {true}, "V1": {true}, "A": {false, true}, "A1": {false, true}, "A2": {false, false, true},
	"A3": {false, false, false, true}, "A4": {false, false, false, false, true}, "AA": {false, true, true},
	"B": {true, true}, "A/V": {true, true}, "A1/V": {true, true}, "A2/V": {true, false, true},
	"AA/V": {true, true, true}, "A12": {false, true, true}, "NONE": {},
}

// Read gives the scene of an edit decision list. What is no line of one is refused with its number.
func Read(raw []byte, hints interchange.Hints) (*scene.Scene, []string, error) {
	r := &reader{hints: hints, names: map[string]string{}, sources: map[string]string{}}
	text := strings.TrimPrefix(strings.ReplaceAll(string(raw), "\r\n", "\n"), "\ufeff")
	lines := strings.Split(strings.ReplaceAll(text, "\r", "\n"), "\n")
	if len(lines) > most {
		return nil, nil, fmt.Errorf("the list has %d lines; %d are the most", len(lines), most)
	}
	rate, sampleRate, err := r.rates(lines)
	if err != nil {
		return nil, nil, err
	}
	r.scene = scene.New("", rate, sampleRate)
	for i, line := range lines {
		if err := r.line(i+1, strings.TrimRight(line, " \t\x1a\x00")); err != nil {
			return nil, nil, fmt.Errorf("line %d: %w", i+1, err)
		}
	}
	if len(r.entries) == 0 && !r.started { // an empty scene has a start all the same
		return nil, nil, fmt.Errorf("this is no edit decision list: no line of it is an event, such as " +
			"\"001  REEL  V  C  01:00:00:00 01:00:05:00 00:00:00:00 00:00:05:00\"")
	}
	if err := r.build(); err != nil {
		return nil, nil, err
	}
	if n := len(r.unknown); n > 0 {
		r.warnings = append(r.warnings, fmt.Sprintf("%s not understood: %s", interchange.Counted(n, "line"),
			strings.Join(r.unknown[:min(n, 5)], "; ")))
	}
	return r.scene, r.warnings, r.scene.Check()
}

// rates finds the frame rate and the sample rate: as a list of ours says them, as the scene has it that it belongs to,
// or from the frames that it counts.
func (r *reader) rates(lines []string) (rate timecode.Rate, sampleRate int64, err error) {
	highest, drop := 0, false
	sampleRate = 48000
	for i, line := range lines {
		name, value := comment(line)
		switch {
		case name == "FRAME RATE":
			num, rest, ok := strings.Cut(value, "/")
			den, mode, _ := strings.Cut(rest, " ")
			n, err1 := strconv.ParseInt(num, 10, 32)
			d, err2 := strconv.ParseInt(strings.TrimSpace(den), 10, 32)
			rate = timecode.Rate{Num: n, Den: d, Drop: strings.TrimSpace(mode) == "DROP"}
			if !ok || err1 != nil || err2 != nil || !slices.Contains(timecode.Rates, rate) {
				return rate, 0, fmt.Errorf("line %d: %q is no frame rate", i+1, value)
			}
		case name == "SAMPLE RATE":
			n, err := strconv.ParseInt(value, 10, 32)
			if err != nil || n < 8000 || n > 384000 {
				return rate, 0, fmt.Errorf("line %d: %q is no sample rate", i+1, value)
			}
			sampleRate = n
		case strings.HasPrefix(line, "FCM:"):
			drop = drop || strings.TrimSpace(strings.TrimPrefix(line, "FCM:")) == "DROP FRAME"
		case eventLine.MatchString(line):
			for _, m := range timecodes.FindAllStringSubmatch(line, -1) {
				n, _ := strconv.Atoi(m[1])
				highest = max(highest, n)
			}
		}
	}
	switch {
	case rate.Num > 0:
	case r.hints.Rate.Num > 0:
		if rate = r.hints.Rate; int64(highest) >= rate.Nominal() {
			return rate, 0, fmt.Errorf("the list counts up to frame %d, which is not at the scene's %s frames a second",
				highest, rate)
		}
	case drop && highest >= 30:
		rate = timecode.F5994D
	case drop:
		rate = timecode.F2997D
	case highest >= 50:
		rate = timecode.F60
	case highest >= 30:
		rate = timecode.F50
	case highest >= 25:
		rate = timecode.F2997
	default:
		rate = timecode.F25
		if highest < 24 {
			r.warnings = append(r.warnings, "nothing says how many frames a second the list counts; it is taken as 25")
		}
	}
	return rate, sampleRate, nil
}

// line reads one.
func (r *reader) line(number int, line string) error {
	switch {
	case strings.TrimSpace(line) == "":
		return nil
	case strings.HasPrefix(strings.TrimSpace(line), "*"):
		return r.comment(number, line)
	case strings.HasPrefix(line, "TITLE:"):
		r.title = strings.TrimSpace(strings.TrimPrefix(line, "TITLE:"))
		return nil
	case strings.HasPrefix(line, "FCM:"):
		mode := strings.TrimSpace(strings.TrimPrefix(line, "FCM:"))
		if mode != "DROP FRAME" && mode != "NON-DROP FRAME" {
			return fmt.Errorf("the frame code mode %q is neither DROP FRAME nor NON-DROP FRAME", mode)
		}
		r.drop = mode == "DROP FRAME"
		return nil
	case line[0] >= '0' && line[0] <= '9':
		return r.event(number, line)
	case strings.HasPrefix(line, "AUD"):
		return r.aud(line)
	case strings.HasPrefix(line, "M2"):
		return r.speed(line)
	case strings.HasPrefix(line, "SPLIT:"):
		return r.split(line)
	}
	r.unknown = append(r.unknown, fmt.Sprintf("line %d, %q", number, line[:min(len(line), 60)]))
	return nil
}

// timecode reads one of the list.
func (r *reader) timecode(text string) (int64, error) {
	rate := r.scene.Rate
	if !timecodeForm.MatchString(text) {
		return 0, fmt.Errorf("%q is no timecode; they have the form 01:00:00:00", text)
	}
	at, err := rate.Parse(strings.ReplaceAll(text, ".", ":"))
	if err == nil && at >= day(rate) {
		err = fmt.Errorf("timecode %s is past the last of a day", text)
	}
	return at, err
}

// day is how many frames timecode counts in a day.
func day(rate timecode.Rate) int64 {
	last, _ := rate.Parse(fmt.Sprintf("23:59:59:%02d", rate.Nominal()-1))
	return last + 1
}

func (r *reader) event(number int, line string) error {
	m := eventLine.FindStringSubmatch(line)
	if m == nil {
		return fmt.Errorf("%q is no event: number, reel, channels, transition and four timecodes are one",
			line[:min(len(line), 90)])
	}
	on, ok := fieldChannels[m[3]]
	if !ok {
		return fmt.Errorf("%q names no channels; V, A, A2, AA, B, AA/V and NONE do", m[3])
	}
	e := &entry{line: number, number: m[1], reel: strings.ToUpper(m[2]), on: on, kind: m[4][0], delay: r.delay}
	r.delay = [2]int64{}
	if e.kind != 'C' {
		n, err := strconv.ParseInt(m[5], 10, 32)
		if err != nil || n < 1 {
			return fmt.Errorf("the transition %s does not say how many frames it lasts", m[4])
		}
		e.dissolve = n
	} else if m[5] != "" {
		return fmt.Errorf("a cut has no length, but %q", m[5])
	}
	for i, to := range []*int64{&e.in, &e.out, &e.recIn, &e.recOut} {
		var err error
		if *to, err = r.timecode(m[6+i]); err != nil {
			return err
		}
	}
	over := day(r.scene.Rate) // lists and sources may run over midnight
	if e.recOut < e.recIn && e.recOut+over-e.recIn < over/2 {
		e.recOut += over
	}
	if e.out < e.in && e.out+over-e.in == e.recOut-e.recIn {
		e.out += over
	}
	if e.recOut < e.recIn || e.out < e.in {
		return fmt.Errorf("the event ends before it begins")
	}
	switch {
	case e.kind == 'W':
		r.warn(number, "a wipe is read as a dissolve")
	case e.kind == 'K':
		r.warn(number, "a key is read as a cut")
		e.dissolve, e.kind = 0, 'C'
	}
	if e.dissolve > e.recOut-e.recIn {
		return fmt.Errorf("the dissolve lasts %d frames, the event only %d", e.dissolve, e.recOut-e.recIn)
	}
	r.entries = append(r.entries, e)
	return nil
}

func (r *reader) warn(line int, words string) {
	r.warnings = append(r.warnings, fmt.Sprintf("line %d: %s", line, words))
}

// last is the event that a line belongs to.
func (r *reader) last() *entry {
	if len(r.entries) == 0 {
		return nil
	}
	return r.entries[len(r.entries)-1]
}

func (r *reader) aud(line string) error {
	m, e := audLine.FindStringSubmatch(line), r.last()
	if m == nil || e == nil {
		return fmt.Errorf("%q names no channels 3 and 4 of the event above it", line)
	}
	for i := len(r.entries) - 1; i >= 0 && r.entries[i].number == e.number; i-- {
		x := r.entries[i]
		for _, n := range strings.Fields(m[1]) {
			x.on[n[0]-'0'] = true
		}
	}
	return nil
}

func (r *reader) speed(line string) error {
	m, e := speedLine.FindStringSubmatch(line), r.last()
	if m == nil || e == nil {
		return fmt.Errorf("%q is no change of speed of the event above it: M2, reel, frames a second, timecode", line)
	}
	if _, err := r.timecode(m[3]); err != nil {
		return err
	}
	for i := len(r.entries) - 1; i >= 0 && r.entries[i].number == e.number; i-- {
		if x := r.entries[i]; x.reel == strings.ToUpper(m[1]) {
			x.speed, _ = strconv.ParseFloat(m[2], 64)
			return nil
		}
	}
	return fmt.Errorf("the reel %s, whose speed changes, is not in the event above", m[1])
}

func (r *reader) split(line string) error {
	m := splitLine.FindStringSubmatch(line)
	if m == nil {
		return fmt.Errorf("%q is no split: SPLIT: AUDIO DELAY= 00:00:00:10 is one", line)
	}
	at, err := r.timecode(m[2])
	if err != nil {
		return err
	}
	if m[1] == "AUDIO" {
		r.delay[0] = at
	} else {
		r.delay[1] = at
	}
	return nil
}

// comment reads what is known of a comment; others are left.
func (r *reader) comment(number int, line string) error {
	name, value := comment(line)
	if channel, ok := strings.CutPrefix(name, "TRACK "); ok {
		r.names[channel] = value
		return nil
	}
	if name == "START" {
		at, err := r.timecode(value)
		if err != nil {
			return err
		}
		r.start, r.started = at, true
		return nil
	}
	e := r.last()
	if e == nil {
		return nil
	}
	switch name {
	case "FROM CLIP NAME":
		e.from = value
	case "TO CLIP NAME":
		e.to = value
	case "SOURCE FILE":
		e.file = value
	case "BLEND":
		var before int64
		var law string
		if _, err := fmt.Sscanf(value, "%d BEFORE, %s", &before, &law); err != nil || before < 0 || before > e.dissolve {
			return fmt.Errorf("%q does not say where the dissolve lies", value)
		}
		e.before, e.law = before, blend.Law(strings.ToLower(law))
		if !slices.ContainsFunc(blend.Laws, func(l blend.LawInfo) bool { return l.Law == e.law }) {
			return fmt.Errorf("%q is no law of a blend", law)
		}
	}
	return nil
}

// build lays what was read on tracks.
func (r *reader) build() error {
	s := r.scene
	s.Name = cmp.Or(r.title, "scene")
	if !r.started {
		r.start = r.entries[0].recIn
		over := slices.ContainsFunc(r.entries, func(e *entry) bool { return e.recOut >= day(s.Rate) })
		for _, e := range r.entries {
			if !over {
				r.start = min(r.start, e.recIn)
			}
		}
		// A list that begins on an hour, or after it, counts from that hour.
		hour := s.Rate.Nominal() * 3600
		if s.Rate.Drop {
			hour, _ = s.Rate.Parse("01:00:00;00")
		}
		r.start = r.start / hour * hour
	}
	s.StartFrame = r.start
	for _, e := range r.entries {
		if e.recIn < r.start && e.recIn+day(s.Rate)-r.start < day(s.Rate)/2 { // behind midnight
			e.recIn, e.recOut = e.recIn+day(s.Rate), e.recOut+day(s.Rate)
		}
	}
	for on := range len(channels{}) {
		if err := r.channel(on); err != nil {
			return err
		}
	}
	return nil
}

// channel builds the track of one channel, if anything is on it.
func (r *reader) channel(on int) error {
	var list []*entry
	for i, e := range r.entries {
		if !e.on[on] {
			continue
		}
		// The first line of a dissolve says what it comes from; that is there already.
		if next := i + 1; e.recIn == e.recOut && next < len(r.entries) && r.entries[next].number == e.number {
			r.entries[next].fromReel = e.reel
			continue
		}
		list = append(list, e)
	}
	label := "V"
	if on > 0 {
		label = fmt.Sprintf("A%d", on)
	}
	said, named := r.names[label]
	if len(list) == 0 && !named {
		return nil
	}
	s := r.scene
	t := &scene.Track{ID: scene.NewID(s, scene.ATrack), Kind: scene.Sound, Purpose: scene.ForDialogue, Name: label,
		Clips: []scene.Clip{}}
	if on == 0 {
		t.Kind, t.Purpose, t.Name = scene.Picture, scene.ForPicture, cmp.Or(said, "Picture")
	} else if purpose, name, ok := strings.Cut(said, ", "); ok && slices.Contains(scene.Purposes, scene.Purpose(purpose)) {
		t.Purpose, t.Name = scene.Purpose(purpose), cmp.Or(name, label)
	}
	s.Tracks = append(s.Tracks, t)
	slices.SortStableFunc(list, func(a, b *entry) int { return cmp.Compare(a.recIn, b.recIn) })
	for i, e := range list {
		if err := r.lay(t, on, e, i > 0 && list[i-1].recOut > e.recIn); err != nil {
			return fmt.Errorf("line %d: %w", e.line, err)
		}
	}
	return nil
}

// time is a frame in a track's units.
func (r *reader) time(t *scene.Track, frame int64) int64 {
	if t.Kind == scene.Picture {
		return frame
	}
	return r.scene.Rate.SampleOf(frame, r.scene.SampleRate)
}

// lay puts an event onto its track.
func (r *reader) lay(t *scene.Track, on int, e *entry, overlaps bool) error {
	s := r.scene
	if overlaps {
		return fmt.Errorf("the event begins at %s, before the one ahead of it on this channel has ended",
			s.Rate.Format(e.recIn))
	}
	delay := e.delay[0]
	if on == 0 {
		delay = e.delay[1]
	}
	recIn, recOut, in := e.recIn+delay-r.start, e.recOut-r.start, e.in+delay
	if recIn < 0 {
		return fmt.Errorf("the event lies ahead of the list's start, %s", s.Rate.Format(r.start))
	}
	if recOut <= recIn {
		return nil // nothing of it is seen or heard
	}
	var prev *scene.Clip
	if n := len(t.Clips); n > 0 {
		prev = &t.Clips[n-1]
	}
	touches := prev != nil && prev.End() == r.time(t, recIn)
	if e.reel == black {
		if e.dissolve > 0 && touches { // a fade to nothing
			n := r.time(t, recIn+e.dissolve) - r.time(t, recIn)
			prev.Length += n
			prev.FadeOut = scene.Fade{Length: n, Curve: straight}
		}
		return nil
	}
	src, offset := r.source(t, e)
	c := scene.Clip{ID: scene.NewID(s, scene.AClip), Source: src, Name: r.nameOf(e), Start: r.time(t, recIn)}
	c.Length = r.time(t, recOut) - c.Start
	if c.In = r.time(t, in) - offset; c.In < 0 {
		return fmt.Errorf("the event begins at %s of its source, before the recording does", s.Rate.Format(in))
	}
	if length := e.out - e.in; e.speed != 0 || length != e.recOut-e.recIn {
		if e.speed == 0 && e.recOut > e.recIn {
			e.speed = s.Rate.Float() * float64(length) / float64(e.recOut-e.recIn)
		}
		c.Foreign = scene.Foreign{scene.SpeedKey: []byte(strconv.FormatFloat(e.speed, 'f', -1, 64))}
		r.warn(e.line, fmt.Sprintf("%s runs at another speed there, and at its own here", c.Name))
	}
	if e.dissolve > 0 {
		b := scene.Blend{Law: cmp.Or(e.law, blend.ConstantPower)}
		before := r.time(t, recIn+e.before) - r.time(t, recIn)
		all := r.time(t, recIn+e.dissolve) - r.time(t, recIn)
		if !touches || e.fromReel == black {
			c.FadeIn = scene.Fade{Length: all, Curve: straight} // from nothing
		} else {
			prev.Length += before
			c.Start, c.In, c.Length = c.Start+before, c.In+before, c.Length-before
			b.Left, b.Right, b.Before, b.After = prev.ID, c.ID, before, all-before
			if c.Length <= 0 {
				return fmt.Errorf("nothing of the event is left behind the cut of its dissolve")
			}
			t.Blends = append(t.Blends, b)
		}
	}
	t.Clips = append(t.Clips, c)
	return nil
}

// nameOf is what a clip is called.
func (r *reader) nameOf(e *entry) string {
	name := e.from
	if e.dissolve > 0 {
		name = cmp.Or(e.to, e.from)
	}
	return cmp.Or(name, e.reel)
}

// source gives the id of an event's recording, and the source timecode of its first moment, in the track's units.
func (r *reader) source(t *scene.Track, e *entry) (id string, offset int64) {
	s := r.scene
	file := cmp.Or(e.file, r.nameOf(e))
	key := e.reel + "\x00" + file
	id, known := r.sources[key]
	if !known {
		r.nextID++
		id = fmt.Sprintf("s%d", r.nextID)
		r.sources[key] = id
		name := strings.TrimSuffix(path.Base(file), path.Ext(file))
		src := scene.Source{ID: id, Name: cmp.Or(name, e.reel), URL: file, Unknown: true}
		if r.hints.Start != nil {
			if start := r.hints.Start(file); start != nil {
				src.Offset = timecode.Units(start, s.SampleRate, 1)
			}
		}
		if r.hints.Length != nil {
			sound, picture := r.hints.Length(file)
			if sound != nil {
				src.Samples, src.Unknown = timecode.Units(sound, s.SampleRate, 1), false
			}
			if picture != nil {
				src.Frames, src.Unknown = timecode.Units(picture, s.Rate.Num, s.Rate.Den), false
			}
		}
		s.Sources[id] = src
	}
	return id, s.Unit(t, s.Sources[id].Offset)
}
