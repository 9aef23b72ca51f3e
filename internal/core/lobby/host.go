package lobby

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// kick removes a player from the lobby at the host's word.
func (l *seating) kick(s *seat, id sheet.ID) step.Verdict {
	if v := may(l.room, s, rulebook.PowerRemove); !v.OK() {
		return v
	}
	return l.expel(s, id)
}

// expel removes a player who is there, at the word of somebody who may.
func (l *seating) expel(s *seat, id sheet.ID) step.Verdict {
	t := l.seat(id)
	switch {
	case t == nil:
		return step.Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	case t == s:
		return step.Verdict{Code: code.WrongTarget, Reason: "leave instead of removing yourself"}
	case t.filler:
		return step.Verdict{Code: code.WrongTarget, Reason: "nobody has this seat; the service plays it"}
	}
	l.match.Roster.Removes(s.who, t.Player)
	l.drop(t)
	return step.Verdict{}
}

// handOver makes another player the host.
func (l *seating) handOver(s *seat, id sheet.ID) step.Verdict {
	if v := may(l.room, s, rulebook.PowerHandOver); !v.OK() {
		return v
	}
	t := l.seat(id)
	if t == nil || t.gone {
		return step.Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	}
	l.st.SetInt(l.row, l.book.F.Lobby.Host, int64(t.Row.ID))
	return step.Verdict{}
}

// may tells whether somebody is the host and has a power now.
func may(l *room, s *seat, p rulebook.Power) step.Verdict {
	f, h := &l.book.F.Lobby, &l.book.Host
	switch {
	case !l.hostIs(s):
		return step.Verdict{Code: code.NotHost, Reason: "only the host may " + p.Does()}
	case !h.Has(p, l.row.Flag(f.Practice), l.row.Flag(f.Public), l.match.InPlay()):
		return step.Verdict{Code: code.NoPower, Reason: h.Refuses(p)}
	}
	return step.Verdict{}
}

// meets makes the lobby public when a newcomer may be a stranger: anybody could have come. Who shares a connection with
// somebody shares a screen.
func meets(l *room, who, conn string) {
	f := &l.book.F.Lobby
	others := slices.ContainsFunc(l.seats, func(s *seat) bool { return !s.filler && s.who != who && !s.on(conn) })
	if others && l.password == "" && l.row.Flag(f.Open) && l.row.Flag(f.Listed) {
		l.st.SetFlag(l.row, f.Public, true)
	}
}

// parts makes it private again when at most one person is left, or those of one screen.
func parts(l *room) {
	var one *seat
	for _, s := range l.seats {
		switch {
		case s.filler:
		case one == nil:
			one = s
		case s.who != one.who && !s.on(one.conn):
			return
		}
	}
	l.st.SetFlag(l.row, l.book.F.Lobby.Public, false)
}

// passHost makes the player who has been there longest the host; those who are away come after those who are there.
func (l *seating) passHost(from *seat) {
	if l.hostless {
		return
	}
	if from != nil && l.book.Host.Gone == rulebook.HostCloses {
		l.hostLeft = true
	}
	var next *seat
	for _, s := range l.seats {
		if s == from || s.gone {
			continue
		}
		if next == nil || next.heldUntil > 0 && s.heldUntil == 0 {
			next = s
		}
	}
	id := int64(0)
	if next != nil {
		id = int64(next.Row.ID)
	}
	l.st.SetInt(l.row, l.book.F.Lobby.Host, id)
}
