package audit

import (
	"fmt"
	"math"
)

// Version says how seams are measured; it goes up whenever what is measured changes, so that what was kept is measured
// again.
const Version = 3

// Cause is what is chiefly wrong with a seam.
type Cause string

// The causes.
const (
	None           Cause = "none"
	Click          Cause = "click"
	LevelStep      Cause = "level_step"
	BackgroundStep Cause = "background_step"
	ColourStep     Cause = "colour_step"
	DeadSilence    Cause = "dead_silence"
	WordCut        Cause = "word_cut"
	BlendLevel     Cause = "blend_level"
	AbruptEnd      Cause = "abrupt_end"
	AbruptStart    Cause = "abrupt_start"
	TwoRooms       Cause = "two_rooms"
)

// Measures are the figures of a seam; nil is what cannot be measured there.
type Measures struct {
	ClickDB           *float64 `json:"click_db"`
	LevelStepLU       *float64 `json:"level_step_lu"`
	BackgroundStepDB  *float64 `json:"background_step_db"`
	BackgroundLeftDB  *float64 `json:"background_left_db"`
	BackgroundRightDB *float64 `json:"background_right_db"`
	ColourStepDB      *float64 `json:"colour_step_db"`
	TwoRooms          *float64 `json:"two_rooms"`
	DeadSilenceMS     *float64 `json:"dead_silence_ms"`
	WordCutMS         *float64 `json:"word_cut_ms"`
	WordCutSide       string   `json:"-"` // outgoing or incoming
	BlendLevelDB      *float64 `json:"blend_level_db"`
	DropDB            *float64 `json:"drop_db"`
	RiseDB            *float64 `json:"rise_db"`
	PeakDBFS          *float64 `json:"peak_dbfs"`
	Correlation       *float64 `json:"correlation"`
	BlendWordsMS      *float64 `json:"blend_words_ms"`
	HandleBefore      *int64   `json:"handle_before"` // samples of the right clip before the cut
	HandleAfter       *int64   `json:"handle_after"`  // samples of the left clip after it
}

// A Measure is one kind of figure: what it is, and from where on it is heard. The interface, the report, the command
// line and the documents read this table. The limits are common practice, no source.
type Measure struct {
	Key     string  `json:"key"` // its field in the JSON of Measures
	Name    string  `json:"name"`
	Unit    string  `json:"unit"`
	About   string  `json:"about"`
	Cause   Cause   `json:"cause,omitempty"` // none for figures that are not judged
	Audible float64 `json:"audible,omitempty"`
	Rough   float64 `json:"rough,omitempty"` // 0: it makes no seam rough
	Sided   bool    `json:"sided,omitempty"` // its sign says which side is louder, and is shown
	None    float64 `json:"none,omitempty"`  // below it there is nothing of the kind

	of    func(m *Measures) *float64
	words func(v float64, m *Measures) string
	// eased figures bear more in a change that takes its time: three times as much in one second or longer.
	eased bool
}

// AudibleFrom is from where on the figure of a cause is heard.
func AudibleFrom(c Cause) float64 {
	for _, m := range Table {
		if m.Cause == c {
			return m.Audible
		}
	}
	return math.Inf(1)
}

