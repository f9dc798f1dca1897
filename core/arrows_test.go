package core

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// arrows are all imports among the project's own packages. An arrow points downwards, from what is nearer to a user to
// what is nearer to the samples: cmd -> web -> workspace -> store, media, interchange -> core, and inside core advise
// -> fill -> audit -> sources -> analysis, mix -> scene, tone. A new arrow is written here, if it points the right way.
const arrows = `
cmd/blendseam: core/advise core/alike core/analysis core/audit core/ceiling
  core/evening core/fit core/fit/timing core/level
  core/likeness core/limit
  core/loud core/margin core/measure core/merge core/mix
  core/pcm core/scene core/sources core/timecode core/tone core/tone/recipe demo handover intake interchange
  interchange/report media media/copies media/objects media/scenefile scratch store store/server web web/access
  workspace
core/advise: core/audit core/audit/keys core/blend core/evening core/fill core/level core/loud core/measure core/mix
  core/pcm core/scene
  core/sources core/speech core/spread
core/alike: core/analysis core/audit core/level core/loud core/measure core/pcm core/scene core/spread
core/analysis: core/curve core/fit/timing core/ground core/level core/measure core/pcm core/speech core/stray
  core/tone core/tone/recipe
core/attack: core/analysis core/level core/pcm
core/audit: core/analysis core/attack core/level core/measure core/mix core/pcm core/scene core/sources
  core/speech core/spread core/tone core/tworooms
core/audit/keys: core/analysis core/audit core/pcm core/scene
core/blend: core/level
core/curve:
core/blending: core/blend core/pcm core/scene
core/copying: core/pcm core/scene
core/ceiling: core/level core/measure core/pcm
core/decay: core/analysis core/chance core/ground core/level core/pcm core/tone/recipe
core/evening: core/analysis core/audit core/blend core/decay core/ground core/level core/measure core/pcm core/scene
  core/speech core/spread core/tone core/tone/recipe
core/filter: core/cache core/curve core/level core/pcm
core/fill: core/audit core/blend core/level core/limit core/measure core/pcm core/scene core/sources
  core/speech core/spread
  core/stray core/tone core/tone/recipe
core/fit: core/blend core/fit/timing core/pcm
core/fit/timing: core/pcm
core/ground: core/cache core/chance core/level core/pcm core/tone/recipe
core/loud: core/audit core/level core/measure core/mix core/pcm core/scene core/spread
core/likeness: core/analysis core/audit core/curve core/filter core/level core/measure core/pcm core/scene
core/margin: core/analysis core/audit core/level core/measure core/mix core/pcm core/scene core/sources core/spread
core/measure: core/level core/pcm core/simd
core/notes: core/audit core/pcm core/scene
core/merge: core/pcm core/scene
core/mix: core/blend core/cache core/curve core/filter core/fit core/ground core/level core/limit
  core/measure core/pcm core/scene core/simd core/tone
  core/tone/recipe core/treat core/treatment
core/pcm: core/limit core/simd
core/pcm/flac: core/pcm
core/pcm/wav: core/pcm
core/room: core/level core/measure core/pcm
core/recut: core/pcm
core/scene: core/blend core/curve core/fit/timing core/level core/limit core/line core/pcm core/recut core/timecode
  core/tone/recipe core/treatment
core/scene/scenetest: core/blend core/curve core/fit/timing core/pcm core/scene core/timecode core/tone/recipe
  core/treatment
core/sources: core/analysis core/cache core/mix core/pcm core/scene core/speech core/spread core/tone core/tone/recipe
core/speech: core/level core/measure core/pcm core/speech/network
core/speech/network: core/simd
core/spread: core/cache
core/treat: core/cache core/ground core/level core/pcm core/tone/recipe core/treatment
core/treatment:
core/stray: core/level core/measure core/pcm core/speech
core/takes: core/analysis core/level core/measure core/pcm
core/openings: core/analysis core/level core/pcm core/speech
core/syllables: core/analysis core/level core/measure core/pcm core/speech
core/tworooms: core/analysis core/level core/measure
core/tone: core/cache core/chance core/level core/measure core/pcm core/speech core/tone/recipe
core/tone/recipe: core/limit core/line core/pcm
demo/gen: core/blend core/level core/measure core/pcm core/pcm/wav core/scene core/timecode interchange/otio
  media
handover: durable core/audit core/ceiling core/level core/measure core/mix core/pcm core/pcm/wav core/recut core/scene
  core/sources
  interchange media
intake: core/limit core/notes core/pcm core/room core/scene core/timecode core/tone interchange media
  media/scenefile scratch store
interchange: core/scene core/timecode
interchange/adl: core/blend core/scene core/timecode interchange
interchange/edl: core/blend core/scene core/timecode interchange
interchange/formats: interchange/adl interchange/edl interchange/otio
interchange/otio: core/blend core/curve core/fit/timing core/limit core/pcm core/scene core/timecode
  core/tone/recipe core/treatment interchange
interchange/report: core/advise core/audit core/loud core/scene
internal/bucket: media/objects
internal/formattest: interchange
internal/outside: core/pcm
internal/eartest: core/level core/measure core/pcm core/speech core/tone internal/outside internal/roomtest
internal/roomtest: core/level core/measure core/pcm core/room internal/outside
internal/corpus:
internal/seamtest: core/audit core/blend core/level core/measure core/mix core/pcm core/room core/scene
  core/sources core/timecode interchange/otio internal/corpus internal/eartest internal/roomtest media
durable:
media: durable core/analysis core/cache core/limit core/measure core/pcm core/pcm/flac core/pcm/wav core/timecode
  media/copies media/objects media/peaks scratch
media/copies: core/cache media/objects scratch
media/peaks: core/pcm
media/scenefile: core/analysis core/limit core/pcm core/pcm/flac core/pcm/wav core/scene core/sources core/spread
  core/timecode interchange interchange/formats media
media/objects: durable
store: core/cache core/limit core/merge core/notes core/scene
store/server: durable
store/server/servertest: store/server
tools/bench: core/curve core/pcm core/scene core/timecode interchange/otio media
web/commands: interchange
web: durable core/advise core/alike core/analysis core/audit core/blend core/blending core/ceiling
  core/copying core/curve core/evening
  core/fill core/fit
  core/fit/timing core/ground
  core/level core/likeness core/limit core/loud core/margin core/measure
  core/merge core/mix core/notes core/openings core/pcm core/pcm/wav core/scene core/sources core/speech core/syllables
  core/timecode core/tone core/treatment handover intake interchange interchange/report media media/peaks scratch
  store web/access
  web/commands workspace
web/access: core/limit store
workspace: core/advise core/alike core/analysis core/audit core/audit/keys core/cache core/evening core/fill core/fit
  core/fit/timing core/likeness core/loud
  core/margin core/mix core/pcm
  core/scene core/sources core/speech core/spread core/syllables core/takes intake media store
`

