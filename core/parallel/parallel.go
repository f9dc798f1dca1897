// Package parallel does many like things on several threads.
package parallel

import (
	"context"
	"runtime"
	"sync"

	"blendseam/core/cache"
)

type beginKey struct{}

// Beginning lets whatever Each does under ctx begin each of its threads so: at a lower priority, say.
func Beginning(ctx context.Context, begin func()) context.Context {
	return context.WithValue(ctx, beginKey{}, begin)
}

// Each does something for each of n numbers, on so many threads, 0 being one for each processor, and gives the first
// error. It ends early when there is one, or when ctx ends.
func Each(ctx context.Context, n, threads int, do func(i int) error) error {
	if threads <= 0 {
		threads = runtime.GOMAXPROCS(0)
	}
	begin, _ := ctx.Value(beginKey{}).(func())
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var group sync.WaitGroup
	next := make(chan int)
	for range min(n, threads) {
		group.Go(func() {
			if begin != nil {
				begin()
			}
			for i := range next {
				if err := cache.Caught(func() error { return do(i) }); err != nil {
					cancel(err)
				}
			}
		})
	}
feed:
	for i := range n {
		if ctx.Err() != nil { // where both could be, a select would take either
			break
		}
		select {
		case next <- i:
		case <-ctx.Done():
			break feed
		}
	}
	close(next)
	group.Wait()
	return context.Cause(ctx)
}
