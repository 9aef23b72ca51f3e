package hall

import (
	"context"
	"time"

	"turnvex/internal/sheet"
	"turnvex/internal/store"
)

// directoryEntry is what the directory says of a lobby.
type directoryEntry struct {
	state string
	seats int
	title string
	cap   int
	open  bool
	dirty bool
	busy  bool
}

// noteDirectory writes the lobby's row anew when something that stands in it
// has changed.
func (l *Lobby) noteDirectory(ch sheet.Changes) {
	f := &l.book.F.Lobby
	row := l.m.Store().Of(sheet.Lobby)[0]
	now := directoryEntry{state: f.State.Choices[row.Int(f.State)], seats: int(row.Int(f.Seats)), title: row.Text(f.Title),
		cap: int(row.Int(f.Capacity)), open: row.Flag(f.Open), busy: l.dir.busy}
	old := l.dir
	old.dirty = false
	if now == old {
		return
	}
	now.dirty = true
	l.dir = now
	l.writeDirectory()
}

// writeDirectory writes in the background, one write at a time; what changes
// meanwhile is written after it.
func (l *Lobby) writeDirectory() {
	if l.dir.busy || !l.dir.dirty {
		return
	}
	l.dir.busy, l.dir.dirty = true, false
	e := l.dir
	l.writes.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := l.writeRow(ctx, e, nil); err != nil {
			l.log.Warn("could not write the directory", "error", err)
		}
		go l.post(func() { l.dir.busy = false; l.writeDirectory() })
	})
}

func (l *Lobby) writeRow(ctx context.Context, e directoryEntry, closed *time.Time) error {
	return l.hall.cfg.DB.WithContext(ctx).Model(&store.Lobby{}).Where("id = ? and closed_at is null", l.ID).Updates(map[string]any{
		"state": e.state, "seats": e.seats, "title": e.title, "capacity": e.cap, "open": e.open, "updated_at": time.Now().UTC(), "closed_at": closed}).Error
}

// updateDirectory writes the last word: the lobby has closed.
func (l *Lobby) updateDirectory() {
	l.writes.Wait()
	now := time.Now().UTC()
	l.retry("close the lobby's row", func(ctx context.Context) error {
		e := l.dir
		e.state, e.seats = "closed", 0
		return l.writeRow(ctx, e, &now)
	})
}
