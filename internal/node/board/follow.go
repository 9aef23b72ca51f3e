package board

import (
	"context"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/node/store"
)

const (
	lookEvery  = 500 * time.Millisecond // at what others have posted
	closeEvery = 5 * time.Second        // at which seasons are over for good
	tidyEvery  = 10 * time.Minute
)

// follow learns what other nodes do to boards, closes seasons, and removes what has run
// out, until the boards are closed.
func (b *Boards) follow(node string, holds func() time.Time) {
	look, closing, tidy := time.NewTicker(lookEvery), time.NewTicker(closeEvery), time.NewTicker(tidyEvery)
	defer look.Stop()
	defer closing.Stop()
	defer tidy.Stop()
	try := func(what string, do func(context.Context) error) {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		if err := do(ctx); err != nil {
			b.log.Warn("could not "+what, "error", err)
		}
	}
	for {
		select {
		case <-look.C:
			try("look at what others have posted", b.Look)
		case <-closing.C:
			try("close seasons", func(ctx context.Context) error { return b.Over(ctx, node, holds) })
		case <-tidy.C:
			try("tidy boards", b.tidy)
		case <-b.ends:
			return
		}
	}
}

// Look learns what has changed in the database since the last look, of the seasons in
// memory and of the names of those who stand on them.
func (b *Boards) Look(ctx context.Context) error {
	since, seasons := b.behind()
	if len(seasons) == 0 {
		return nil // what is loaded later is read whole
	}
	var mark int64
	var rows []struct {
		Season int64
		Placed
	}
	var names []struct{ ID, Name string }
	err := b.db.Snapshot(ctx, func(tx *store.Tx) (err error) {
		if mark, err = store.Mark(tx); err != nil {
			return err
		}
		err = tx.Raw(`select e.season, e.subject, e.team, e.value, e.posts, e.reached_at, e.match,
				e.removed or e.barred as removed, e.version, coalesce(p.name, '') as name
			from board_entries e left join players p on p.id = e.subject
			where e.mark >= ? and e.season in ?`, since, seasons).Scan(&rows).Error
		if err != nil {
			return err
		}
		return tx.Raw("select id, name from players where mark >= ? and mark > 0", since).Scan(&names).Error
	})
	if err != nil {
		return err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for i := range rows {
		if h := b.held[rows[i].Season]; h != nil {
			b.placeLocked(h, &rows[i].Placed)
		}
	}
	for _, n := range names {
		b.renameLocked(n.ID, n.Name)
	}
	for _, id := range seasons {
		if h := b.held[id]; h != nil && h.mark > 0 {
			h.mark = max(h.mark, mark)
		}
	}
	return nil
}

// behind are the seasons in memory, and the mark from which on one of them may lack
// something.
func (b *Boards) behind() (since int64, seasons []int64) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, h := range b.held {
		if h.mark > 0 {
			seasons = append(seasons, id)
			if since == 0 || h.mark < since {
				since = h.mark
			}
		}
	}
	return since, seasons
}

// renameLocked gives somebody on boards in memory another name.
func (b *Boards) renameLocked(player, name string) {
	id, err := uuid.Parse(player)
	n, there := b.people.index[id]
	if err != nil || !there || b.people.list[n].name == name {
		return
	}
	b.people.list[n].name = name
	for _, h := range b.held {
		h.stir()
	}
}

// Renamed makes a player's new name known at once.
func (b *Boards) Renamed(player, name string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.renameLocked(player, name)
}

// A node whose name was not heard for so long no longer holds a season up: whatever it
// held from before its end is not posted.
const deadAfter = 10 * time.Minute

// spare is for how long after something happened a node may not know yet that it holds
// it: a lobby that was held up does its ticks late.
const spare = 10 * time.Second

// Over tells from when on this node may hold something to post, and closes the seasons
// that ended before any node may.
func (b *Boards) Over(ctx context.Context, node string, holds func() time.Time) error {
	now := b.now().UTC()
	from := now
	if holds != nil {
		if at := holds(); !at.IsZero() && at.Before(from) {
			from = at
		}
	}
	from = from.Add(-spare)
	db := b.db.WithContext(ctx)
	if node != "" {
		err := db.Exec(`insert into nodes (name, seen_at, holds_from) values (?, ?, ?)
			on conflict (name) do update set seen_at = excluded.seen_at, holds_from = excluded.holds_from`,
			node, now, from).Error
		if err != nil {
			return err
		}
	}
	return db.Exec(`update board_seasons set closed_at = ? where closed_at is null and ends <= least(?::timestamptz, (
		select min(holds_from) from nodes where seen_at > ?))`, now, from, now.Add(-deadAfter)).Error
}

// The IDs of posts are remembered for so long, and the traces of entries that were taken
// away.
const (
	rememberIDs = 30 * 24 * time.Hour
	keepTraces  = time.Hour
)

// tidy removes what has run out.
func (b *Boards) tidy(ctx context.Context) error {
	db := b.db.WithContext(ctx)
	if err := db.Exec("delete from board_posts where posted_at < ?", b.now().Add(-rememberIDs)).Error; err != nil {
		return err
	}
	return db.Exec(`delete from board_entries e where removed and not barred and reached_at < ?
		and mark < pg_snapshot_xmin(pg_current_snapshot())::text::bigint
		and not exists (select 1 from players p where p.id = e.subject) and team = ''`, b.now().Add(-keepTraces)).Error
}
