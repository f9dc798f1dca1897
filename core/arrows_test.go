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
app: core/audit core/audit/overs core/limit core/mend core/mend/intelligibility core/mend/levelmatch
  core/mend/roommatch core/meter core/mix core/refuse core/scene core/scene/edit core/scene/phrase
  core/sound/limiter core/sound/measure core/sound/pcm core/sound/pcm/wav durable export interchange
  interchange/report media media/scenefile scratch store workspace
cmd/blendseam: app core/audit core/audit/overs core/limit core/listen/analysis core/listen/tone core/mend/eqmatch
  core/mend/roommatch core/merge core/meter core/mix core/scene core/scene/edit core/sound/level core/sound/limiter
  core/sound/measure core/sound/pcm core/sound/recipe core/sound/timecode core/sound/timestretch
  core/sound/timestretch/timing demo export ingest interchange interchange/report media media/copies media/objects
  media/scenefile scratch store store/server web web/access workspace
core/audit: core/listen/analysis core/listen/onset core/listen/speech core/listen/tone core/listen/tworooms
  core/meter core/mix core/parallel core/scene core/sound/level core/sound/measure core/sound/pcm
core/audit/keys: core/audit core/listen/analysis core/scene core/sound/pcm
core/audit/notes: core/audit core/refuse core/scene core/sound/pcm
core/audit/overs: core/meter core/mix core/parallel core/scene core/scene/edit core/sound/level core/sound/measure
  core/sound/pcm
core/conform: core/sound/pcm
core/listen/analysis: core/listen/noiseevent core/listen/speech core/listen/tone core/sound/ambience core/sound/eq
  core/sound/level core/sound/measure core/sound/pcm core/sound/recipe core/sound/timestretch/timing
core/listen/noiseevent: core/listen/speech core/sound/level core/sound/measure core/sound/pcm
core/listen/onset: core/listen/analysis core/sound/level core/sound/pcm
core/listen/openings: core/listen/analysis core/listen/speech core/sound/level core/sound/pcm
core/listen/reverb: core/listen/analysis core/sound/ambience core/sound/hashnoise core/sound/level core/sound/pcm
  core/sound/recipe
core/listen/speech: core/listen/speech/network core/sound/level core/sound/measure core/sound/pcm
core/listen/speech/network: core/sound/simd
core/listen/syllables: core/listen/analysis core/listen/speech core/sound/level core/sound/measure core/sound/pcm
core/listen/takes: core/listen/analysis core/sound/level core/sound/measure core/sound/pcm
core/listen/tone: core/cache core/listen/speech core/sound/hashnoise core/sound/level core/sound/measure
  core/sound/pcm core/sound/recipe
core/listen/tworooms: core/listen/analysis core/sound/level core/sound/measure
core/mend: core/audit core/audit/keys core/audit/overs core/listen/speech core/mend/fill core/mend/roommatch
  core/meter core/mix core/parallel core/refuse core/scene core/scene/edit core/sound/blend core/sound/level
  core/sound/measure core/sound/pcm
core/mend/eqmatch: core/listen/analysis core/meter core/refuse core/scene core/scene/edit core/sound/eq
  core/sound/level core/sound/measure core/sound/pcm
core/mend/fill: core/audit core/limit core/listen/noiseevent core/listen/speech core/listen/tone core/meter
  core/parallel core/refuse core/scene core/scene/edit core/sound/blend core/sound/level core/sound/measure
  core/sound/pcm core/sound/recipe
core/mend/intelligibility: core/listen/analysis core/meter core/mix core/parallel core/scene core/scene/edit
  core/sound/level core/sound/measure core/sound/pcm
core/mend/levelmatch: core/audit/overs core/listen/analysis core/meter core/parallel core/refuse core/scene
  core/scene/edit core/sound/level core/sound/measure core/sound/pcm
core/mend/roommatch: core/listen/analysis core/listen/reverb core/listen/speech core/listen/tone core/meter
  core/parallel core/refuse core/scene core/scene/edit core/sound/ambience core/sound/blend core/sound/level
  core/sound/measure core/sound/pcm core/sound/recipe
