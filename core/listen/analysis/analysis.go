// Package analysis finds what a recording says by itself, once: the powers of its bands and its level every 10 ms, its
// words and breaths, its quiet stretches and its hum, and the sounds in its pauses that should not be there. It knows
// nothing of scenes. Whoever measures, proposes or fills reads what is found here and looks at no recording's spectrum
// again.
package analysis

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sort"

	"blendseam/core/listen/noiseevent"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Version changes whenever the frames of the same recording would be measured otherwise, or be written otherwise: what
// was kept under another one is of no use. HeardVersion changes whenever other words, pauses or sounds would be found
// in them: what was kept under an older one serves until it is made anew, from the same frames.
const (
	Version      = 1
	HeardVersion = 2
)

// A Recording is what was found in one. Times are its samples.
type Recording struct {
	Rate      int                `json:"rate"`
	Channels  int                `json:"channels"`
	Length    int64              `json:"length"`
	Stretches []speech.Part      `json:"stretches"` // words, breaths and other sounds, in order of time; Voiced is known
	Quiets    []tone.Quiet       `json:"quiets"`    // where nothing but the room is heard, in order of time
	Strays    []noiseevent.Event `json:"strays"`    // what should not be in the pauses, in order of time
	Hum       []tone.Partial     `json:"hum"`       // of its longest quiet stretch, the strongest first
	HumAt     pcm.Span           `json:"hum_at"`    // where that was measured; empty if no stretch was long enough to tell
	Floor     Floor              `json:"floor"`     // the background of all of it

	frames frameStore
}

// A long recording is looked at in pieces of pieceS seconds and what lies within contextS beside them.
const (
	pieceS   = 45
	contextS = 3
)

// Hum is told from noise in at least leastHumMS of quiet, and looked for in at most mostHumMS.
const (
	leastHumMS = 400
	mostHumMS  = 3000
)

// Analyze analyses a recording into memory: some 4 kB for each of its seconds.
func Analyze(ctx context.Context, r pcm.ReaderAt) (*Recording, error) {
	var kept bytes.Buffer
	if err := Write(ctx, &kept, r, nil); err != nil {
		return nil, err
	}
	return Read(bytes.NewReader(kept.Bytes()), int64(kept.Len()))
}

// Write analyses a recording and writes what it finds, in the form that Read reads. Its memory does not grow with the
// recording's length but for the lists of what was found. progress, if not nil, is told how much is done, from 0 to 1.
func Write(ctx context.Context, to io.Writer, r pcm.ReaderAt, progress func(done float64)) error {
	return Renew(ctx, to, r, nil, progress)
}

// Renew is Write for a recording of which an older analysis is known, nil if none is: its frames are taken over, and
// what is heard in the recording is found anew.
func Renew(ctx context.Context, to io.Writer, r pcm.ReaderAt, older *Recording, progress func(done float64)) error {
	f := r.Format()
	a := &Recording{Rate: f.Rate, Channels: f.Channels, Length: r.Len()}
	if f.Rate < 4000 || f.Channels < 1 {
		return fmt.Errorf("sound of %s cannot be analysed; 4000 Hz or more are needed", f)
	}
	if _, err := io.WriteString(to, magic); err != nil {
		return err
	}
	m, ear := newFramer(r), speech.NewEar(f.Rate, a.Length)
	if older != nil && older.Rate == a.Rate && older.Length == a.Length {
		m.older, _ = older.frames.(*keptFrames)
	}
	piece, beside := pieceS*1000/HopMS*m.hop, contextS*1000/HopMS*m.hop
	block := pcm.NewBlock(f.Channels, min(a.Length, piece+2*beside))
	for at := int64(0); at < a.Length; at += piece {
		if err := ctx.Err(); err != nil {
			return err
		}
		core := pcm.Span{From: at, To: min(a.Length, at+piece)}
		wide := pcm.Span{From: max(0, core.From-beside), To: min(a.Length, core.To+beside)}
		b := block.Slice(0, wide.Len())
		if err := r.ReadSamplesAt(b, wide.From); err != nil {
			return err
		}
		mono := b[0]
		if f.Channels > 1 {
			mono = measure.Mono(b)
		}
		words, fine := speech.FindWith(mono, f.Rate, ear.Hear(mono, wide.From))
		if err := m.write(to, b, mono, fine, wide.From, core, words.Still); err != nil {
			return err
		}
		words.Voice(mono)
		for _, s := range words.Parts {
			a.addStretch(s, wide.From, core)
		}
		a.addQuiets(tone.FindOutside(b, mono, f.Rate, words, fine), wide.From, core)
		a.addStrays(noiseevent.FindOutside(mono, f.Rate, words), wide.From, core)
		if progress != nil {
			progress(float64(core.To) / float64(a.Length))
		}
	}
	if err := a.settle(&m.floor, r); err != nil {
		return err
	}
	if err := a.findHum(r); err != nil {
		return err
	}
	lists, err := json.Marshal(a)
	if err != nil {
		return err
	}
	tail := binary.LittleEndian.AppendUint64(lists, uint64(len(lists)))
	_, err = to.Write(tail)
	return err
}

func (a *Recording) addQuiets(list []tone.Quiet, from int64, core pcm.Span) {
	for _, q := range list {
		if q.Span = q.Span.Add(from).Intersect(core); q.Span.Len() >= int64(a.Rate)*leastQuietMS/1000 {
			a.Quiets = append(a.Quiets, q)
		}
	}
}