// Table has all measures, in the order in which they are shown.
var Table = []Measure{
	{
		Key: "click_db", None: 0.5,
		Name:    "Click",
		Unit:    "dB",
		Cause:   Click,
		Audible: 6,
		Rough:   12,
		About: "the steepest millisecond of the track at the seam (third difference of its samples) over the steepest " +
			"of its surroundings and of what the recordings themselves hold there",
		of:    func(m *Measures) *float64 { return m.ClickDB },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("click, %.0f dB over its surroundings", v) },
	},
	{
		Key: "word_cut_ms", None: 0.5,
		Name:    "Word cut into",
		Unit:    "ms",
		Cause:   WordCut,
		Audible: 25,
		Rough:   60,
		About: "how much of a word that breaks off or sets in at the seam the recording still holds beyond it; one " +
			"that stops short with its recording counts as 100",
		of: func(m *Measures) *float64 { return m.WordCutMS },
		words: func(v float64, m *Measures) string {
			return fmt.Sprintf(
				"%s word is cut into, %.0f ms of it are missing",
				either(m.WordCutSide == "outgoing", "the outgoing", "the incoming"),
				v,
			)
		},
	},
	{Key: "dead_silence_ms", None: 0.5, Name: "Dead silence", Unit: "ms", Cause: DeadSilence, Audible: 15, Rough: 100,
		About: "how long the scene stays under -80 dBFS at the seam, between sound",
		of:    func(m *Measures) *float64 { return m.DeadSilenceMS },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("dead silence for %.0f ms", v) }},
	{Key: "drop_db", Name: "Abrupt end", Unit: "dB", Cause: AbruptEnd, Audible: 12, Rough: 24,
		About: "how far the level falls at once where a track ends: from that of the track to that of the scene afterwards",
		of:    func(m *Measures) *float64 { return m.DropDB },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("stops dead, %.0f dB at once", v) }},
	{
		Key:     "rise_db",
		Name:    "Abrupt beginning",
		Unit:    "dB",
		Cause:   AbruptStart,
		Audible: 12,
		Rough:   24,
		About: "how far the level rises at once where a track begins, or music and effects after a gap: from that of the " +
			"scene before to that of the track; 0 where the sound itself begins there, on a beat or another attack",
		of:    func(m *Measures) *float64 { return m.RiseDB },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("begins abruptly, %.0f dB at once", v) },
	},
	{
		Key: "background_step_db", Sided: true,
		Name:    "Background step",
		Unit:    "dB",
		Cause:   BackgroundStep,
		Audible: 2,
		Rough:   5,
		eased:   true,
		About: "level of the pauses right of the seam less that left of it, of the recording and of all else that is " +
			"heard; at the edge of a clip, what the clip adds to the background of all else",
		of:    func(m *Measures) *float64 { return m.BackgroundStepDB },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("background %.1f dB apart", math.Abs(v)) },
	},
	{
		Key:     "colour_step_db",
		Name:    "Background colour step",
		Unit:    "dB",
		Cause:   ColourStep,
		Audible: 2.5,
		Rough:   5,
		eased:   true,
		About: "root mean square difference of the pauses' third-octave levels, 125 Hz to 8 kHz, their mean difference " +
			"taken off",
		of:    func(m *Measures) *float64 { return m.ColourStepDB },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("background coloured otherwise by %.1f dB", v) },
	},
	{
		Key:     "two_rooms",
		Name:    "Two rooms",
		Unit:    "",
		Cause:   TwoRooms,
		Audible: 0.99,
		About: "how surely the backgrounds of both sides of a cut are those of two rooms, from 0 to 1: by how far their " +
			"third-octaves lie apart, given how much there is to measure; 1 of 100 pauses that were never cut passes 0.99",
		of:    func(m *Measures) *float64 { return m.TwoRooms },
		words: func(v float64, _ *Measures) string { return fmt.Sprintf("two rooms, %.0f %% sure", min(99, 100*v)) },
	},
	{
		Key: "level_step_lu", Sided: true,
		Name:    "Level step of speech",
		Unit:    "LU",
		Cause:   LevelStep,
		Audible: 3,
		Rough:   6,
		About: "loudness of the words of the track right of the seam less that of the words left of it (ITU-R BS.1770 " +
			"over the words alone)",
		of: func(m *Measures) *float64 { return m.LevelStepLU },
		words: func(v float64, _ *Measures) string {
			return fmt.Sprintf("voice %.1f LU %s", math.Abs(v), either(v < 0, "quieter", "louder"))
		},
	},
	{
		Key: "blend_level_db", Sided: true,
		Name:    "Blend dip or bulge",
		Unit:    "dB",
		Cause:   BlendLevel,
		Audible: 1.5,
		Rough:   4,
		About: "level of the blend in its middle third, as rendered, against both sides going over into each other at " +
			"constant power",
		of: func(m *Measures) *float64 { return m.BlendLevelDB },
		words: func(v float64, _ *Measures) string {
			return fmt.Sprintf("blend %s %.1f dB", either(v < 0, "dips", "bulges"), math.Abs(v))
		},
	},
	{
		Key:  "peak_dbfs",
		Name: "Peak",
		Unit: "dBFS",
		About: "largest sample of the scene within half a second of the seam; what is too loud is no fault of the seam, " +
			"and has a list of its own",
		of: func(m *Measures) *float64 { return m.PeakDBFS },
	},
	{
		Key:   "background_left_db",
		Name:  "Background left",
		Unit:  "dBFS",
		About: "level of the pauses around the seam, of the left recording and of all else that is heard",
		of:    func(m *Measures) *float64 { return m.BackgroundLeftDB },
	},
	{Key: "background_right_db", Name: "Background right", Unit: "dBFS", About: "the same of the right recording",
		of: func(m *Measures) *float64 { return m.BackgroundRightDB }},
	{
		Key:   "correlation",
		Name:  "Likeness of both sides",
		Unit:  "",
		About: "correlation coefficient of the two recordings over the blend, 20 ms to each side of a plain cut",
		of:    func(m *Measures) *float64 { return m.Correlation },
	},
	{
		Key:   "blend_words_ms",
		Name:  "Words in the blend",
		Unit:  "ms",
		About: "how long words of the side that has more of them lie within the blend, its own handle among it",
		of:    func(m *Measures) *float64 { return m.BlendWordsMS },
	},
}

