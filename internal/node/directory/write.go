package directory

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
)

// What changes in the lobbies of a node is written together, by one statement every few hundredths of a second.
const (
	groupEvery  = 50 * time.Millisecond
	groupMost   = 2000
	groupWithin = 5 * time.Second
)

// change is what a row is to say.
type change struct {
	ID       string     `json:"id"`
	Node     string     `json:"node"`
	Epoch    int64      `json:"epoch"`
	State    string     `json:"state"`
	Seats    int        `json:"seats"`
	Title    string     `json:"title"`
	Capacity int        `json:"capacity"`
	Free     int        `json:"free"`
	Waiting  int        `json:"waiting"`
	Arena    string     `json:"arena"`
	Open     bool       `json:"open"`
	Listed   bool       `json:"listed"`
	Password bool       `json:"password"`
	Closed   *time.Time `json:"closed"`
	done     chan error
}

// group are the changes that wait to be written.
type group struct {
	mu      sync.Mutex
	waiting []*change // guarded by mu
	writing bool      // guarded by mu
}

// Write writes what an open lobby is now, unless another node has taken it over. It may be repeated.
func (d *Directory) Write(ctx context.Context, e Entry) error {
	return d.write(ctx, e, nil)
}

// Close writes the last word on a lobby. It may be repeated.
func (d *Directory) Close(ctx context.Context, e Entry, now time.Time) error {
	return d.write(ctx, e, &now)
}

// write hands a change in, and waits until it is written.
func (d *Directory) write(ctx context.Context, e Entry, closed *time.Time) error {
	c := &change{ID: e.ID, Node: e.Node, Epoch: e.Epoch, State: e.State, Seats: e.Seats, Title: e.Title,
		Capacity: e.Capacity, Free: e.Free, Waiting: e.Waiting, Arena: e.Arena, Open: e.Open, Listed: e.Listed,
		Password: e.Password, Closed: closed, done: make(chan error, 1)}
	g := &d.group
	g.mu.Lock()
	g.waiting = append(g.waiting, c)
	if !g.writing {
		g.writing = true
		safe.After(groupEvery, "write the directory", d.writeGroups)
	}
	g.mu.Unlock()
	select {
	case err := <-c.done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// writeGroups writes what waits, until nothing does.
func (d *Directory) writeGroups() {
	g := &d.group
	for {
		g.mu.Lock()
		some := g.waiting[:min(len(g.waiting), groupMost)]
		g.waiting = slices.Clone(g.waiting[len(some):])
		if len(some) == 0 {
			g.writing = false
			g.mu.Unlock()
			return
		}
		g.mu.Unlock()
		err := d.writeGroup(some)
		for _, c := range some {
			c.done <- err
		}
	}
}

func (d *Directory) writeGroup(some []*change) error {
	ctx, over := context.WithTimeout(context.Background(), groupWithin)
	defer over()
	last := map[string]*change{} // of two changes of one lobby, the later one
	for _, c := range some {
		last[c.ID] = c
	}
	rows := make([]*change, 0, len(last))
	for _, c := range some {
		if last[c.ID] == c {
			rows = append(rows, c)
		}
	}
	slices.SortFunc(rows, func(a, b *change) int { return strings.Compare(a.ID, b.ID) })
	data, err := json.Marshal(rows)
	if err != nil {
		return err
	}
	return d.db.WithContext(ctx).Exec(`update lobbies l set state = x.state, seats = x.seats, title = x.title,
		capacity = x.capacity, free = x.free, waiting = x.waiting, arena = x.arena, open = x.open, listed = x.listed,
		password = x.password, updated_at = clock_timestamp(), closed_at = x.closed
		from jsonb_to_recordset(?::jsonb) as x(id uuid, node text, epoch bigint, state text, seats integer, title text,
			capacity integer, free integer, waiting integer, arena text, open boolean, listed boolean, password boolean,
			closed timestamptz)
		where l.id = x.id and l.node = x.node and l.epoch = x.epoch and l.closed_at is null`, string(data)).Error
}