func (a *Recording) addStrays(list []noiseevent.Event, from int64, core pcm.Span) {
	for _, s := range list {
		if s.Span, s.Lull = s.Span.Add(from), s.Lull.Add(from); core.Contains((s.Span.From + s.Span.To) / 2) {
			a.Strays = append(a.Strays, s)
		}
	}
}

// addStretch adds a word or a breath. One that runs over the end of a piece is found on both sides of it, and joined.
func (a *Recording) addStretch(s speech.Part, from int64, core pcm.Span) {
	s.Span = s.Span.Add(from)
	if !s.Voiced.Empty() {
		s.Voiced = s.Voiced.Add(from).Intersect(core)
	}
	whole := s.Span
	if s.Span = s.Span.Intersect(core); s.Span.Empty() {
		return
	}
	if n := len(a.Stretches); n > 0 && whole.From < core.From && a.Stretches[n-1].Span.To == core.From {
		last := &a.Stretches[n-1]
		last.Span.To, last.PeakDB = s.Span.To, max(last.PeakDB, s.PeakDB)
		if s.Kind == speech.Word {
			last.Kind = speech.Word
		}
		if last.Voiced.Empty() {
			last.Voiced = s.Voiced
		} else if !s.Voiced.Empty() {
			last.Voiced.To = s.Voiced.To
		}
		return
	}
	a.Stretches = append(a.Stretches, s)
}

func (a *Recording) findHum(r pcm.ReaderAt) error {
	for _, q := range a.Quiets {
		if q.Span.Len() > a.HumAt.Len() {
			a.HumAt = q.Span
		}
	}
	a.HumAt.To = min(a.HumAt.To, a.HumAt.From+int64(a.Rate)*mostHumMS/1000)
	if a.HumAt.Len() < int64(a.Rate)*leastHumMS/1000 {
		a.HumAt = pcm.Span{}
		return nil
	}
	b, err := pcm.Read(r, a.HumAt)
	if err == nil {
		a.Hum = tone.Partials(b, a.Rate)
	}
	return err
}

// ErrOther is what Read says of anything but what Write of this version wrote, whole.
var ErrOther = errors.New("this is no analysis of this version")

// Read reads what Write wrote: the lists at once, the frames by stretches when they are asked for.
func Read(from io.ReaderAt, size int64) (*Recording, error) {
	head := make([]byte, len(magic))
	if _, err := from.ReadAt(head, 0); err != nil || string(head) != magic {
		return nil, ErrOther
	}
	var tail [8]byte
	if _, err := from.ReadAt(tail[:], size-8); err != nil {
		return nil, ErrOther
	}
	n := int64(binary.LittleEndian.Uint64(tail[:]))
	at := size - 8 - n
	if n < 2 || at < int64(len(magic)) {
		return nil, ErrOther
	}
	lists := make([]byte, n)
	if _, err := from.ReadAt(lists, at); err != nil {
		return nil, ErrOther
	}
	a := &Recording{}
	if json.Unmarshal(lists, a) != nil || a.Rate < 4000 || a.Length < 0 {
		return nil, ErrOther
	}
	count := framesIn(a.Length, a.Rate)
	if (at-int64(len(magic)))/frameBytes != count {
		return nil, ErrOther
	}
	a.frames = &keptFrames{io.NewSectionReader(from, int64(len(magic)), at-int64(len(magic)))}
	return a, nil
}

// AnalyzeTone is the analysis of sound that is nothing but room, such as built tone of any length: its frames are made
// when they are asked for, and it has no words.
func AnalyzeTone(r pcm.ReaderAt) *Recording {
	f := r.Format()
	return &Recording{Rate: f.Rate, Channels: f.Channels, Length: r.Len(), frames: newMadeFrames(r)}
}

// Within are the words and breaths that lie in a stretch, or reach into it. Their times are the recording's.
func (a *Recording) Within(s pcm.Span) []speech.Part {
	first := sort.Search(len(a.Stretches), func(i int) bool { return a.Stretches[i].Span.To > s.From })
	last := first
	for last < len(a.Stretches) && a.Stretches[last].Span.From < s.To {
		last++
	}
	return a.Stretches[first:last]
}

// QuietsIn are the parts of quiet stretches that lie in a stretch, those of at least leastQuietMS.
func (a *Recording) QuietsIn(s pcm.Span) (list []tone.Quiet) {
	first := sort.Search(len(a.Quiets), func(i int) bool { return a.Quiets[i].Span.To > s.From })
	for _, q := range a.Quiets[first:] {
		if q.Span.From >= s.To {
			break
		}
		if q.Span = q.Span.Intersect(s); q.Span.Len() >= int64(a.Rate)*leastQuietMS/1000 {
			list = append(list, q)
		}
	}
	return list
}

// leastQuietMS is what must be left of a quiet stretch to be of use.
const leastQuietMS = 120

// StraysIn are the stray sounds whose middle lies in a stretch.
func (a *Recording) StraysIn(s pcm.Span) (list []noiseevent.Event) {
	for _, x := range a.Strays {
		if s.Contains((x.Span.From + x.Span.To) / 2) {
			list = append(list, x)
		}
	}
	return list
}
