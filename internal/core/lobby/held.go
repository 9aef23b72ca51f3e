package lobby

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// reservation is a place held for somebody for a while.
type reservation struct {
	account string
	party   string
	until   sheet.Tick // wall tick
}

// reserve holds places for people who are about to come, all or none.
func (l *doors) reserve(in *step.Input) step.Verdict {
	var names []string
	for _, n := range in.Names {
		held := slices.ContainsFunc(l.held, func(r reservation) bool { return r.account == n })
		if n != "" && !held && l.SeatOf(n) == 0 && !slices.Contains(names, n) {
			names = append(names, n)
		}
		if slices.Contains(l.banned, n) {
			return step.Verdict{Code: code.Banned, Reason: "a member of the party is banned from this lobby"}
		}
	}
	switch {
	case l.State() == rulebook.Playing && l.book.Players.Late == rulebook.LateRefuse:
		return step.Verdict{Code: code.Late, Reason: "a match is running, and nobody may join during it"}
	case !l.row.Flag(l.book.F.Lobby.Open):
		return step.Verdict{Code: code.LobbyClosed, Reason: "the lobby is closed to newcomers"}
	case l.freeFor("") < len(names):
		return step.Verdict{Code: code.LobbyFull,
			Reason: fmt.Sprintf("%d places are wanted, %d are free", len(names), max(l.freeFor(""), 0))}
	}
	for _, n := range names {
		l.held = append(l.held, reservation{n, in.Text, l.tick() + sheet.Tick(max(in.N, 1))})
	}
	l.counts()
	return step.Verdict{}
}

// reservationsOver lets places go that were held long enough.
func (l *doors) reservationsOver() {
	if len(l.held) == 0 {
		return
	}
	before := len(l.held)
	l.held = slices.DeleteFunc(l.held, func(r reservation) bool { return r.until <= l.tick() })
	if len(l.held) != before {
		l.counts()
		l.seatWaiting()
		l.seating.fill()
	}
}
