package scene

import (
	"blendseam/core/refuse"
	"blendseam/core/sound/blend"
)

// A Style is a blend by name: its law, its shapes, its length in frames or in milliseconds, and its lean from -1, all
// before the cut, to 1, all after it.
type Style struct {
	Name     string       `json:"name"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
	Frames   float64      `json:"frames,omitempty"`
	MS       float64      `json:"ms,omitempty"`
	Lean     float64      `json:"lean"`
	Default  bool         `json:"default,omitempty"`
}

// Check says what is wrong with a style.
func (st Style) Check() error {
	if err := CheckLaw(st.Law, st.CurveOut, st.CurveIn); err != nil {
		return err
	}
	switch {
	case st.Name == "" || len(st.Name) > 80:
		return refuse.Errorf("a blend needs a name of at most 80 letters")
	case (st.Frames > 0) == (st.MS > 0) || st.Frames < 0 || st.MS < 0 || st.Frames > 10000 || st.MS > 600000:
		return refuse.Errorf("the blend %s needs a length in frames or in milliseconds, above 0", st.Name)
	case st.Lean < -1 || st.Lean > 1 || st.Lean != st.Lean:
		return refuse.Errorf("the lean of the blend %s lies between -1 and 1", st.Name)
	}
	return nil
}

// Halves are how far a blend of the style reaches before and after a cut, in samples.
func (st Style) Halves(s *Scene) (before, after int64) {
	n := int64(st.MS*float64(s.SampleRate)/1000 + 0.5)
	if st.Frames > 0 {
		n = int64(st.Frames*float64(s.SampleRate)/s.Rate.Float() + 0.5)
	}
	after = int64(float64(n)*(1+st.Lean)/2 + 0.5)
	return n - after, after
}
