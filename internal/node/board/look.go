package board

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"

	"github.com/google/uuid"
)

// Holds tells whether any season is in memory.
func (b *Boards) Holds() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return len(b.held) > 0
}

// Look looks at how some entries stand in the database now, of the seasons in memory; a key is the number of a season
// and the ID of whose entry it is. Without keys, every season is read anew when it is wanted next.
func (b *Boards) Look(ctx context.Context, keys []string) error {
	if keys == nil {
		b.forget()
		return nil
	}
	asked := b.inMemory(keys)
	if len(asked) == 0 {
		return nil
	}
	cols := make([][]string, 2)
	for e := range asked {
		cols[0], cols[1] = append(cols[0], strconv.FormatInt(e.season, 10)), append(cols[1], e.subject)
	}
	var rows []struct {
		Season int64
		Placed
	}
	err := b.db.WithContext(ctx).Raw(`select e.season, e.subject, e.team, e.value, e.posts, e.reached_at, e.match,
			e.removed or e.barred as removed, e.version, coalesce(p.name, '') as name
		from unnest(?::text::bigint[], ?::text::uuid[]) as k (season, subject)
		join board_entries e on e.season = k.season and e.subject = k.subject
		left join players p on p.id = e.subject`, arrays(cols)...).Scan(&rows).Error
	if err != nil {
		return fmt.Errorf("read entries of boards: %w", err)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for i := range rows {
		delete(asked, entryKey{rows[i].Season, rows[i].Subject})
		if h := b.held[rows[i].Season]; h != nil {
			b.placeLocked(h, &rows[i].Placed)
		}
	}
	for e := range asked { // which are in the database no more
		if h := b.held[e.season]; h != nil {
			b.placeLocked(h, &Placed{Subject: e.subject, Removed: true, Version: vanished})
		}
	}
	return nil
}

// vanished is the version of an entry whose row is gone: it is newer than every other, and a new row begins from 1.
const vanished = math.MaxInt64

type entryKey struct {
	season  int64
	subject string
}

// inMemory returns those of some entries whose seasons are in memory.
func (b *Boards) inMemory(keys []string) map[entryKey]bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := map[entryKey]bool{}
	for _, k := range keys {
		season, subject, _ := strings.Cut(k, " ")
		if n, err := strconv.ParseInt(season, 10, 64); err == nil && b.held[n] != nil {
			out[entryKey{n, subject}] = true
		}
	}
	return out
}

// forget gives up every season in memory, and what is known of others. Who watches one reads it anew.
func (b *Boards) forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	clear(b.seasons)
	clear(b.found)
	for _, h := range b.held {
		for w := range h.watchers {
			w.held = nil
		}
		h.stir()
		clear(h.watchers)
		b.giveUpLocked(h)
	}
}

// Named returns those of some players who stand on boards in memory, or may be about to.
func (b *Boards) Named(players []string) (out []string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, p := range players {
		id, err := uuid.Parse(p)
		if _, there := b.people.index[id]; err == nil && (there || b.loading > 0) {
			out = append(out, p)
		}
	}
	return out
}

// Renamed makes a player's new name known at once.
func (b *Boards) Renamed(player, name string) {
	id, err := uuid.Parse(player)
	if err != nil {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.loading > 0 { // what is being read may hold the name of before
		b.renamed[id] = name
	}
	b.renameLocked(id, name)
}

// renameLocked gives somebody on boards in memory another name.
func (b *Boards) renameLocked(id [16]byte, name string) {
	n, there := b.people.index[id]
	if !there || b.people.list[n].name == name {
		return
	}
	b.people.list[n].name = name
	for _, h := range b.held {
		h.stir()
	}
}

// loadedLocked notes that a season has been read, whatever came of it: names that were given meanwhile count.
func (b *Boards) loadedLocked() {
	for id, name := range b.renamed {
		b.renameLocked(id, name)
	}
	if b.loading--; b.loading == 0 {
		clear(b.renamed)
	}
}
