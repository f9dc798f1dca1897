package main

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"time"
)

// cutFor is how long a server is cut off.
const cutFor = 20 * time.Second

// faults are how many there were, by what they were.
type faults map[string]int

func (f faults) String() string {
	var parts []string
	for _, what := range slices.Sorted(maps.Keys(f)) {
		parts = append(parts, fmt.Sprintf("%d x %s", f[what], what))
	}
	if len(parts) == 0 {
		return "none"
	}
	return strings.Join(parts, ", ")
}

// fault kills parts at random moments and starts them again, until all that is planned was done, or ctx ends.
func (d *driving) fault(ctx context.Context, c *cluster) faults {
	type fault struct {
		what string
		of   *part // nil cuts a server off
	}
	var plan []fault
	for range d.cuts {
		plan = append(plan, fault{fmt.Sprintf("a database cut off for %s", cutFor), nil})
	}
	for range d.kills {
		plan = append(plan, fault{"kill -9 of a program", c.programs[rand.IntN(nodes)]},
			fault{"kill -9 of a database", c.databases[rand.IntN(nodes)]}, fault{"kill -9 of the store", c.store})
	}
	rand.Shuffle(len(plan), func(i, j int) { plan[i], plan[j] = plan[j], plan[i] })
	each := d.time / time.Duration(len(plan)+1)
	done := faults{}
	for _, f := range plan {
		select {
		case <-ctx.Done():
			return done
		case <-time.After(each/4 + rand.N(each/4)):
		}
		done[f.what]++
		var err error
		if f.of == nil {
			err = c.cut(ctx, rand.IntN(nodes))
		} else {
			f.of.kill()
			err = errors.Join(f.of.start(false), f.of.up(startLimit))
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "cluster:", err)
			d.failed.Add(1)
			d.problem.Store(err.Error(), true)
		}
	}
	return done
}

// cut cuts a server off, and waits until it is part of the database again.
func (c *cluster) cut(ctx context.Context, node int) error {
	err := c.spaces.cut(node)
	select {
	case <-time.After(cutFor):
	case <-ctx.Done():
	}
	return errors.Join(err, c.spaces.join(node), c.databases[node].up(time.Minute))
}

// whole waits until every part can be used.
func (c *cluster) whole() error {
	for _, p := range slices.Concat(c.databases, c.programs, []*part{c.store, c.front}) {
		if err := p.up(time.Minute); err != nil {
			return err
		}
	}
	return nil
}