core/merge: core/refuse core/scene core/scene/edit core/sound/pcm
core/meter: core/cache core/listen/analysis core/listen/speech core/listen/tone core/listen/tworooms core/mix
  core/parallel core/scene core/sound/level core/sound/measure core/sound/pcm core/sound/recipe
core/mix: core/cache core/limit core/listen/tone core/scene core/scene/edit core/sound/ambience core/sound/blend
  core/sound/effects core/sound/eq core/sound/level core/sound/measure core/sound/pcm core/sound/recipe
  core/sound/simd core/sound/timestretch
core/parallel: core/cache
core/scene: core/limit core/refuse core/scene/phrase core/sound/blend core/sound/effects core/sound/eq
  core/sound/interpolate core/sound/level core/sound/pcm core/sound/recipe core/sound/timecode
  core/sound/timestretch/timing
core/scene/blending: core/refuse core/scene core/scene/edit core/sound/blend core/sound/pcm
core/scene/copying: core/refuse core/scene core/scene/edit core/sound/pcm
core/scene/edit: core/conform core/limit core/scene core/scene/phrase core/sound/blend core/sound/effects
  core/sound/eq core/sound/pcm core/sound/recipe core/sound/timecode core/sound/timestretch/timing
core/sound/ambience: core/cache core/sound/hashnoise core/sound/level core/sound/pcm core/sound/recipe
core/sound/blend: core/sound/level
core/sound/effects: core/cache core/sound/ambience core/sound/level core/sound/pcm core/sound/recipe
core/sound/eq: core/cache core/sound/level core/sound/pcm
core/sound/limiter: core/refuse core/sound/level core/sound/measure core/sound/pcm
core/sound/measure: core/sound/level core/sound/pcm core/sound/simd
core/sound/pcm: core/limit core/sound/simd
core/sound/pcm/flac: core/sound/pcm
core/sound/pcm/wav: core/sound/pcm
core/sound/recipe: core/limit core/sound/interpolate core/sound/pcm
core/sound/room: core/sound/level core/sound/measure core/sound/pcm
core/sound/timestretch: core/sound/blend core/sound/pcm core/sound/timestretch/timing
core/sound/timestretch/timing: core/refuse core/sound/pcm
demo/gen: core/scene core/scene/edit core/sound/blend core/sound/level core/sound/measure core/sound/pcm
  core/sound/pcm/wav core/sound/timecode interchange/otio media
export: core/audit core/conform core/meter core/mix core/refuse core/scene core/scene/edit core/sound/level
  core/sound/limiter core/sound/measure core/sound/pcm core/sound/pcm/wav durable interchange media
ingest: core/audit/notes core/limit core/listen/tone core/scene core/scene/edit core/sound/pcm core/sound/room
  core/sound/timecode interchange media media/scenefile scratch store
interchange: core/scene core/sound/timecode
interchange/adl: core/scene core/sound/blend core/sound/timecode interchange
interchange/edl: core/scene core/sound/blend core/sound/timecode interchange
interchange/formats: interchange/adl interchange/edl interchange/otio
interchange/otio: core/limit core/scene core/sound/blend core/sound/effects core/sound/eq core/sound/pcm
  core/sound/recipe core/sound/timecode core/sound/timestretch/timing interchange
interchange/report: core/audit core/audit/overs core/mend core/scene
internal/bucket: media/objects
internal/eartest: core/listen/speech core/listen/tone core/sound/level core/sound/measure core/sound/pcm
  internal/outside internal/roomtest
internal/formattest: interchange
internal/outside: core/sound/pcm
internal/roomtest: core/sound/level core/sound/measure core/sound/pcm core/sound/room internal/outside
internal/scenetest: core/scene core/scene/edit core/sound/blend core/sound/effects core/sound/eq core/sound/pcm
  core/sound/recipe core/sound/timecode core/sound/timestretch/timing
