package board

import (
	"context"
	"time"
)

const (
	closeEvery = 5 * time.Second // at which seasons are over for good
	tidyEvery  = 10 * time.Minute
)

// follow closes seasons, and removes what has run out, until the boards are closed.
func (b *Boards) follow(node string, holds func() time.Time) {
	closing, tidy := time.NewTicker(closeEvery), time.NewTicker(tidyEvery)
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
		case <-closing.C:
			try("close seasons", func(ctx context.Context) error { return b.Over(ctx, node, holds) })
		case <-tidy.C:
			try("tidy boards", b.tidy)
		case <-b.ends:
			return
		}
	}
}

// A node whose name was not heard for so long no longer holds a season up: whatever it held from before its end is not
// posted.
const deadAfter = 10 * time.Minute

// spare is for how long after something happened a node may not know yet that it holds it: a lobby that was held up
// does its ticks late.
const spare = 10 * time.Second

// Over tells from when on this node may hold something to post, and closes the seasons that ended before any node may.
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

// The IDs of posts are remembered for so long, and the traces of entries that were taken away.
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
		and not exists (select 1 from players p where p.id = e.subject) and team = ''`, b.now().Add(-keepTraces)).Error
}
