package deaths

import (
	"context"
	"fmt"
	"math/rand/v2"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/live/point"
)

// way is how a node dies at a point, and who goes on.
type way struct {
	point     string
	signal    syscall.Signal
	kept      bool // nodes show only what is kept
	takenOver bool // another node goes on; otherwise it starts again
}

func (w way) String() string {
	signal, shows, then := "SIGKILL", "at once", "starts again"
	if w.signal == syscall.SIGABRT {
		signal = "SIGABRT"
	}
	if w.kept {
		shows = "when kept"
	}
	if w.takenOver {
		then = "taken over"
	}
	return fmt.Sprintf("%-8s %s  shown %-9s  %s", w.point, signal, shows, then)
}

// atPoints lets the node die at every point in every way, and prints how often all was there, and once.
func (g *ground) atPoints(ctx context.Context) error {
	rounds := g.Size(3, 1)
	fmt.Fprintf(g.Out, "dies at a point, %d times each: how often every fact was there, once\n", rounds)
	for _, kept := range []bool{false, true} {
		for i, at := range point.All {
			for _, signal := range []syscall.Signal{syscall.SIGKILL, syscall.SIGABRT} {
				for _, takenOver := range []bool{false, true} {
					if g.Short && (signal != syscall.SIGKILL || takenOver != (at == point.Kept) || kept != (i%2 == 1)) {
						continue
					}
					w, well := way{at, signal, kept, takenOver}, 0
					for range rounds {
						ok, err := g.dies(ctx, w)
						if err != nil {
							return fmt.Errorf("%s: %w", w, err)
						}
						if ok {
							well++
						}
					}
					fmt.Fprintf(g.Out, "  %s  %d of %d\n", w, well, rounds)
				}
			}
		}
	}
	if g.lost > 0 {
		return fmt.Errorf("%d facts were lost, or counted twice", g.lost)
	}
	return nil
}

// reached is how long a point may take to be reached.
const reached = time.Minute

// dies starts the node armed, lets it die under load, lets it or another go on, and checks.
func (g *ground) dies(ctx context.Context, w way) (ok bool, err error) {
	g.one.end(syscall.SIGTERM)
	g.one.Kept, g.two.Kept = w.kept, w.kept
	most := 12 // passes; more is sent than decided
	if w.point == point.Sent {
		most = 150
	}
	g.one.Env = []string{"GOTRACEBACK=none", // SIGABRT shows what every goroutine does
		fmt.Sprintf("%s=%s %d %d", point.Variable, w.point, 1+rand.IntN(most), w.signal)}
	err = g.one.start(ctx)
	g.one.Env = nil
	if err != nil {
		return false, err
	}
	if err := g.under(ctx, func() error {
		select {
		case <-g.one.gone:
			return nil
		case <-time.After(reached):
			return fmt.Errorf("the point is never reached; workers say %v", g.world.failed())
		case <-ctx.Done():
			return nil
		}
	}); err != nil {
		return false, err
	}
	g.one.Process = nil
	if w.takenOver { // by one that begins now, so that everything was played on the first
		if err := g.two.start(ctx); err != nil {
			return false, err
		}
		g.world.at = g.two
		if err := g.world.stays.moves(ctx); err != nil {
			return false, err
		}
	} else if err := g.one.start(ctx); err != nil {
		return false, err
	}
	ok = g.look(ctx, w.String())
	if w.takenOver {
		if err := g.one.start(ctx); err != nil {
			return false, err
		}
		g.world.at = g.one
		if err := g.two.knows(ctx, g.one); err != nil {
			return false, err
		}
		g.two.end(syscall.SIGTERM) // which hands what it has to the first
	}
	return ok, nil
}
