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

// A package has at most so many lines, tests apart, a type so many methods, a file and a function so many lines, and a
// function so many parameters: whatever grows beyond is parted. All edits are one package, however many there are.
const (
	mostLines    = 4000
	mostMethods  = 40
	mostFile     = 500
	mostFunction = 80
	mostParams   = 5
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

// tooLarge is what is larger than it should be, and shrinks: nothing may be added, and what is parted is taken out.
const tooLarge = `
file core/audit/look.go
file core/mend/fill/patch.go
file core/mend/intelligibility/plan.go
file core/mend/options.go
file core/merge/align.go
file core/merge/changes.go
file core/merge/merge.go
file core/mix/mix.go
file core/scene/edit/edit.go
file core/scene/edit/follow.go
file core/scene/edit/recut.go
file core/scene/edit/remove.go
file interchange/adl/read.go
file interchange/edl/read.go
file interchange/otio/read.go
long cmd/blendseam/serve.go serve
long cmd/blendseam/tone.go Run
long core/mend/fill/bed.go Bed
long core/mend/fill/patch.go fillIn
long core/mend/mend.go mend
long core/mend/roommatch/lead.go leads
long core/scene/differ.go clipDiffers
long ingest/uploaded.go Read
long store/server/process.go launch
methods interchange/otio.reader
methods media.Library
methods store.Store
methods web.Server
methods workspace.Scene
package web
params app/list.go makeList
params app/mixdown.go makeMixdown
params app/pack.go makePackage
params core/conform/changes.go slipped
params core/listen/analysis/frames.go write
params core/listen/takes/takes.go Find
params core/listen/tone/hum.go add
params core/listen/tone/settle.go Settle
params core/mend/fill/patch.go elseFillings
params core/mend/roommatch/lead.go inStep
params core/mend/roommatch/lead.go leads
params core/mix/sum.go RenderedSum
params core/scene/check.go BlendFits
params core/scene/check.go NewShortHandle
params core/scene/differ.go clipDiffers
params core/scene/edit/clipboard.go lay
params core/scene/edit/edges.go sameEdge
params core/scene/edit/joining.go alone
params core/scene/edit/place.go clip
params core/scene/edit/refuse.go needHandle
params core/sound/timestretch/path.go lastJoin
params core/sound/timestretch/plan.go lay
params core/sound/timestretch/timestretch.go Slower
params export/carried.go Carry
params media/pictures.go preparePictures
params media/prepare.go prepare
params media/resample.go NewResampler
params store/edits.go edit
params store/log.go newRow
params store/states.go note
params store/undo.go takeBack
params store/undo.go travel
params web/answer.go Show
params web/sound.go benchViewOf
params web/sound.go summed
params web/source.go sendSound
`

// Tables, tools and what tests share are as long as they need to be.
func free(path string) bool {
	for _, p := range []string{"tools/", "demo/gen/", "internal/", "web/table.go", "web/commands/table.go"} {
		if strings.HasPrefix(path, p) {
			return true
		}
	}
	return false
}

// Whatever is written in Go is of a size to read, tests apart.
func TestPackagesTypesAndFunctionsStayOfASizeToRead(t *testing.T) {
	s := sizes{lines: map[string]int{}, methods: map[string]int{}, found: map[string]bool{}}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && slices.Contains(notOurs, d.Name()) {
			return cmp.Or(err, error(fs.SkipDir))
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		return s.read(path)
	})
	if err != nil {
		t.Fatal(err)
	}
	s.whole()
	known := map[string]bool{}
	for line := range strings.Lines(tooLarge) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		if known[line] = true; !s.found[line] {
			t.Errorf("%s is of a size to read now: take it out of the list", line)
		}
	}
	for what := range s.found {
		if !known[what] {
			t.Errorf("%s is too large to read; part it", what)
		}
	}
	if len(s.lines) < 60 || s.methods["core/scene.Scene"] == 0 {
		t.Errorf("only %d packages were looked at", len(s.lines))
	}
}

// sizes are what was counted, by packages and types, and what was found to be too large.
type sizes struct {
	lines, methods map[string]int
	found          map[string]bool
}

func (s sizes) read(path string) error {
	raw, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	path = strings.TrimPrefix(filepath.ToSlash(path), "../")
	n := bytes.Count(raw, []byte("\n"))
	dir := filepath.Dir(path)
	if s.lines[dir] += n; n > mostFile && !free(path) {
		s.found["file "+path] = true
	}
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, path, raw, parser.SkipObjectResolution)
	if err != nil {
		return err
	}
	for _, decl := range f.Decls {
		fn, ok := decl.(*ast.FuncDecl)
		if !ok {
			continue
		}
		params := 0
		for _, p := range fn.Type.Params.List {
			params += max(1, len(p.Names))
		}
		if long := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1; long > mostFunction && !free(path) {
			s.found["long "+path+" "+fn.Name.Name] = true
		}
		if params > mostParams && !free(path) {
			s.found["params "+path+" "+fn.Name.Name] = true
		}
		if fn.Recv != nil {
			s.methods[dir+"."+receiver(fn.Recv.List[0].Type)]++
		}
	}
	return nil
}

// whole looks at what is only known once all is read.
func (s sizes) whole() {
	for dir, n := range s.lines {
		if n > mostLines && dir != "core/scene/edit" {
			s.found["package "+dir] = true
		}
	}
	for of, n := range s.methods {
		if n > mostMethods {
			s.found["methods "+of] = true
		}
	}
}

// receiver is the name of a method's type.
func receiver(of ast.Expr) string {
	switch x := of.(type) {
	case *ast.StarExpr:
		return receiver(x.X)
	case *ast.IndexExpr:
		return receiver(x.X)
	case *ast.IndexListExpr:
		return receiver(x.X)
	case *ast.Ident:
		return x.Name
	}
	return ""
}
