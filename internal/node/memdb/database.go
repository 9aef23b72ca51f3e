package memdb

import (
	"bytes"
	"cmp"
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
)

// Database is the table of nodes, the lobbies' rows and the ledger's, in memory: what a ledger, a cluster and a
// directory ask of PostgreSQL, done in the plainest way. Everything is done under one lock, one after the other. It may
// be used by several goroutines.
type Database struct {
	mu     sync.Mutex
	now    tables            // guarded by mu
	claims map[string]*claim // guarded by mu; by node
}

// tables are the rows. None is changed: it is replaced, so that a copy of the tables keeps what was.
type tables struct {
	nodes       map[string]store.Node
	lobbies     map[string]directory.Entry // by ID
	kept        map[string]store.LedgerLobby
	checkpoints map[string]store.LedgerCheckpoint
	segments    map[string][]store.LedgerSegment
	people      map[string][]store.LedgerPerson
	alive       map[string]time.Time // by node
	log         []store.LedgerLog
	rows        *int64 // of the log, ever: numbers are not given out again
}

func (t *tables) clone() tables {
	c := *t
	c.nodes, c.lobbies, c.kept = maps.Clone(t.nodes), maps.Clone(t.lobbies), maps.Clone(t.kept)
	c.checkpoints, c.segments, c.people = maps.Clone(t.checkpoints), maps.Clone(t.segments), maps.Clone(t.people)
	c.alive, c.log = maps.Clone(t.alive), slices.Clone(t.log)
	return c
}

// NewDatabase returns an empty database.
func NewDatabase() *Database {
	return &Database{claims: map[string]*claim{}, now: tables{nodes: map[string]store.Node{},
		lobbies: map[string]directory.Entry{}, kept: map[string]store.LedgerLobby{},
		checkpoints: map[string]store.LedgerCheckpoint{}, segments: map[string][]store.LedgerSegment{},
		people: map[string][]store.LedgerPerson{}, alive: map[string]time.Time{}, rows: new(int64)}}
}

// Link is a node's way to the database. It is a ledger.Database, a cluster.Table and a directory for a hall.
type Link struct {
	*Database
	Gate Gate // before each call
	Late Gate // after each that has done something: its answer is lost where it fails
}

// Link returns a way to the database.
func (d *Database) Link() *Link { return &Link{Database: d} }

// do does something with the rows that fails, if it does, before it has changed any.
func (l *Link) do(ctx context.Context, call string, do func(t *tables) error) error {
	if err := l.Gate.pass(ctx, call); err != nil {
		return err
	}
	d := l.Database
	d.mu.Lock()
	err := do(&d.now)
	d.mu.Unlock()
	if err == nil {
		err = l.Late.pass(ctx, call)
	}
	return err
}

// Rows is part of ledger.Database.
func (l *Link) Rows(ctx context.Context) ledger.Rows {
	return rows{func(call string, do func(*tables) error) error { return l.do(ctx, call, do) }}
}

// Together is part of ledger.Database.
func (l *Link) Together(ctx context.Context, do func(ledger.Rows) error) error {
	return l.do(ctx, "together", func(t *tables) error {
		next := t.clone()
		err := do(rows{func(_ string, do func(*tables) error) error { return do(&next) }})
		if err == nil {
			*t = next
		}
		return err
	})
}

// rows are the rows in a transaction, or by themselves.
type rows struct {
	do func(call string, do func(*tables) error) error
}

func (r rows) Append(node string, fence store.Fence, at time.Time, entries []byte) (row int64, err error) {
	return row, r.do("append", func(t *tables) error {
		if fence.Node != "" && !at.IsZero() && t.nodes[node].Epoch != fence.Epoch {
			return store.ErrFenced
		}
		if !at.IsZero() {
			t.alive[node] = at
		}
		if len(entries) == 0 {
			return nil
		}
		*t.rows++
		row = *t.rows
		t.log = append(t.log, store.LedgerLog{ID: row, Node: node, Data: bytes.Clone(entries)})
		return nil
	})
}

func (r rows) Shorten(node string, row int64) error {
	return r.do("shorten", func(t *tables) error {
		t.log = slices.DeleteFunc(t.log, func(x store.LedgerLog) bool { return x.Node == node && x.ID < row })
		return nil
	})
}

func (r rows) Log(node string, behind int64, most int) (out []store.LedgerLog, err error) {
	return out, r.do("log", func(t *tables) error {
		for _, x := range t.log {
			if x.Node == node && x.ID > behind && len(out) < most {
				out = append(out, x)
			}
		}
		return nil
	})
}

func (r rows) Alive(node string) (at time.Time, err error) {
	return at, r.do("alive", func(t *tables) error { at = t.alive[node]; return nil })
}