// Figure is the seam's figure of a kind, nil if it could not be measured.
func (m Measure) Figure(of *Measures) *float64 { return m.of(of) }

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}

// Grade says how bad a figure is, by its size: below 1 it is not heard, from 1 on it is audible, from 2 on rough.
func (m Measure) Grade(v float64, seconds float64) float64 {
	audible, rough := m.Audible, m.Rough
	if rough == 0 { // there or not: what works at the seam itself makes it no better and no worse
		return min(1, math.Abs(v)/audible)
	}
	if m.eased {
		bears := 1 + min(2, 2*seconds)
		audible, rough = audible*bears, rough*bears
	}
	return 1 + (math.Abs(v)-audible)/(rough-audible)
}

// Grades gives how bad each judged figure of a result is, by cause; what was not measured is missing.
func (r *Result) Grades(sampleRate int64) map[Cause]float64 {
	all := map[Cause]float64{}
	for _, m := range Table {
		if v := m.of(&r.Measures); v != nil && m.Cause != "" {
			all[m.Cause] = m.Grade(*v, r.Lasts(sampleRate))
		}
	}
	return all
}

// Lasts is how long the change at a seam takes, in seconds. A lull changes at both its edges, however long it is.
func (r *Result) Lasts(sampleRate int64) float64 {
	if r.Kind == Lull {
		return 0
	}
	return float64(r.To-r.From) / float64(sampleRate)
}

// Fine tells whether nothing is wrong that work on the seam itself could mend: it is clean, or lies between two rooms.
func (r *Result) Fine() bool { return r.Verdict == Clean || r.Cause == TwoRooms }

// judge finds the figure that is worst.
func (r *Result) judge(sampleRate int64) {
	r.Verdict, r.Cause, r.Why, r.Worst = Clean, None, "no fault found", 0
	for _, m := range Table {
		v := m.of(&r.Measures)
		if v == nil || m.Cause == "" {
			continue
		}
		if g := m.Grade(*v, r.Lasts(sampleRate)); g >= 1 && g > r.Worst {
			r.Worst, r.Cause, r.Why = g, m.Cause, m.words(*v, &r.Measures)
		}
	}
	switch {
	case r.Worst >= 2:
		r.Verdict = Rough
	case r.Worst >= 1:
		r.Verdict = Audible
	case r.unjudged != "":
		r.Verdict, r.Why = Unknown, r.unjudged
	}
}
