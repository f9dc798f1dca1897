package otio

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"github.com/tidwall/gjson"

	"blendseam/core/limit"
	"blendseam/core/sound/timecode"
)

// An Error is a place in a file and what is wrong there.
type Error struct {
	Place string // as "tracks/2/children/5"
	What  string
}

func (e *Error) Error() string { return e.Place + ": " + e.What }

// A node is one JSON object of a file, with the place it was found at. It is text of the file until something in it is
// asked for: a file of any kind takes little more memory than it has bytes.
type node struct {
	place string
	raw   string
}

// nothing takes any JSON and keeps none of it.
type nothing struct{}

func (*nothing) UnmarshalJSON([]byte) error { return nil }

func parse(raw []byte) (node, error) {
	if len(raw) > limit.SceneFileBytes {
		return node{}, &Error{
			"line 1",
			fmt.Sprintf("the file has %s; %s are the most", limit.Bytes(int64(len(raw))), limit.Bytes(limit.SceneFileBytes)),
		}
	}
	if err := json.Unmarshal(raw, new(nothing)); err != nil { // gjson itself knows no bound of depth
		return node{}, jsonError(raw, err)
	}
	top := gjson.ParseBytes(raw)
	if !top.IsObject() {
		return node{}, &Error{"line 1", "this is no scene file: it holds " + kindOf(top)}
	}
	return node{"timeline", top.Raw}, nil
}

func jsonError(raw []byte, err error) error {
	at, what := int64(0), "not a scene file: "+err.Error()
	var syntax *json.SyntaxError
	if errors.As(err, &syntax) {
		if at = syntax.Offset; at >= int64(len(raw)) {
			what = "the file ends before its scene does"
		}
		if strings.Contains(err.Error(), "after top-level value") {
			what = "text after the end of the scene"
		}
	}
	line := 1 + bytes.Count(raw[:min(at, int64(len(raw)))], []byte("\n"))
	return &Error{fmt.Sprintf("line %d", line), what}
}

func (n node) errorf(format string, args ...any) error {
	return &Error{n.place, fmt.Sprintf(format, args...)}
}

// fields calls do for each field, until it gives false.
func (n node) fields(do func(key string, v gjson.Result) bool) {
	gjson.Parse(n.raw).ForEach(func(k, v gjson.Result) bool { return do(k.String(), v) })
}

// value is a field; it does not exist if it is missing or null.
func (n node) value(key string) (v gjson.Result) {
	n.fields(func(k string, is gjson.Result) bool {
		if k == key {
			v = is
		}
		return k != key
	})
	if v.Type == gjson.Null {
		return gjson.Result{}
	}
	return v
}

// has tells whether a field is there and is not null.
func (n node) has(key string) bool { return n.value(key).Exists() }

// schema is the object's OTIO_SCHEMA, "" if it has none.
func (n node) schema() string { return n.text("OTIO_SCHEMA") }

func (n node) text(key string) string {
	if v := n.value(key); v.Type == gjson.String {
		return strings.ToValidUTF8(strings.Clone(v.String()), "\uFFFD")
	}
	return ""
}

func (n node) flag(key string, otherwise bool) bool {
	if v := n.value(key); v.IsBool() {
		return v.Bool()
	}
	return otherwise
}

// object gives a field that is an object; ok is false if it is missing or null.
func (n node) object(key string) (o node, ok bool, err error) {
	v := n.value(key)
	switch {
	case !v.Exists():
		return node{}, false, nil
	case v.IsObject():
		return node{n.place + "/" + key, v.Raw}, true, nil
	}
	return node{}, false, n.errorf("%s must be an object, not %s", key, kindOf(v))
}

// each calls do for the objects of a field that is a list, in its order, with their numbers, until one gives an
// error. They are at places made of at and their numbers.
func (n node) each(key, at string, do func(i int, item node) error) error {
	v := n.value(key)
	if !v.Exists() {
		return nil
	}
	if !v.IsArray() {
		return n.errorf("%s must be a list, not %s", key, kindOf(v))
	}
	i := 0
	var err error
	v.ForEach(func(_, item gjson.Result) bool {
		place := fmt.Sprintf("%s/%d", at, i)
		if !item.IsObject() {
			err = &Error{place, fmt.Sprintf("must be an object, not %s", kindOf(item))}
			return false
		}
		err = do(i, node{place, item.Raw})
		i++
		return err == nil
	})
	return err
}

func kindOf(v gjson.Result) string {
	switch {
	case !v.Exists(), v.Type == gjson.Null:
		return "null"
	case v.Type == gjson.String:
		return "text"
	case v.Type == gjson.Number:
		return "a number"
	case v.IsBool():
		return "true or false"
	case v.IsArray():
		return "a list"
	}
	return "an object"
}

// number gives a finite number as an exact fraction.
func (n node) number(key string) (*big.Rat, error) {
	v := n.value(key)
	if v.Type != gjson.Number {
		return nil, n.errorf("%s must be a number, not %s", key, kindOf(v))
	}
	f, err := strconv.ParseFloat(v.Raw, 64) // also keeps 1e999999999 from becoming a huge fraction
	if err != nil || f > 1e15 || f < -1e15 {
		return nil, n.errorf("%s is %.40s, outside anything that can be", key, v.Raw)
	}
	if f < 1e-12 && f > -1e-12 {
		f = 0
	}
	if i, err := strconv.ParseInt(v.Raw, 10, 64); err == nil {
		return new(big.Rat).SetInt64(i), nil
	}
	return new(big.Rat).SetFloat64(f), nil
}

// db gives a number of decibels, 0 if the field is missing.
func (n node) db(key string) (float64, error) {
	if !n.has(key) {
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
