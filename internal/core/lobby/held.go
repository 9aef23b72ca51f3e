package lobby

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// reservation is a place held for somebody for a while, also while they have a seat, so that they may leave and come
// back. In a lobby that is closed it lasts as long as that: whoever is listed may come.
type reservation struct {
	account string
	party   string
	until   sheet.Tick // wall tick
	leads   bool       // the others of the party are let go if this one does not come
}

type reservations []reservation

// party is that of somebody for whom a place is held; "" for nobody.
func (list reservations) party(account string) string {
	for _, r := range list {
		if r.account == account && account != "" {
			return r.party
		}
	}
	return ""
}

func (list reservations) accounts() (out []string) {
	for i := range list {
		out = append(out, list[i].account)
	}
	return out
}

// reserve holds places for people who are about to come, all or none.
func (l *doors) reserve(in *step.Input) step.Verdict {
	var names []string
	until := l.tick() + sheet.Tick(max(in.N, 1))
	for _, n := range in.Names {
		i := slices.IndexFunc(l.held, func(r reservation) bool { return r.account == n })
		if i >= 0 {
			l.held[i].until = max(l.held[i].until, until)
		} else if n != "" && l.SeatOf(n) == 0 && !slices.Contains(names, n) {
			names = append(names, n)
		}
		if slices.Contains(l.banned, n) {
			return step.Verdict{Code: code.Banned, Reason: "a member of the party is banned from this lobby"}
		}
	}
	switch {
	case l.State() == rulebook.Playing && l.book.Players.Late == rulebook.LateRefuse:
		return step.Verdict{Code: code.Late, Reason: "a match is running, and nobody may join during it"}
	case !l.row.Flag(l.book.F.Lobby.Open) && !in.Yes:
		return step.Verdict{Code: code.LobbyClosed, Reason: "the lobby is closed to newcomers"}
	case l.freeFor("") < len(names):
		return step.Verdict{Code: code.LobbyFull,
			Reason: fmt.Sprintf("%d places are wanted, %d are free", len(names), max(l.freeFor(""), 0))}
	}
	for _, n := range names {
		r := reservation{account: n, party: in.Text, until: until}
		if r.leads = in.X > 0 && in.Text != "" && n == in.Names[0]; r.leads {
			r.until = l.tick() + sheet.Tick(in.X)
		}
		l.held = append(l.held, r)
	}
	if in.X > 0 && l.people() > 0 { // who was found a place by quick join may be a stranger, whatever the host does now
		l.st.SetFlag(l.row, l.book.F.Lobby.Public, true)
	}
	l.counts()
	return step.Verdict{}
}

// reservationsOver lets places go that were held long enough.
func (l *doors) reservationsOver() {
	if len(l.held) == 0 || !l.row.Flag(l.book.F.Lobby.Open) {
		return
	}
	before := len(l.held)
	for _, lead := range slices.Clone(l.held) {
		if lead.leads && lead.until <= l.tick() && l.SeatOf(lead.account) == 0 {
			l.held = slices.DeleteFunc(l.held, func(r reservation) bool {
				return r.party == lead.party && r.party != "" && l.SeatOf(r.account) == 0
			})
		}
	}
	l.held = slices.DeleteFunc(l.held, func(r reservation) bool { return r.until <= l.tick() })
	if len(l.held) != before {
		l.counts()
		l.seatWaiting()
		l.seating.fill()
	}
}