internal/seamtest: core/audit core/meter core/mix core/scene core/scene/edit core/sound/blend core/sound/level
  core/sound/measure core/sound/pcm core/sound/room core/sound/timecode interchange/otio internal/corpus
  internal/eartest internal/roomtest media
media: core/cache core/limit core/listen/analysis core/refuse core/sound/measure core/sound/pcm core/sound/pcm/flac
  core/sound/pcm/wav core/sound/timecode durable media/copies media/objects media/peaks scratch
media/copies: core/cache media/objects scratch
media/objects: durable
media/peaks: core/sound/pcm
media/scenefile: core/limit core/listen/analysis core/meter core/parallel core/scene core/sound/pcm
  core/sound/pcm/flac core/sound/pcm/wav core/sound/timecode interchange interchange/formats media
store: core/audit/notes core/cache core/limit core/merge core/scene core/scene/edit
store/server: durable
store/server/servertest: store/server
tools/bench: core/scene core/scene/edit core/sound/eq core/sound/pcm core/sound/timecode interchange/otio media
web: app core/audit core/audit/notes core/audit/overs core/limit core/listen/analysis core/listen/openings
  core/listen/speech core/listen/syllables core/listen/tone core/mend core/mend/eqmatch core/mend/fill
  core/mend/intelligibility core/mend/levelmatch core/mend/roommatch core/merge core/meter core/mix core/refuse
  core/scene core/scene/blending core/scene/copying core/scene/edit core/sound/ambience core/sound/blend
  core/sound/effects core/sound/eq core/sound/level core/sound/measure core/sound/pcm core/sound/pcm/wav
  core/sound/timecode core/sound/timestretch core/sound/timestretch/timing export ingest interchange
  interchange/report media media/peaks store web/access web/commands workspace
web/access: core/limit store
web/commands: interchange
workspace: core/audit core/audit/keys core/audit/overs core/cache core/listen/analysis core/listen/speech
  core/listen/syllables core/listen/takes core/mend core/mend/eqmatch core/mend/fill core/mend/intelligibility
  core/mend/levelmatch core/mend/roommatch core/meter core/mix core/parallel core/refuse core/scene core/scene/edit
  core/sound/pcm core/sound/timestretch core/sound/timestretch/timing ingest media store
`

// levels are the folders in the order in which arrows may go: none points to one that stands before it.
var levels = []string{
	"cmd",
	"tools",
	"internal",
	"web",
	"app",
	"workspace",
	"export",
	"ingest",
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
	"core/merge",
	"core/mend",
	"core/mend/roommatch",
	"core/mend/fill",
	"core/mend/intelligibility",
	"core/mend/levelmatch",
	"core/mend/eqmatch",
	"core/audit/notes",
	"core/audit/overs",
	"core/audit",
	"core/meter",
	"core/mix",
	"core/scene/copying",
	"core/scene/blending",
	"core/scene/edit",
	"core/scene",
	"core/scene/phrase",
	"core/conform",
	"core/listen/takes",
	"core/listen/openings",
	"core/listen/onset",
	"core/listen/syllables",
	"core/listen/tworooms",
	"core/listen/reverb",
	"core/listen/analysis",
	"core/listen/noiseevent",
	"core/listen/tone",
	"core/listen/speech",
	"core/listen",
	"core/sound/effects",
	"core/sound/ambience",
	"core/sound/timestretch",
	"core/sound/limiter",
	"core/sound/room",
	"core/sound/eq",
	"core/sound/measure",
	"core/sound/blend",
	"core/sound/recipe",
	"core/sound/timestretch/timing",
	"core/sound/timecode",
	"core/sound/pcm",
	"core/sound/level",
	"core/sound/simd",
	"core/sound/hashnoise",
	"core/sound/interpolate",
	"core/sound",
	"core/parallel",
	"core/cache",
	"core/limit",
	"core/refuse",
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
		from == "core/sound/pcm/flac" && strings.HasPrefix(imported, "github.com/mewkiz/flac"):
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
