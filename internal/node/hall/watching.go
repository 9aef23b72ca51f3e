package hall

import (
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// admitSpectator lets somebody watch who passes the doors that players pass. Where players see less than spectators,
// whoever has a seat, or had one in this match, does not watch.
func (l *seating) admitSpectator(c *Client, j Joining) error {
	if why, reason := l.m.MayWatch(j.Account, l.hall.digest(j.Pass)); why != code.OK {
		return fault.New(why, "%s", reason)
	}
	if l.secret && j.Account != "" && (l.m.SeatOf(j.Account) != 0 || l.sat[j.Account]) {
		return fault.New(code.AlreadyIn,
			"you have a seat in this match, or had one; spectators see what its players must not")
	}
	most := int(l.row.Int(l.book.F.Lobby.WatchMost))
	if most == 0 {
		return fault.New(code.NoWatching, "nobody may watch in this lobby")
	}
	if l.shows.spectators() >= most {
		return fault.New(code.NoWatching, "%d people may watch here, and as many do", most)
	}
	c.watch = true
	c.delay = time.Duration(l.book.Spectators.Delay) * time.Second / time.Duration(l.book.Rate)
	return nil
}

// noteSeats remembers who has had a seat in the match that runs, and ends the watching of whoever has one. Ticks within
// one state change nothing of it.
func (l *seating) noteSeats() {
	if now := l.m.State(); now != l.stood {
		l.stood = now
		clear(l.sat)
	}
	for _, r := range l.m.Store().Seated {
		if account := r.Text(l.book.F.Player.Account); account != "" && !l.sat[account] {
			l.sat[account] = true
			l.watchesNoMore(account)
		}
	}
}

func (l *seating) watchesNoMore(account string) {
	for _, c := range l.shows.clients {
		if c.watch && c.account == account {
			c.End(wire.Bye{Code: string(code.AlreadyIn), Reason: "you have a seat in this match now; " +
				"spectators see what its players must not"})
		}
	}
}
