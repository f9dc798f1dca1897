package adl

import (
	"crypto/sha256"
	"fmt"
	"strings"
	"unicode"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
)

// Write gives the sound of a scene as an audio decision list.
func Write(s *scene.Scene) ([]byte, error) {
	w := &writer{scene: s, index: map[string]int{}, start: s.Rate.SampleOf(s.StartFrame, s.SampleRate)}
	w.tracks()
	var b strings.Builder
	fmt.Fprintf(&b, "<ADL>\n")
	section(&b, "VERSION",
		`(ADL_ID) "06,64,43,52,01,01,01,04,01,02,03,04"`,
		fmt.Sprintf("(ADL_UID) %x", sha256.Sum256([]byte(s.Name+w.events.String())))[:len("(ADL_UID) ")+32],
		`(VER_ADL_VERSION) "01.02"`, `(VER_CREATOR) "Blend Seam"`, `(VER_CRTR) "1"`)
	section(&b, "PROJECT", "(PROJ_TITLE) "+quoted(s.Name), `(PROJ_ORIGINATOR) "Blend Seam"`)
	section(&b, "SYSTEM", "(SYS_SRC_OFFSET) "+w.clock(0))
	var lost []string
	for _, l := range tally(s).Each() {
		lost = append(lost, "(Rem) NOT_CARRIED "+quoted(l.Words(s)))
	}
	section(&b, "SEQUENCE", append([]string{
		fmt.Sprintf("(SEQ_SAMPLE_RATE) S%d", s.SampleRate),
		fmt.Sprintf("(SEQ_FRAME_RATE) %d", s.Rate.Nominal()),
		"(SEQ_ADL_LEVEL) 1", "(SEQ_CLEAN) FALSE", "(SEQ_SORT) 1",
		"(SEQ_DEST_START) " + w.clock(w.start),
		fmt.Sprintf("(Rem) RATE %q", rateWords(s)),
		fmt.Sprintf("(Rem) CHANNELS %q", fmt.Sprint(s.Channels)),
	}, lost...)...)
	section(&b, "TRACKLIST", w.list...)
	section(&b, "SOURCE_INDEX", w.sources...)
	fmt.Fprintf(&b, "  <EVENT_LIST>\n%s  </EVENT_LIST>\n</ADL>\n", w.events.String())
	return []byte(b.String()), nil
}

func rateWords(s *scene.Scene) string {
	words := fmt.Sprintf("%d/%d", s.Rate.Num, s.Rate.Den)
	if s.Rate.Drop {
		words += " DROP"
	}
	return words
}

func section(b *strings.Builder, name string, lines ...string) {
	fmt.Fprintf(b, "  <%s>\n", name)
	for _, l := range lines {
		fmt.Fprintf(b, "    %s\n", l)
	}
	fmt.Fprintf(b, "  </%s>\n", name)
}

type writer struct {
	scene   *scene.Scene
	start   int64 // of the scene, in samples
	channel int   // last that is taken
	entry   int
	list    []string
	sources []string
	index   map[string]int
	events  strings.Builder
}

func (w *writer) clock(at int64) string { return clock(w.scene.Rate, w.scene.SampleRate, at) }

// quoted is a text as a list holds it.
func quoted(text string) string {
	clean := strings.Map(func(r rune) rune {
		switch {
		case r == '"':
			return '\''
		case unicode.IsControl(r):
			return ' '
		}
		return r
	}, text)
	return `"` + clean + `"`
}

// span is channels from one on: "3", "3~4".
func span(from, n int) string {
	if n <= 1 {
		return fmt.Sprint(from)
	}
	return fmt.Sprintf("%d~%d", from, from+n-1)
}

func (w *writer) tracks() {
	s := w.scene
	for _, t := range s.Tracks {
		if t.Kind == scene.Picture {
			continue
		}
		wide := 1
		for _, c := range t.Clips {
			wide = max(wide, min(2, s.Sources[c.Source].Channels))
		}
		on := span(w.channel+1, wide)
		w.list = append(w.list, fmt.Sprintf("(Track) %s %s", on, quoted(t.Name)), fmt.Sprintf("(Rem) PURPOSE %q",
			string(t.Purpose)))
		for i := range t.Clips {
			w.event(t, i, on)
		}
		w.channel += wide
	}
}

