package edl

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"blendseam/core/scene"
)

// notCarried begins the remarks that say what of a clip is not in the list.
const notCarried = "NOT CARRIED"

// channel numbers: 0 is picture, 1 to 4 are sound.
type channels [1 + sounds]bool

// An event of the list, in frames of source and record, that a channel or several have in common.
type event struct {
	on               channels
	reel             string
	dissolve         int64  // frames; 0 is a cut
	from             string // the reel that it dissolves from
	fromAt           int64  // where in that
	in, out          int64
	recIn, recOut    int64
	name, file, last string // of the clip, its file, the clip it dissolves from
	before           int64  // frames of a dissolve ahead of the cut
	law              string
}

// Write gives the scene as an edit decision list.
func Write(s *scene.Scene) ([]byte, error) {
	w := &writer{scene: s, reels: map[string]string{}, taken: map[string]bool{black: true}}
	picture, sound, _ := carried(s)
	if picture != nil {
		w.track(picture, 0)
	}
	for i, t := range sound {
		w.track(t, i+1)
	}
	slices.SortStableFunc(w.events, func(a, b event) int { return int(a.recIn - b.recIn) })
	var b strings.Builder
	fmt.Fprintf(&b, "TITLE: %s\n", oneLine(s.Name))
	if s.Rate.Drop {
		b.WriteString("FCM: DROP FRAME\n")
	} else {
		b.WriteString("FCM: NON-DROP FRAME\n")
	}
	fmt.Fprintf(&b, "* FRAME RATE: %s\n* SAMPLE RATE: %d\n", rateWords(s.Rate), s.SampleRate)
	fmt.Fprintf(&b, "* START: %s\n", s.Rate.Format(s.StartFrame))
	if picture != nil {
		fmt.Fprintf(&b, "* TRACK V: %s\n", oneLine(picture.Name))
	}
	for i, t := range sound {
		fmt.Fprintf(&b, "* TRACK A%d: %s, %s\n", i+1, t.Purpose, oneLine(t.Name))
	}
	for i, e := range merged(w.events) {
		w.print(&b, i+1, e)
	}
	for _, l := range tally(s).Each() {
		fmt.Fprintf(&b, "* "+notCarried+": %s\n", oneLine(l.Words(s)))
	}
	return []byte(b.String()), nil
}

type writer struct {
	scene  *scene.Scene
	reels  map[string]string // by source
	taken  map[string]bool
	events []event
}

// frame is the frame nearest to a time of a track.
func (w *writer) frame(t *scene.Track, at int64) int64 {
	if t.Kind == scene.Picture {
		return at
	}
	return w.scene.Rate.Nearest(at, w.scene.SampleRate)
}

// track takes the events of a track.
func (w *writer) track(t *scene.Track, on int) {
	s := w.scene
	for i, c := range t.Clips {
		src, in := scene.Recorded(s, t, &c)
		if c.Muted || src.Tone != nil {
			continue
		}
		e := event{reel: w.reel(src), name: oneLine(c.Name), file: src.URL}
		e.on[on] = true
		start, end := w.frame(t, c.Start), w.frame(t, c.End())
		// What is moved to the nearest frame stays in sync.
		offset := s.Unit(t, src.Offset)
		at := in + offset + w.time(t, start) - c.Start
		e.in, e.recIn, e.recOut = w.frame(t, at), start+s.StartFrame, end+s.StartFrame
		e.out = e.in + e.recOut - e.recIn
		var left *scene.Clip
		if i > 0 {
			left = &t.Clips[i-1]
		}
		if left != nil {
			if b := t.Blend(left.ID, c.ID); b != nil {
				w.dissolve(&e, t, left, b)
			}
		}
		if e.dissolve == 0 {
			if n := w.length(t, c.FadeIn.Length); n > 0 {
				e.dissolve, e.from, e.law = n, black, ""
			}
		}
		if i+1 < len(t.Clips) {
			if b := t.Blend(c.ID, t.Clips[i+1].ID); b != nil {
				n := w.length(t, b.Before)
				e.out, e.recOut = e.out-n, e.recOut-n
			}
		}
		fade := w.length(t, c.FadeOut.Length)
		if b := i+1 < len(t.Clips) && t.Blend(c.ID, t.Clips[i+1].ID) != nil; b {
			fade = 0
		}
		fade = min(fade, e.recOut-e.recIn-e.dissolve)
		e.out, e.recOut = e.out-fade, e.recOut-fade
		if e.recOut <= e.recIn && fade <= 0 {
			continue // less than a frame of it is left
		}
		w.events = append(w.events, e)
		if fade > 0 {
			w.events = append(w.events, event{on: e.on, reel: black, from: e.reel, fromAt: e.out, dissolve: fade,
				out: fade, recIn: e.recOut, recOut: e.recOut + fade, last: e.name})
		}
	}
}

