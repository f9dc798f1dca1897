package otio

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/limit"
)

// mostMemory is how many times a scene file's size reading it may take, the file itself among it.
const mostMemory = 5

// ownMemory is what the program takes for itself meanwhile.
const ownMemory = 3 << 20

// The test program is also one that reads a scene file and says how much memory it took, in bytes.
func TestMain(m *testing.M) {
	file := os.Getenv("BLENDSEAM_READ")
	if file == "" {
		os.Exit(m.Run())
	}
	// What is live is what counts; how long garbage may lie about is a setting.
	debug.SetGCPercent(3)
	before := peak()
	raw, err := os.ReadFile(file)
	if err != nil {
		panic(err)
	}
	_, _, err = Read(raw, nil)
	fmt.Println(peak()-before, err)
}

// peak is the most memory that the process has had so far (proc(5), VmHWM).
func peak() int {
	raw, _ := os.ReadFile("/proc/self/status")
	_, rest, _ := strings.Cut(string(raw), "VmHWM:")
	kb, _ := strconv.Atoi(strings.Fields(rest)[0])
	return kb << 10
}

func TestReadingTakesFewTimesTheSizeOfAFile(t *testing.T) {
	const size = 4 << 20
	fill := func(head, one, between, tail string) []byte {
		var b bytes.Buffer
		b.WriteString(head)
		for i := 0; b.Len() < size; i++ {
			if i > 0 {
				b.WriteString(between)
			}
			if strings.Contains(one, "%d") {
				fmt.Fprintf(&b, one, i)
			} else {
				b.WriteString(one)
			}
		}
		b.WriteString(tail)
		return b.Bytes()
	}
	timeline := `{"OTIO_SCHEMA":"Timeline.1","name":"x","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{` +
		`"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[`
	end := `]}]}}`
	clip := `{"OTIO_SCHEMA":"Clip.1","name":"c%d","source_range":{"start_time":{"rate":48000,"value":0},"duration":{` +
		`"rate":48000,"value":9}},"media_reference":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"a"}}`
	levels := strings.TrimSuffix(strings.Replace(clip, "%d", "", 1), "}") + `,"metadata":{"blendseam":{"level":[`
	for what, raw := range map[string][]byte{
		"clips":          fill(timeline, clip, ",", end),
		"empty objects":  fill(timeline, "{}", ",", end),
		"objects beside": fill(`{"x":[`, "{}", ",", "],"+timeline[1:]+end),
		"lists in lists": fill(`{"x":[`, "[],[]", ",", "],"+timeline[1:]+end),
		"deep":           append([]byte(`{"x":`), bytes.Repeat([]byte("["), size)...),
		"gaps": fill(timeline,
			`{"OTIO_SCHEMA":"Gap.1","source_range":{"start_time":{"rate":1,"value":0},"duration":{"rate":1,"value":0}}}`, ",",
			end),
		"points of a line": fill(timeline+levels, `{"at":{"rate":1,"value":%d},"db":1}`, ",", `]}}}`+end),
		"fields":           fill(`{"metadata":{`, `"k%d":0`, ",", "},"+timeline[1:]+end),
		"a long name":      fill(`{"name":"`, "é", "", `",`+timeline[1:]+end),
		"markers": fill(strings.TrimSuffix(timeline+end, "}}")+`,"markers":[`,
			`{"name":"m%d","marked_range":{"start_time":{"rate":1,"value":0},"duration":{"rate":1,"value":0}}}`, ",", `]}}`),
	} {
		t.Run(what, func(t *testing.T) { t.Parallel(); weigh(t, raw) })
	}
}

// weigh lets another process read a file, and looks at how much memory it took.
func weigh(t *testing.T, raw []byte) {
	file := filepath.Join(t.TempDir(), "x.otio")
	os.WriteFile(file, raw, 0o644)
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	c := exec.Command(self)
	c.Env = append(os.Environ(), "BLENDSEAM_READ="+file)
	out, err := c.CombinedOutput()
	if err != nil {
		t.Fatalf("%v %s", err, out[:min(len(out), 500)])
	}
	took, said, _ := strings.Cut(strings.TrimSpace(string(out)), " ")
	n, _ := strconv.Atoi(took)
	t.Logf("%.1f times its size; %.120s", float64(n)/float64(len(raw)), said)
	if n > mostMemory*len(raw)+ownMemory {
		t.Errorf("a file of %s took %s", limit.Bytes(int64(len(raw))), limit.Bytes(int64(n)))
	}
}
