package bench

import (
	"context"
	"fmt"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

// newNode starts a database and a service with the demo's rulebooks in this process.
func newNode(ctx context.Context) (*service.Service, func(), error) {
	root, err := filepath.Abs(".")
	if err != nil {
		return nil, nil, err
	}
	service.Tune()
	box, stop, err := pgbox.Temp(ctx, pgbox.Folder(root))
	if err != nil {
		return nil, nil, err
	}
	node, err := service.Start(
		ctx,
		service.Config{Database: box.Address, Rulebooks: filepath.Join(root, "demo/rulebooks")},
	)
	if err != nil {
		stop()
		return nil, nil, err
	}
	return node, func() { node.Stop(); stop() }, nil
}

// signIn makes n players and returns their tokens.
func signIn(ctx context.Context, node *service.Service, n int) ([]account.SignedIn, error) {
	out := make([]account.SignedIn, n)
	errs := make(chan error, 8)
	var all sync.WaitGroup
	for w := range cap(errs) {
		all.Go(func() {
			for i := w; i < n; i += cap(errs) {
				in, err := node.Accounts.Device(
					ctx,
					fmt.Sprintf("device-of-the-benchmark-%08d", i),
					fmt.Sprintf("Skiff %d", i), "127.0.0.1",
				)
				if err != nil {
					errs <- err
					return
				}
				out[i] = *in
			}
		})
	}
	all.Wait()
	select {
	case err := <-errs:
		return nil, err
	default:
		return out, nil
	}
}

// memory returns what the process holds of heap and stacks, in bytes, once it no
// longer falls: what has just been done leaves something behind for a moment.
func memory() float64 {
	least, since := held(), 0
	for since < 5 {
		time.Sleep(200 * time.Millisecond)
		now := held()
		if since++; now < 0.99*least {
			since = 0
		}
		least = min(least, now)
	}
	return least
}

func held() float64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc + m.StackInuse)
}

// percentile returns the value below which the given part of the durations lies.
func percentile(d []time.Duration, part float64) time.Duration {
	if len(d) == 0 {
		return 0
	}
	slices.Sort(d)
	return d[min(int(float64(len(d))*part), len(d)-1)]
}

func kib(bytes float64) string { return fmt.Sprintf("%.1f KiB", bytes/1024) }

func ms(d time.Duration) string { return fmt.Sprintf("%.2f ms", float64(d.Microseconds())/1000) }
