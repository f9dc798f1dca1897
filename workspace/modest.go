package workspace

import (
	"runtime"
	"syscall"
)

// threads is how many threads work beside the requests: one for each processor. The program has SpareThreads more, so
// that a request never waits for one of them to give way.
func threads() int { return runtime.NumCPU() }

// SpareThreads is how many threads more than processors a program should run Go on; see runtime.GOMAXPROCS.
const SpareThreads = 2

// niceness lets a thread have a third of the time of one that answers. More of it, and beside other programs that
// work a thread would get next to none, and hold one of Go's processors meanwhile.
const niceness = 5

// modest lets the goroutine go on on a thread of low priority, which ends with it, so that whoever waits for an answer
// is served first.
func modest() {
	runtime.LockOSThread() // never unlocked
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, 0, niceness)
}
