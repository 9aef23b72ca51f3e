// Package deaths kills nodes under load, again and again, at random and at named points between what is decided and
// what is told, and checks after each death that every fact that was acknowledged is there, and is there once.
package deaths

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/live/point"
	"turnvex.example/turnvex/internal/tool/field"
)

// Run lets nodes die at every point, where there are points, and so many times at random, and kills one once more with
// so many lobbies on it.
func Run(ctx context.Context, f *field.Field, times, lobbies int) error {
	g, stop, err := begin(ctx, f)
	if err != nil {
		return err
	}
	defer stop()
	if g.world, err = newWorld(ctx, g.one); err != nil {
		return err
	}
	if point.On {
		if err := g.atPoints(ctx); err != nil {
			return err
		}
	}
	if err := g.atRandom(ctx, times); err != nil {
		return err
	}
	g.world.close()
	return recovery(ctx, g.one, lobbies, func(what, value, _ string) { fmt.Fprintf(f.Out, "%s: %s\n", what, value) })
}

// Recovery says how fast 1,000 lobbies play again after their node was killed: when it is started again, and on another
// node.
func Recovery(ctx context.Context, f *field.Field, row func(what, value, goal string)) error {
	g, stop, err := begin(ctx, f)
	if err != nil {
		return err
	}
	defer stop()
	return recovery(ctx, g.one, f.Size(1000, 16), row)
}

func recovery(ctx context.Context, n *node, lobbies int, row func(what, value, goal string)) error {
	if err := restart(ctx, n, lobbies, row); err != nil {
		return err
	}
	return takeOver(ctx, n, lobbies, row)
}

// ground is where nodes die: one always runs, and another beside it where that takes over.
type ground struct {
	*field.Field
	one, two *node
	world    *world
	lost     int
}

// begin starts a node over a database of its own.
func begin(ctx context.Context, f *field.Field) (g *ground, stop func(), err error) {
	box, end, err := f.Box(ctx)
	if err != nil {
		return nil, nil, err
	}
	named := func(name string) *node {
		return &node{settled: f.For(5*time.Second, 0), Node: field.Node{Database: box.Address, Listen: "127.0.0.1:0",
			Name: name, Rulebooks: "internal/tool/deaths/rulebooks", Check: time.Second}}
	}
	g = &ground{Field: f, one: named("node1"), two: named("node2")}
	if err := g.one.start(ctx); err != nil {
		end()
		return nil, nil, err
	}
	return g, func() { g.one.end(syscall.SIGTERM); g.two.end(syscall.SIGTERM); end() }, nil
}

// node is a node that dies, a process of its own.
type node struct {
	field.Node
	*field.Process
	address string        // at which it runs, or ran
	gone    chan struct{} // closed when the process has ended
	settled time.Duration // how long it runs before it is killed beside another
}

// start starts the node, the next time at the same address.
func (n *node) start(ctx context.Context) (err error) {
	if n.Process, err = field.StartNode(ctx, n.Node); err != nil {
		return err
	}
	n.address, n.gone = n.Address, make(chan struct{})
	n.Listen = strings.TrimPrefix(n.address, "http://")
	go func(p *field.Process, gone chan struct{}) { p.Wait(); close(gone) }(n.Process, n.gone)
	return nil
}

// end sends a signal to a node that runs, and waits for the end.
func (n *node) end(with syscall.Signal) {
	if n.Process != nil {
		n.Signal(with)
		<-n.gone
		n.Process = nil
	}
}

// knows waits until the node lists another one as alive.
func (n *node) knows(ctx context.Context, other *node) error {
	in, err := client.SignInKey(ctx, n.Address, field.OperatorKey)
	if err != nil {
		return err
	}
	ctx, over := context.WithTimeout(ctx, time.Minute)
	defer over()
	for {
		all, err := client.Service{Address: n.Address, Token: in.Token}.Nodes(ctx)
		if err != nil || slices.ContainsFunc(all, func(x client.Node) bool {
			return x.Name == other.Name && x.Address == other.Address && x.State == "alive"
		}) {
			return err
		}
		time.Sleep(pollEvery)
	}
}

// under has all workers work until something has happened.
func (g *ground) under(ctx context.Context, happens func() error) error {
	work, over := context.WithCancel(ctx)
	var all sync.WaitGroup
	for _, x := range g.world.workers {
		all.Go(func() { x.work(work) })
	}
	err := happens()
	over()
	all.Wait()
	return errors.Join(err, ctx.Err())
}

// look checks everything, and says what is wrong.
func (g *ground) look(ctx context.Context, of string) bool {
	wrong := g.world.check(ctx)
	for _, what := range wrong {
		g.lost++
		fmt.Fprintf(g.Out, "%s: WRONG %s\n", of, what)
	}
	return len(wrong) == 0
}

// atRandom kills the node so many times; each fifth time with another beside it, at once.
func (g *ground) atRandom(ctx context.Context, times int) error {
	seed := rand.Uint64()
	r := rand.New(rand.NewPCG(seed, 1))
	fmt.Fprintf(g.Out, "%d workers; the node is killed %d times under load (seed %d)\n", len(g.world.workers), times,
		seed)
	var back []time.Duration
	for i := range times {
		both := i%5 == 1
		if both {
			if err := g.two.start(ctx); err != nil {
				return err
			}
		}
		if err := g.under(ctx, func() error {
			select {
			case <-time.After(time.Duration(300+r.IntN(1200)) * time.Millisecond):
			case <-ctx.Done():
			}
			if both {
				g.two.Signal(syscall.SIGKILL)
			}
			g.one.end(syscall.SIGKILL)
			g.two.end(syscall.SIGKILL)
			return nil
		}); err != nil {
			return err
		}
		began := time.Now()
		if both { // what it had is taken over, or it goes on
			if err := g.two.start(ctx); err != nil {
				return err
			}
		}
		if err := g.one.start(ctx); err != nil {
			return err
		}
		back = append(back, time.Since(began))
		g.look(ctx, fmt.Sprintf("death %d", i+1))
		g.two.end(syscall.SIGTERM)
		if (i+1)%10 == 0 || i+1 == times {
			fmt.Fprintf(g.Out, "%4d deaths: %s; %d wrong; back after %s in the median, %s at most\n", i+1,
				g.world.facts(), g.lost, field.Percentile(back, 0.5).Round(time.Millisecond),
				slices.Max(back).Round(time.Millisecond))
		}
	}
	if g.lost > 0 {
		return fmt.Errorf("%d facts were lost, or counted twice", g.lost)
	}
	return nil
}
