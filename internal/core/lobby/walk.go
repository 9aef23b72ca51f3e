package lobby

import (
	"encoding/binary"
	"fmt"
	"strings"

	"github.com/cespare/xxhash/v2"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
)

// notWalked lists the fields of this package that are not part of the state, and why.
var notWalked = map[string]string{
	"room.book":  "the rulebook",
	"room.out":   "of the step under way",
	"room.row":   "the store's first sheet",
	"room.teams": "the store's team sheets",

	"room.then":       "set once",
	"seating.filling": "false between steps",
}

// walk walks over the whole state, hidden parts included.
func (l *Lobby) walk(w *state.Walk) {
	w.In("lots", func() { l.lots.Walk(w) })
	w.In("sheets", func() { l.st.Walk(w) })
	if w.Restoring() && !w.Failed() {
		l.restored(w)
	}
	if w.Failed() {
		return
	}
	state.List(w, "seats", &l.seats, func(s **seat) {
		if *s == nil {
			*s = &seat{Player: &match.Player{}}
		}
		(*s).walk(w, l.st)
	})
	if w.Failed() {
		return
	}
	state.Bool(w, "closed", &l.closed)
	state.Persons(w, "banned", &l.banned)
	state.List(w, "held", (*[]reservation)(&l.held), func(r *reservation) { r.walk(w) })
	state.List(w, "line", &l.line, func(x *waiter) { x.walk(w) })
	state.Text(w, "password", &l.password)
	state.Bool(w, "hostless", &l.hostless)
	state.Int(w, "empty at", &l.emptyAt)
	state.Int(w, "next hold", &l.seating.nextHold)
	state.Int(w, "start at", &l.start.startAt)
	state.Int(w, "vote until", &l.votes.voteUntil)
	state.Bool(w, "host start", &l.start.hostStart)
	state.Bool(w, "host left", &l.seating.hostLeft)
	l.mutings.walk(w, l.book)
	state.Bool(w, "replay", &l.start.replay)
	w.In("match", func() {
		l.match.Walk(w, func(id sheet.ID) *match.Player {
			if s := l.seat(id); s != nil {
				return s.Player
			}
			return nil
		})
	})
}

// restored finds the sheets that are always there, and makes the match.
func (l *Lobby) restored(w *state.Walk) {
	lobbies := l.st.Of(sheet.Lobby)
	l.teams = l.st.Of(sheet.Team)
	if len(lobbies) != 1 || len(l.teams) != len(l.book.Teams.List) || len(l.st.Of(sheet.Match)) > 1 {
		w.Fail("the sheets do not fit the rulebook")
		return
	}
	l.row = lobbies[0]
	l.match = match.New(l.book, l.st, l.lots, &l.out, l.row, l.teams)
}

func (s *seat) walk(w *state.Walk, st *sheet.Store) {
	s.Player.Walk(w, st)
	state.Text(w, "conn", &s.conn)
	state.Person(w, "who", &s.who)
	state.Int(w, "from", &s.from)
	state.Int(w, "local", &s.local)
	state.Int(w, "held until", &s.heldUntil)
	state.Bool(w, "filler", &s.filler)
	state.Bool(w, "gone", &s.gone)
	state.Int(w, "last", &s.lastSeq)
	state.List(w, "answers", &s.answers, func(a *answered) { a.walk(w) })
	state.Int(w, "oldest", &s.oldest)
	state.Person(w, "party", &s.party)
	state.Int(w, "swap", &s.swap)
	state.Int(w, "vote at", &s.voteAt)
	if len(s.answers) > remembered || s.oldest < 0 || s.oldest >= remembered {
		w.Fail("a seat remembers %d verdicts, of which number %d is the oldest", len(s.answers), s.oldest)
	}
}

