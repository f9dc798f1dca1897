package core

import (
	"bytes"
	"cmp"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

// A package of core has at most so many lines, tests apart, and a type so many methods: whatever grows beyond is
// parted. All edits are one package, however many there are.
const (
	mostLines   = 4000
	mostMethods = 25
)

// A line has at most so many characters, and a module of the page's scripts so many lines.
const (
	widest     = 120
	mostModule = 400
)

var notOurs = []string{"node_modules", ".git", "var", "static", "results"}

func TestLinesFitTheScreen(t *testing.T) {
	looked := 0
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && slices.Contains(notOurs, d.Name()) {
			return cmp.Or(err, error(fs.SkipDir))
		}
		if !slices.Contains([]string{".go", ".ts", ".mjs"}, filepath.Ext(path)) {
			return nil
		}
		raw, err := os.ReadFile(path)
		looked++
		n := 0
		for line := range strings.Lines(string(raw)) {
			if n++; utf8.RuneCountInString(strings.TrimSuffix(line, "\n")) > widest {
				t.Errorf("%s:%d is wider than %d characters", path, n, widest)
			}
		}
		made := strings.Contains(path, "/wire/")
		if n > mostModule && strings.Contains(path, "web/ui/") && !made && !strings.HasSuffix(path, ".test.ts") {
			t.Errorf("%s has %d lines; part it", path, n)
		}
		return err
	})
	if err != nil || looked < 200 {
		t.Errorf("%d files were looked at: %v", looked, err)
	}
}

func TestPackagesAndTypesStayOfASizeToRead(t *testing.T) {
	lines, methods := map[string]int{}, map[string]int{}
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		dir := filepath.Dir(path)
		lines[dir] += bytes.Count(raw, []byte("\n"))
		f, err := parser.ParseFile(token.NewFileSet(), path, raw, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		for _, decl := range f.Decls {
			fn, ok := decl.(*ast.FuncDecl)
			if !ok || fn.Recv == nil {
				continue
			}
			of := fn.Recv.List[0].Type
			if p, ok := of.(*ast.StarExpr); ok {
				of = p.X
			}
			if g, ok := of.(*ast.IndexListExpr); ok {
				of = g.X
			}
			if name, ok := of.(*ast.Ident); ok {
				methods[dir+"."+name.Name]++
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for dir, n := range lines {
		if n > mostLines && dir != "scene/edit" {
			t.Errorf("core/%s has %d lines; part it", dir, n)
		}
	}
	for of, n := range methods {
		if n > mostMethods {
			t.Errorf("core/%s has %d methods; part it", of, n)
		}
	}
	if len(lines) < 15 || methods["scene.Scene"] == 0 {
		t.Errorf("only %d packages were looked at", len(lines))
	}
}