// source gives the number of a source in the index.
func (w *writer) source(src scene.Source) int {
	n, ok := w.index[src.ID]
	if ok {
		return n
	}
	n = len(w.index) + 1
	w.index[src.ID] = n
	length := "_"
	if !src.Unknown {
		length = w.clock(src.Samples)
	}
	w.sources = append(w.sources, fmt.Sprintf("(Index) %04d (F) %s %s %s %s %s _", n, quoted("URL:"+url(src.URL)),
		digest(src), w.clock(max(0, src.Offset)), length, quoted(src.Name)))
	if src.Channels > 0 {
		w.sources = append(w.sources, fmt.Sprintf("(Rem) SOURCE_CHANNELS %q", fmt.Sprint(src.Channels)))
	}
	return n
}

// digest identifies a file, as the field for it allows any word.
func digest(src scene.Source) string {
	if src.SHA256 == "" {
		return "_"
	}
	return "SHA256" + src.SHA256
}

func (w *writer) event(t *scene.Track, i int, on string) {
	s, c := w.scene, t.Clips[i]
	src, in := scene.Recorded(s, t, &c)
	if src.Tone != nil {
		return
	}
	from, to := c.Start, c.End()
	fadeIn, fadeOut := c.FadeIn, c.FadeOut
	var head *scene.Blend
	if i > 0 {
		if head = t.Blend(t.Clips[i-1].ID, c.ID); head != nil {
			from, in = from-head.Before, in-head.Before
			fadeIn = scene.Fade{Length: head.Length(), Curve: side(head, true)}
		}
	}
	if i+1 < len(t.Clips) {
		if b := t.Blend(c.ID, t.Clips[i+1].ID); b != nil {
			to += b.After
			fadeOut = scene.Fade{Length: b.Length(), Curve: side(b, false)}
		}
	}
	w.entry++
	line := func(format string, args ...any) { fmt.Fprintf(&w.events, "    "+format+"\n", args...) }
	channels := span(1, max(1, min(2, src.Channels)))
	line("(Entry) %04d", w.entry)
	line("(Cut) I %04d %s %s %s %s %s _", w.source(src), channels, on, w.clock(max(0, in+src.Offset)),
		w.clock(from+w.start), w.clock(to+w.start))
	if fadeIn.Length > 0 {
		line("(Infade) %s %s", w.clock(fadeIn.Length), shape(fadeIn.Curve))
	}
	if fadeOut.Length > 0 {
		line("(Outfade) %s %s", w.clock(fadeOut.Length), shape(fadeOut.Curve))
	}
	if c.GainDB != 0 {
		line("(Gain) _ %s", number(c.GainDB))
	}
	line("(Rem) NAME %s", quoted(c.Name))
	if head != nil {
		line("(Rem) CROSSFADE %q", fmt.Sprintf("%d %s", head.Before, head.Law))
	}
	remark := func(key string, f scene.Fade) {
		if f.Length > 0 && f.Curve.Shape != "" {
			line("(Rem) %s %q", key, strings.TrimSpace(fmt.Sprintf("%s %s", f.Curve.Shape, bend(f.Curve))))
		}
	}
	remark("INFADE", c.FadeIn)
	remark("OUTFADE", c.FadeOut)
	if c.Muted {
		line("(Rem) MUTED %q", "TRUE")
	}
}

func bend(c blend.Curve) string {
	if c.Bend == 0 {
		return ""
	}
	return number(c.Bend)
}

// side is the curve of one side of a blend, as near as a shape comes to it.
func side(b *scene.Blend, in bool) blend.Curve {
	own := b.CurveOut
	if in {
		own = b.CurveIn
	}
	switch {
	case own != nil:
		return *own
	case b.Law == blend.ConstantGain:
		return blend.Curve{Shape: blend.Straight}
	}
	return blend.Curve{Shape: blend.QuarterSine}
}

// shape is a curve in the words of a list: by what its level is in the middle.
func shape(c blend.Curve) string {
	switch c.Shape {
	case blend.Straight, "":
		return "LIN _ _ _"
	case blend.QuarterSine:
		return "CURVE -3.0 _ _"
	}
	return "CURVE -6.0 _ _"
}

// number is a figure that is read back as it is.
func number(v float64) string {
	text := fmt.Sprintf("%.2f", v)
	var back float64
	if fmt.Sscan(text, &back); back != v {
		return fmt.Sprint(v)
	}
	return text
}
