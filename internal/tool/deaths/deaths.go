// Package deaths kills a node under load, again and again, and checks after each start that
// every fact that was acknowledged is still there.
package deaths

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/child"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// operatorKey is the key of the node that dies, which lives no longer than this program.
const operatorKey = "the-operators-key-of-a-node-that-dies"

// Main kills a node as often as it is told: 100 times, if it is not.
func Main(ctx context.Context, args []string) error {
	if len(args) == 5 && args[0] == "-node" {
		return runNode(ctx, args[1], args[2], args[3], args[4])
	}
	times, lobbies := 100, 1000
	for i, into := range []*int{&times, &lobbies} {
		if i >= len(args) {
			break
		}
		n, err := strconv.Atoi(args[i])
		if err != nil || n < 1 || n > 100_000 {
			return fmt.Errorf("%q is not how often, or how many lobbies, from 1 to 100000", args[i])
		}
		*into = n
	}
	n, stop, err := begin(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := many(ctx, n, times); err != nil {
		return err
	}
	return recovery(ctx, n, lobbies, func(what, value, _ string) { fmt.Printf("%s: %s\n", what, value) })
}

// Recovery says how fast 1,000 lobbies play again after their node was killed: when it is started
// again, and on another node.
func Recovery(ctx context.Context, row func(what, value, goal string)) error {
	n, stop, err := begin(ctx)
	if err != nil {
		return err
	}
	defer stop()
	return recovery(ctx, n, 1000, row)
}

func recovery(ctx context.Context, n *node, lobbies int, row func(what, value, goal string)) error {
	if err := restart(ctx, n, lobbies, row); err != nil {
		return err
	}
	return takeOver(ctx, n, lobbies, row)
}

// begin starts a node over a database of its own.
func begin(ctx context.Context) (n *node, stop func(), err error) {
	root, err := filepath.Abs(".")
	if err != nil {
		return nil, nil, err
	}
	box, end, err := pgbox.Temp(ctx, pgbox.Folder(root))
	if err != nil {
		return nil, nil, err
	}
	n = &node{root: root, database: box.Address, listen: "127.0.0.1:0", name: "node1"}
	if err := n.start(ctx); err != nil {
		end()
		return nil, nil, err
	}
	return n, func() { n.End(syscall.SIGTERM); end() }, nil
}

// node is the node that dies, a process of its own.
type node struct {
	*child.Process
	root, database, listen, name string
}

// start starts the node, the next time at the same address.
func (n *node) start(ctx context.Context) (err error) {
	if n.Process, err = child.Start(ctx, "-node", n.database, n.listen, n.root, n.name); err == nil {
		n.listen = strings.TrimPrefix(n.Address, "http://")
	}
	return err
}

func runNode(ctx context.Context, database, listen, root, name string) error {
	service.Tune()
	s, err := service.Start(ctx, service.Config{Database: database, Listen: listen, Node: name,
		OperatorKey: operatorKey,
		Rulebooks:   filepath.Join(root, "internal/tool/deaths/rulebooks")})
	if err != nil {
		return err
	}
	fmt.Println(s.Address)
	<-ctx.Done()
	s.Stop()
	return nil
}

// many kills the node so many times.
func many(ctx context.Context, n *node, times int) error {
	w, err := newWorld(ctx, n)
	if err != nil {
		return err
	}
	seed := rand.Uint64()
	r := rand.New(rand.NewPCG(seed, 1))
	fmt.Printf("%d workers; the node is killed %d times under load (seed %d)\n", len(w.workers), times, seed)
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
			fmt.Printf("death %d: LOST %s\n", i+1, what)
		}
		if (i+1)%10 == 0 || i+1 == times {
			fmt.Printf("%4d deaths: %s; %d lost; back after %s in the median, %s at most\n", i+1, w.facts(), lost,
				median(back).Round(time.Millisecond), slices.Max(back).Round(time.Millisecond))
		}
	}
	if lost > 0 {
		return fmt.Errorf("%d acknowledged facts were lost", lost)
	}
	return nil
}

func median(d []time.Duration) time.Duration {
	s := slices.Sorted(slices.Values(d))
	return s[len(s)/2]
}
