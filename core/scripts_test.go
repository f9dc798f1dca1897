package core

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// Modules of the page's scripts import one another in one direction: no module comes back to itself.
func TestScriptsHaveNoCircles(t *testing.T) {
	from := regexp.MustCompile(`(?ms)^(?:import|export)[^;]*? from "(\.[^"]+)"`)
	imports := map[string][]string{}
	err := filepath.WalkDir("../web/ui", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".ts") || strings.HasSuffix(path, ".test.ts") {
			return err
		}
		raw, err := os.ReadFile(path)
		imports[path] = nil
		for _, m := range from.FindAllStringSubmatch(string(raw), -1) {
			imports[path] = append(imports[path], filepath.Join(filepath.Dir(path), m[1]))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	const under, done = 1, 2
	state := map[string]int{}
	var look func(module string, way []string)
	look = func(module string, way []string) {
		switch state[module] {
		case under:
			t.Errorf("a circle: %s", strings.Join(append(way[slices.Index(way, module):], module), " -> "))
			return
		case done:
			return
		}
		state[module] = under
		for _, to := range imports[module] {
			look(to, append(slices.Clone(way), module))
		}
		state[module] = done
	}
	for module := range imports {
		look(module, nil)
	}
	if len(imports) < 100 {
		t.Errorf("only %d modules were looked at", len(imports))
	}
}