// levels are the folders in the order in which arrows may go: none points to one that stands before it.
var levels = []string{
	"cmd",
	"tools",
	"internal",
	"web",
	"workspace",
	"handover",
	"intake",
	"demo",
	"store",
	"media/scenefile",
	"media",
	"scratch",
	"durable",
	"interchange/formats",
	"interchange/adl",
	"interchange/edl",
	"interchange/otio",
	"interchange",
	"core/blending",
	"core/copying",
	"core/advise",
	"core/alike",
	"core/likeness",
	"core/margin",
	"core/takes",
	"core/merge",
	"core/notes",
	"core/evening",
	"core/fill",
	"core/loud",
	"core/audit",
	"core/sources",
	"core/attack",
	"core/syllables",
	"core/openings",
	"core/tworooms",
	"core/decay",
	"core/analysis",
	"core/mix",
	"core/filter",
	"core/treat",
	"core/scene",
	"core/recut",
	"core/stray",
	"core/ground",
	"core/tone",
	"core/fit",
	"core/room",
	"core/speech",
	"core/blend",
	"core/ceiling",
	"core/measure",
	"core/pcm",
	"core/spread",
	"core/chance",
	"core/cache",
	"core/limit",
	"core/curve",
	"core/treatment",
	"core/line",
	"core",
}

