package lobby

import (
	"cmp"
	"math/rand/v2"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// room is what all parts of a lobby share: its sheets, its seats, who is waited for, and its match.
type room struct {
	book  *rulebook.Book
	st    *sheet.Store
	lots  *lots.Lots
	out   step.Output
	row   *sheet.Row
	teams []*sheet.Row
	match *match.Match
	then  afterwards

	seats    []*seat
	closed   bool
	banned   []string
	mutings  mutings
	held     reservations
	line     []waiter
	hostless bool       // nobody is the host: a series decides
	password string     // the digest of it; "" for none
	emptyAt  sheet.Tick // wall tick at which the empty lobby closes; 0 when it is not empty
}

// afterwards is what follows where somebody has come, gone, or changed their mind.
type afterwards interface {
	startCheck()                         // starts the countdown or calls it off, as it must be now
	callOff()                            // ends the countdown
	countVote()                          // counts the vote under way anew
	ballot(s *seat) match.Ballot         // how somebody stands in the vote under way
	votesAgain(s *seat, b *match.Ballot) // has somebody stand as they did, who comes back
	fill()                               // seats stand-ins, or takes them away
	seatWaiting()                        // gives free places to those who stand in line
}

func (l *room) startCheck()  { l.then.startCheck() }
func (l *room) callOff()     { l.then.callOff() }
func (l *room) countVote()   { l.then.countVote() }
func (l *room) fill()        { l.then.fill() }
func (l *room) seatWaiting() { l.then.seatWaiting() }

// Conns returns the seats that share each connection, in the order of the seats: what a driver that has restored the
// lobby brings back by.
func (l *room) Conns() map[string][]sheet.ID {
	out := map[string][]sheet.ID{}
	for _, s := range l.seats {
		if s.conn != "" && !s.gone && !s.filler {
			out[s.conn] = append(out[s.conn], s.Row.ID)
		}
	}
	return out
}

// There returns the seats whose connection counts as alive.
func (l *room) There() (out []sheet.ID) {
	for _, s := range l.seats {
		if !s.gone && !s.filler && !s.Row.Flag(l.book.F.Player.Away) {
			out = append(out, s.Row.ID)
		}
	}
	return out
}

// Line returns the connections that stand in line for a seat.
func (l *room) Line() (out []string) {
	for _, w := range l.line {
		out = append(out, w.conn)
	}
	return out
}

// MayWatch tells whether somebody may watch, and says why not: whoever has no account is of the service's operators.
func (l *room) MayWatch(account, pass string) (code.Code, string) {
	held := slices.ContainsFunc(l.held, func(r reservation) bool { return r.account == account })
	switch {
	case account == "":
	case slices.Contains(l.banned, account):
		return code.Banned, "you are banned from this lobby"
	case !l.row.Flag(l.book.F.Lobby.Open) && !held:
		return code.LobbyClosed, "the lobby is closed to newcomers"
	case l.password != "" && pass != l.password && !held:
		return code.WrongPassword, "the lobby has a password, and this one is wrong"
	}
	return code.OK, ""
}

// freeFor is how many seats are free for an account: those held for others are not.
func (l *room) freeFor(account string) int {
	free := int(l.row.Int(l.book.F.Lobby.Capacity)) - l.people()
	return free - l.heldFor(func(r *reservation) bool { return r.account != account })
}

// heldFor counts the places that are held for people who have no seat.
func (l *room) heldFor(whom func(*reservation) bool) (n int) {
	for i := range l.held {
		if r := &l.held[i]; whom(r) && l.SeatOf(r.account) == 0 {
			n++
		}
	}
	return n
}

// draw returns the chance of a place.
func draw(l *room, p lots.Place) *rand.Rand { return l.lots.Draw(l.match.Moment(), p) }

func anybody(*reservation) bool { return true }

// Promised returns for whom places are held.
func (l *room) Promised() []string { return l.held.accounts() }

func (l *room) hostIs(s *seat) bool {
	return l.row.Int(l.book.F.Lobby.Host) == int64(s.Row.ID)
}

func (l *room) host() *seat { return l.seat(sheet.ID(l.row.Int(l.book.F.Lobby.Host))) }

// Waiting returns the place in line of a connection, from 1, or 0.
func (l *room) Waiting(conn string) int {
	return slices.IndexFunc(l.line, func(w waiter) bool { return w.conn == conn }) + 1
}

func (l *room) setPassword(digest string) {
	l.password = digest
	l.st.SetFlag(l.row, l.book.F.Lobby.Password, digest != "")
}

// Book returns the rulebook that the lobby runs.
func (l *room) Book() *rulebook.Book { return l.book }

// Store returns the lobby's sheets, for reading.
func (l *room) Store() *sheet.Store { return l.st }

// Row returns the lobby's own sheet, for reading.
func (l *room) Row() *sheet.Row { return l.row }

// Tick returns the present wall tick.
func (l *room) Tick() sheet.Tick { return l.tick() }

func (l *room) tick() sheet.Tick { return l.match.Wall() }

// Closed tells whether the lobby has closed for good.
func (l *room) Closed() bool { return l.closed }

// State returns the lobby's state, one of rulebook.Gathering and so on.
func (l *room) State() int { return int(l.row.Int(l.book.F.Lobby.State)) }

// Seats returns the number of seats taken.
func (l *room) Seats() int { return len(l.seats) }

// answer gives the step's verdict.
func (l *room) answer(v step.Verdict) {
	v.At = l.tick()
	l.out.Verdict = v
}

func (l *room) seat(id sheet.ID) *seat {
	for _, s := range l.seats {
		if s.Row.ID == id {
			return s
		}
	}
	return nil
}

// SeatOf returns the seat of an account on a connection, or 0.
func (l *room) SeatOf(account string) sheet.ID {
	for _, s := range l.seats {
		if s.Row.Text(l.book.F.Player.Account) == account {
			return s.Row.ID
		}
	}
	return 0
}

// whose says whose connection somebody enters on, and which of its players they are.
func (l *room) whose(in *step.Input) (who string, local int) {
	if in.Acct != "" {
		return in.Acct, 0
	}
	for _, s := range l.seats {
		if s.on(in.Conn) && s.who != "" {
			who = cmp.Or(who, s.who)
			if s.who == who && s.local == local {
				local++
			}
		}
	}
	return who, local
}

// from is a number for the address that somebody comes from: for a further player on a connection, that of the others.
func from(in *step.Input, seats []*seat) int64 {
	for _, s := range seats {
		if s.on(in.Conn) {
			return s.from
		}
	}
	return in.X
}

// counts writes the numbers that follow from the roster, in one place.
func (l *room) counts() {
	l.st.SetInt(l.row, l.book.F.Lobby.Seats, int64(len(l.seats)))
	l.st.SetInt(l.row, l.book.F.Lobby.Reserved, int64(l.heldFor(anybody)))
	l.st.SetInt(l.row, l.book.F.Lobby.Waiting, int64(len(l.line)))
	for _, t := range l.teams {
		l.st.SetInt(t, l.book.F.Team.Size, int64(l.teamSize(t)))
	}
}

// LastIntent returns the number of a seat's last intent that was answered.
func (l *room) LastIntent(id sheet.ID) uint64 {
	if s := l.seat(id); s != nil {
		return s.lastSeq
	}
	return 0
}

// people counts the seats that are somebody's.
func (l *room) people() int { return len(l.seats) - l.fillers() }

// fillers counts the seats that are nobody's and that the service plays.
func (l *room) fillers() int {
	n := 0
	for _, s := range l.seats {
		n += int(sheet.Bit(s.filler))
	}
	return n
}

func (l *room) teamSize(t *sheet.Row) int {
	n := 0
	for _, s := range l.seats {
		if s.Row.Team == t.ID {
			n++
		}
	}
	return n
}
