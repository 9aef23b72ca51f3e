// Package cluster is what the nodes over one database know of each other: who there is, who holds a lease, and whose
// lobbies are to be taken over. The truth is the table of nodes; each node renews one row of it.
package cluster

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// The times of a lease: for how long it is held, how often it is renewed, and how much earlier its holder takes it for
// lost than everybody else.
const (
	LeaseFor   = 3 * time.Second
	renewEvery = 500 * time.Millisecond
	margin     = 200 * time.Millisecond
)

// Identity is what a node tells of itself.
type Identity struct {
	Name    string
	Address string // for clients and other nodes, such as http://10.0.0.5:7420
	Bus     string // for messages between nodes
	Region  string
	Version string
}

// Load is what a node bears.
type Load struct {
	Lobbies, Seats, Connections int
	Overloaded                  bool   // it opens no more lobbies
	Tallies                     []byte // of its lobbies, as JSON
}

// Member is a node as the others see it.
type Member struct {
	store.Node
	Alive bool // it holds its lease
	Holds bool // lobbies are assigned to it
}

// Cluster is a node's part in it. It may be used by several goroutines.
type Cluster struct {
	Lease *Lease
	Self  Identity

	table     Table
	unclaimed bool
	tallies   []byte // that were announced last; used by Run alone
	load      func() Load
	log       *slog.Logger

	mu       sync.Mutex
	claim    Claim                    // guarded by mu; nil while it is lost
	members  map[string]Member        // guarded by mu
	away     map[string]time.Duration // guarded by mu; when a node said last that the database is away
	well     map[string]time.Duration // guarded by mu; when a node said that it is there, and nothing else since
	steady   time.Duration            // guarded by mu; since when the lease was renewed without a break
	draining bool                     // guarded by mu
	looked   chan struct{}            // guarded by mu; closed at the next look
	lookedAt time.Duration            // guarded by mu
	hinted   bool                     // guarded by mu
	dead     []string                 // guarded by mu
	voice    Voice                    // guarded by mu
	ahead    string                   // guarded by mu; the node that the database takes more of than of this
	silent   silence                  // guarded by mu; what was said of it last
	ends     *time.Timer              // guarded by mu; looks whether the lease ends; nil while it is renewed
	wake     chan struct{}
}

// Join announces a node, and gives it a lease. It is an error when another process has its name.
func Join(ctx context.Context, table Table, self Identity, load func() Load, log *slog.Logger) (*Cluster, error) {
	return JoinAt(ctx, table, sinceBoot, self, load, log)
}

// JoinAt is Join with a clock of the node's own, which must go on while the process is stopped.
func JoinAt(ctx context.Context, table Table, clock func() time.Duration, self Identity, load func() Load,
	log *slog.Logger) (*Cluster, error) {
	c := newCluster(table, self, load, log)
	c.Lease.clock = clock
	var err error
	if c.claim, err = table.Claim(ctx, self.Name); err != nil {
		return nil, err
	}
	if c.claim == nil {
		return nil, fmt.Errorf("another node called %q runs on this database; give this one another name with "+
			"-node", self.Name)
	}
	if err := c.enter(ctx); err != nil {
		c.claim.Release()
		return nil, err
	}
	return c, nil
}

// Watch is Join without the claim of a name, which takes a connection to the database of its own: for whoever plays
// many nodes in one process.
func Watch(ctx context.Context, table Table, self Identity, load func() Load, log *slog.Logger) (*Cluster, error) {
	c := newCluster(table, self, load, log)
	c.unclaimed = true
	return c, c.enter(ctx)
}

func newCluster(table Table, self Identity, load func() Load, log *slog.Logger) *Cluster {
	return &Cluster{
		Self: self, table: table, load: load, log: log,
		voice:   none,
		Lease:   &Lease{clock: sinceBoot},
		members: map[string]Member{}, away: map[string]time.Duration{}, well: map[string]time.Duration{},
		wake:   make(chan struct{}, 1),
		looked: make(chan struct{}),
	}
}

// enter begins a new epoch. It waits for what is being written under the last one.
func (c *Cluster) enter(ctx context.Context) error {
	from := c.Lease.clock()
	epoch, err := c.table.Enter(ctx, &c.Self, LeaseFor)
	if err != nil {
		return fmt.Errorf("announce the node %s: %w", c.Self.Name, err)
	}
	c.Lease.epoch.Store(epoch)
	c.Lease.renew(from, LeaseFor-margin)
	c.mu.Lock()
	c.steady = from
	c.mu.Unlock()
	c.renewed()
	return c.look(ctx)
}

// Fence is the lease under which this node writes now.
func (c *Cluster) Fence() store.Fence { return store.Fence{Node: c.Self.Name, Epoch: c.Lease.Epoch()} }

// Look makes the next renewal come at once, and has the nodes read: something has changed.
func (c *Cluster) Look() {
	c.mu.Lock()
	c.hinted = true
	c.mu.Unlock()
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// Run renews the lease until the context ends. lost is called when another node has taken over: all that this node
// holds is to be dropped before it returns. turn is called after each renewal.
func (c *Cluster) Run(ctx context.Context, lost, turn func()) {
	next := time.NewTicker(renewEvery)
	defer next.Stop()
	for {
		select {
		case <-next.C:
		case <-c.wake:
		case <-ctx.Done():
			return
		}
		kept, err := c.renew(ctx)
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
			c.failed(err)
		case !kept:
			c.Lease.end()
			c.log.Warn("this node was taken for dead, and another has taken over; it begins anew", "node", c.Self.Name)
			lost()
			if err := c.enter(ctx); err != nil {
				c.log.Warn("the node cannot be announced", "error", err)
			} else {
				turn()
			}
		default:
			turn()
		}
	}
}

