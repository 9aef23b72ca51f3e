// Package deaths kills a node under load, again and again, and checks after each start that every fact that was
// acknowledged is still there.
package deaths

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/tool/field"
)

// Run kills a node so often, and then once more with so many lobbies on it.
func Run(ctx context.Context, f *field.Field, times, lobbies int) error {
	n, stop, err := begin(ctx, f)
	if err != nil {
		return err
	}
	defer stop()
	if err := many(ctx, f, n, times); err != nil {
		return err
	}
	return recovery(ctx, n, lobbies, func(what, value, _ string) { fmt.Fprintf(f.Out, "%s: %s\n", what, value) })
}

// Recovery says how fast 1,000 lobbies play again after their node was killed: when it is started again, and on another
// node.
func Recovery(ctx context.Context, f *field.Field, row func(what, value, goal string)) error {
	n, stop, err := begin(ctx, f)
	if err != nil {
		return err
	}
	defer stop()
	return recovery(ctx, n, f.Size(1000, 16), row)
}

func recovery(ctx context.Context, n *node, lobbies int, row func(what, value, goal string)) error {
	if err := restart(ctx, n, lobbies, row); err != nil {
		return err
	}
	return takeOver(ctx, n, lobbies, row)
}

// begin starts a node over a database of its own.
func begin(ctx context.Context, f *field.Field) (n *node, stop func(), err error) {
	box, end, err := f.Box(ctx)
	if err != nil {
		return nil, nil, err
	}
	n = &node{settled: f.For(5*time.Second, 0), database: box.Address, listen: "127.0.0.1:0", name: "node1"}
	if err := n.start(ctx); err != nil {
		end()
		return nil, nil, err
	}
	return n, func() { n.End(syscall.SIGTERM); end() }, nil
}

// node is the node that dies, a process of its own.
type node struct {
	*field.Process
	database, listen, name string
	settled                time.Duration // how long it runs before it is killed beside another
}

// start starts the node, the next time at the same address.
func (n *node) start(ctx context.Context) (err error) {
	n.Process, err = field.StartNode(ctx, n.database, n.listen, n.name, "internal/tool/deaths/rulebooks")
	if err == nil {
		n.listen = strings.TrimPrefix(n.Address, "http://")
	}
	return err
}

// many kills the node so many times.
func many(ctx context.Context, f *field.Field, n *node, times int) error {
	w, err := newWorld(ctx, n)
	if err != nil {
		return err
	}
	seed := rand.Uint64()
	r := rand.New(rand.NewPCG(seed, 1))
	fmt.Fprintf(f.Out, "%d workers; the node is killed %d times under load (seed %d)\n", len(w.workers), times, seed)
	lost := 0
	var back []time.Duration
	for i := range times {
		work, over := context.WithCancel(ctx)
		var all sync.WaitGroup
		for _, x := range w.workers {
			all.Go(func() { x.work(work) })
		}
		select {
		case <-time.After(time.Duration(300+r.IntN(1200)) * time.Millisecond):
		case <-ctx.Done():
		}
		n.End(syscall.SIGKILL)
		over()
		all.Wait()
		if ctx.Err() != nil {
			return ctx.Err()
		}
		began := time.Now()
		if err := n.start(ctx); err != nil {
			return err
		}
		back = append(back, time.Since(began))
		for _, what := range w.check(ctx) {
			lost++
			fmt.Fprintf(f.Out, "death %d: LOST %s\n", i+1, what)
		}
		if (i+1)%10 == 0 || i+1 == times {
			fmt.Fprintf(f.Out, "%4d deaths: %s; %d lost; back after %s in the median, %s at most\n", i+1, w.facts(),
				lost, field.Percentile(back, 0.5).Round(time.Millisecond), slices.Max(back).Round(time.Millisecond))
		}
	}
	if lost > 0 {
		return fmt.Errorf("%d acknowledged facts were lost", lost)
	}
	return nil
}
