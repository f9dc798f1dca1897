package workspace

import (
	"runtime"
	"syscall"
)

// modest lets the goroutine go on on a thread of low priority, which ends with it, so that whoever waits for an answer is served
// first.
func modest() {
	runtime.LockOSThread() // never unlocked
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, 0, 15)
}
