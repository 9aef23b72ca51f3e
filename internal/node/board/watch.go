package board

import (
	"context"

	"turnvex.example/turnvex/internal/wire"
)

// Watcher watches a part of a board. It belongs to one goroutine.
type Watcher struct {
	boards *Boards
	ref    Ref
	query  Query
	season int64
	held   *held // whose changes wake it; guarded by Boards.mu
	wake   chan struct{}
	last   *Page
}

// Watch begins to watch a part of a board. Stop must be called in the end.
func (b *Boards) Watch(ctx context.Context, r Ref, q Query) (*Watcher, *Page, error) {
	w := &Watcher{boards: b, ref: r, query: q, wake: make(chan struct{}, 1)}
	page, err := w.read(ctx)
	if err != nil {
		w.Stop()
	}
	return w, page, err
}

// read reads the part, and lets its season wake the watcher from before on.
func (w *Watcher) read(ctx context.Context) (*Page, error) {
	b := w.boards
	w.ref = b.as(w.ref)
	row, err := b.present(ctx, w.ref, w.query.Season)
	if err != nil {
		return nil, err
	}
	if row.ID != w.season || w.held == nil && row.ID != 0 {
		w.Stop()
		if w.season = row.ID; row.ID != 0 {
			h, err := b.hold(ctx, w.ref, row.ID)
			if err != nil {
				return nil, err
			}
			b.mu.Lock()
			w.held = h
			h.watchers[w] = true
			b.mu.Unlock()
		}
	}
	page, err := b.Read(ctx, w.ref, &w.query)
	if err == nil {
		page.Next = ""
		w.last = page
	}
	return page, err
}

// Wake tells that something has changed on the board.
func (w *Watcher) Wake() <-chan struct{} { return w.wake }

// Take returns what has changed in the watched part since it was read last, nil if nothing has, or the whole page where
// another season has begun, or the board has another order.
func (w *Watcher) Take(ctx context.Context) (*wire.Ranked, *Page, error) {
	was := w.last
	page, err := w.read(ctx)
	if err != nil {
		return nil, nil, err
	}
	if page.Season.Name != was.Season.Name || page.Season.State != was.Season.State ||
		page.Order != was.Order {
		return nil, page, nil
	}
	out := &wire.Ranked{Is: "ranked", Count: page.Count, First: page.First, Rows: len(page.Rows),
		Set: []wire.RankedRow{}}
	for i, row := range page.Rows {
		if i >= len(was.Rows) || was.Rows[i] != row {
			out.Set = append(out.Set, wire.RankedRow{N: i, Row: row})
		}
	}
	if len(out.Set) == 0 && len(page.Rows) == len(was.Rows) && page.Count == was.Count && page.First == was.First {
		return nil, nil, nil
	}
	return out, nil, nil
}

// Stop ends the watching.
func (w *Watcher) Stop() {
	w.boards.mu.Lock()
	defer w.boards.mu.Unlock()
	if w.held != nil {
		delete(w.held.watchers, w)
		w.held = nil
	}
}

// stir wakes who watches the season. Boards.mu is held.
func (h *held) stir() {
	for w := range h.watchers {
		select {
		case w.wake <- struct{}{}:
		default:
		}
	}
}