// renewWithin is the time for one renewal.
const renewWithin = time.Second

func (c *Cluster) renew(ctx context.Context) (kept bool, err error) {
	ctx, over := context.WithTimeout(ctx, renewWithin)
	defer over()
	if err := c.claimAgain(ctx); err != nil {
		return true, err
	}
	from, load := c.Lease.clock(), c.load()
	tallies := load.Tallies
	if bytes.Equal(tallies, c.tallies) {
		load.Tallies = nil
	}
	kept, draining, err := c.table.Renew(ctx, c.Self.Name, c.Lease.Epoch(), LeaseFor, &load)
	if err != nil {
		return true, err
	}
	c.tallies = tallies
	if !kept {
		return false, nil
	}
	c.mu.Lock()
	if !c.Lease.Holds() || c.steady == 0 {
		c.steady = from
	}
	c.draining = draining
	c.mu.Unlock()
	c.Lease.renew(from, LeaseFor-margin)
	c.renewed()
	if err := c.findDead(ctx); err != nil {
		return true, err
	}
	if c.lookDue(from) {
		return true, c.look(ctx)
	}
	return true, nil
}

// A node reads the table of nodes after each renewal while there are few, and less often the more there are: each of
// 200 nodes reads 200 rows every five seconds. A hint of another has it read at once.
const fewNodes = 20

func (c *Cluster) lookDue(now time.Duration) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	wait := renewEvery * time.Duration(len(c.members)) / fewNodes
	due := c.hinted || now-c.lookedAt+renewEvery/2 >= wait
	if due {
		c.hinted, c.lookedAt = false, now
	}
	return due
}

// findDead reads which nodes of this one's region hold lobbies and have lost their lease.
func (c *Cluster) findDead(ctx context.Context) error {
	names, err := c.table.Dead(ctx, c.Self.Region, c.Self.Name)
	c.mu.Lock()
	defer c.mu.Unlock()
	c.dead = names
	return err
}

// errNameTaken is why a node is silent whose name another process has now.
var errNameTaken = errors.New("another process has taken the node's name")

// claimAgain claims the node's name anew when the connection that had it is gone.
func (c *Cluster) claimAgain(ctx context.Context) error {
	if c.unclaimed {
		return nil
	}
	c.mu.Lock()
	claim := c.claim
	c.mu.Unlock()
	if claim != nil && claim.Alive(ctx) {
		return nil
	}
	if claim != nil {
		claim.Release()
	}
	claim, err := c.table.Claim(ctx, c.Self.Name)
	c.mu.Lock()
	c.claim = claim
	c.mu.Unlock()
	if err == nil && claim == nil {
		err = errNameTaken
	}
	return err
}

// look reads who there is.
func (c *Cluster) look(ctx context.Context) error {
	rows, err := c.table.Members(ctx)
	if err != nil {
		return err
	}
	all := map[string]Member{}
	for _, m := range rows {
		all[m.Name] = m
	}
	c.mu.Lock()
	c.members = all
	close(c.looked)
	c.looked = make(chan struct{})
	c.mu.Unlock()
	return nil
}

// Looked is closed when the nodes have been read anew.
func (c *Cluster) Looked() <-chan struct{} {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.looked
}

// Members are the nodes that were seen within the hour, or hold lobbies, by name.
func (c *Cluster) Members() []Member {
	c.mu.Lock()
	defer c.mu.Unlock()
	return slices.SortedFunc(maps.Values(c.members), func(a, b Member) int { return cmp.Compare(a.Name, b.Name) })
}

// Member returns a node by its name; ok is false if it is not known.
func (c *Cluster) Member(name string) (m Member, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	m, ok = c.members[name]
	return m, ok
}

// Draining tells whether the node is to give its lobbies away and to take no more.
func (c *Cluster) Draining() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.draining
}

// Others are the nodes, but this, that are alive and take lobbies, the one with the fewest first, behind all others
// those that have more to do than they can do in time; only of some regions, if any are named.
func (c *Cluster) Others(regions ...string) []Member {
	all := slices.DeleteFunc(c.Members(), func(m Member) bool {
		return m.Name == c.Self.Name || !m.Alive || m.Draining || len(regions) > 0 && !slices.Contains(regions,
			m.Region)
	})
	slices.SortStableFunc(all, func(a, b Member) int {
		if a.Overloaded != b.Overloaded {
			return map[bool]int{true: 1, false: -1}[a.Overloaded]
		}
		return cmp.Compare(a.Lobbies, b.Lobbies)
	})
	return all
}

// Dead are the nodes of this one's region that hold lobbies and have lost their lease. There are none until this node
// has held its own long enough for others to come back with the database.
func (c *Cluster) Dead() (names []string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.Lease.Holds() || c.steady == 0 || c.Lease.clock()-c.steady < LeaseFor {
		return nil
	}
	return c.dead
}

// Drain says, for all to see, that this node is to give its lobbies away and to take no more.
func (c *Cluster) Drain(ctx context.Context) error {
	return c.table.Drain(ctx, c.Self.Name, c.Lease.Epoch())
}

// Leave ends the node's lease, and gives its name up: others take over at once what it still holds.
func (c *Cluster) Leave(ctx context.Context) {
	c.Lease.end()
	c.said().Tell(wordGone, "") // first: where the database is away others wait for it no longer
	err := c.table.Leave(ctx, c.Self.Name, c.Lease.Epoch())
	if err != nil {
		c.log.Warn("the node could not sign off; its lease runs out", "error", err)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.claim != nil {
		c.claim.Release()
		c.claim = nil
	}
}
