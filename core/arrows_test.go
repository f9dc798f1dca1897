package core

import (
	"os/exec"
	"strings"
	"testing"
)

// Imports point one way: cmd -> web -> intake, store, media, interchange -> core.
func TestImportsPointOneWay(t *testing.T) {
	may := map[string][]string{
		"core": {"core"}, "interchange": {"core", "interchange"}, "media": {"core", "interchange", "media"}, "store": {"core", "store"},
		"intake": {"core", "interchange", "media", "store", "intake"}, "web": {"core", "interchange", "media", "store", "intake", "web"},
	}
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}{{range .Imports}} {{.}}{{end}}`, "blendseam/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	checked := 0
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		rooms, ok := may[strings.Split(fields[0], "/")[1]]
		if !ok {
			continue
		}
		for _, imported := range fields[1:] {
			switch parts := strings.Split(imported, "/"); {
			case parts[0] == "blendseam":
				checked++
				fine := false
				for _, r := range rooms {
					fine = fine || parts[1] == r
				}
				if !fine {
					t.Errorf("%s imports %s", fields[0], imported)
				}
			case strings.HasPrefix(fields[0], "blendseam/core") && strings.Contains(parts[0], "."):
				if !strings.HasPrefix(imported, "gonum.org/") && !(strings.HasSuffix(fields[0], "pcm/flac") && strings.HasPrefix(imported, "github.com/mewkiz/flac")) {
					t.Errorf("%s imports %s; core has the standard library and gonum alone, and flac its codec", fields[0], imported)
				}
			case strings.HasPrefix(fields[0], "blendseam/core") && (imported == "net/http" || imported == "database/sql" || imported == "os/exec"):
				t.Errorf("%s imports %s", fields[0], imported)
			}
		}
	}
	if checked < 20 {
		t.Errorf("only %d imports were looked at", checked)
	}
}
