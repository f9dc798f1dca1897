package web

import (
	"runtime"
	"syscall"
)

// modest runs work on a thread of low priority, so that whoever waits for an answer is served first.
func modest(work func()) {
	runtime.LockOSThread() // never unlocked: the thread ends with the goroutine
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, 0, 15)
	work()
}
