package audit_test

import (
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"

	"blendseam/core/audit"
)

// The documents say of each measure what the table says.
func TestTheDocumentsHaveTheTable(t *testing.T) {
	raw, err := os.ReadFile("../../docs/measures.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range audit.Table {
		unit, audible, rough := m.Unit, "–", "–"
		if unit == "" {
			unit = "–"
		}
		if m.Cause != "" {
			audible = fmt.Sprint(m.Audible)
		}
		if m.Rough > 0 {
			rough = fmt.Sprint(m.Rough)
		}
		if row := fmt.Sprintf(
			"| %s | %s | %s | %s | %s |",
			m.Name,
			unit,
			m.About,
			audible,
			rough,
		); !strings.Contains(
			string(raw),
			row,
		) {
			t.Errorf("docs/measures.md lacks the row\n%s", row)
		}
	}
}

// Every key of the table is a field of the measures' JSON, and its figure is that field.
func TestTheTableNamesTheFieldsOfMeasures(t *testing.T) {
	for _, m := range audit.Table {
		found := false
		for i := range reflect.TypeFor[audit.Measures]().NumField() {
			if f := reflect.TypeFor[audit.Measures]().Field(i); strings.Split(f.Tag.Get("json"), ",")[0] == m.Key {
				found = true
				var of audit.Measures
				v := 1.5
				reflect.ValueOf(&of).Elem().Field(i).Set(reflect.ValueOf(&v))
				if got := m.Figure(&of); got == nil || *got != v {
					t.Errorf("%s gives another field", m.Key)
				}
			}
		}
		if !found {
			t.Errorf("there is no field %s", m.Key)
		}
	}
}
