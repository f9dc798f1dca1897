package web

import (
	"net/http"

	"blendseam/core/audit/overs"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A TrackCourse is how loud a track is.
type TrackCourse struct {
	Track        scene.TrackID `json:"track"`
	overs.Course `tstype:",extends"`
}

// MetersAnswer is how loud the scene and each of its tracks is, from step to step.
type MetersAnswer struct {
	Revision int64         `json:"revision"`
	From     int64         `json:"from"`
	Step     int64         `json:"step"` // samples
	Scene    overs.Course  `json:"scene"`
	Tracks   []TrackCourse `json:"tracks"` // those that are heard
}

// LoudnessAnswer is the loudness of a stretch of the scene.
type LoudnessAnswer struct {
	IntegratedLUFS float64 `json:"integrated_lufs"`
	RangeLU        float64 `json:"range_lu"`
	MomentaryLUFS  float64 `json:"momentary_max_lufs"`
	ShortTermLUFS  float64 `json:"short_term_max_lufs"`
	PeakDBFS       float64 `json:"sample_peak_dbfs"`
	PeakDBTP       float64 `json:"true_peak_dbtp"`
}

// mostMeterS is how many seconds meters are asked for at once.
const mostMeterS = 20

// meters answers with how loud a stretch of the scene is on each track.
func (s *Server) meters(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	rate := st.Scene.SampleRate
	from, err := number(r, "from", 0, farthest)
	if err != nil {
		return err
	}
	n, err := number(r, "n", 1, mostMeterS*rate)
	if err != nil {
		return err
	}
	step := rate * overs.StepMS / 1000
	from -= from % step
	span := pcm.Span{From: from, To: from + (n+step-1)/step*step}
	a := MetersAnswer{Revision: st.Revision, From: from, Step: step, Tracks: []TrackCourse{}}
	course := func(opt mix.Options) (c overs.Course, err error) {
		m, err := st.Mixer(r.Context(), opt)
		if err != nil {
			return c, err
		}
		return overs.CourseOf(r.Context(), m, rate, span)
	}
	if a.Scene, err = course(mix.Options{}); err != nil {
		return err
	}
	for _, t := range st.Scene.Tracks {
		if t.Kind != scene.Sound || t.Mute || len(t.Clips) == 0 {
			continue
		}
		c, err := course(mix.Options{Track: t.ID})
		if err != nil {
			return err
		}
		a.Tracks = append(a.Tracks, TrackCourse{t.ID, c})
	}
	return s.answer(w, http.StatusOK, a)
}

// loudness answers with the loudness of a stretch of the scene, or of all of it.
func (s *Server) loudness(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	span, err := spanAsked(r, st.Scene, "from", "to")
	if err != nil {
		return err
	}
	if span.Empty() {
		span = pcm.Span{To: st.Scene.Length()}
	}
	m, err := st.Mixer(r.Context(), mix.Options{})
	if err != nil {
		return err
	}
	var l measure.Loudness
	if l, err = overs.LoudnessOf(r.Context(), m, st.Scene.SampleRate, span); err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, LoudnessAnswer{
		l.IntegratedLUFS, l.RangeLU, l.MomentaryMaxLUFS, l.ShortTermMaxLUFS, l.SamplePeakDBFS, l.TruePeakDBTP,
	})
}
