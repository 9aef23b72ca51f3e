package board

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/stdlib"

	"turnvex.example/turnvex/internal/core/ranking"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/safe"
)

// held is a season in memory. What changes meanwhile is put into it by Learn and Look.
type held struct {
	season   int64
	rank     *ranking.Ranking   // guarded by Boards.mu; nil while it is being loaded
	missed   []Placed           // guarded by Boards.mu; what changed while it was being loaded
	gone     map[[16]byte]int64 // guarded by Boards.mu; the versions of entries that were taken away
	ready    chan struct{}
	err      error
	read     int64 // guarded by Boards.mu; when it was read last, by Boards.clock
	watchers map[*Watcher]bool
}

// hold returns a season that is in memory, and brings it there if it is not. Whoever comes meanwhile waits.
func (b *Boards) hold(ctx context.Context, r Ref, season int64) (*held, error) {
	b.mu.Lock()
	h := b.held[season]
	if h == nil {
		h = &held{season: season, ready: make(chan struct{}), watchers: map[*Watcher]bool{},
			gone: map[[16]byte]int64{}}
		b.held[season] = h
		b.loading++
		safe.Go("read a board", func() {
			defer close(h.ready)
			if !safe.Do("read a board", func() { b.load(h, r) }) {
				b.unread(h, r, errors.New("something went wrong inside; it was logged"))
			}
		})
	}
	b.clock++
	h.read = b.clock
	b.turnLocked(h, r.Least)
	b.mu.Unlock()
	select {
	case <-h.ready:
		return h, h.err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// turnLocked puts a season in memory in the order that its board has now: another version of the rulebook may have
// another.
func (b *Boards) turnLocked(h *held, least bool) {
	if h.rank == nil || h.rank.Least == least {
		return
	}
	entries := make([]ranking.Entry, 0, h.rank.Len())
	h.rank.Walk(0, h.rank.Len(), func(e *ranking.Entry) { entries = append(entries, *e) })
	slices.SortFunc(entries, func(x, y ranking.Entry) int {
		if by := ranking.Order(least, x.Value, x.At, y.Value, y.At); by != 0 {
			return by
		}
		return b.people.compare(x.Who, y.Who)
	})
	h.rank = ranking.New(least, b.people.compare, entries)
	h.stir()
}

// loadWithin is how long reading a season may take.
const loadWithin = time.Minute

// takeAtOnce is how many people are taken in while others wait.
const takeAtOnce = 10000

func (b *Boards) load(h *held, r Ref) {
	ctx, cancel := context.WithTimeout(context.Background(), loadWithin)
	defer cancel()
	rows, err := b.readSeason(ctx, h.season)
	if err != nil {
		b.unread(h, r, err)
		return
	}
	sortRows(rows, r.Least)
	together(rows)
	b.mu.Lock()
	b.people.expect(len(rows))
	b.mu.Unlock()
	entries := make([]ranking.Entry, 0, len(rows))
	for part := range slices.Chunk(rows, takeAtOnce) {
		func() {
			b.mu.Lock()
			defer b.mu.Unlock()
			entries = b.people.takeAll(part, entries)
		}()
	}
	rank := ranking.New(r.Least, b.people.compare, entries)
	b.mu.Lock()
	defer b.mu.Unlock()
	h.rank = rank
	for i := range h.missed {
		b.placeLocked(h, &h.missed[i])
	}
	h.missed = nil
	b.loadedLocked()
	if b.held[h.season] != h { // everything in memory was forgotten meanwhile
		b.giveUpLocked(h)
		return
	}
	b.evictLocked(h)
}

// unread notes why a season is not in memory.
func (b *Boards) unread(h *held, r Ref, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.loadedLocked()
	h.err = fmt.Errorf("read the board %s of %s: %w", r.Name, r.Rulebook, err)
	b.giveUpLocked(h)
}

// takeAll takes people in, and appends their entries.
func (p *people) takeAll(rows []row, to []ranking.Entry) []ranking.Entry {
	for i := range rows {
		e := rows[i].entry
		e.Who = p.take(rows[i].id, rows[i].name, rows[i].team)
		to = append(to, e)
	}
	return to
}

// sortRows puts rows in the order of a ranking.
func sortRows(rows []row, least bool) {
	slices.SortFunc(rows, func(x, y row) int {
		if by := ranking.Order(least, x.entry.Value, x.entry.At, y.entry.Value, y.entry.At); by != 0 {
			return by
		}
		return bytes.Compare(x.id[:], y.id[:])
	})
}

// together puts the names of rows that stand one behind another into one piece of memory: a page is written twice as
// fast when it does not fetch each name from somewhere else.
func together(rows []row) {
	const names = 256
	for part := range slices.Chunk(rows, names) {
		var all strings.Builder
		for i := range part {
			all.WriteString(part[i].name)
		}
		text := all.String()
		for i := range part {
			n := len(part[i].name)
			part[i].name, text = text[:n], text[n:]
		}
	}
}

// readSeason reads all entries of a season, as PostgreSQL copies them out: reading a million rows one by one takes
// several times as long.
func (b *Boards) readSeason(ctx context.Context, season int64) ([]row, error) {
	pool, err := b.db.DB.DB()
	if err != nil {
		return nil, err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	var in copied
	err = conn.Raw(func(driver any) error {
		_, err := driver.(*stdlib.Conn).Conn().PgConn().CopyTo(ctx, &in, fmt.Sprintf(`copy (
			select e.subject, e.team, coalesce(p.name, ''), e.value, e.reached_at, e.match, e.version
			from board_entries e left join players p on p.id = e.subject
			where e.season = %d and not e.removed and not e.barred) to stdout (format binary)`, season))
		return err
	})
	return in.rows, err
}

// Learn makes known what has been committed.
func (b *Boards) Learn(placed []Placed) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for i := range placed {
		p := &placed[i]
		b.rememberLocked(p)
		if h := b.held[p.season]; h != nil {
			b.placeLocked(h, p)
		}
	}
}

// rememberLocked notes the number of the season of an entry.
func (b *Boards) rememberLocked(p *Placed) {
	if p.board.Board == nil || p.board.Renew == rulebook.RenewByHand {
		return
	}
	if s, ok := spanAt(p.board.Board, p.ReachedAt); ok {
		b.seasons[seasonKey{p.board.Rulebook, p.board.Name, s.name}] = p.season
	}
}

// placeLocked puts an entry that has changed into a season in memory.
func (b *Boards) placeLocked(h *held, p *Placed) {
	if h.rank == nil {
		h.missed = append(h.missed, *p)
		return
	}
	id := uuid.MustParse(p.Subject)
	n, known := b.people.index[id]
	if p.Version <= h.gone[id] {
		return
	}
	if p.Removed {
		if h.gone[id] = p.Version; p.Version == vanished {
			delete(h.gone, id)
		}
		if known && h.rank.Remove(n, p.Version) {
			b.people.drop(n)
		}
		h.stir()
		return
	}
	delete(h.gone, id)
	e := ranking.Entry{Value: p.Value, At: p.ReachedAt.UnixMicro(), Version: p.Version}
	if p.Match != nil {
		e.Match = uuid.MustParse(*p.Match)
	}
	stood := false
	if known {
		_, stood = h.rank.Of(n)
	}
	if !stood {
		n = b.people.take(id, p.Name, p.Team)
	}
	e.Who = n
	if !h.rank.Set(e) && !stood {
		b.people.drop(n)
	}
	h.stir()
}

// bytesLocked is about how much memory a season takes.
func (b *Boards) bytesLocked(h *held) int {
	if h.rank == nil {
		return 0
	}
	return h.rank.Bytes() + h.rank.Len()*personBytes
}

// evictLocked gives up seasons that were not read for longest, until the others fit the budget. Those that are watched
// stay, and so does the one that is wanted now.
func (b *Boards) evictLocked(wanted *held) {
	for {
		sum := 0
		var oldest *held
		for _, h := range b.held {
			sum += b.bytesLocked(h)
			if h != wanted && h.rank != nil && len(h.watchers) == 0 && (oldest == nil || h.read < oldest.read) {
				oldest = h
			}
		}
		if sum <= b.budget || oldest == nil {
			return
		}
		b.giveUpLocked(oldest)
	}
}

// giveUpLocked takes a season out of memory. One that is being loaded is given up when it has been.
func (b *Boards) giveUpLocked(h *held) {
	if b.held[h.season] == h {
		delete(b.held, h.season)
	}
	if h.rank != nil {
		h.rank.Walk(0, h.rank.Len(), func(e *ranking.Entry) { b.people.drop(e.Who) })
		h.rank = nil
	}
}

// Memory tells how many seasons and entries are in memory, and about how many bytes they take.
func (b *Boards) Memory() (seasons, entries, bytes int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, h := range b.held {
		seasons++
		bytes += b.bytesLocked(h)
		if h.rank != nil {
			entries += h.rank.Len()
		}
	}
	return seasons, entries, bytes
}