func (a *answered) walk(w *state.Walk) {
	state.Int(w, "seq", &a.seq)
	state.Int(w, "at", &a.at)
	refused := a.refused != nil && a.refused.code != code.OK
	state.Bool(w, "refused", &refused)
	if !refused {
		return
	}
	if a.refused == nil {
		a.refused = &refusal{}
	}
	state.Text(w, "code", &a.refused.code)
	state.Person(w, "reason", &a.refused.reason)
	state.Int(w, "left", &a.refused.left)
}

func (r *reservation) walk(w *state.Walk) {
	state.Person(w, "account", &r.account)
	state.Person(w, "party", &r.party)
	state.Int(w, "until", &r.until)
	state.Bool(w, "leads", &r.leads)
}

func (x *waiter) walk(w *state.Walk) {
	state.Person(w, "account", &x.account)
	state.Person(w, "name", &x.name)
	state.Text(w, "conn", &x.conn)
	state.Text(w, "team", &x.team)
	state.Int(w, "from", &x.from)
}

// Hash returns the hash of the whole state, hidden parts included.
func (l *Lobby) Hash() uint64 { return state.Hash(l.walk) }

// Lines lists the whole state, to be printed or compared.
func (l *Lobby) Lines() []state.Line { return state.Lines(l.walk) }

// The form of a checkpoint: its magic, of which the last character is the version, the rulebook's version with the form
// of its sheets, the state, and the hash of all that.
const checkpointMagic = "TVXCHKP8"

// formOf names a rulebook's version and the form that its sheets have in this version of the service: a checkpoint
// whose sheets had other fields is told apart, and not read askew.
func formOf(book *rulebook.Book) string {
	h := xxhash.New()
	for k := range sheet.Kinds {
		for _, f := range book.Schema.Fields(sheet.Kind(k)) {
			fmt.Fprintf(h, "%d %s %d %d\n", k, f.Name, f.Type, len(f.Choices))
		}
	}
	return fmt.Sprintf("%s/%016x", book.Version, h.Sum64())
}

// Save returns a checkpoint: the whole state, from which Restore makes the lobby again. It belongs between two steps.
func (l *Lobby) Save() []byte {
	form := formOf(l.book)
	data := append([]byte(checkpointMagic), byte(len(form)))
	data = append(data, form...)
	data = state.Save(data, l.walk)
	return binary.LittleEndian.AppendUint64(data, xxhash.Sum64(data))
}

// Restore makes a lobby from a checkpoint. The rulebook must be the very version that the lobby ran.
func Restore(book *rulebook.Book, data []byte) (*Lobby, error) {
	head := len(checkpointMagic) + 1
	if len(data) < head+8 || string(data[:head-2]) != checkpointMagic[:head-2] {
		return nil, fmt.Errorf("this is not a checkpoint: it does not begin with %s", checkpointMagic)
	}
	if string(data[:head-1]) != checkpointMagic {
		return nil, fmt.Errorf("this checkpoint is of version %q; version %q is read here", data[head-2],
			checkpointMagic[head-2])
	}
	body, sum := data[:len(data)-8], binary.LittleEndian.Uint64(data[len(data)-8:])
	if xxhash.Sum64(body) != sum {
		return nil, fmt.Errorf("the checkpoint is damaged: its hash is wrong")
	}
	rest, length, want := body[head:], int(body[head-1]), formOf(book)
	switch {
	case length > len(rest) || !strings.HasPrefix(string(rest[:length]), book.Version+"/"):
		return nil, fmt.Errorf("the checkpoint is of another version of the rulebook than %s", book.Version)
	case string(rest[:length]) != want:
		return nil, fmt.Errorf("the checkpoint was written by a version of the service whose sheets have other fields")
	}
	return restore(book, rest[length:])
}

func restore(book *rulebook.Book, body []byte) (*Lobby, error) {
	l := bare(book)
	if err := state.Restore(body, l.walk); err != nil {
		return nil, fmt.Errorf("the checkpoint cannot be restored: %w", err)
	}
	if err := l.Check(); err != nil {
		return nil, fmt.Errorf("the checkpoint holds a state that cannot be: %w", err)
	}
	return l, nil
}
