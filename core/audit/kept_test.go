package audit

import (
	"reflect"
	"testing"
)

// A result that was kept is the same again, each of its figures.
func TestAResultIsKeptWhole(t *testing.T) {
	var was Result
	set := func(v reflect.Value) {
		for i := range v.NumField() {
			f := v.Field(i)
			if !f.CanSet() {
				continue
			}
			switch f.Kind() {
			case reflect.Pointer:
				f.Set(reflect.New(f.Type().Elem()))
				if i%2 == 1 { // the others are there and 0
					if e := f.Elem(); e.CanFloat() {
						e.SetFloat(float64(i) + 1.0/3)
					} else {
						e.SetInt(int64(i))
					}
				}
			case reflect.String:
				f.SetString(string(rune('a' + i)))
			case reflect.Float64:
				f.SetFloat(float64(i) + 1.0/3)
			}
		}
	}
	set(reflect.ValueOf(&was).Elem())
	set(reflect.ValueOf(&was.Measures).Elem())
	set(reflect.ValueOf(&was.Seam).Elem())
	raw, err := Marshal(was)
	if err != nil {
		t.Fatal(err)
	}
	if is, err := Unmarshal(raw); err != nil || !reflect.DeepEqual(is, was) {
		t.Errorf("%+v was kept, %+v came back, %v", was, is, err)
	}
	if _, err := Unmarshal([]byte("x")); err == nil {
		t.Error("what is none came back")
	}
}