// time is a frame in a track's units.
func (w *writer) time(t *scene.Track, frame int64) int64 {
	if t.Kind == scene.Picture {
		return frame
	}
	return w.scene.Rate.SampleOf(frame, w.scene.SampleRate)
}

// length is a length in whole frames.
func (w *writer) length(t *scene.Track, n int64) int64 { return w.frame(t, n) }

// dissolve lets an event begin with a blend.
func (w *writer) dissolve(e *event, t *scene.Track, left *scene.Clip, b *scene.Blend) {
	before, after := w.length(t, b.Before), w.length(t, b.After)
	if before+after == 0 {
		return
	}
	e.in, e.recIn = e.in-before, e.recIn-before
	e.dissolve, e.before, e.law = before+after, before, string(b.Law)
	e.last = oneLine(left.Name)
	src, in := scene.Recorded(w.scene, t, left)
	if src.Tone != nil || left.Muted {
		e.from = black
		return
	}
	e.from = w.reel(src)
	at := in + w.scene.Unit(t, src.Offset) + w.time(t, e.recIn-w.scene.StartFrame) - left.Start
	e.fromAt = w.frame(t, at)
}

// reel names a source in eight letters and digits, and no other source so.
func (w *writer) reel(src scene.Source) string {
	if name, ok := w.reels[src.ID]; ok {
		return name
	}
	clean := strings.Map(func(r rune) rune {
		if r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)) {
			return unicode.ToUpper(r)
		}
		return -1
	}, src.Name)
	name := clean[:min(8, len(clean))]
	for n := 2; name == "" || w.taken[name]; n++ {
		number := fmt.Sprint(n)
		name = (clean + "REEL")[:min(8-len(number), len(clean)+4)] + number
	}
	w.reels[src.ID], w.taken[name] = name, true
	return name
}

// merged makes one event of those that differ in their channels alone.
func merged(list []event) (out []event) {
	at := map[event]int{} // by an event without its channels
	for _, e := range list {
		bare := e
		bare.on = channels{}
		i, known := at[bare]
		if !known {
			at[bare] = len(out)
			out = append(out, e)
			continue
		}
		for c, on := range e.on {
			out[i].on[c] = out[i].on[c] || on
		}
	}
	return out
}

// letters are the channels of an event in its line, and those that stand in a line of their own below it.
func (c channels) letters() (field, below string) {
	switch {
	case c[1] && c[2] && c[0]:
		field = "AA/V"
	case c[1] && c[2]:
		field = "AA"
	case c[1] && c[0]:
		field = "B"
	case c[2] && c[0]:
		field = "A2/V"
	case c[1]:
		field = "A"
	case c[2]:
		field = "A2"
	case c[0]:
		field = "V"
	default:
		field = "NONE"
	}
	var list []string
	for n := 3; n <= sounds; n++ {
		if c[n] {
			list = append(list, fmt.Sprint(n))
		}
	}
	return field, strings.Join(list, "    ")
}

func (w *writer) print(b *strings.Builder, number int, e event) {
	field, below := e.on.letters()
	tc := w.scene.Rate.Format
	line := func(reel, kind string, in, out, recIn, recOut int64) {
		fmt.Fprintf(b, "%03d  %-8s %-5s %-8s %s %s %s %s\n", number, reel, field, kind, tc(in), tc(out), tc(recIn),
			tc(recOut))
	}
	if e.dissolve > 0 {
		line(e.from, "C", e.fromAt, e.fromAt, e.recIn, e.recIn)
		line(e.reel, fmt.Sprintf("D    %03d", e.dissolve), e.in, e.out, e.recIn, e.recOut)
	} else {
		line(e.reel, "C", e.in, e.out, e.recIn, e.recOut)
	}
	if below != "" {
		fmt.Fprintf(b, "AUD   %s\n", below)
	}
	switch {
	case e.dissolve > 0 && e.from != black && e.reel != black:
		fmt.Fprintf(b, "* FROM CLIP NAME: %s\n* TO CLIP NAME: %s\n", e.last, e.name)
		fmt.Fprintf(b, "* BLEND: %d BEFORE, %s\n", e.before, strings.ToUpper(e.law))
	case e.dissolve > 0 && e.reel == black:
		fmt.Fprintf(b, "* FROM CLIP NAME: %s\n", e.last)
	case e.dissolve > 0:
		fmt.Fprintf(b, "* TO CLIP NAME: %s\n", e.name)
	default:
		fmt.Fprintf(b, "* FROM CLIP NAME: %s\n", e.name)
	}
	if e.file != "" {
		fmt.Fprintf(b, "* SOURCE FILE: %s\n", oneLine(e.file))
	}
}

// oneLine is a name without what would begin another line.
func oneLine(name string) string { return strings.Join(strings.Fields(name), " ") }