func (r rows) Keep(k *ledger.Kept) error {
	return r.do("keep", func(t *tables) error {
		for _, p := range k.People {
			if !slices.ContainsFunc(t.people[p.LobbyID], func(x store.LedgerPerson) bool {
				return x.Token == p.Token && x.OfToken == p.OfToken
			}) {
				t.people[p.LobbyID] = append(slices.Clone(t.people[p.LobbyID]), p)
			}
		}
		for _, s := range k.Segments {
			if !slices.ContainsFunc(t.segments[s.LobbyID], func(x store.LedgerSegment) bool { return x.Seq == s.Seq }) {
				t.segments[s.LobbyID] = append(slices.Clone(t.segments[s.LobbyID]), s)
			}
		}
		for _, c := range k.Checkpoints {
			t.checkpoints[c.LobbyID] = *c
		}
		for _, id := range k.Ends {
			if x, there := t.kept[id]; there {
				now := time.Now()
				x.EndedAt = &now
				t.kept[id] = x
				delete(t.checkpoints, id)
			}
		}
		return nil
	})
}

func (r rows) Read(lobbies []string) (h *ledger.Held, err error) {
	return h, r.do("read", func(t *tables) error {
		h = &ledger.Held{Reached: map[string]int64{}}
		for _, id := range slices.Sorted(slices.Values(lobbies)) {
			if x, there := t.kept[id]; there && x.EndedAt == nil {
				h.Lobbies = append(h.Lobbies, x)
			}
			if c, there := t.checkpoints[id]; there {
				h.Checkpoints = append(h.Checkpoints, c)
			}
			for _, s := range t.segments[id] {
				h.Reached[id] = max(h.Reached[id], s.Seq)
			}
			h.People = append(h.People, t.people[id]...)
		}
		return nil
	})
}

func (r rows) Begin(l *store.LedgerLobby, first *store.LedgerCheckpoint) error {
	return r.do("begin", func(t *tables) error {
		t.kept[l.LobbyID], t.checkpoints[l.LobbyID] = *l, *first
		return nil
	})
}

func (r rows) Drop(lobby string) error {
	return r.do("drop", func(t *tables) error {
		delete(t.kept, lobby)
		delete(t.checkpoints, lobby)
		return nil
	})
}

func (r rows) EndLease(node string) (fell bool, err error) {
	return fell, r.do("fell", func(t *tables) error {
		n, there := t.nodes[node]
		if fell = there && n.LeaseUntil.Before(time.Now()); fell {
			n.Epoch++
			t.nodes[node] = n
		}
		return nil
	})
}

func (r rows) Waiting(node string, epoch int64) (given, older bool, err error) {
	return given, older, r.do("waiting", func(t *tables) error {
		for _, e := range t.lobbies {
			mine := e.Node == node && e.State != directory.Closed
			given, older = given || mine && e.Epoch == 0, older || mine && e.Epoch >= 1 && e.Epoch < epoch
		}
		return nil
	})
}

func (r rows) IsOpen(lobby string) (open bool, err error) {
	return open, r.do("is open", func(t *tables) error {
		e, there := t.lobbies[lobby]
		open = there && e.State != directory.Closed
		return nil
	})
}

func (r rows) Pick(p *ledger.Pick) (ids []string, err error) {
	return ids, r.do("pick", func(t *tables) error {
		for _, id := range slices.Sorted(maps.Keys(t.lobbies)) {
			e := t.lobbies[id]
			if e.Node == p.Node && e.State != directory.Closed && (!p.Given || e.Epoch == 0) &&
				(p.Below == 0 || e.Epoch < p.Below) && (p.Only == nil || slices.Contains(p.Only, id)) {
				ids = append(ids, id)
			}
		}
		later := func(id string) int {
			if slices.Contains(p.First, id) {
				return 0
			}
			return 1
		}
		slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(later(a), later(b)) })
		if p.Most > 0 {
			ids = ids[:min(len(ids), p.Most)]
		}
		return nil
	})
}

func (r rows) Next() (row int64, err error) {
	return row, r.do("next", func(t *tables) error {
		*t.rows++
		row = *t.rows
		return nil
	})
}

func (r rows) Move(lobbies []string, node string, epoch, row int64) error {
	return r.do("move", func(t *tables) error {
		for _, id := range lobbies {
			if e, there := t.lobbies[id]; there {
				e.Node, e.Epoch = node, epoch
				t.lobbies[id] = e
			}
			if x, there := t.kept[id]; there {
				x.Node, x.LogFrom = node, max(x.LogFrom, row)
				t.kept[id] = x
			}
		}
		return nil
	})
}

func (r rows) Close(lobbies []string, _ time.Time) error {
	return r.do("close lobbies", func(t *tables) error {
		for _, id := range lobbies {
			e := t.lobbies[id]
			e.State = directory.Closed
			t.lobbies[id] = e
		}
		return nil
	})
}

func (r rows) Delay(lobbies []string, by time.Duration, at time.Time) error {
	return r.do("delay", func(t *tables) error {
		for _, id := range lobbies {
			if c, there := t.checkpoints[id]; there {
				c.BeganAt, c.TakenAt = c.BeganAt.Add(by), &at
				t.checkpoints[id] = c
			}
		}
		return nil
	})
}

