package match

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// reservation is a place held for somebody for a while.
type reservation struct {
	account string
	party   string
	until   sheet.Tick // wall tick
}

// waiter is somebody who stands in line for a seat.
type waiter struct {
	account, name, conn, team string
}

// The bounds of what a lobby remembers of people without a seat.
const (
	maxLine   = 100
	maxBanned = 200
)

// admits tells whether a newcomer may have a seat now, and says which of all
// reasons it is that they may not.
func (m *Machine) admits(in *Input) (code.Code, string) {
	if c, why := m.lets(in); c != code.OK {
		return c, why
	}
	same := 0
	for _, s := range m.seats {
		same += int(b2i(s.conn == in.Conn && in.Conn != ""))
	}
	switch {
	case same >= m.book.Players.Local:
		return code.TooManyLocals, fmt.Sprintf("at most %d players may share a connection here", m.book.Players.Local)
	case m.vacant() != nil:
		return code.OK, ""
	case m.freeFor(in.Acct) <= 0:
		return m.full()
	case len(m.teams) > 0 && !m.anyTeamFree():
		return code.LobbyFull, "every team is full"
	}
	return code.OK, ""
}

// full says how full the lobby is.
func (m *Machine) full() (code.Code, string) {
	most, held := m.lobby.Int(m.book.F.Lobby.Capacity), len(m.held)
	if held > 0 {
		return code.LobbyFull, fmt.Sprintf("of %d seats %d are taken and %d are held for others", most, len(m.seats), held)
	}
	return code.LobbyFull, fmt.Sprintf("all %d seats are taken", most)
}

// lets tells whether somebody may come in at all, be there room or not.
func (m *Machine) lets(in *Input) (code.Code, string) {
	for _, s := range m.seats {
		if in.Acct != "" && s.row.Text(m.book.F.Player.Account) == in.Acct && !s.gone {
			return code.AlreadyIn, "you have a seat in this lobby already"
		}
	}
	held := slices.ContainsFunc(m.held, func(r reservation) bool { return r.account == in.Acct })
	switch {
	case in.Acct != "" && slices.Contains(m.banned, in.Acct):
		return code.Banned, "you are banned from this lobby"
	case !m.lobby.Flag(m.book.F.Lobby.Open) && !held:
		return code.LobbyClosed, "the lobby takes no newcomers"
	case m.password != "" && in.Pass != m.password && !held && in.Acct != "":
		return code.WrongPassword, "the lobby asks for a password, and this is not it"
	case m.State() == rulebook.Playing && m.book.Players.Late == "refuse":
		return code.Late, "a match is running, and nobody is let in during it"
	}
	return code.OK, ""
}

// freeFor is how many seats are free for an account: those held for others are not.
func (m *Machine) freeFor(account string) int {
	free := int(m.lobby.Int(m.book.F.Lobby.Capacity)) - len(m.seats)
	for _, r := range m.held {
		if r.account != account {
			free--
		}
	}
	return free
}

// reserve holds places for people who are about to come, all or none.
func (m *Machine) reserve(in *Input) Verdict {
	var names []string
	for _, n := range in.Names {
		held := slices.ContainsFunc(m.held, func(r reservation) bool { return r.account == n })
		if n != "" && !held && m.SeatOf(n) == 0 && !slices.Contains(names, n) {
			names = append(names, n)
		}
		if slices.Contains(m.banned, n) {
			return Verdict{Code: code.Banned, Reason: "somebody of the party is banned from this lobby"}
		}
	}
	switch {
	case m.State() == rulebook.Playing && m.book.Players.Late == "refuse":
		return Verdict{Code: code.Late, Reason: "a match is running, and nobody is let in during it"}
	case !m.lobby.Flag(m.book.F.Lobby.Open):
		return Verdict{Code: code.LobbyClosed, Reason: "the lobby takes no newcomers"}
	case m.freeFor("") < len(names):
		return Verdict{Code: code.LobbyFull, Reason: fmt.Sprintf("%d places are wanted, %d are free", len(names), max(m.freeFor(""), 0))}
	}
	for _, n := range names {
		m.held = append(m.held, reservation{n, in.Text, m.tick + sheet.Tick(max(in.N, 1))})
	}
	m.counts()
	return Verdict{}
}

