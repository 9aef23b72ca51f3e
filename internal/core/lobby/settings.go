package lobby

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// settings is what the host may change.
type settings struct {
	*room
	doors *doors
	start *start
}

// maxTitle is the most characters of a lobby's title.
const maxTitle = 60

// settings changes what the host may change while people are in. Each change is checked against who is there; either
// all are made or none.
func (l *settings) settings(s *seat, in *step.Input) step.Verdict {
	if !l.hostIs(s) {
		return may(l.room, s, rulebook.PowerSettings)
	}
	if len(in.Args) == 0 {
		return step.Verdict{Code: code.BadArgument,
			Reason: "nothing to change is given; there are: " + strings.Join(l.settingNames(), ", ")}
	}
	for i := range in.Args {
		v := l.mayChange(&in.Args[i])
		if v.OK() {
			v = may(l.room, s, l.powerOver(in.Args[i].Name))
		}
		if !v.OK() {
			return v
		}
	}
	for i := range in.Args {
		l.change(&in.Args[i])
	}
	l.doors.seatWaiting()
	l.start.startCheck()
	return step.Verdict{}
}

func (l *settings) settingNames() []string {
	names := []string{"title", "capacity", "open", "listed", "watch_most", "password"}
	for _, o := range l.book.Options {
		names = append(names, o.Name)
	}
	return names
}

// SettingField returns the field that a setting of that name writes, or nil. A password is a text that is not kept on
// the sheet.
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

// powerOver is the power that it takes to change a setting.
func (l *settings) powerOver(name string) rulebook.Power {
	switch a := l.book.Arenas; {
	case name == "password":
		return rulebook.PowerPassword
	case a != nil && name == a.Next.Name:
		return rulebook.PowerArena
	}
	return rulebook.PowerSettings
}

// mayChange checks one change.
func (l *settings) mayChange(n *step.Named) step.Verdict {
	f := SettingField(l.book, n.Name)
	refuse := func(c code.Code, format string, args ...any) step.Verdict {
		return step.Verdict{Code: c, Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case f == nil:
		return refuse(code.BadOption, "there is no setting %q; there are: %s", n.Name,
			strings.Join(l.settingNames(), ", "))
	case n.Value.Type == sheet.Unreadable:
		return refuse(code.BadArgument, "%s: %s", n.Name, n.Value.S)
	case n.Value.Type != f.Type:
		return refuse(code.BadArgument, "%s must be of type %s", n.Name, f.Type)
	}
	v := n.Value.N[0]
	switch n.Name {
	case "title":
		switch title, err := names.Line(n.Value.S, maxTitle); {
		case err != nil:
			return refuse(code.OutOfRange, "the title %s", err)
		case title == "":
			return refuse(code.OutOfRange, "a title has 1 to %d characters", maxTitle)
		}
	case "capacity":
		there := int64(len(l.seats) + l.heldFor(anybody))
		switch {
		case v < there:
			return refuse(code.OutOfRange, "%d seats are taken or held, so the capacity cannot be %d", there, v)
		case v < int64(l.book.Players.Least) || v > int64(l.book.Players.Most):
			return refuse(code.OutOfRange, "the rulebook allows %d to %d seats", l.book.Players.Least,
				l.book.Players.Most)
		}
	case "watch_most":
		if most := int64(l.book.Spectators.Most); v < 0 || v > most {
			return refuse(code.OutOfRange, "the rulebook allows 0 to %d spectators", most)
		}
	case "open", "listed", "password":
	default:
		if slices.Contains(l.book.Fixed, f) {
			return refuse(code.NoPower, "%s stays what the lobby was opened with", n.Name)
		}
		if l.State() != rulebook.Gathering {
			return refuse(code.NotNow, "options can be changed only while the lobby is gathering players")
		}
		if f.Bounded && f.Clamp(v) != v || !f.Fits(n.Value) ||
			f.Type == sheet.Text && utf8.RuneCountInString(n.Value.S) > int(f.Max) {
			return refuse(code.OutOfRange, "%s is outside what the rulebook allows", n.Name)
		}
	}
	return step.Verdict{}
}

func (l *settings) change(n *step.Named) {
	if n.Name == "password" {
		l.setPassword(n.Value.S)
		return
	}
	v := n.Value
	if n.Name == "title" {
		v.S, _ = names.Line(v.S, maxTitle)
	}
	l.st.Set(l.row, SettingField(l.book, n.Name), v)
}
