package bench

import (
	"context"
	"fmt"
	"runtime"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/service"
)

// signIn makes n players and returns their tokens.
func signIn(ctx context.Context, node *service.Service, n int) ([]account.SignedIn, error) {
	out := make([]account.SignedIn, n)
	errs := make(chan error, 8)
	var all sync.WaitGroup
	for w := range cap(errs) {
		all.Go(func() {
			for i := w; i < n; i += cap(errs) {
				in, err := node.Accounts.Device(ctx, fmt.Sprintf("device-of-the-benchmark-%08d", i),
					fmt.Sprintf("Skiff %d", i), "127.0.0.1")
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

// memory returns what the process holds of heap and stacks, in bytes, once it no longer falls: what has just been done
// leaves something behind for a moment.
func memory(t *Table) float64 {
	least, since := held(), 0
	for since < t.Size(5, 0) {
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

func kib(bytes float64) string { return fmt.Sprintf("%.1f KiB", bytes/1024) }

func ms(d time.Duration) string { return fmt.Sprintf("%.2f ms", float64(d.Microseconds())/1000) }
