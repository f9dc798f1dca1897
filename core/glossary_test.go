package core

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// What the glossary says is in the code is there, and its terms are in order.
func TestTheGlossaryNamesWhatIsThere(t *testing.T) {
	raw, err := os.ReadFile("../docs/glossary.md")
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile("`([a-z]+)\\.([A-Z][A-Za-z]*)`")
	folder := regexp.MustCompile("`(core/[a-z/]+)`")
	last, terms := "", 0
	for line := range strings.Lines(string(raw)) {
		if !strings.HasPrefix(line, "| ") || strings.HasPrefix(line, "| term ") {
			continue
		}
		term, _, _ := strings.Cut(strings.TrimPrefix(line, "| "), " |")
		if terms++; strings.ToLower(term) < strings.ToLower(last) {
			t.Errorf("%q stands behind %q", term, last)
		}
		last = term
		for _, m := range folder.FindAllStringSubmatch(line, -1) {
			if _, err := os.Stat("../" + m[1]); err != nil {
				t.Errorf("%s: there is no %s", term, m[1])
			}
		}
		for _, m := range named.FindAllStringSubmatch(line, -1) {
			if !declared(t, m[1], m[2]) {
				t.Errorf("%s: there is no %s.%s", term, m[1], m[2])
			}
		}
	}
	if terms < 50 {
		t.Errorf("only %d terms", terms)
	}
}

// declared tells whether a package of ours, by its last name, declares a name.
func declared(t *testing.T, pkg, name string) bool {
	t.Helper()
	is := regexp.MustCompile(`(?m)^(?:type|func|const|var) ` + name + `\b|^\t` + name + `\b`)
	for _, pattern := range []string{"../" + pkg, "../core/" + pkg, "../core/*/" + pkg} {
		files, err := filepath.Glob(pattern + "/*.go")
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			if raw, err := os.ReadFile(f); err == nil && is.Match(raw) {
				return true
			}
		}
	}
	return false
}
