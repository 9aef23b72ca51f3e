package hall

import (
	"context"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/wire"
)

// sign is what the directory says of a lobby.
type sign struct {
	*room
	kept    *keeping
	entry   directory.Entry // what it says, or is about to
	written directory.Entry // what was handed to be written last
	writing bool
	latest  atomic.Pointer[directory.Entry]
}

// present is what the directory should say now.
func (l *sign) present() directory.Entry {
	f, row := &l.book.F.Lobby, l.row
	e := directory.Entry{ID: l.ID, Node: l.hall.cfg.Node, Epoch: l.stay.Fence.Epoch, Listed: row.Flag(f.Listed)}
	e.LobbyInfo = wire.LobbyInfo{
		Code:     l.Code,
		Name:     l.name,
		Rulebook: l.book.Name,
		Version:  l.book.Version,
		Title:    row.Text(f.Title),
		Region:   row.Text(f.Region),
		State:    f.State.Choices[row.Int(f.State)],
		Seats:    int(row.Int(f.Seats)),
		Capacity: int(row.Int(f.Capacity)),
		Waiting:  int(row.Int(f.Waiting)),
		Practice: row.Flag(f.Practice),
		Open:     row.Flag(f.Open),
		Password: row.Flag(f.Password),
		Opened:   l.opened.UTC(),
	}
	if s := l.book.StandIns; s != nil { // who comes takes the place of one that the service plays
		e.Seats -= int(row.Int(s.Count))
	}
	e.Arena = l.arena()
	e.Free = max(e.Capacity-e.Seats-int(row.Int(f.Reserved)), 0)
	return e
}

// setEntry sets what the directory says, or is about to, for the loop and for others.
func (l *sign) setEntry(e directory.Entry) {
	l.entry = e
	l.latest.Store(&e)
}

// arena is where the running match is played, or else the next one; "" where there is one ground or none.
func (l *sign) arena() string {
	a := l.book.Arenas
	if a == nil {
		return ""
	}
	if m := l.m.Store().Of(sheet.Match); len(m) > 0 {
		return a.Field.Choices[m[0].Int(a.Field)]
	}
	return a.Next.Choices[l.row.Int(a.Next)]
}

// Info is what the lobby is at this moment.
func (l *Lobby) Info(ctx context.Context) (info wire.LobbyInfo, err error) {
	err = l.do(ctx, func() { info = l.sign.present().LobbyInfo })
	return info, err
}

// announce tells listings of a lobby that has just been opened.
func (l *sign) announce() {
	now := l.entry
	l.written = now
	l.hall.Tallies.Set(&now)
	if now.Listed {
		l.hall.Listing.Tell(wire.LobbyInfo{}, &now.LobbyInfo)
	}
}

// noteEntry tells listings, and writes the lobby's row anew, when something that stands in it has changed. What changes
// while it is being written is written after.
func (l *sign) noteEntry(now directory.Entry) {
	if now == l.entry || l.m.Closed() { // its end is closeEntry's to tell
		return
	}
	was := l.entry
	l.setEntry(now)
	l.hall.Tallies.Set(&now)
	switch {
	case now.Listed:
		l.hall.Listing.Tell(was.LobbyInfo, &now.LobbyInfo)
	case was.Listed:
		l.hall.Listing.Tell(was.LobbyInfo, nil)
	}
	l.writeEntry()
}

func (l *sign) writeEntry() {
	if l.writing || l.written == l.entry {
		return
	}
	l.writing, l.written = true, l.entry
	e := l.entry
	l.kept.tasks.add(func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		err := l.hall.cfg.Directory.Write(ctx, e)
		if err != nil {
			l.log().Warn("could not write the directory", "error", err)
		}
		l.postSoon(func() { l.entryWritten(err == nil) })
	})
}

// entryWritten goes on with what has changed meanwhile. What could not be written is written with the next change.
func (l *sign) entryWritten(well bool) {
	l.writing = false
	if well {
		l.writeEntry()
	} else {
		l.written = directory.Entry{}
	}
}

// closeEntry writes the last word: the lobby has closed.
func (l *sign) closeEntry() {
	l.closeAs(l.entry)
}

// closeAs is closeEntry for what the directory last said. Any goroutine may call it.
func (l *sign) closeAs(e directory.Entry) {
	was := e.LobbyInfo
	e.State, e.Seats, e.Free = directory.Closed, 0, 0
	l.retry("close the lobby's row", keepFor, func(ctx context.Context) error {
		return l.hall.cfg.Directory.Close(ctx, e, l.hall.cfg.Now().UTC())
	})
	if e.Listed {
		l.hall.Listing.Tell(was, nil)
	}
}
