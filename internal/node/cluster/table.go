package cluster

import (
	"context"
	"time"
)

// Table is the table of nodes. Its methods may be called by several goroutines. Moments are the table's own: no node
// compares its clock with another's.
type Table interface {
	// Claim claims a name for as long as the claim is held; nil if another process has it.
	Claim(ctx context.Context, name string) (Claim, error)
	// Enter announces a node, under a new epoch that it returns, with a lease. It waits for what is being written under
	// the last one.
	Enter(ctx context.Context, s *Identity, lease time.Duration) (epoch int64, err error)
	// Renew renews a lease, with what the node bears, if its epoch is still the node's. Without tallies, those of
	// before stay.
	Renew(ctx context.Context, name string, epoch int64, lease time.Duration, l *Load) (kept, draining bool, err error)
	// Dead finds the nodes of a region, but one, that hold something and have lost their lease.
	Dead(ctx context.Context, region, but string) ([]string, error)
	// Members reads the nodes that were seen within the hour, or hold lobbies.
	Members(ctx context.Context) ([]Member, error)
	// Drain says that a node is to give its lobbies away and to take no more.
	Drain(ctx context.Context, name string, epoch int64) error
	// Leave ends a lease.
	Leave(ctx context.Context, name string, epoch int64) error
}

// Claim is a name that no other process has.
type Claim interface {
	Alive(ctx context.Context) bool // it is held still
	Release()
}
