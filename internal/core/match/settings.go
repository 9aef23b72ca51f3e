package match

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// maxTitle is the most characters of a lobby's title.
const maxTitle = 60

// settings changes what the host may change while people are in. Each change is
// checked against who is there; either all are made or none.
func (m *Machine) settings(s *seat, in *Input) Verdict {
	if !m.hostIs(s) {
		return Verdict{Code: code.NotHost, Reason: "only the host changes the lobby"}
	}
	if len(in.Args) == 0 {
		return Verdict{Code: code.BadArgument, Reason: "nothing to change is given; there are: " + strings.Join(m.settingNames(), ", ")}
	}
	for i := range in.Args {
		if v := m.mayChange(&in.Args[i]); !v.OK() {
			return v
		}
	}
	for i := range in.Args {
		m.change(&in.Args[i])
	}
	m.seatWaiting()
	m.startCheck()
	return Verdict{}
}

func (m *Machine) settingNames() []string {
	names := []string{"title", "capacity", "open", "listed", "watch_most", "password"}
	for _, o := range m.book.Options {
		names = append(names, o.Name)
	}
	return names
}

// SettingField returns the field that a setting of that name writes, or nil. A
// password is a text that is not kept on the sheet.
func SettingField(b *rulebook.Book, name string) *sheet.Field {
	switch name {
	case "title":
		return b.F.Lobby.Title
	case "capacity":
		return b.F.Lobby.Capacity
	case "open":
		return b.F.Lobby.Open
	case "listed":
		return b.F.Lobby.Listed
	case "watch_most":
		return b.F.Lobby.WatchMost
	case "password":
		return b.F.Lobby.Code // a text; only its type is asked for
	}
	if i := slices.IndexFunc(b.Options, func(f *sheet.Field) bool { return f.Name == name }); i >= 0 {
		return b.Options[i]
	}
	return nil
}

// mayChange checks one change.
func (m *Machine) mayChange(n *Named) Verdict {
	f := SettingField(m.book, n.Name)
	refuse := func(c code.Code, format string, args ...any) Verdict {
		return Verdict{Code: c, Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case f == nil:
		return refuse(code.BadOption, "there is no setting %q; there are: %s", n.Name, strings.Join(m.settingNames(), ", "))
	case n.Value.Type != f.Type:
		return refuse(code.BadArgument, "%s must be of type %s", n.Name, f.Type)
	}
	v := n.Value.N[0]
	switch n.Name {
	case "title":
		if c := utf8.RuneCountInString(n.Value.S); c == 0 || c > maxTitle {
			return refuse(code.OutOfRange, "a title has 1 to %d characters", maxTitle)
		}
	case "capacity":
		there := int64(len(m.seats) + len(m.held))
		switch {
		case v < there:
			return refuse(code.OutOfRange, "%d seats are taken or held, so the capacity cannot be %d", there, v)
		case v < int64(m.book.Players.Least) || v > int64(m.book.Players.Most):
			return refuse(code.OutOfRange, "the rulebook allows %d to %d seats", m.book.Players.Least, m.book.Players.Most)
		}
	case "watch_most":
		if most := int64(m.book.Spectators.Most); v < 0 || v > most {
			return refuse(code.OutOfRange, "the rulebook allows 0 to %d spectators", most)
		}
	case "open", "listed", "password":
	default:
		if m.State() != rulebook.Gathering {
			return refuse(code.NotNow, "options are changed while the lobby gathers players")
		}
		if f.Bounded && f.Clamp(v) != v || !m.fits(f, n.Value) || f.Type == sheet.Text && utf8.RuneCountInString(n.Value.S) > int(f.Max) {
			return refuse(code.OutOfRange, "%s is outside what the rulebook allows", n.Name)
		}
	}
	return Verdict{}
}

func (m *Machine) change(n *Named) {
	if n.Name == "password" {
		m.password = n.Value.S
		m.st.SetFlag(m.lobby, m.book.F.Lobby.Password, n.Value.S != "")
		return
	}
	m.st.Set(m.lobby, SettingField(m.book, n.Name), n.Value)
}

// swap exchanges the sides of two players once both have asked for it.
func (m *Machine) swap(s *seat, id sheet.ID) Verdict {
	t := m.seat(id)
	switch {
	case t == nil || t == s:
		return Verdict{Code: code.NoSeat, Reason: "there is no such other seat in this lobby"}
	case len(m.teams) == 0 || t.row.Team == s.row.Team:
		return Verdict{Code: code.WrongTarget, Reason: "you are on the same side"}
	case m.teamsLocked():
		return Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	}
	s.swap = id
	if t.swap != s.row.ID {
		m.out.Notices = append(m.out.Notices, Notice{Notice: rulebook.SwapNotice, To: sheet.OwnerOnly, Of: id,
			Values: []sheet.Value{sheet.IntValue(sheet.Ref, int64(s.row.ID))}})
		return Verdict{}
	}
	s.swap, t.swap = 0, 0
	a, b := m.st.Get(s.row.Team), m.st.Get(t.row.Team)
	m.joinTeam(s, b)
	m.joinTeam(t, a)
	m.counts()
	m.startCheck()
	return Verdict{}
}

func (m *Machine) teamsLocked() bool {
	locked := m.book.Teams.Locked
	return locked != "never" && m.inPlay() || locked == "start" && m.State() == rulebook.Starting
}

// shuffle deals the players out to the teams anew: parties together where they
// fit, the sizes as equal as can be.
func (m *Machine) shuffle(s *seat) Verdict {
	switch {
	case !m.hostIs(s):
		return Verdict{Code: code.NotHost, Reason: "only the host shuffles the teams"}
	case len(m.teams) == 0:
		return Verdict{Code: code.NoTeam, Reason: "there are no teams"}
	case m.teamsLocked():
		return Verdict{Code: code.NotNow, Reason: "the teams are locked now"}
	}
	order := slices.Clone(m.seats)
	m.rng.Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	slices.SortStableFunc(order, func(a, b *seat) int { return m.partySize(b.party) - m.partySize(a.party) }) // large parties first
	for _, s := range order {
		m.st.SetInt(s.row, m.book.F.Player.Team, 0)
		m.st.SetTeam(s.row, 0)
		m.st.SetTeam(s.record, 0)
	}
	for _, s := range order {
		m.placeInTeam(s, "")
	}
	m.counts()
	m.startCheck()
	return Verdict{}
}

func (m *Machine) partySize(party string) int {
	n := 0
	for _, s := range m.seats {
		n += int(b2i(party != "" && s.party == party))
	}
	return n
}
