package audit

import "encoding/json"

// keptResult is a Result with what is left out of it in answers.
type keptResult struct {
	Result
	Side  string  `json:"word_cut_side,omitempty"`
	Worst float64 `json:"worst,omitempty"`
}

// Marshal is a result as bytes, from which FromKept makes the same again, but for what its Seam knows of the scene.
func Marshal(r Result) ([]byte, error) {
	return json.Marshal(keptResult{r, r.Measures.WordCutSide, r.Worst})
}

// Unmarshal is the result that Kept gave bytes of.
func Unmarshal(raw []byte) (Result, error) {
	var k keptResult
	err := json.Unmarshal(raw, &k)
	k.Result.Measures.WordCutSide, k.Result.Worst = k.Side, k.Worst
	return k.Result, err
}
