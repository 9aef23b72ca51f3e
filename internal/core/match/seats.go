package match

import (
	"slices"
	"strconv"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// seat is a player's place in the lobby beside their sheets.
type seat struct {
	row       *sheet.Row
	record    *sheet.Row
	name      string     // as the player gave it, before a suffix tells it apart
	conn      string     // players with the same one share a connection
	heldUntil sheet.Tick // wall tick until which a lost connection keeps it; 0 when it is there
	gone      bool       // the hold has run out, and the rulebook keeps the seat until the match ends
	respawnAt sheet.Tick // play tick, 0 for never
	lastSeq   uint64
	answers   []Verdict // a ring of the latest, made with the first
	claimAt   sheet.Tick
	party     string   // people who came together; "" for alone
	swap      sheet.ID // with whom the player wants to exchange sides
}

// remembered is how many of a seat's latest verdicts are kept, to answer a
// repeated intent again.
const remembered = 32

func (m *Machine) seat(id sheet.ID) *seat {
	for _, s := range m.seats {
		if s.row.ID == id {
			return s
		}
	}
	return nil
}

// SeatOf returns the seat of an account on a connection, or 0.
func (m *Machine) SeatOf(account string) sheet.ID {
	for _, s := range m.seats {
		if s.row.Text(m.book.F.Player.Account) == account {
			return s.row.ID
		}
	}
	return 0
}

// enter gives a newcomer a seat, or says why not.
func (m *Machine) enter(in *Input) {
	if c, why := m.admits(in); c != code.OK {
		m.verdict(Verdict{Code: c, Reason: why})
		return
	}
	if s := m.vacant(); s != nil {
		m.takeOver(s, in)
		return
	}
	s := m.takeSeat(in)
	m.out.Seat = s.row.ID
	m.verdict(Verdict{Seat: s.row.ID})
	m.startCheck()
}

// takeSeat makes a new seat.
func (m *Machine) takeSeat(in *Input) *seat {
	f := &m.book.F.Player
	s := &seat{row: m.st.Add(sheet.Player), record: m.st.Add(sheet.Record), name: in.Name, conn: in.Conn, party: m.useReservation(in.Acct)}
	s.row.Owner, s.record.Owner = s.row.ID, s.row.ID
	m.st.SetInt(s.row, f.Slot, m.freeSlot())
	m.seats = append(m.seats, s)
	m.emptyAt = 0
	m.st.SetText(s.row, f.Account, in.Acct)
	m.st.SetInt(s.row, f.Record, int64(s.record.ID))
	m.st.SetText(s.row, f.Name, m.distinctName(s, in.Name))
	m.placeInTeam(s, in.Team)
	m.counts()
	if m.host() == nil {
		m.st.SetInt(m.lobby, m.book.F.Lobby.Host, int64(s.row.ID))
	}
	m.effect(Effect{Kind: LoadRecord, Seat: s.row.ID, Account: in.Acct})
	return s
}

// freeSlot returns the smallest number that no seat has.
func (m *Machine) freeSlot() int64 {
	for n := int64(0); ; n++ {
		if !slices.ContainsFunc(m.seats, func(s *seat) bool { return s.row.Int(m.book.F.Player.Slot) == n }) {
			return n
		}
	}
}

// vacant returns a seat that stands in for somebody gone, if the rulebook gives
// such seats to newcomers.
func (m *Machine) vacant() *seat {
	if m.book.Players.Gone != "stand-in" {
		return nil
	}
	for _, s := range m.seats {
		if s.gone {
			return s
		}
	}
	return nil
}

// takeOver gives a gone player's seat, as it is, to a newcomer.
func (m *Machine) takeOver(s *seat, in *Input) {
	f := &m.book.F.Player
	m.saveRecord(s)
	s.gone, s.heldUntil, s.lastSeq, s.answers, s.name, s.conn = false, 0, 0, nil, in.Name, in.Conn
	m.st.SetText(s.row, f.Account, in.Acct)
	m.st.SetText(s.row, f.Name, m.distinctName(s, in.Name))
	m.st.SetFlag(s.row, f.Away, false)
	m.st.SetFlag(s.row, f.Loaded, false)
	for _, rf := range m.book.Schema.Fields(sheet.Record) {
		m.st.Set(s.record, rf, rf.Start)
	}
	m.effect(Effect{Kind: LoadRecord, Seat: s.row.ID, Account: in.Acct})
	m.out.Seat = s.row.ID
	m.verdict(Verdict{Seat: s.row.ID})
	m.enoughAgain()
}

// loaded puts a player's record in place; only now the player has control.
func (m *Machine) loaded(in *Input) {
	s := m.seat(in.Seat)
	if s == nil || s.row.Flag(m.book.F.Player.Loaded) {
		return
	}
	for _, v := range in.Record {
		if f := m.book.Schema.Field(sheet.Record, v.Name); f != nil && f.Type == v.Value.Type && m.fits(f, v.Value) {
			m.st.Set(s.record, f, v.Value)
		}
	}
	m.st.SetFlag(s.row, m.book.F.Player.Loaded, true)
	if m.State() == rulebook.Playing && !m.run.over && m.book.Players.Late == "seat" && !s.row.Flag(m.book.F.Player.Playing) {
		m.joinMatch(s)
	}
	m.startCheck()
}

func (m *Machine) fits(f *sheet.Field, v sheet.Value) bool {
	if f.Type == sheet.Choice {
		return v.N[0] >= 0 && int(v.N[0]) < len(f.Choices)
	}
	return true
}

// distinctName adds the smallest number that tells equal names apart.
func (m *Machine) distinctName(me *seat, name string) string {
	for n, try := 1, name; ; n++ {
		if n > 1 {
			try = name + " " + strconv.Itoa(n)
		}
		taken := false
		for _, s := range m.seats {
			taken = taken || s != me && s.row.Text(m.book.F.Player.Name) == try
		}
		if !taken {
			return try
		}
	}
}

func (m *Machine) host() *seat { return m.seat(sheet.ID(m.lobby.Int(m.book.F.Lobby.Host))) }

// counts writes the numbers that follow from the roster, in one place.
func (m *Machine) counts() {
	m.st.SetInt(m.lobby, m.book.F.Lobby.Seats, int64(len(m.seats)))
	m.st.SetInt(m.lobby, m.book.F.Lobby.Reserved, int64(len(m.held)))
	m.st.SetInt(m.lobby, m.book.F.Lobby.Waiting, int64(len(m.line)))
	for _, t := range m.teams {
		m.st.SetInt(t, m.book.F.Team.Size, int64(m.teamSize(t)))
	}
}

// lost marks a seat as away and holds it for the grace period.
func (m *Machine) lost(id sheet.ID) {
	s := m.seat(id)
	if s == nil || s.heldUntil > 0 || s.gone {
		return
	}
	m.st.SetFlag(s.row, m.book.F.Player.Away, true)
	m.stopSteering(s.row)
	s.heldUntil = m.tick + max(m.book.Players.Hold, 1)
	m.nextHold = earlier(m.nextHold, s.heldUntil)
	m.startCheck()
}

// back ends the hold: the connection is there again.
func (m *Machine) back(id sheet.ID) {
	if s := m.seat(id); s != nil {
		s.heldUntil, s.gone = 0, false
		m.st.SetFlag(s.row, m.book.F.Player.Away, false)
		m.enoughAgain()
		m.startCheck()
	}
}

// holdsOver deals with the seats whose grace period has run out.
func (m *Machine) holdsOver() {
	if m.nextHold == 0 || m.nextHold > m.tick {
		return
	}
	m.nextHold = 0
	for i := 0; i < len(m.seats); i++ {
		s := m.seats[i]
		if s.heldUntil == 0 || s.heldUntil > m.tick {
			m.nextHold = earlier(m.nextHold, s.heldUntil)
			continue
		}
		s.heldUntil = 0
		playing := m.inPlay() && s.row.Flag(m.book.F.Player.Playing)
		switch gone := m.book.Players.Gone; {
		case playing && (gone == "keep" || gone == "stand-in"):
			s.gone = true
			if m.hostIs(s) {
				m.passHost(s)
			}
			continue
		case playing && gone == "forfeit":
			m.forfeit(s)
		}
		m.leaveSeat(s)
		i--
	}
}

func (m *Machine) hostIs(s *seat) bool {
	return m.lobby.Int(m.book.F.Lobby.Host) == int64(s.row.ID)
}

// passHost makes the player who has been there longest the host; those who are
// away come after those who are there.
func (m *Machine) passHost(from *seat) {
	var next *seat
	for _, s := range m.seats {
		if s == from || s.gone {
			continue
		}
		if next == nil || next.heldUntil > 0 && s.heldUntil == 0 {
			next = s
		}
	}
	id := int64(0)
	if next != nil {
		id = int64(next.row.ID)
	}
	m.st.SetInt(m.lobby, m.book.F.Lobby.Host, id)
}

// leave gives a seat up. A seat that is not there is left alone.
func (m *Machine) leave(id sheet.ID) {
	if s := m.seat(id); s != nil {
		m.leaveSeat(s)
	}
}

func (m *Machine) leaveSeat(s *seat) {
	if m.State() == rulebook.Starting {
		m.callOff() // whoever leaves calls the start off; it begins anew if all is there
	}
	if m.inPlay() && s.row.Flag(m.book.F.Player.Playing) {
		m.leaveMatch(s)
	}
	m.remove(s)
	m.startCheck()
}

// remove takes the seat and its sheets away and hands the host on.
func (m *Machine) remove(s *seat) {
	m.saveRecord(s)
	if m.hostIs(s) {
		m.passHost(s)
	}
	for i, x := range m.seats {
		if x == s {
			m.seats = append(m.seats[:i], m.seats[i+1:]...)
			break
		}
	}
	m.clearRefs(s.row.ID)
	m.st.Remove(s.record)
	m.st.Remove(s.row)
	m.counts()
	m.seatWaiting()
	if len(m.seats) == 0 {
		m.emptyAt = m.tick + sheet.Tick(emptyFor*m.book.Rate)
	}
}

// clearRefs makes every field that refers to a sheet that goes refer to nobody.
func (m *Machine) clearRefs(id sheet.ID) {
	for k := 0; k < sheet.Kinds; k++ {
		for _, f := range m.book.Schema.Fields(sheet.Kind(k)) {
			if f.Type != sheet.Ref || f.Of != sheet.Player {
				continue
			}
			for _, r := range m.st.Of(sheet.Kind(k)) {
				if r.Int(f) == int64(id) {
					m.st.SetInt(r, f, 0)
				}
			}
		}
	}
}

func (m *Machine) rename(s *seat, name string) Verdict {
	if name == "" || len(name) > 64 {
		return Verdict{Code: code.BadName, Reason: "a name has 1 to 24 characters"}
	}
	s.name = name
	m.st.SetText(s.row, m.book.F.Player.Name, m.distinctName(s, name))
	return Verdict{}
}

// LastIntent returns the number of a seat's last intent that was answered.
func (m *Machine) LastIntent(id sheet.ID) uint64 {
	if s := m.seat(id); s != nil {
		return s.lastSeq
	}
	return 0
}
