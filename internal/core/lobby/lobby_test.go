package lobby_test

import (
	"fmt"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// bench is a lobby that a test hands inputs to.
type bench struct {
	t *testing.T
	*lobby.Lobby
	effects []step.Effect
}

func open(t *testing.T, src string, s lobby.Setup) *bench {
	t.Helper()
	book, problems := rulebook.Compile([]byte("turnvex: 1\nname: x\n" + src))
	if book == nil {
		t.Fatal(problems)
	}
	return &bench{t: t, Lobby: lobby.New(book, s)}
}

// take hands in an input at the present tick, or later if it says so, and holds what every step must keep to.
func (b *bench) take(in step.Input) *step.Output {
	b.t.Helper()
	in.At = max(in.At, b.Tick())
	out := b.Step(&in)
	b.effects = append(b.effects, out.Effects...)
	if !in.Kind.Answered() && out.Verdict != (step.Verdict{}) {
		b.t.Errorf("%s: verdict %+v", in.Kind, out.Verdict)
	}
	if err := b.Check(); err != nil {
		b.t.Fatalf("after %s %s: %v", in.Kind, in.Verb, err)
	}
	b.Store().ClearChanges()
	return out
}

func (b *bench) enter(name string) sheet.ID {
	b.t.Helper()
	seat := b.take(step.Input{Kind: step.Enter, Acct: name, Name: name, Conn: name}).Seat
	b.take(step.Input{Kind: step.Loaded, Seat: seat})
	return seat
}

func (b *bench) ask(seat sheet.ID, verb step.Verb, in step.Input) step.Verdict {
	b.t.Helper()
	in.Kind, in.Seat, in.Verb = step.Intent, seat, verb
	return b.take(in).Verdict
}

func (b *bench) wants(what string, v step.Verdict, want code.Code) {
	b.t.Helper()
	if v.Code != want || (want != code.OK) != (v.Reason != "") {
		b.t.Errorf("%s: %q (%s), wanted %q", what, v.Code, v.Reason, want)
	}
}

func (b *bench) text(id sheet.ID, field string) string {
	r := b.Store().Get(id)
	return r.Text(b.Book().Schema.Field(r.Kind, field))
}

func (b *bench) int(id sheet.ID, field string) int64 {
	r := b.Store().Get(id)
	return r.Int(b.Book().Schema.Field(r.Kind, field))
}

const plain = "players: {least: 1, most: 4}\nstart: {countdown: 0s}\nphases: {play: {lasts: 60s}}\n"

// TestRepeatedIntents: a number that comes again is answered as it was, and nothing is done twice; so many are
// remembered, older ones are said to be too old.
func TestRepeatedIntents(t *testing.T) {
	b := open(t,
		plain+"sheets: {player: {n: {type: integer}}}\nactions: {score: {cooldown: 50ms, do: [{add: me.n, by: 1}]}}\n",
		lobby.Setup{})
	ada := b.enter("Ada")
	b.wants("ready", b.ask(ada, step.Ready, step.Input{Seq: 1}), code.OK)
	var given []step.Verdict
	for n := uint64(2); n <= 80; n += 2 { // numbers may leave some out
		b.take(step.Input{At: b.Tick() + 1})
		given = append(given, b.ask(ada, step.Act, step.Input{Seq: n, Name: "score"}),
			b.ask(ada, step.Act, step.Input{Seq: n + 1, Name: "score"}))
	}
	points := b.int(ada, "n")
	if points != 40 || b.LastIntent(ada) != 81 || given[1].Code != code.Cooldown || given[1].Left == 0 {
		t.Fatalf("%d points, last %d, %+v", points, b.LastIntent(ada), given[1])
	}
	b.take(step.Input{At: b.Tick() + 10})
	for i, v := range given {
		again := b.ask(ada, step.Act, step.Input{Seq: v.Seq, Name: "score"})
		if remembered := i >= len(given)-32; remembered && again != v || !remembered && (again.Code != code.OldIntent ||
			again.Seq != v.Seq) {
			t.Errorf("number %d again: %+v, first %+v", v.Seq, again, v)
		}
	}
	if b.int(ada, "n") != points {
		t.Error("something was done twice")
	}
	b.ask(ada, step.Act, step.Input{Name: "score"}) // a number of 0 is not remembered
	if b.LastIntent(ada) != 81 || b.int(ada, "n") != points+1 {
		t.Errorf("last %d", b.LastIntent(ada))
	}
	b.wants("of nobody", b.ask(99, step.Ready, step.Input{}), code.NoSeat)
	b.wants("of no kind", b.ask(ada, "dance", step.Input{}), code.NoVerb)
	if b.LastIntent(99) != 0 || b.SeatOf("Ada") != ada || b.SeatOf("Bo") != 0 {
		t.Error("who is where")
	}
}

// TestClosedForGood: a lobby that has closed answers what is due an answer, and does nothing, also when it closes in
// the very step.
func TestClosedForGood(t *testing.T) {
	b := open(t, plain, lobby.Setup{})
	if next := b.Next(); next != 60*20 {
		t.Errorf("an empty lobby closes at tick %d", next)
	}
	late := b.Step(&step.Input{Kind: step.Enter, At: 60 * 20, Acct: "Ada", Name: "Ada"})
	if late.Verdict.Code != code.LobbyGone || late.Seat != 0 || !b.Closed() || len(late.Effects) != 1 ||
		late.Effects[0].Kind != step.CloseLobby {
		t.Fatalf("%+v", late)
	}
	for k := range step.Kinds {
		in := step.Input{Kind: step.Kind(k), At: 1300, Seat: 4, Seq: 7}
		out := b.Step(&in)
		want := code.OK
		if in.Kind.Answered() {
			want = code.LobbyGone
		}
		if out.Verdict.Code != want || len(out.Effects)+len(out.Notices) != 0 ||
			in.Kind.Answered() && out.Verdict.Seq != 7 {
			t.Errorf("%s: %+v", in.Kind, out)
		}
	}
	if b.Next() != 0 || b.State() != rulebook.Closed {
		t.Errorf("next %d, state %d", b.Next(), b.State())
	}
}

// TestClosingGivesNoSeats: when a lobby closes, nobody who stands in line gets one of the seats that become free.
func TestClosingGivesNoSeats(t *testing.T) {
	b := open(t, plain, lobby.Setup{Capacity: 1})
	b.enter("Ada")
	for i := range 101 {
		v := b.take(step.Input{Kind: step.Wait, Acct: fmt.Sprint("w", i), Name: "W", Conn: fmt.Sprint("c", i)}).Verdict
		want := code.OK
		if i == 100 {
			want = code.LobbyFull
		}
		b.wants(fmt.Sprint("number ", i+1, " in line"), v, want)
	}
	b.wants("twice in line", b.take(step.Input{Kind: step.Wait, Acct: "w3", Conn: "x"}).Verdict, code.AlreadyIn)
	b.wants("in line with a seat", b.take(step.Input{Kind: step.Wait, Acct: "Ada", Conn: "x"}).Verdict, code.AlreadyIn)
	if b.Waiting("c5") != 6 || b.Waiting("nobody") != 0 || b.int(1, "waiting") != 100 {
		t.Errorf("place %d of %d", b.Waiting("c5"), b.int(1, "waiting"))
	}
	b.take(step.Input{Kind: step.Unwait, Conn: "c0"})
	if b.Waiting("c5") != 5 || b.int(1, "waiting") != 99 {
		t.Errorf("place %d of %d", b.Waiting("c5"), b.int(1, "waiting"))
	}
	b.effects = nil
	b.take(step.Input{Kind: step.Close})
	for _, e := range b.effects {
		if e.Kind == step.Seated {
			t.Errorf("%s got a seat of a lobby that closes", e.Account)
		}
	}
	if b.Seats() != 0 || b.int(1, "host") != 0 {
		t.Errorf("%d seats, host %d", b.Seats(), b.int(1, "host"))
	}
}

// TestDoors: who may come in, and which of all reasons it is that somebody may not.
func TestDoors(t *testing.T) {
	b := open(
		t,
		"players: {least: 1, most: 4, late: refuse, local: 2}\nstart: {countdown: 0s}\nphases: {play: {lasts: "+
			"60s}}\nteams: {list: {a: {most: 1}, b: {most: 2}}, newcomers: choice}\n",
		lobby.Setup{
			Capacity: 3,
			Password: "digest",
			Hidden:   true,
			Region:   "north",
			Title:    "T",
			Watchers: -1,
			Options:  []step.Named{{Name: "nosuch"}},
		},
	)
	in := func(name, conn, pass string) step.Verdict {
		b.t.Helper()
		return b.take(step.Input{Kind: step.Enter, Acct: name, Name: "N", Conn: conn, Pass: pass}).Verdict
	}
	b.wants("without the password", in("Ada", "1", ""), code.WrongPassword)
	b.wants("with it", in("Ada", "1", "digest"), code.OK)
	b.wants("again", in("Ada", "2", "digest"), code.AlreadyIn)
	b.wants("a second on the connection", in("", "1", ""), code.OK)
	b.wants("a third on the connection", in("", "1", ""), code.TooManyLocals)
	ada := b.SeatOf("Ada")
	for _, c := range []struct {
		name  string
		value sheet.Value
		want  code.Code
	}{
		{"open", sheet.IntValue(sheet.Flag, 0), code.OK}, {"capacity", sheet.IntValue(sheet.Integer, 1),
			code.OutOfRange},
		{"capacity", sheet.IntValue(sheet.Integer, 2), code.OK},
		{"capacity", sheet.IntValue(sheet.Integer, 5), code.OutOfRange}, {"capacity", sheet.IntValue(sheet.Integer, 4),
			code.OK},
		{"capacity", sheet.TextValue("4"), code.BadArgument}, {"title", sheet.TextValue(""), code.OutOfRange},
		{"title", sheet.TextValue(strings.Repeat("é", 61)), code.OutOfRange}, {"title",
			sheet.TextValue(strings.Repeat("é", 60)), code.OK},
		{"watch_most", sheet.IntValue(sheet.Integer, -1), code.OutOfRange}, {"watch_most", sheet.IntValue(sheet.Integer,
			21), code.OutOfRange},
		{"watch_most", sheet.IntValue(sheet.Integer, 20), code.OK}, {"listed", sheet.IntValue(sheet.Flag, 1), code.OK},
		{"nosuch", sheet.IntValue(sheet.Flag, 1), code.BadOption}, {"title", sheet.UnreadableValue("it is a " +
			"map"), code.BadArgument},
	} {
		b.wants(fmt.Sprint(c.name, " ", c.value),
			b.ask(ada, step.Settings, step.Input{Args: []step.Named{{Name: c.name, Value: c.value}}}), c.want)
	}
	b.wants("nothing to change", b.ask(ada, step.Settings, step.Input{}), code.BadArgument)
	b.wants("into a closed lobby", in("Bo", "3", "digest"), code.LobbyClosed)
	both := []step.Named{{Name: "open", Value: sheet.IntValue(sheet.Flag, 1)},
		{Name: "capacity", Value: sheet.IntValue(sheet.Integer, 99)}}
	b.wants("one of two that cannot be", b.ask(ada, step.Settings, step.Input{Args: both}), code.OutOfRange)
	if b.int(1, "open") != 0 {
		t.Error("half of the settings were made")
	}
	b.ask(ada, step.Settings, step.Input{Args: both[:1]})
	b.wants("three for two places",
		b.take(step.Input{Kind: step.Reserve, Names: []string{"x", "y", "z"}, N: 20}).Verdict, code.LobbyFull)
	b.wants("a place held",
		b.take(step.Input{Kind: step.Reserve, Names: []string{"Bo", "Bo", "Ada", ""}, N: 20}).Verdict, code.OK)
	if b.int(1, "reserved") != 1 || b.int(1, "password") != 1 || b.int(1, "capacity") != 4 ||
		b.text(1, "region") != "north" {
		t.Errorf("%d are held", b.int(1, "reserved"))
	}
	b.wants("the last free place", in("Cy", "3", "digest"), code.OK)
	b.wants("where a place is held for another", in("Di", "4", "digest"), code.LobbyFull)
	b.take(step.Input{At: b.Tick() + 19})
	b.wants("who it is held for, without the password, teams full", in("Bo", "4", ""), code.LobbyFull)
	b.take(step.Input{At: b.Tick() + 1})
	if b.int(1, "reserved") != 0 {
		t.Error("it is still held")
	}
	bo := b.SeatOf("Cy")
	b.wants("a kick by another", b.ask(bo, step.Kick, step.Input{Target: ada}), code.NotHost)
	b.wants("a kick of oneself", b.ask(ada, step.Kick, step.Input{Target: ada}), code.WrongTarget)
	b.wants("a kick of nobody", b.ask(ada, step.Kick, step.Input{Target: 77}), code.NoSeat)
	b.wants("a ban", b.ask(ada, step.Ban, step.Input{Target: bo}), code.OK)
	b.wants("who is banned", in("Cy", "3", "digest"), code.Banned)
	b.wants("a party with one who is banned",
		b.take(step.Input{Kind: step.Reserve, Names: []string{"Cy"}, N: 20}).Verdict, code.Banned)
	b.wants("unban by the host", b.ask(ada, step.Unban, step.Input{Text: "Cy"}), code.OK)
	b.wants("who was banned", in("Cy", "3", "digest"), code.OK)
	for _, r := range b.Store().Of(sheet.Player) {
		b.take(step.Input{Kind: step.Loaded, Seat: r.ID})
		b.ask(r.ID, step.Ready, step.Input{})
	}
	b.wants("during a match", in("Di", "4", "digest"), code.Late)
	b.wants("a place during a match", b.take(step.Input{Kind: step.Reserve, Names: []string{"Di"}, N: 20}).Verdict,
		code.Late)
}

// TestHosts: there is a host while there is anybody; one who is away comes after those who are there; it is handed
// over, and passes by itself.
func TestHosts(t *testing.T) {
	b := open(
		t,
		"players: {least: 1, most: 4, hold: 1s, gone: keep}\n"+
			"host: {start: [private, public]}\nstart: {countdown: 0s, ready: false}\nphases: {play: "+
			"{lasts: 60s}}\n",
		lobby.Setup{},
	)
	var seats []sheet.ID
	for _, n := range []string{"Ada", "Bo", "Cy"} {
		seats = append(seats, b.enter(n))
	}
	host := func(want int) {
		t.Helper()
		if got := b.int(1, "host"); got != int64(seats[want]) {
			t.Errorf("the host is %d, not %d", got, seats[want])
		}
	}
	host(0)
	b.wants("by another", b.ask(seats[1], step.HandOver, step.Input{Target: seats[1]}), code.NotHost)
	b.wants("to nobody", b.ask(seats[0], step.HandOver, step.Input{Target: 99}), code.NoSeat)
	b.wants("over", b.ask(seats[0], step.HandOver, step.Input{Target: seats[2]}), code.OK)
	host(2)
	b.take(step.Input{Kind: step.Lost, Seat: seats[0]})
	b.take(step.Input{Kind: step.Leave, Seat: seats[2]})
	host(1) // Ada has been there longer, but is away
	b.wants("start by another", b.ask(seats[0], step.Start, step.Input{}), code.NotHost)
	b.wants("start", b.ask(seats[1], step.Start, step.Input{}), code.OK)
	b.take(step.Input{At: b.Tick() + 30})
	if b.Seats() != 2 {
		t.Fatalf("%d seats: the rulebook keeps who is gone", b.Seats())
	}
	b.take(step.Input{Kind: step.Lost, Seat: seats[1]})
	b.take(step.Input{At: b.Tick() + 30})
	if b.int(1, "host") != 0 {
		t.Errorf("the host is %d, and everybody is gone", b.int(1, "host"))
	}
	b.take(step.Input{Kind: step.Back, Seat: seats[0]})
	b.take(step.Input{Kind: step.Finish, Text: "over"})
	b.take(step.Input{At: b.Tick() + 200})
	if b.Seats() != 1 || b.SeatOf("Ada") == 0 {
		t.Errorf("after the match %d seats", b.Seats())
	}
}

// TestRecordsThatDoNotFit: what is loaded of a record is taken only where the rulebook still has a field of that name
// and type, with a word that it knows.
func TestRecordsThatDoNotFit(t *testing.T) {
	book, problems := rulebook.Compile([]byte(`turnvex: 1
name: fits
phases: {play: {lasts: 5s}}
record: {n: {start: 3}, rank: {type: choice, words: [deckhand, mate]}, word: {type: text}}
`))
	if book == nil {
		t.Fatal(problems)
	}
	m := lobby.New(book, lobby.Setup{Seed: 1})
	out := m.Step(&step.Input{Kind: step.Enter, Acct: "a", Name: "A"})
	seat := out.Seat
	if seat == 0 || out.Verdict.Seat != seat {
		t.Errorf("the seat is %d, and the verdict names %d", seat, out.Verdict.Seat)
	}
	m.Step(&step.Input{Kind: step.Loaded, Seat: seat, Record: []step.Named{{Name: "n", Value: sheet.TextValue("5")},
		{Name: "rank", Value: sheet.IntValue(sheet.Choice, 7)}, {Name: "word", Value: sheet.TextValue("kept")},
		{Name: "gone", Value: sheet.TextValue("x")}}})
	r, s := m.Store().Of(sheet.Record)[0], book.Schema
	if n, rank, word := r.Int(s.Field(sheet.Record, "n")), r.Int(s.Field(sheet.Record, "rank")),
		r.Text(s.Field(sheet.Record, "word")); n != 3 || rank != 0 || word != "kept" {
		t.Errorf("n %d, rank %d, word %q", n, rank, word)
	}
	if err := m.Check(); err != nil {
		t.Error(err)
	}
}
