package match

import (
	"slices"
	"strconv"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Absent is somebody who has left the match under way: what they had in it, to find again when they come back, and to
// be counted at its end.
type Absent struct {
	Who    string     // the account whose connection they were on
	From   int64      // a number for the address that they came from; 0 if it is not known
	Local  int        // which of its players, 0 for the first
	Team   sheet.ID   // 0 without teams
	VoteAt sheet.Tick // wall tick from which on they may open a vote again
	Ballot Ballot

	was            sheet.ID // the player's sheet
	name           string   // as they gave it
	player, record []sheet.Value
	edges          uint64
	respawnAt      sheet.Tick // play tick, 0 for never
	round          int64
	groups         []int64 // by group: 1 if they were in it
	bare           bool    // they had nothing that a newcomer has not
}

// Ballot is the vote that was open when somebody left.
type Ballot struct {
	No    int64      // which, from 1; 0 for none
	Until sheet.Tick // wall tick at which it ends
	Cast  int64      // how they had voted, 0 for not at all
	On    bool       // it was on them
	By    sheet.ID   // who had opened it
	Votes []Vote     // the votes cast, if it was on them
}

// Vote is how somebody has voted.
type Vote struct {
	Of   sheet.ID
	Cast int64
}

// perSeat is how many who have left are remembered for each seat of the lobby, before those who had nothing are
// forgotten, and nobody new is let in from where most of them came.
const perSeat = 4

func (m *roster) mostAbsent() int { return perSeat * int(m.lobby.Int(m.book.F.Lobby.Capacity)) }

// bare tells whether a player has nothing in the match that a newcomer has not.
func (m *roster) bare(p *Player) bool {
	for _, f := range m.book.Schema.Fields(sheet.Player) {
		if !f.BuiltIn && !f.Derived && p.Row.Get(f) != f.Start {
			return false
		}
	}
	f := &m.book.F.Player
	return p.Row.Flag(f.Alive) && p.Row.Int(f.Rounds) == 0 && p.Row.Int(f.Kits) == m.startKits()
}

// setAside remembers what somebody had who leaves.
func (m *roster) setAside(p *Player, a Absent) {
	a.was, a.name, a.Team = p.Row.ID, p.Name, p.Row.Team
	a.player, a.record = m.book.Schema.Values(p.Row), m.book.Schema.Values(p.Record)
	a.edges, a.respawnAt, a.round = p.Row.Edges, p.respawnAt, m.round
	for _, f := range m.book.Groups() {
		a.groups = append(a.groups, sheet.Bit(sheet.Holds(m.row.Text(f), int64(p.Row.ID))))
	}
	list := &m.ends.absent
	if len(*list) >= m.mostAbsent() {
		for i := range *list {
			if (*list)[i].bare {
				*list = append((*list)[:i], (*list)[i+1:]...)
				break
			}
		}
	}
	*list = append(*list, a)
}

// Removes notes that somebody removes a player, as the host, from the match that is running: the account on whose
// connection they are. Players without an account who share it have nothing kept to win.
func (m *roster) Removes(who string, p *Player) {
	if who != "" && m.Has(p) && !slices.Contains(m.ends.removers, who) {
		m.ends.removers = append(m.ends.removers, who)
	}
}

// Crowded tells whether so many have left the match that nobody new is let into it from an address: the one from which
// most of them came; every one, when they are twice as many.
func (m *roster) Crowded(from int64) bool {
	list := m.ends.absent
	if !m.InPlay() || len(list) < m.mostAbsent() {
		return false
	}
	busiest, by := 0, map[int64]int{}
	for i := range list {
		if list[i].bare {
			return false
		}
		by[list[i].From]++
		busiest = max(busiest, by[list[i].From])
	}
	return by[from] == busiest || len(list) >= 2*m.mostAbsent()
}

// Absent returns what somebody had who has left the match under way, or nil. It is good until the next change.
func (m *roster) Absent(who string, local int) *Absent {
	if !m.InPlay() || who == "" {
		return nil
	}
	for i := range m.ends.absent {
		if a := &m.ends.absent[i]; a.Who == who && a.Local == local {
			return a
		}
	}
	return nil
}

// Forget makes somebody who has left one who was never there.
func (m *roster) Forget(a *Absent) {
	for i := range m.ends.absent {
		if &m.ends.absent[i] == a {
			m.ends.absent = append(m.ends.absent[:i:i], m.ends.absent[i+1:]...)
			return
		}
	}
}

// Return lets somebody go on in the match that they had left, as they were. Their seat is in the team in which they
// were, or one of a stand-in, which goes.
func (m *roster) Return(p *Player, a *Absent) {
	m.leaveOut(p)
	m.takeIn(p)
	f := &m.book.F.Player
	for i, field := range m.book.Schema.Fields(sheet.Player) {
		own := !field.BuiltIn || field.Reset != sheet.ResetNever || field == f.Kits
		if own && !field.Derived && field != f.Outcome && field != f.Place {
			m.st.Set(p.Row, field, a.player[i])
		}
	}
	m.backInGroups(p, a)
	p.Row.Edges, p.respawnAt, p.reach = a.edges, a.respawnAt, 0
	for i := range m.pauses.pause.used {
		if u := &m.pauses.pause.used[i]; u.of == a.was {
			u.of = p.Row.ID
		}
	}
	switch missed := a.round != m.round; {
	case missed:
		m.st.ResetRow(p.Row, sheet.ResetRound)
		m.values.begin(p.Row, sheet.ResetRound)
		m.motion.spawn(p)
	case p.respawnAt > 0:
		m.motion.respawn = sheet.Sooner(m.motion.respawn, max(p.respawnAt, m.play+1))
	}
	m.stirred = true
	m.Forget(a)
	if len(m.players) == 1 {
		m.pieces.bearersAgain()
	}
	m.EnoughAgain()
}

// backInGroups puts somebody who is back into the groups in which they were.
func (m *roster) backInGroups(p *Player, a *Absent) {
	for i, f := range m.book.Groups() {
		v := m.row.Get(f)
		fits := sheet.CountItems(v.S) < int64(f.Most) && (a.round == m.round || f.Reset < sheet.ResetRound)
		if a.groups[i] == 0 || !fits || sheet.Holds(v.S, int64(p.Row.ID)) {
			continue
		}
		v.S = sheet.ListOf(append(sheet.Items(v.S), strconv.Itoa(int(p.Row.ID))), false)
		m.st.Set(m.row, f, v)
	}
}

// countAbsent adds those who have left, and are not back, to the result, to their records and to the boards, as the
// rulebook says: on sheets that they have for so long.
func (m *ends) countAbsent(r *step.Result) {
	last := int64(len(m.contestants()) + 1)
	for i := range m.absent {
		a := &m.absent[i]
		p := NewPlayer(m.st, a.name)
		for n, f := range m.book.Schema.Fields(sheet.Player) {
			m.st.Set(p.Row, f, a.player[n])
		}
		for n, f := range m.book.Schema.Fields(sheet.Record) {
			m.st.Set(p.Record, f, a.record[n])
		}
		m.st.SetInt(p.Row, m.book.F.Player.Record, int64(p.Record.ID))
		m.st.SetTeam(p.Row, a.Team)
		m.st.SetTeam(p.Record, a.Team)
		if m.broken == "" {
			m.placeLeaver(p.Row, last)
		}
		r.Players = append(r.Players, m.playerResult(p.Row, a.name))
		if m.kept.keepRecord(p); !m.practice() && m.broken == "" {
			if m.book.Players.Leavers != rulebook.LeaversLeft {
				r.Posts = append(r.Posts, m.kept.posts(p.Row)...)
			}
			m.kept.SaveRecord(p)
		}
		m.st.Remove(p.Record)
		m.st.Remove(p.Row)
	}
}
