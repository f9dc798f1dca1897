package scratch_test

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"blendseam/scratch"
)

// The test program is also a process that works in a root until it is killed.
func TestMain(m *testing.M) {
	root := os.Getenv("BLENDSEAM_SCRATCH")
	if root == "" {
		os.Exit(m.Run())
	}
	p, err := scratch.Open(root)
	if err != nil {
		panic(err)
	}
	dir, err := p.Dir()
	if err != nil {
		panic(err)
	}
	os.WriteFile(filepath.Join(dir, "half"), []byte("half of it"), 0o600)
	fmt.Println(dir)
	select {}
}

func TestWhatAProcessLeavesGoesWhenItHasGoneAndNotBefore(t *testing.T) {
	root := filepath.Join(t.TempDir(), "a b [c] %d é")
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	other := exec.Command(self)
	other.Env = append(os.Environ(), "BLENDSEAM_SCRATCH="+root)
	out, err := other.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := other.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	lines.Scan()
	half := filepath.Join(lines.Text(), "half")

	first, err := scratch.Open(root)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(half); err != nil {
		t.Errorf("what another process works on is gone: %v", err)
	}
	other.Process.Kill()
	other.Wait()
	second, err := scratch.Open(root)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(half); err == nil {
		t.Error("what the dead process left is still there")
	}
	if _, err := os.Stat(filepath.Join(root, first.Name())); err != nil {
		t.Errorf("the first is alive: %v", err)
	}
	if err := first.Close(); err != nil {
		t.Errorf("closed: %v", err)
	}
	second.Close()
	if left, _ := os.ReadDir(root); len(left) != 1 { // the lock
		t.Errorf("left: %v", left)
	}
}
