package lobby

import (
	"slices"
	"strconv"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
)

// writer is a person in the lobby, whatever seat they have: somebody who is muted does not become audible by coming
// back on another one.
type writer struct {
	who   string // whose connection
	local int    // which of its players
}

// muting is that one person is not told what another writes.
type muting struct{ by, of writer }

func (x *writer) walk(w *state.Walk, name string) {
	state.Person(w, name, &x.who)
	state.Int(w, name+" local", &x.local)
}

// maxMutings is how many a lobby keeps; beyond that it forgets the oldest.
const maxMutings = 4096

// mutings are all of a lobby.
type mutings []muting

func (m *mutings) walk(w *state.Walk, book *rulebook.Book) {
	if book.F.Player.Mutes == nil {
		return
	}
	state.List(w, "mutings", (*[]muting)(m), func(x *muting) {
		x.by.walk(w, "by")
		x.of.walk(w, "of")
	})
}

// mute has a player be told no more of what another writes, or again.
func mute(l *room, s *seat, id sheet.ID, on bool) step.Verdict {
	t := l.seat(id)
	switch {
	case l.book.F.Player.Mutes == nil:
		return step.Verdict{Code: code.NoVerb, Reason: "no action of this rulebook takes a text"}
	case t == nil || t == s:
		return step.Verdict{Code: code.NoSeat, Reason: "there is no other seat with this number in this lobby"}
	}
	x := muting{s.writer(), t.writer()}
	l.mutings = slices.DeleteFunc(l.mutings, func(m muting) bool { return m == x })
	if on {
		l.mutings = append(l.mutings, x)
		l.mutings = l.mutings[max(len(l.mutings)-maxMutings, 0):]
	}
	showMutes(l)
	return step.Verdict{}
}

func (s *seat) writer() writer { return writer{s.who, s.local} }

// showMutes writes on everybody's sheet whom they have muted, of those who have a seat, also one that is kept for them.
func showMutes(l *room) {
	f := l.book.F.Player.Mutes
	if f == nil {
		return
	}
	seats, mutes := map[writer]*seat{}, map[*seat][]string{}
	for _, s := range l.seats {
		if !s.filler {
			seats[s.writer()] = s
		}
	}
	for _, m := range l.mutings {
		if by, of := seats[m.by], seats[m.of]; by != nil && of != nil {
			mutes[by] = append(mutes[by], strconv.Itoa(int(of.Row.ID)))
		}
	}
	for _, s := range l.seats {
		l.st.Set(s.Row, f, sheet.Value{Type: sheet.List, S: sheet.ListOf(mutes[s], false)})
	}
}
