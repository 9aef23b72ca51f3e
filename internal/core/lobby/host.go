package lobby

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// kick removes a player from the lobby at the host's word.
func (l *seating) kick(s *seat, id sheet.ID) step.Verdict {
	t := l.seat(id)
	switch {
	case !l.hostIs(s):
		return step.Verdict{Code: code.NotHost, Reason: "only the host may remove players"}
	case t == nil:
		return step.Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	case t == s:
		return step.Verdict{Code: code.WrongTarget, Reason: "leave instead of removing yourself"}
	case t.filler:
		return step.Verdict{Code: code.WrongTarget, Reason: "nobody has this seat; the service plays it"}
	}
	l.drop(t)
	return step.Verdict{}
}

// handOver makes another player the host.
func (l *seating) handOver(s *seat, id sheet.ID) step.Verdict {
	t := l.seat(id)
	switch {
	case !l.hostIs(s):
		return step.Verdict{Code: code.NotHost, Reason: "only the host can make somebody else the host"}
	case t == nil || t.gone:
		return step.Verdict{Code: code.NoSeat, Reason: "there is no such seat in this lobby"}
	}
	l.st.SetInt(l.row, l.book.F.Lobby.Host, int64(t.Row.ID))
	return step.Verdict{}
}

// passHost makes the player who has been there longest the host; those who are away come after those who are there.
func (l *seating) passHost(from *seat) {
	if from != nil && l.book.Players.HostGone == rulebook.HostCloses {
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