func (r rows) Also(func(*store.Tx) error) error { return nil }

// claim is a name that a process has.
type claim struct {
	d    *Database
	name string
}

// Claim is part of cluster.Table. Release frees the name, as the end of a process does.
func (l *Link) Claim(ctx context.Context, name string) (cluster.Claim, error) {
	if err := l.Gate.pass(ctx, "claim"); err != nil {
		return nil, err
	}
	d := l.Database
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.claims[name] != nil {
		return nil, nil
	}
	c := &claim{d, name}
	d.claims[name] = c
	return c, nil
}

// Journal returns the pieces of a lobby's journal, in the order in which they were kept.
func (d *Database) Journal(lobby string) []store.LedgerSegment {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.now.segments[lobby]
}

// Break ends the connection that holds a name: the name is free.
func (d *Database) Break(name string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	delete(d.claims, name)
}

func (c *claim) Alive(context.Context) bool {
	c.d.mu.Lock()
	defer c.d.mu.Unlock()
	return c.d.claims[c.name] == c
}

func (c *claim) Release() {
	c.d.mu.Lock()
	defer c.d.mu.Unlock()
	if c.d.claims[c.name] == c {
		delete(c.d.claims, c.name)
	}
}

// Enter is part of cluster.Table.
func (l *Link) Enter(ctx context.Context, s *cluster.Identity, lease time.Duration) (epoch int64, err error) {
	return epoch, l.do(ctx, "enter", func(t *tables) error {
		n := t.nodes[s.Name]
		epoch = n.Epoch + 1
		n.Name, n.Epoch, n.Address, n.Bus, n.Region, n.Version = s.Name, epoch, s.Address, s.Bus, s.Region, s.Version
		n.StartedAt, n.LeaseUntil, n.Draining = time.Now(), time.Now().Add(lease), false
		t.nodes[s.Name] = n
		return nil
	})
}

// Renew is part of cluster.Table.
func (l *Link) Renew(ctx context.Context, name string, epoch int64, lease time.Duration, load *cluster.Load) (
	kept, draining bool, err error,
) {
	return kept, draining, l.do(ctx, "renew", func(t *tables) error {
		n := t.nodes[name]
		if kept = n.Name != "" && n.Epoch == epoch; kept {
			n.LeaseUntil, draining = time.Now().Add(lease), n.Draining
			n.Lobbies, n.Seats, n.Connections = load.Lobbies, load.Seats, load.Connections
			n.Overloaded = load.Overloaded
			t.nodes[name] = n
		}
		return nil
	})
}

// Dead is part of cluster.Table.
func (l *Link) Dead(ctx context.Context, region, but string) (names []string, err error) {
	return names, l.do(ctx, "dead", func(t *tables) error {
		for _, n := range t.sortedNodes() {
			if n.Region == region && n.Name != but && n.LeaseUntil.Before(time.Now()) && t.holds(n.Name) {
				names = append(names, n.Name)
			}
		}
		return nil
	})
}

func (t *tables) sortedNodes() []store.Node {
	return slices.SortedFunc(maps.Values(t.nodes), func(a, b store.Node) int { return cmp.Compare(a.Name, b.Name) })
}

// holds tells whether a node has an open lobby.
func (t *tables) holds(node string) bool {
	for _, e := range t.lobbies {
		if e.Node == node && e.State != directory.Closed {
			return true
		}
	}
	return false
}

// Members is part of cluster.Table.
func (l *Link) Members(ctx context.Context) (out []cluster.Member, err error) {
	return out, l.do(ctx, "members", func(t *tables) error {
		for _, n := range t.sortedNodes() {
			m := cluster.Member{Node: n, Alive: n.LeaseUntil.After(time.Now()), Holds: t.holds(n.Name)}
			if m.Alive || m.Holds || n.LeaseUntil.After(time.Now().Add(-time.Hour)) {
				out = append(out, m)
			}
		}
		return nil
	})
}

// Drain is part of cluster.Table.
func (l *Link) Drain(ctx context.Context, name string, epoch int64) error {
	return l.do(ctx, "drain", func(t *tables) error {
		if n := t.nodes[name]; n.Name != "" && n.Epoch == epoch {
			n.Draining = true
			t.nodes[name] = n
		}
		return nil
	})
}

// Leave is part of cluster.Table.
func (l *Link) Leave(ctx context.Context, name string, epoch int64) error {
	return l.do(ctx, "leave", func(t *tables) error {
		if n := t.nodes[name]; n.Name != "" && n.Epoch == epoch {
			n.LeaseUntil, n.Lobbies, n.Seats, n.Connections = time.Now(), 0, 0, 0
			t.nodes[name] = n
		}
		return nil
	})
}

// People returns the names behind the tokens in a lobby's journal.
func (d *Database) People(lobby string) []store.LedgerPerson {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.now.people[lobby]
}
