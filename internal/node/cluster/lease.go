package cluster

import (
	"sync/atomic"
	"time"
)

// Lease is what a node knows of its lease: until when it lasts by a clock of the node's own that goes on while the
// process is stopped. It may be used by several goroutines.
type Lease struct {
	clock func() time.Duration
	until atomic.Int64 // on the clock, in nanoseconds
	given atomic.Int64 // until when it was renewed last; until may lie beyond it
	epoch atomic.Int64
}

// Holds tells whether the lease lasts. Nothing is said to a client while it does not, but for what goes by an answer
// that is no older than a millisecond. A nil lease always lasts.
func (l *Lease) Holds() bool { return l == nil || int64(l.clock()) < l.until.Load() }

// Epoch is the epoch under which the node writes; it changes when a lease was lost.
func (l *Lease) Epoch() int64 {
	if l == nil {
		return 0
	}
	return l.epoch.Load()
}

func (l *Lease) renew(from, length time.Duration) {
	l.given.Store(int64(from + length))
	l.until.Store(int64(from + length))
}

// cut lets the lease last no longer than it was renewed for.
func (l *Lease) cut() { l.until.Store(min(l.until.Load(), l.given.Load())) }

func (l *Lease) end() { l.until.Store(0) }
