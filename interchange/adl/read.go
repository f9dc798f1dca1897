package adl

import (
	"cmp"
	"fmt"
	"maps"
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

// most is how many lines a list may have.
const most = 500_000

// A source is one of the index.
type source struct {
	url, name, digest string
	start, length     int64
	long              bool // its length is said
	channels          int
	id                string
}

// A track is one of the list.
type track struct {
	from, to int
	name     string
	purpose  scene.Purpose
	events   []*event
}

// An event is one that sounds.
type event struct {
	line             int
	index            int
	dest             int
	in, from, to     int64
	fadeIn, fadeOut  scene.Fade
	curveIn          blend.Curve // as remarks say them
	curveOut         blend.Curve
	gain             float64
	name             string
	before           int64
	law              blend.Law
	muted, has, said bool // said: before and law are
}

type reader struct {
	hints    interchange.Hints
	scene    *scene.Scene
	section  string
	index    map[int]*source
	current  *source
	tracks   []*track
	event    *event
	events   []*event
	dest     int64
	rated    bool
	seen     bool
	unknown  map[string]int // keywords that mean nothing here, and where first
	warnings []string
}

var word = regexp.MustCompile(`"[^"]*"|\([A-Za-z_0-9]+\)|[^\s"()]+`)

// Read gives the scene of an audio decision list. What is malformed is refused with the number of its line.
func Read(raw []byte, hints interchange.Hints) (*scene.Scene, []string, error) {
	r := &reader{hints: hints, index: map[int]*source{}, unknown: map[string]int{}}
	text := strings.NewReplacer("\r\n", "\n", "\r", "\n", "\ufeff", "").Replace(string(raw))
	lines := strings.Split(text, "\n")
	if len(lines) > most {
		return nil, nil, fmt.Errorf("the list has %d lines; %d are the most", len(lines), most)
	}
	rate, sampleRate, err := r.rates(lines)
	if err != nil {
		return nil, nil, err
	}
	r.scene = scene.New("scene", rate, sampleRate)
	for i, line := range lines {
		if err := r.line(i+1, strings.TrimSpace(line)); err != nil {
			return nil, nil, fmt.Errorf("line %d: %w", i+1, err)
		}
	}
	if !r.seen {
		return nil, nil, fmt.Errorf("this is no audio decision list: it does not begin with <ADL>")
	}
	if r.section != "" {
		return nil, nil, fmt.Errorf("line %d: the section <%s> does not end", len(lines), r.section)
	}
	if err := r.build(); err != nil {
		return nil, nil, err
	}
	for _, k := range slices.Sorted(maps.Keys(r.unknown)) {
		r.warnings = append(r.warnings, fmt.Sprintf("%s was not understood, in line %d first", k, r.unknown[k]))
	}
	return r.scene, r.warnings, r.scene.Check()
}

// frameRates are what a list may count, without a remark of ours.
var frameRates = map[string]timecode.Rate{
	"24": timecode.F24, "23.976": timecode.F23976, "23.98": timecode.F23976, "25": timecode.F25, "29.97": timecode.F2997,
	"30": timecode.F30, "50": timecode.F50, "59.94": timecode.F5994, "60": timecode.F60,
}

// rates finds the rates that all times are counted in.
func (r *reader) rates(lines []string) (rate timecode.Rate, sampleRate int64, err error) {
	rate, sampleRate = timecode.F25, 48000
	if r.hints.Rate.Num > 0 {
		rate = r.hints.Rate
	}
	ours := false
	for i, line := range lines {
		w := word.FindAllString(line, -1)
		if len(w) < 2 {
			continue
		}
		switch {
		case w[0] == "(SEQ_SAMPLE_RATE)":
			n, err := strconv.ParseInt(strings.TrimPrefix(w[1], "S"), 10, 32)
			if err != nil || n < 8000 || n > 384000 {
				return rate, 0, fmt.Errorf("line %d: %s is no sample rate", i+1, w[1])
			}
			sampleRate = n
		case w[0] == "(SEQ_FRAME_RATE)" && !ours:
			x, ok := frameRates[strings.Trim(w[1], `"`)]
			if !ok {
				return rate, 0, fmt.Errorf("line %d: %s is no frame rate", i+1, w[1])
			}
			rate = x
		case w[0] == "(Rem)" && w[1] == "RATE" && len(w) > 2:
			num, rest, ok := strings.Cut(strings.Trim(w[2], `"`), "/")
			den, mode, _ := strings.Cut(rest, " ")
			n, err1 := strconv.ParseInt(num, 10, 32)
			d, err2 := strconv.ParseInt(den, 10, 32)
			x := timecode.Rate{Num: n, Den: d, Drop: mode == "DROP"}
			if !ok || err1 != nil || err2 != nil || !slices.Contains(timecode.Rates, x) {
				return rate, 0, fmt.Errorf("line %d: %s is no frame rate", i+1, w[2])
			}
			rate, ours = x, true
		}
	}
	return rate, sampleRate, nil
}

func (r *reader) line(number int, line string) error {
	if line == "" {
		return nil
	}
	if name, ok := strings.CutPrefix(line, "<"); ok {
		return r.mark(strings.TrimSuffix(name, ">"), strings.HasSuffix(name, ">"))
	}
	if !r.seen {
		return fmt.Errorf("this is no audio decision list: it does not begin with <ADL>")
	}
	words := word.FindAllString(line, -1)
	if len(words) == 0 || words[0][0] != '(' {
		return fmt.Errorf("%q does not begin with a keyword in parentheses", line[:min(len(line), 60)])
	}
	for len(words) > 0 {
		end := 1
		for end < len(words) && words[end][0] != '(' {
			end++
		}
		if err := r.keyword(number, strings.Trim(words[0], "()"), words[1:end]); err != nil {
			return err
		}
		words = words[end:]
	}
	return nil
}

// mark begins or ends a section.
func (r *reader) mark(name string, closed bool) error {
	if !closed {
		return fmt.Errorf("<%s has no end", name)
	}
	switch {
	case name == "ADL":
		r.seen = true
	case !r.seen:
		return fmt.Errorf("this is no audio decision list: it does not begin with <ADL>")
	case name == "/ADL":
		if r.section != "" {
			return fmt.Errorf("the section <%s> does not end before </ADL>", r.section)
		}
	case strings.HasPrefix(name, "/"):
		if r.section != name[1:] {
			return fmt.Errorf("<%s> ends what did not begin", name)
		}
		r.section = ""
	case r.section != "":
		return fmt.Errorf("<%s> begins within <%s>", name, r.section)
	default:
		r.section = name
	}
	return nil
}

// keyword reads one with what follows it.
func (r *reader) keyword(line int, name string, words []string) error {
	text := func(i int) string {
		if i >= len(words) || words[i] == "_" {
			return ""
		}
		return strings.Trim(words[i], `"`)
	}
	if name == "Rem" {
		return r.remark(text)
	}
	switch r.section {
	case "PROJECT":
		if name == "PROJ_TITLE" {
			r.scene.Name = cmp.Or(text(0), r.scene.Name)
		}
		return nil
	case "VERSION", "SYSTEM":
		return nil
	case "SEQUENCE":
		if name == "SEQ_DEST_START" {
			at, err := r.clock(text(0))
			r.dest, r.rated = at, err == nil
			return err
		}
		return nil
	case "TRACKLIST":
		if name == "Track" {
			from, to, err := channels(text(0))
			r.tracks = append(r.tracks, &track{from: from, to: to, name: text(1), purpose: scene.ForDialogue})
			return err
		}
	case "SOURCE_INDEX":
		return r.source(line, name, text)
	case "EVENT_LIST":
		return r.part(line, name, text)
	}
	r.skip(name, line)
	return nil
}

// skip notes a keyword that means nothing here.
func (r *reader) skip(name string, line int) {
	if _, known := r.unknown[name]; !known && len(r.unknown) < 50 {
		r.unknown[name] = line
	}
}

func (r *reader) clock(text string) (int64, error) {
	return parseClock(r.scene.Rate, r.scene.SampleRate, text)
}

// channels reads those of a source or a destination: "1", "1~2".
func channels(text string) (from, to int, err error) {
	a, b, ok := strings.Cut(text, "~")
	if from, err = strconv.Atoi(a); err == nil {
		to = from
		if ok {
			to, err = strconv.Atoi(b)
		}
	}
	if err != nil || from < 1 || to < from || to > 999 {
		return 0, 0, fmt.Errorf("%q are no channels; 1 and 1~2 are", text)
	}
	return from, to, nil
}

// source reads of the index of sources.
func (r *reader) source(line int, name string, text func(int) string) error {
	switch name {
	case "Index":
		n, err := strconv.Atoi(text(0))
		if err != nil || n < 0 {
			return fmt.Errorf("%q is no number of a source", text(0))
		}
		if r.index[n] != nil {
			return fmt.Errorf("the source %d is in the index twice", n)
		}
		r.current = &source{id: fmt.Sprintf("s%d", n)}
		r.index[n] = r.current
	case "F":
		file, ok := strings.CutPrefix(text(0), "URL:")
		if r.current == nil || !ok || file == "" {
			return fmt.Errorf("%q is no file of a source in the index", text(0))
		}
		x := r.current
		x.url, x.name = local(file), cmp.Or(text(4), path.Base(file))
		if d, ok := strings.CutPrefix(text(1), "SHA256"); ok && len(d) == 64 {
			x.digest = d
		}
		var err error
		if text(2) != "" {
			if x.start, err = r.clock(text(2)); err != nil {
				return err
			}
		}
		if text(3) != "" {
			x.length, err = r.clock(text(3))
			x.long = err == nil
		}
		return err
	default:
		r.skip(name, line)
	}
	return nil
}

// part reads of the list of events.
func (r *reader) part(line int, name string, text func(int) string) (err error) {
	if name == "Entry" {
		r.event = &event{line: line}
		return nil
	}
	e := r.event
	if e == nil {
		return fmt.Errorf("(%s) stands ahead of the first (Entry)", name)
	}
	switch name {
	case "Cut":
		if e.index, err = strconv.Atoi(text(1)); err != nil || r.index[e.index] == nil {
			return fmt.Errorf("the event names the source %q, which is not in the index", text(1))
		}
		if _, _, err = channels(text(2)); err != nil {
			return err
		}
		if e.dest, _, err = channels(text(3)); err != nil {
			return err
		}
		for i, to := range []*int64{&e.in, &e.from, &e.to} {
			if *to, err = r.clock(text(4 + i)); err != nil {
				return err
			}
		}
		if e.to <= e.from {
			return fmt.Errorf("the event ends before it begins")
		}
		if e.has {
			return fmt.Errorf("the entry has two cuts")
		}
		e.has = true
		r.events = append(r.events, e)
	case "Infade", "Outfade":
		f := scene.Fade{Curve: blend.Curve{Shape: blend.Straight}}
		if f.Length, err = r.clock(text(0)); err != nil {
			return err
		}
		if text(1) == "CURVE" {
			f.Curve.Shape = blend.QuarterSine
			if v, err := strconv.ParseFloat(text(2), 64); err == nil && v < -4.5 {
				f.Curve.Shape = blend.RaisedCosine
			}
		}
		if name == "Infade" {
			e.fadeIn = f
		} else {
			e.fadeOut = f
		}
	case "Gain":
		v, err := strconv.ParseFloat(cmp.Or(text(1), text(0)), 64)
		if err != nil || !(v >= -120 && v <= 40) {
			return fmt.Errorf("%q is no gain in dB", cmp.Or(text(1), text(0)))
		}
		e.gain = v
	default:
		r.skip(name, line)
	}
	return nil
}

// remark reads those of ours; of others names alone.
func (r *reader) remark(text func(int) string) error {
	value := text(1)
	switch text(0) {
	case "CHANNELS":
		if n, err := strconv.Atoi(value); err == nil && (n == 1 || n == 2) {
			r.scene.Channels = n
		}
	case "PURPOSE":
		if n := len(r.tracks); n > 0 && slices.Contains(scene.Purposes[1:], scene.Purpose(value)) {
			r.tracks[n-1].purpose = scene.Purpose(value)
		}
	case "SOURCE_CHANNELS":
		if n, err := strconv.Atoi(value); err == nil && r.current != nil && n > 0 && n <= 64 {
			r.current.channels = n
		}
	}
	e := r.event
	if e == nil {
		return nil
	}
	switch text(0) {
	case "NAME":
		e.name = value
	case "CROSSFADE":
		law := ""
		if _, err := fmt.Sscanf(value, "%d %s", &e.before, &law); err != nil {
			return fmt.Errorf("%q does not say where a crossfade lies", value)
		}
		if e.law = blend.Law(law); !slices.ContainsFunc(blend.Laws, func(l blend.LawInfo) bool { return l.Law == e.law }) {
			return fmt.Errorf("%q is no law of a crossfade", law)
		}
		e.said = true
	case "INFADE", "OUTFADE":
		c := blend.Curve{}
		shape := ""
		fmt.Sscanf(value, "%s %g", &shape, &c.Bend)
		c.Shape = blend.Shape(shape)
		if c.Check() != nil {
			return fmt.Errorf("%q is no curve of a fade", value)
		}
		if text(0) == "INFADE" {
			e.curveIn = c
		} else {
			e.curveOut = c
		}
	case "MUTED":
		e.muted = true
	}
	return nil
}

// build lays events on tracks.
func (r *reader) build() error {
	s := r.scene
	if !r.rated {
		for i, e := range r.events {
			if i == 0 || e.from < r.dest {
				r.dest = e.from
			}
		}
	}
	frame := s.Rate.FrameOf(r.dest, s.SampleRate)
	s.StartFrame = frame
	r.dest = s.Rate.SampleOf(frame, s.SampleRate)
	for n, x := range r.index {
		if err := r.put(x); err != nil {
			return fmt.Errorf("source %d: %w", n, err)
		}
	}
	for _, e := range r.events {
		i := slices.IndexFunc(r.tracks, func(t *track) bool { return e.dest >= t.from && e.dest <= t.to })
		if i < 0 {
			i = len(r.tracks)
			r.tracks = append(r.tracks, &track{from: e.dest, to: e.dest, purpose: scene.ForDialogue})
		}
		r.tracks[i].events = append(r.tracks[i].events, e)
	}
	for _, x := range r.tracks {
		t := &scene.Track{ID: scene.NewID(s, scene.ATrack), Kind: scene.Sound, Purpose: x.purpose,
			Name: cmp.Or(x.name, fmt.Sprintf("Track %d", x.from)), Clips: []scene.Clip{}}
		s.Tracks = append(s.Tracks, t)
		slices.SortStableFunc(x.events, func(a, b *event) int { return cmp.Compare(a.from, b.from) })
		for i, e := range x.events {
			var before *event
			if i > 0 {
				before = x.events[i-1]
			}
			if err := r.lay(t, before, e); err != nil {
				return fmt.Errorf("line %d: %w", e.line, err)
			}
		}
	}
	return nil
}

// put makes a source of the index one of the scene.
func (r *reader) put(x *source) error {
	s := r.scene
	if x.url == "" {
		return fmt.Errorf("the index names no file for it")
	}
	src := scene.Source{ID: x.id, Name: x.name, URL: x.url, SHA256: x.digest, Offset: x.start, Unknown: !x.long,
		Samples: x.length, Channels: x.channels}
	if r.hints.Length != nil {
		if sound, _ := r.hints.Length(x.url); sound != nil {
			src.Samples, src.Unknown = timecode.Units(sound, s.SampleRate, 1), false
		}
	}
	s.Sources[src.ID] = src
	return nil
}

// lay puts an event onto its track, behind the one before it.
func (r *reader) lay(t *scene.Track, before, e *event) error {
	s, src := r.scene, r.index[e.index]
	c := scene.Clip{ID: scene.NewID(s, scene.AClip), Source: src.id, Name: cmp.Or(e.name, src.name),
		Start: e.from - r.dest, Length: e.to - e.from, In: e.in - src.start, GainDB: e.gain, Muted: e.muted,
		FadeIn: with(e.fadeIn, e.curveIn), FadeOut: with(e.fadeOut, e.curveOut)}
	if c.Start < 0 || c.In < 0 {
		return fmt.Errorf("the event begins before the list or its recording does")
	}
	if before == nil || before.to <= e.from {
		t.Clips = append(t.Clips, c)
		return nil
	}
	over := before.to - e.from
	if before.to >= e.to || before.fadeOut.Length == 0 || e.fadeIn.Length == 0 {
		return fmt.Errorf("the event lies over the one before it on its channels, and neither fades into the other")
	}
	b := scene.Blend{Left: t.Clips[len(t.Clips)-1].ID, Right: c.ID, Before: over / 2, Law: blend.ConstantPower}
	switch {
	case e.said && e.before >= 0 && e.before <= over:
		b.Before, b.Law = e.before, e.law
	case e.fadeIn.Curve.Shape == blend.Straight && before.fadeOut.Curve.Shape == blend.Straight:
		b.Law = blend.ConstantGain
	}
	b.After = over - b.Before
	left := &t.Clips[len(t.Clips)-1]
	left.Length -= b.After
	left.FadeOut, c.FadeIn = scene.Fade{}, scene.Fade{}
	c.Start, c.In, c.Length = c.Start+b.Before, c.In+b.Before, c.Length-b.Before
	if left.Length <= 0 || c.Length <= 0 {
		return fmt.Errorf("nothing of an event is left beside its crossfade")
	}
	t.Blends = append(t.Blends, b)
	t.Clips = append(t.Clips, c)
	return nil
}

// with is a fade in the curve that a remark gives it.
func with(f scene.Fade, c blend.Curve) scene.Fade {
	if f.Length > 0 && c.Shape != "" {
		f.Curve = c
	}
	if f.Length == 0 {
		return scene.Fade{}
	}
	return f
}
