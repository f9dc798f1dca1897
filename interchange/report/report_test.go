package report

import (
	"encoding/csv"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

// names that spreadsheets would reckon with (OWASP, "CSV Injection").
var formulas = []string{`=HYPERLINK("http://evil.example","x")`, "+1+1", "-2+3", "@SUM(A1)", "\t=1", "\r=1"}

func table(t *testing.T, name string) [][]string {
	t.Helper()
	sc := scene.New(name, timecode.F25, 48000)
	r := audit.Result{Seam: audit.Seam{TrackName: name, LeftName: name, RightName: name}, Why: name}
	raw, err := CSV(sc, []audit.Result{r}, []audit.Result{r})
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	if err != nil || len(rows) != 2 || len(rows[0]) != len(rows[1]) {
		t.Fatalf("%q gives %v, %d rows", name, err, len(rows))
	}
	return rows
}

func TestNoCellIsAFormula(t *testing.T) {
	for _, name := range formulas {
		found := 0
		for i, cell := range table(t, name)[1] {
			if strings.HasPrefix(cell, "'") {
				found++
			} else if cell != "" && strings.ContainsRune("=+@\t\r", rune(cell[0])) {
				t.Errorf("column %d of %q is %q", i, name, cell)
			}
		}
		if found != 5 {
			t.Errorf("%q was quoted in %d cells", name, found)
		}
	}
	if row := table(t, "Oda - take 2")[1]; row[2] != "Oda - take 2" {
		t.Errorf("a name that is none was changed: %q", row[2])
	}
}

func FuzzCSV(f *testing.F) {
	for _, name := range append(formulas, "", "a,b", "\"", "é\n\x00", "\xff") {
		f.Add(name)
	}
	f.Fuzz(func(t *testing.T, name string) {
		for _, cell := range table(t, name)[1] {
			if cell != "" && strings.ContainsRune("=+@\t\r", rune(cell[0])) {
				t.Fatalf("a cell is %q", cell)
			}
		}
	})
}
