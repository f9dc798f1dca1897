package limit_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"blendseam/core/limit"
)

func TestTheDocsListTheLimits(t *testing.T) {
	raw, err := os.ReadFile("../../docs/limits.md")
	if err != nil {
		t.Fatal(err)
	}
	rest := string(raw)
	for _, l := range limit.Table {
		row := fmt.Sprintf("| %s | %s | %s |\n", l.What, l.Most, l.Why)
		_, after, ok := strings.Cut(rest, row)
		if !ok {
			t.Errorf("docs/limits.md lacks, or has in another place: %s", row)
			continue
		}
		rest = after
	}
	if n := strings.Count(string(raw), "\n|"); n != len(limit.Table)+2 {
		t.Errorf("docs/limits.md has %d rows, %d are right", n, len(limit.Table)+2)
	}
}

func ExampleCut() {
	fmt.Println(limit.Cut("Köln, am Fluss", 4))
	fmt.Println(limit.Cut("Oda", 4))
	// Output:
	// Köln true
	// Oda false
}

func ExampleBytes() {
	fmt.Println(limit.Bytes(32<<20), limit.Bytes(70_000), limit.Bytes(1_550_000), limit.Bytes(12))
	// Output: 32 MB 68 kB 1.5 MB 12 bytes
}
