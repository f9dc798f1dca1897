package cache_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"blendseam/core/cache"
)

func TestWhatIsAskedForAtOnceIsMadeOnce(t *testing.T) {
	c := cache.New[string, int](4)
	var made atomic.Int32
	begun, go_ := make(chan struct{}), make(chan struct{})
	var group sync.WaitGroup
	ask := func() {
		v, err := c.Get(context.Background(), "a", func(context.Context) (int, error) {
			if made.Add(1) == 1 {
				close(begun)
			}
			<-go_
			return 7, nil
		})
		if v != 7 || err != nil {
			t.Errorf("got %d, %v", v, err)
		}
	}
	group.Go(ask)
	<-begun
	for range 9 {
		group.Go(ask)
	}
	close(go_)
	group.Wait()
	if made.Load() != 1 {
		t.Errorf("made %d times", made.Load())
	}
}

func TestTheOldestUseGivesWay(t *testing.T) {
	c := cache.New[int, int](2)
	get := func(k int) (made bool) {
		c.Get(context.Background(), k, func(context.Context) (int, error) { made = true; return k, nil })
		return made
	}
	for i, want := range []struct {
		key  int
		made bool
	}{{1, true}, {2, true}, {1, false}, {3, true}, {1, false}, {2, true}} {
		if got := get(want.key); got != want.made {
			t.Errorf("step %d: key %d made %t", i, want.key, got)
		}
	}
}

func TestMakingStopsWhenNobodyWaitsAnyMore(t *testing.T) {
	c := cache.New[int, int](2)
	begun, stopped := make(chan struct{}), make(chan struct{})
	work := func(ctx context.Context) (int, error) {
		close(begun)
		<-ctx.Done()
		close(stopped)
		return 0, ctx.Err()
	}
	one, leaveOne := context.WithCancel(context.Background())
	two, leaveTwo := context.WithCancel(context.Background())
	var group sync.WaitGroup
	group.Go(func() {
		if _, err := c.Get(one, 1, work); !errors.Is(err, context.Canceled) {
			t.Errorf("the first got %v", err)
		}
	})
	<-begun
	joined := make(chan struct{})
	group.Go(func() {
		close(joined)
		if _, err := c.Get(
			two,
			1,
			func(ctx context.Context) (int, error) { <-ctx.Done(); return 0, ctx.Err() },
		); !errors.Is(
			err,
			context.Canceled,
		) {
			t.Errorf("the second got %v", err)
		}
	})
	<-joined
	leaveOne()
	leaveTwo()
	<-stopped
	group.Wait()
}

func TestErrorsAndPanicsAreToldAndNotKept(t *testing.T) {
	c := cache.New[int, int](2)
	if _, err := c.Get(
		context.Background(),
		1,
		func(context.Context) (int, error) { panic("torn") },
	); err == nil ||
		!strings.Contains(err.Error(), "torn") {
		t.Errorf("a panic gives %v", err)
	}
	if v, err := c.Get(
		context.Background(),
		1,
		func(context.Context) (int, error) { return 3, nil },
	); v != 3 ||
		err != nil {
		t.Errorf("then %d, %v", v, err)
	}
	c.Drop(func(k int) bool { return k == 1 })
	if _, ok := c.Known(1); ok {
		t.Error("what was dropped is still known")
	}
}
