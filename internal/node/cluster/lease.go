package cluster

import (
	"sync/atomic"
	"time"
)

// Lease is what a node knows of its lease: until when it lasts by a clock of the node's own that
// goes on while the process is stopped. It may be used by several goroutines.
type Lease struct {
	clock func() time.Duration
	until atomic.Int64 // on the clock, in nanoseconds
	epoch atomic.Int64
}

// Holds tells whether the lease lasts. Nothing is said to a client while it does not. A nil
// lease always lasts.
func (l *Lease) Holds() bool { return l == nil || int64(l.clock()) < l.until.Load() }

// Epoch is the epoch under which the node writes; it changes when a lease was lost.
func (l *Lease) Epoch() int64 {
	if l == nil {
		return 0
	}
	return l.epoch.Load()
}

func (l *Lease) renew(from, length time.Duration) { l.until.Store(int64(from + length)) }

func (l *Lease) end() { l.until.Store(0) }
