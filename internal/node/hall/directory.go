package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// directoryEntry is what the directory says of a lobby.
type directoryEntry struct {
	wire.LobbyInfo
	listed bool
	dirty  bool // not written yet
	busy   bool // being written
}

func infoOf(r *store.Lobby) wire.LobbyInfo {
	i := wire.LobbyInfo{Code: r.Code, Rulebook: r.Rulebook, Version: r.Version, Title: r.Title, Region: r.Region, State: r.State, Seats: r.Seats,
		Capacity: r.Capacity, Free: r.Free, Waiting: r.Waiting, Practice: r.Practice, Open: r.Open, Password: r.Password, Opened: r.CreatedAt}
	if r.Name != nil {
		i.Name = *r.Name
	}
	return i
}

// Info makes what listings show of a directory's row.
func Info(r *store.Lobby) wire.LobbyInfo { return infoOf(r) }

// entry is what the directory should say now.
func (l *Lobby) entry() directoryEntry {
	f := &l.book.F.Lobby
	row := l.m.Store().Of(sheet.Lobby)[0]
	now := l.dir
	now.State, now.Title = f.State.Choices[row.Int(f.State)], row.Text(f.Title)
	now.Seats, now.Capacity, now.Waiting = int(row.Int(f.Seats)), int(row.Int(f.Capacity)), int(row.Int(f.Waiting))
	now.Free = max(now.Capacity-now.Seats-int(row.Int(f.Reserved)), 0)
	now.Open, now.Password, now.listed = row.Flag(f.Open), row.Flag(f.Password), row.Flag(f.Listed)
	return now
}

// Info is what the lobby is at this moment.
func (l *Lobby) Info(ctx context.Context) (info wire.LobbyInfo, err error) {
	err = l.do(ctx, func() { info = l.entry().LobbyInfo })
	return info, err
}

// Fresh brings rows of the directory up to date for the lobbies that are alive
// here: a row is written a little later than what it tells of happens.
func (h *Hall) Fresh(info *wire.LobbyInfo) {
	h.mu.Lock()
	l := h.lobbies[info.Code]
	h.mu.Unlock()
	if l == nil {
		return
	}
	if now := l.latest.Load(); now != nil {
		*info = *now
	}
}

// noteDirectory tells listings, and writes the lobby's row anew, when something
// that stands in it has changed.
func (l *Lobby) noteDirectory() {
	now := l.entry()
	if now == l.dir || l.m.Closed() { // its end is updateDirectory's to tell
		return
	}
	was := l.dir
	now.dirty = true
	l.dir = now
	l.latest.Store(&now.LobbyInfo)
	switch {
	case now.listed:
		l.hall.Listing.tell(was.LobbyInfo, &now.LobbyInfo)
	case was.listed:
		l.hall.Listing.tell(was.LobbyInfo, nil)
	}
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
		"state": e.State, "seats": e.Seats, "title": e.Title, "capacity": e.Capacity, "free": e.Free, "waiting": e.Waiting, "open": e.Open,
		"listed": e.listed, "password": e.Password, "updated_at": time.Now().UTC(), "closed_at": closed}).Error
}

// updateDirectory writes the last word: the lobby has closed.
func (l *Lobby) updateDirectory() {
	l.writes.Wait()
	now := time.Now().UTC()
	l.retry("close the lobby's row", func(ctx context.Context) error {
		e := l.dir
		e.State, e.Seats, e.Free = "closed", 0, 0
		return l.writeRow(ctx, e, &now)
	})
	if l.dir.listed {
		l.hall.Listing.tell(l.dir.LobbyInfo, nil)
	}
}
