package directory

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// Follower tells those who watch the listing here what happens to lobbies of other nodes. It is
// used by one goroutine.
type Follower struct {
	d    *Directory
	to   *Watchers
	node string
	last time.Time            // the newest change that was read
	told map[string]time.Time // what was told of a lobby last, by its ID
}

// Follow returns a follower for a node.
func (d *Directory) Follow(to *Watchers, node string) *Follower {
	return &Follower{d: d, to: to, node: node, told: map[string]time.Time{}}
}

// A row may be seen later than those that were written after it: so far back is read again. At
// most so many changes are told at once; more follow the next time.
const (
	lookBack  = 5 * time.Second
	lookMost  = 5000
	rowChange = "node <> ? and updated_at > ?"
)

// Look tells what has changed since the last look. While nobody watches it reads nothing but the
// time.
func (f *Follower) Look(ctx context.Context) error {
	db := f.d.db.WithContext(ctx)
	if f.to.Idle() || f.last.IsZero() {
		f.told = map[string]time.Time{}
		return db.Raw("select clock_timestamp()").Scan(&f.last).Error
	}
	var rows []store.Lobby
	err := db.Where(rowChange, f.node, f.last.Add(-lookBack)).Order("updated_at").Limit(lookMost).Find(&rows).Error
	if err != nil {
		return err
	}
	for i := range rows {
		r := &rows[i]
		if f.told[r.ID].Equal(r.UpdatedAt) {
			continue
		}
		f.told[r.ID] = r.UpdatedAt
		if r.UpdatedAt.After(f.last) {
			f.last = r.UpdatedAt
		}
		info := infoOf(r)
		f.to.TellFar(&info, r.Listed && r.ClosedAt == nil)
	}
	for id, at := range f.told {
		if f.last.Sub(at) > 2*lookBack {
			delete(f.told, id)
		}
	}
	return nil
}

// TellFar passes on what a lobby of another node is now, whatever it was before.
func (l *Watchers) TellFar(now *wire.LobbyInfo, listed bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for w := range l.watchers {
		switch {
		case listed && w.filter.Matches(now):
			w.put(wire.Listed{Is: "listed", Code: now.Code, Lobby: now})
		case w.filter.Rulebook == "" || w.filter.Rulebook == now.Rulebook:
			w.put(wire.Listed{Is: "listed", Code: now.Code, Gone: true})
		}
	}
}

// Idle tells whether nobody watches.
func (l *Watchers) Idle() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.watchers) == 0
}
