// Package cache keeps what was made from something else, for as long as there is room for it. What is asked for by
// several at once is made once; making stops when nobody waits any more.
package cache

import (
	"container/list"
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
)

// A Cache keeps the values that were used last. Its key must name everything that a value depends on. Its methods may
// be called in parallel.
type Cache[K comparable, V any] struct {
	most    int
	mu      sync.Mutex
	kept    map[K]*list.Element // of entries
	order   *list.List          // the last used first
	flights map[K]*flight[V]
	making  int
}

type entry[K comparable, V any] struct {
	key   K
	value V
}

// A flight is the making of a value.
type flight[V any] struct {
	done    chan struct{}
	stop    context.CancelFunc
	waiting int
	value   V
	err     error
}

// New gives a cache of at most so many values.
func New[K comparable, V any](most int) *Cache[K, V] {
	return &Cache[K, V]{most: most, kept: map[K]*list.Element{}, order: list.New(), flights: map[K]*flight[V]{}}
}

// Get gives the value of a key, made by do if it is not there. Whoever asks while it is made waits for the same value;
// an error is told to all of them and not kept. The context of do ends when all who wait have gone; Get itself returns
// when ctx ends. A panic in do is an error.
func (c *Cache[K, V]) Get(ctx context.Context, key K, do func(context.Context) (V, error)) (V, error) {
	c.mu.Lock()
	if e, ok := c.kept[key]; ok {
		c.order.MoveToFront(e)
		value := e.Value.(entry[K, V]).value
		c.mu.Unlock()
		return value, nil
	}
	f := c.flights[key]
	if f == nil {
		own, stop := context.WithCancel(context.WithoutCancel(ctx))
		f = &flight[V]{done: make(chan struct{}), stop: stop}
		c.flights[key] = f
		c.making++
		go c.fly(own, key, f, do)
	}
	f.waiting++
	c.mu.Unlock()
	select {
	case <-f.done:
		return f.value, f.err
	case <-ctx.Done():
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if f.waiting--; f.waiting == 0 {
		f.stop()
		if c.flights[key] == f { // whoever comes now begins anew
			delete(c.flights, key)
		}
	}
	var none V
	return none, ctx.Err()
}

func (c *Cache[K, V]) fly(ctx context.Context, key K, f *flight[V], do func(context.Context) (V, error)) {
	defer f.stop()
	defer func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.making--
		if f.err == nil {
			c.put(key, f.value)
		}
		if c.flights[key] == f {
			delete(c.flights, key)
		}
		close(f.done)
	}()
	f.err = Caught(func() (err error) {
		f.value, err = do(ctx)
		return err
	})
}

// Caught does work whose panic must not end the program, as others go on beside it: the panic is an error, and in the
// log with its stack.
func Caught(work func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			slog.Error("work broke off", "panic", p, "stack", string(debug.Stack()))
			err = fmt.Errorf("it broke off: %v", p)
		}
	}()
	return work()
}

// Making is how many values are being made.
func (c *Cache[K, V]) Making() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.making
}

// Waiting is how many wait for values that are being made.
func (c *Cache[K, V]) Waiting() (n int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, f := range c.flights {
		n += f.waiting
	}
	return n
}

// Known gives the value of a key if it is there.
func (c *Cache[K, V]) Known(key K) (value V, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.kept[key]
	if ok {
		c.order.MoveToFront(e)
		value = e.Value.(entry[K, V]).value
	}
	return value, ok
}

// Put keeps a value that was made elsewhere.
func (c *Cache[K, V]) Put(key K, value V) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.put(key, value)
}

func (c *Cache[K, V]) put(key K, value V) {
	if e, ok := c.kept[key]; ok {
		e.Value = entry[K, V]{key, value}
		c.order.MoveToFront(e)
		return
	}
	c.kept[key] = c.order.PushFront(entry[K, V]{key, value})
	for c.order.Len() > c.most {
		last := c.order.Back()
		delete(c.kept, last.Value.(entry[K, V]).key)
		c.order.Remove(last)
	}
}

// Drop forgets the values whose keys are meant.
func (c *Cache[K, V]) Drop(meant func(K) bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for key, e := range c.kept {
		if meant(key) {
			delete(c.kept, key)
			c.order.Remove(e)
		}
	}
}
