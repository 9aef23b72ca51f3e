package lobby

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
)

// waiter is somebody who stands in line for a seat.
type waiter struct {
	account, name, conn, team string
	from                      int64
}

// wait puts somebody in line for a seat. Who could have one at once gets it.
func (l *doors) wait(in *step.Input) step.Verdict {
	if c, why := l.lets(in); c != code.OK {
		return step.Verdict{Code: c, Reason: why}
	}
	if slices.ContainsFunc(l.line, func(w waiter) bool { return w.account == in.Acct }) {
		return step.Verdict{Code: code.AlreadyIn, Reason: "you are already in the queue for this lobby"}
	}
	if len(l.line) >= maxLine {
		return step.Verdict{Code: code.LobbyFull, Reason: fmt.Sprintf("%d people stand in line already", maxLine)}
	}
	l.line = append(l.line, waiter{in.Acct, in.Name, in.Conn, in.Team, in.X})
	l.seatWaiting()
	l.counts()
	return step.Verdict{}
}

func (l *doors) unwait(conn string) {
	l.line = slices.DeleteFunc(l.line, func(w waiter) bool { return w.conn == conn })
	l.counts()
}

// seatWaiting gives seats that have become free to those who stand in line, in their order. Who may no longer come in
// is passed over.
func (l *doors) seatWaiting() {
	for i := 0; i < len(l.line) && !l.closed; {
		w := l.line[i]
		in := &step.Input{Acct: w.account, Name: w.name, Conn: w.conn, Team: w.team, Pass: l.password, X: w.from}
		c, _ := l.admits(in)
		if c == code.LobbyFull || c == code.Late || c == code.LobbyClosed {
			break
		}
		l.line = slices.Delete(l.line, i, i+1)
		if c == code.OK {
			s := l.seating.takeSeat(in)
			l.out.Do(step.Effect{Kind: step.Seated, Seat: s.Row.ID, Account: w.account, Text: w.conn})
		}
		l.counts()
	}
}
