package otio

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/big"

	"blendseam/core/timecode"
)

// An Error is a place in a file and what is wrong there.
type Error struct {
	Place string // as "tracks/2/children/5"
	What  string
}

func (e *Error) Error() string { return e.Place + ": " + e.What }

// A node is one JSON object of a file, with the place it was found at.
type node struct {
	place  string
	fields map[string]any
}

func parse(raw []byte) (node, error) {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	var fields map[string]any
	if err := d.Decode(&fields); err != nil {
		return node{}, jsonError(raw, d, err)
	}
	if _, err := d.Token(); err != io.EOF {
		return node{}, jsonError(raw, d, errors.New("text after the end of the scene"))
	}
	if fields == nil {
		return node{}, &Error{"line 1", "this is no scene file: it holds null"}
	}
	return node{"timeline", fields}, nil
}

func jsonError(raw []byte, d *json.Decoder, err error) error {
	at := d.InputOffset()
	var syntax *json.SyntaxError
	if errors.As(err, &syntax) {
		at = syntax.Offset
	}
	what := "not a scene file: " + err.Error()
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		at, what = int64(len(raw)), "the file ends before its scene does"
	}
	line := 1 + bytes.Count(raw[:min(at, int64(len(raw)))], []byte("\n"))
	return &Error{fmt.Sprintf("line %d", line), what}
}

func (n node) errorf(format string, args ...any) error {
	return &Error{n.place, fmt.Sprintf(format, args...)}
}

// schema is the object's OTIO_SCHEMA, "" if it has none.
func (n node) schema() string {
	s, _ := n.fields["OTIO_SCHEMA"].(string)
	return s
}

func (n node) text(key string) string {
	s, _ := n.fields[key].(string)
	return s
}

func (n node) flag(key string, otherwise bool) bool {
	if b, ok := n.fields[key].(bool); ok {
		return b
	}
	return otherwise
}

// object gives a field that is an object; ok is false if it is missing or null.
func (n node) object(key string) (o node, ok bool, err error) {
	switch v := n.fields[key].(type) {
	case nil:
		return node{}, false, nil
	case map[string]any:
		return node{n.place + "/" + key, v}, true, nil
	default:
		return node{}, false, n.errorf("%s must be an object, not %s", key, kindOf(v))
	}
}

// list gives the objects of a field that is a list, at places made by place.
func (n node) list(key string, place func(i int) string) ([]node, error) {
	v, present := n.fields[key]
	if !present || v == nil {
		return nil, nil
	}
	items, ok := v.([]any)
	if !ok {
		return nil, n.errorf("%s must be a list, not %s", key, kindOf(v))
	}
	nodes := make([]node, len(items))
	for i, item := range items {
		fields, ok := item.(map[string]any)
		if !ok {
			return nil, &Error{place(i), fmt.Sprintf("must be an object, not %s", kindOf(item))}
		}
		nodes[i] = node{place(i), fields}
	}
	return nodes, nil
}

func kindOf(v any) string {
	switch v.(type) {
	case string:
		return "text"
	case json.Number:
		return "a number"
	case bool:
		return "true or false"
	case []any:
		return "a list"
	case nil:
		return "null"
	}
	return "an object"
}

// number gives a finite number as an exact fraction.
func (n node) number(key string) (*big.Rat, error) {
	v, ok := n.fields[key].(json.Number)
	if !ok {
		return nil, n.errorf("%s must be a number, not %s", key, kindOf(n.fields[key]))
	}
	f, err := v.Float64() // also keeps 1e999999999 from becoming a huge fraction
	if err != nil || f > 1e15 || f < -1e15 || f != 0 && f < 1e-12 && f > -1e-12 {
		return nil, n.errorf("%s is %s, outside anything that can be", key, v)
	}
	if i, err := v.Int64(); err == nil {
		return new(big.Rat).SetInt64(i), nil
	}
	return new(big.Rat).SetFloat64(f), nil
}

// db gives a number of decibels, 0 if the field is missing.
func (n node) db(key string) (float64, error) {
	if n.fields[key] == nil {
		return 0, nil
	}
	r, err := n.number(key)
	if err != nil {
		return 0, err
	}
	f, _ := r.Float64()
	if f < -120 || f > 40 {
		return 0, n.errorf("%s is %g, outside -120 to 40", key, f)
	}
	return f, nil
}

// A moment is a RationalTime as exact seconds, with its rate.
type moment struct {
	seconds *big.Rat
	rate    *big.Rat
}

// time reads a RationalTime.1; ok is false if the field is missing or null.
func (n node) time(key string) (m moment, ok bool, err error) {
	o, ok, err := n.object(key)
	if !ok || err != nil {
		return m, false, err
	}
	if s := o.schema(); s != "" && s != "RationalTime.1" {
		return m, false, o.errorf("must be a RationalTime.1, not %s", s)
	}
	value, err := o.number("value")
	if err != nil {
		return m, false, err
	}
	rate, err := o.number("rate")
	if err != nil {
		return m, false, err
	}
	rate = exactRate(rate)
	if rate.Sign() <= 0 || rate.Cmp(big.NewRat(10_000_000, 1)) > 0 {
		return m, false, o.errorf("a rate of %s is none", rate.FloatString(3))
	}
	seconds := new(big.Rat).Quo(value, rate)
	if new(big.Rat).Abs(seconds).Cmp(big.NewRat(1_000_000_000, 1)) > 0 {
		return m, false, o.errorf("a time of %s s is decades away; check its value and rate", seconds.FloatString(0))
	}
	return moment{seconds, rate}, true, nil
}

// exactRate makes the fraction behind a rate that was written as a decimal: 23.976 is 24000/1001.
func exactRate(rate *big.Rat) *big.Rat {
	f, _ := rate.Float64()
	if r, ok := timecode.FromFloat(f); ok {
		return big.NewRat(r.Num, r.Den)
	}
	return rate
}

// span reads a TimeRange.1 with a duration of at least 0.
func (n node) span(key string) (start, length moment, ok bool, err error) {
	o, ok, err := n.object(key)
	if !ok || err != nil {
		return start, length, false, err
	}
	start, okStart, err := o.time("start_time")
	if err != nil {
		return start, length, false, err
	}
	length, okLength, err := o.time("duration")
	if err != nil {
		return start, length, false, err
	}
	if !okStart || !okLength {
		return start, length, false, o.errorf("needs a start_time and a duration")
	}
	if length.seconds.Sign() < 0 {
		return start, length, false, o.errorf("has a length below 0")
	}
	return start, length, true, nil
}

// units turns exact seconds into whole units of a rate, halves up.
func units(seconds *big.Rat, num, den int64) int64 {
	x := new(big.Rat).Mul(seconds, big.NewRat(num, den))
	x.Add(x, big.NewRat(1, 2))
	q := new(big.Int).Div(x.Num(), x.Denom())
	return q.Int64()
}
