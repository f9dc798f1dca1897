package edit

import (
	"fmt"
	"reflect"
	"slices"

	"blendseam/core/limit"
)

// shortName is a name as a scene keeps it.
func shortName(name string) string {
	short, _ := limit.Cut(name, limit.Names)
	return short
}

// setText sets a name or a note, cut to so many letters; nil leaves it as it is.
func setText(to *string, from *string, letters int) {
	if from != nil {
		*to, _ = limit.Cut(*from, letters)
	}
}

// cutWords says which texts of an edit were too long for the scene and were cut.
func cutWords(e Edit) (words []string) {
	eachText(reflect.ValueOf(e), func(field, text string) {
		letters := map[string]int{"Name": limit.Names, "Note": limit.Notes}[field]
		if _, cut := limit.Cut(text, letters); letters > 0 && cut {
			said := fmt.Sprintf("%s cut to %d letters", map[string]string{"Name": "name", "Note": "note"}[field], letters)
			if !slices.Contains(words, said) {
				words = append(words, said)
			}
		}
	})
	return words
}

// eachText calls do for all texts in an edit, with the names of their fields.
func eachText(v reflect.Value, do func(field, text string)) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			eachText(v.Elem(), do)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Field(i)
			if f.Kind() == reflect.Pointer && !f.IsNil() {
				f = f.Elem()
			}
			if f.Kind() == reflect.String {
				do(v.Type().Field(i).Name, f.String())
			} else if v.Type().Field(i).IsExported() {
				eachText(f, do)
			}
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k == reflect.Struct || k == reflect.Pointer || k == reflect.Interface {
			for i := range v.Len() {
				eachText(v.Index(i), do)
			}
		}
	}
}