// level is the place of a package among levels.
func level(p string) int {
	best := -1
	for i, l := range levels {
		if (p == l || strings.HasPrefix(p, l+"/")) && (best < 0 || len(l) > len(levels[best])) {
			best = i
		}
	}
	return best
}

// imports gives what each package imports, by a template of go list.
func imports(t *testing.T, of string) map[string][]string {
	t.Helper()
	// What go list reads is not seen by go test, which would give an old result again.
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && slices.Contains([]string{"node_modules", ".git", "var"}, d.Name()) {
			return fs.SkipDir
		}
		if err == nil && strings.HasSuffix(path, ".go") {
			_, err = os.ReadFile(path)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join "+of+" \" \"}}", "blendseam/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	all := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		all[fields[0]] = fields[1:]
	}
	return all
}

// own gives a package's name within the project.
func own(path string) (string, bool) { return strings.CutPrefix(path, "blendseam/") }

func TestImportsAreTheArrowsThatAreWrittenHere(t *testing.T) {
	may := map[string][]string{}
	for line := range strings.Lines(strings.ReplaceAll(arrows, "\n  ", " ")) {
		if from, to, ok := strings.Cut(strings.TrimSpace(line), ":"); ok {
			may[from] = strings.Fields(to)
		}
	}
	found := 0
	for path, list := range imports(t, ".Imports") {
		from, _ := own(path)
		used := map[string]bool{}
		for _, imported := range list {
			if to, ok := own(imported); ok {
				found++
				used[to] = true
				if !slices.Contains(may[from], to) {
					t.Errorf("%s imports %s, which is not among the arrows", from, to)
				}
			} else {
				foreign(t, from, imported)
			}
		}
		for _, to := range may[from] {
			if !used[to] {
				t.Errorf("%s does not import %s any more: take the arrow out", from, to)
			}
			if a, b := level(from), level(to); a < 0 || b < 0 || a > b {
				t.Errorf("the arrow from %s to %s points upwards", from, to)
			}
		}
	}
	if found < 100 {
		t.Errorf("only %d imports were looked at", found)
	}
}

// Tests may use what is internal to them, and otherwise only what lies below what they test; those of whole commands,
// pages and the workspace also what lies beside it.
func TestTestsImportWhatLiesBelow(t *testing.T) {
	found := 0
	for _, of := range []string{".TestImports", ".XTestImports"} {
		for path, list := range imports(t, of) {
			from, _ := own(path)
			for _, imported := range list {
				to, ok := own(imported)
				if !ok {
					foreignTest(t, from, imported)
					continue
				}
				found++
				if a, b := level(from), level(to); a > b && !strings.HasPrefix(to, "internal/") {
					t.Errorf("a test of %s imports %s, which lies above it", from, to)
				}
			}
		}
	}
	if found < 50 {
		t.Errorf("only %d imports were looked at", found)
	}
}

// foreign says what core must not import: it has the standard library and gonum alone, and flac its codec.
func foreign(t *testing.T, from, imported string) {
	t.Helper()
	if !strings.HasPrefix(from, "core") {
		return
	}
	switch {
	case strings.HasPrefix(imported, "gonum.org/"),
		from == "core/pcm/flac" && strings.HasPrefix(imported, "github.com/mewkiz/flac"):
	case strings.Contains(strings.Split(imported, "/")[0], "."):
		t.Errorf("%s imports %s; core has the standard library and gonum alone, and flac its codec", from, imported)
	case slices.Contains([]string{"net/http", "database/sql", "os/exec", "html/template"}, imported):
		t.Errorf("%s imports %s; core knows no HTTP, no database, no other program and no interface", from, imported)
	}
}

// foreignTest says what tests must not import: they have testing alone.
func foreignTest(t *testing.T, from, imported string) {
	t.Helper()
	if strings.Contains(imported, "testify") || strings.Contains(imported, "gomega") ||
		strings.Contains(imported, "ginkgo") {
		t.Errorf("a test of %s imports %s; tests have the testing package alone", from, imported)
	}
}
