package media

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"blendseam/core/limit"
)

// confines tells whether bwrap is there and may make rooms of its own here: in some containers it may not.
var confines = sync.OnceValue(func() bool {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if _, err := exec.LookPath("prlimit"); err != nil {
		return false
	}
	return exec.CommandContext(ctx, "bwrap", "--unshare-all", "--ro-bind", "/usr", "/usr", "--symlink", "usr/lib", "/lib",
		"--symlink", "usr/lib64", "/lib64", "--", "/usr/bin/true").Run() == nil
})

// programs are the folders that ffmpeg itself comes from.
var programs = []string{"/usr", "/lib", "/lib64", "/lib32", "/bin", "/sbin", "/etc/ld.so.cache", "/etc/alternatives"}

// command is how a program is run on a file that nobody vouches for: without a network, and seeing nothing but that
// file, itself, and the folder that it writes to, where bwrap can do so. Else it runs as it is, within its bounds.
func command(ctx context.Context, within bounds, name string, args ...string) *exec.Cmd {
	if !confines() {
		return exec.CommandContext(ctx, name, args...)
	}
	room := []string{"--unshare-all", "--die-with-parent", "--new-session", "--dev", "/dev", "--proc", "/proc",
		"--tmpfs", "/tmp"}
	for _, p := range programs {
		room = append(room, "--ro-bind-try", p, p)
	}
	for _, dir := range []string{within.writes, within.dir} {
		if whole, err := filepath.Abs(dir); err == nil && dir != "" {
			room = append(room, "--bind", whole, whole)
		}
	}
	if whole, err := filepath.Abs(within.path); err == nil {
		room = append(room, "--ro-bind", whole, whole)
	}
	if whole, err := filepath.Abs(within.dir); err == nil && within.dir != "" {
		room = append(room, "--chdir", whole)
	} else if here, err := os.Getwd(); err == nil && within.writes != "" { // what is named from here is found
		room = append(room, "--dir", here, "--chdir", here)
	}
	// The bounds have to be there before it begins: those of bwrap itself would come too late.
	room = append(room, "--", "prlimit", fmt.Sprintf("--data=%d", int64(limit.ConversionBytes)))
	if within.output > 0 {
		room = append(room, fmt.Sprintf("--fsize=%d", within.output))
	}
	room = append(room, "--", name)
	return exec.CommandContext(ctx, "bwrap", append(room, args...)...)
}

// signalled tells whether a program was ended by a signal, or, as a shell says it, one that it ran for us.
func signalled(cmd *exec.Cmd, by syscall.Signal) bool {
	s, ok := cmd.ProcessState.Sys().(syscall.WaitStatus)
	return ok && (s.Signaled() && s.Signal() == by || s.Exited() && s.ExitStatus() == 128+int(by))
}
