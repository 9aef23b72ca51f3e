package ledger

import (
	"context"
	"maps"
	"slices"
	"time"
)

// commitWithin is the time for one batch.
const commitWithin = 10 * time.Second

// commit writes a batch: all of it or nothing. It may be repeated.
func (g *Ledger) commit(b *batch) error {
	ctx, over := context.WithTimeout(context.Background(), commitWithin)
	defer over()
	if b.bare() {
		id, err := g.append(g.db.Rows(ctx), b)
		if err == nil {
			g.follow(b, id)
		}
		return err
	}
	var id int64
	err := g.db.Together(ctx, func(tx Rows) (err error) {
		if id, err = g.append(tx, b); err != nil {
			return err
		}
		return tx.Keep(&Kept{People: b.people, Segments: b.segments, Ends: b.ends,
			Checkpoints: slices.Collect(maps.Values(b.checkpoints))})
	})
	if err == nil {
		g.trim(ctx, b, g.follow(b, id))
	}
	return err
}

// append writes the entries, if the node still holds the lease under which they were taken in.
func (g *Ledger) append(tx Rows, b *batch) (row int64, err error) {
	return tx.Append(g.node, b.fence, b.at, b.data)
}

// follow notes where the log is still needed, and returns the first row that is; 0 if nobody knows.
func (g *Ledger) follow(b *batch, id int64) (least int64) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for lobby := range b.checkpoints {
		delete(g.first, lobby)
	}
	for _, e := range b.log {
		cp := b.checkpoints[e.lobby]
		if _, has := g.first[e.lobby]; !has && (cp == nil || cp.Seq < e.seq) {
			g.first[e.lobby] = id
		}
	}
	for _, lobby := range b.ends {
		delete(g.first, lobby)
	}
	if g.last = max(g.last, id); g.taking > 0 {
		return 0
	}
	least = g.last + 1
	for _, f := range g.first {
		least = min(least, f)
	}
	return least
}

// trim removes from the log what lies before every lobby's last checkpoint.
func (g *Ledger) trim(ctx context.Context, b *batch, least int64) {
	if len(b.checkpoints)+len(b.ends) == 0 {
		return
	}
	if err := g.db.Rows(ctx).Shorten(g.node, least); err != nil {
		g.log.Warn("the log of the lobbies could not be made shorter", "error", err)
	}
}