// useReservation takes an account's reservation away and returns its party.
func (m *Machine) useReservation(account string) string {
	for i, r := range m.held {
		if r.account == account && account != "" {
			m.held = slices.Delete(m.held, i, i+1)
			return r.party
		}
	}
	return ""
}

// reservationsOver lets places go that were held long enough.
func (m *Machine) reservationsOver() {
	if len(m.held) == 0 {
		return
	}
	before := len(m.held)
	m.held = slices.DeleteFunc(m.held, func(r reservation) bool { return r.until <= m.tick })
	if len(m.held) != before {
		m.counts()
		m.seatWaiting()
	}
}

// partysTeam is the team in which a party is, or the one with the most room for
// all of it; nil when they did not come together or it does not fit.
func (m *Machine) partysTeam(party string) *sheet.Row {
	if party == "" {
		return nil
	}
	size := 1
	for _, r := range m.held {
		size += int(b2i(r.party == party))
	}
	var best *sheet.Row
	room := 0
	for i, t := range m.teams {
		free := m.book.Teams.List[i].Most - m.teamSize(t)
		if slices.ContainsFunc(m.seats, func(s *seat) bool { return s.party == party && s.row.Team == t.ID }) && free > 0 {
			return t
		}
		if free >= size && (best == nil || free > room) {
			best, room = t, free
		}
	}
	return best
}

// wait puts somebody in line for a seat. Who could have one at once gets it.
func (m *Machine) wait(in *Input) Verdict {
	if c, why := m.lets(in); c != code.OK {
		return Verdict{Code: c, Reason: why}
	}
	if slices.ContainsFunc(m.line, func(w waiter) bool { return w.account == in.Acct }) {
		return Verdict{Code: code.AlreadyIn, Reason: "you stand in line for this lobby already"}
	}
	if len(m.line) >= maxLine {
		return Verdict{Code: code.LobbyFull, Reason: fmt.Sprintf("%d people stand in line already", maxLine)}
	}
	m.line = append(m.line, waiter{in.Acct, in.Name, in.Conn, in.Team})
	m.seatWaiting()
	m.counts()
	return Verdict{}
}

func (m *Machine) unwait(conn string) {
	m.line = slices.DeleteFunc(m.line, func(w waiter) bool { return w.conn == conn })
	m.counts()
}

// Waiting returns the place in line of a connection, from 1, or 0.
func (m *Machine) Waiting(conn string) int {
	return slices.IndexFunc(m.line, func(w waiter) bool { return w.conn == conn }) + 1
}

// seatWaiting gives seats that have become free to those who stand in line, in
// their order. Who may no longer come in is passed over.
func (m *Machine) seatWaiting() {
	for i := 0; i < len(m.line) && !m.closed; {
		w := m.line[i]
		in := &Input{Acct: w.account, Name: w.name, Conn: w.conn, Team: w.team, Pass: m.password}
		c, _ := m.admits(in)
		if c == code.LobbyFull || c == code.Late || c == code.LobbyClosed {
			break
		}
		m.line = slices.Delete(m.line, i, i+1)
		if c == code.OK {
			s := m.takeSeat(in)
			m.effect(Effect{Kind: Seated, Seat: s.row.ID, Account: w.account, Text: w.conn})
		}
		m.counts()
	}
}

// ban removes a player for good.
func (m *Machine) ban(s *seat, id sheet.ID) Verdict {
	t := m.seat(id)
	account := ""
	if t != nil {
		account = t.row.Text(m.book.F.Player.Account)
	}
	if v := m.kick(s, id); !v.OK() {
		return v
	}
	if account != "" && !slices.Contains(m.banned, account) {
		m.banned = append(m.banned, account)
		m.banned = m.banned[max(len(m.banned)-maxBanned, 0):]
	}
	m.held = slices.DeleteFunc(m.held, func(r reservation) bool { return r.account == account })
	return Verdict{}
}

func (m *Machine) unban(s *seat, account string) Verdict {
	if !m.hostIs(s) {
		return Verdict{Code: code.NotHost, Reason: "only the host lets players in again"}
	}
	m.banned = slices.DeleteFunc(m.banned, func(b string) bool { return b == account })
	return Verdict{}
}
