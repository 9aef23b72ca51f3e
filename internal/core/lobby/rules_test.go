package lobby_test

import (
	"fmt"
	"testing"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// begun is a lobby in which so many play.
func begun(t *testing.T, src string, s lobby.Setup, players int) (*bench, []sheet.ID) {
	t.Helper()
	b := open(t, src, s)
	var seats []sheet.ID
	for i := range players {
		seats = append(seats, b.enter(string(rune('A'+i))))
	}
	for _, id := range seats {
		b.wants("ready", b.ask(id, step.Ready, step.Input{}), code.OK)
	}
	b.take(step.Input{At: b.Tick() + 1})
	if len(b.Store().Of(sheet.Match)) == 0 {
		t.Fatal("no match has begun")
	}
	return b, seats
}

// TestWaitingWhereThereIsRoom: who stands in line where a seat is free gets it at once.
func TestWaitingWhereThereIsRoom(t *testing.T) {
	b := open(t, plain, lobby.Setup{})
	b.enter("Ada")
	b.effects = nil
	b.wants("wait", b.take(step.Input{Kind: step.Wait, Acct: "Bo", Name: "Bo", Conn: "c"}).Verdict, code.OK)
	if b.Seats() != 2 || b.SeatOf("Bo") == 0 || b.Waiting("c") != 0 || b.int(1, "waiting") != 0 {
		t.Errorf("%d seats, place %d in line", b.Seats(), b.Waiting("c"))
	}
}

// TestOptionsInTheirRange: an option takes what the rulebook allows, while the lobby gathers players.
func TestOptionsInTheirRange(t *testing.T) {
	b := open(t, plain+"options: {goal: {type: integer, start: 3, min: 1, max: 9}, motto: {type: text, max: 3}, "+
		"mood: {type: choice, words: [calm, cross]}}\n", lobby.Setup{})
	ada := b.enter("Ada")
	for _, c := range []struct {
		name  string
		value sheet.Value
		want  code.Code
	}{
		{"goal", sheet.IntValue(sheet.Integer, 0), code.OutOfRange}, {"goal", sheet.IntValue(sheet.Integer, 1),
			code.OK},
		{"goal", sheet.IntValue(sheet.Integer, 9), code.OK}, {"goal", sheet.IntValue(sheet.Integer, 10),
			code.OutOfRange},
		{"motto", sheet.TextValue("éèê"), code.OK}, {"motto", sheet.TextValue("éèêa"), code.OutOfRange},
		{"mood", sheet.IntValue(sheet.Choice, 1), code.OK}, {"mood", sheet.IntValue(sheet.Choice, 2), code.OutOfRange},
		{"goal", sheet.TextValue("5"), code.BadArgument},
	} {
		v := b.ask(ada, step.Settings, step.Input{Args: []step.Named{{Name: c.name, Value: c.value}}})
		b.wants(c.name+" "+c.value.S, v, c.want)
	}
	if b.int(1, "goal") != 9 || b.text(1, "motto") != "éèê" || b.int(1, "mood") != 1 {
		t.Error("the options are others than were taken")
	}
	b.ask(ada, step.Ready, step.Input{})
	b.take(step.Input{At: b.Tick() + 1})
	v := b.ask(ada, step.Settings, step.Input{Args: []step.Named{{Name: "goal", Value: sheet.IntValue(sheet.Integer,
		2)}}})
	b.wants("during a match", v, code.NotNow)
}

// TestSetByHand: the host of a practice lobby sets what the rulebook declares, and nothing else.
func TestSetByHand(t *testing.T) {
	b, seats := begun(t, plain+"sheets: {match: {best: {type: player}, twice: {type: integer, is: match.n * 2}, "+
		"n: {type: integer, min: 0, max: 5}, say: {type: text, max: 3}}}\n", lobby.Setup{Practice: true}, 2)
	match := b.Store().Of(sheet.Match)[0].ID
	set := func(field string, v sheet.Value, want code.Code) {
		t.Helper()
		b.wants(field, b.ask(seats[0], step.Set, step.Input{Target: match, Name: field, Value: v}), want)
	}
	set("best", sheet.IntValue(sheet.Ref, int64(seats[1])), code.OK)
	set("best", sheet.IntValue(sheet.Ref, int64(match)), code.BadArgument)
	set("best", sheet.IntValue(sheet.Ref, 0), code.OK)
	set("n", sheet.IntValue(sheet.Integer, 5), code.OK)
	set("n", sheet.IntValue(sheet.Integer, 6), code.OutOfRange)
	set("n", sheet.IntValue(sheet.Ref, 1), code.BadArgument)
	set("say", sheet.TextValue("éèêa"), code.OK)
	if say := b.text(match, "say"); say != "éèê" {
		t.Errorf("a text of four characters became %q", say)
	}
	set("twice", sheet.IntValue(sheet.Integer, 1), code.NoField)
	set("round", sheet.IntValue(sheet.Integer, 1), code.NoField)
	set("nothing", sheet.IntValue(sheet.Integer, 1), code.NoField)
	if b.int(match, "best") != 0 || b.int(match, "twice") != 10 {
		t.Errorf("best %d, twice %d", b.int(match, "best"), b.int(match, "twice"))
	}
	b.wants("by another", b.ask(seats[1], step.Set, step.Input{Target: match, Name: "n"}), code.NotHost)
}

// TestFarFromRivals: with pick far the rivals count before the friends.
func TestFarFromRivals(t *testing.T) {
	b, seats := begun(t, "players: {least: 3, most: 3}\nstart: {countdown: 0s}\nphases: {play: {lasts: 60s}}\n"+
		"teams: {list: {red: {}, blue: {}}, least: 0, newcomers: choice}\nspawn: {pick: far}\n"+
		"movement: {speed: 1m/s}\n"+
		"ground: {width: 50m, height: 50m, spawns: [{at: [5m, 5m]}, {at: [45m, 5m]}]}\n"+
		"actions: {again: {do: [{spawn: me}]}}\n", lobby.Setup{Practice: true}, 3)
	pos := func(id sheet.ID) *sheet.Field { return b.Book().Schema.Field(sheet.Player, "pos") }
	put := func(id sheet.ID, x, y int64) {
		t.Helper()
		v := sheet.Value{Type: sheet.Position, N: [3]int64{x, y}}
		b.wants("put", b.ask(seats[0], step.Set, step.Input{Target: id, Name: "pos", Value: v}), code.OK)
	}
	var me, friend, rival sheet.ID
	for _, a := range seats { // two are on one side
		for _, c := range seats {
			switch {
			case a == c:
			case b.Store().Get(a).Team == b.Store().Get(c).Team:
				me, friend = a, c
			}
		}
	}
	for _, a := range seats {
		if a != me && a != friend {
			rival = a
		}
	}
	put(rival, 15000, 5000) // 10 m from the first point, 30 m from the second
	put(friend, 44000, 5000)
	b.wants("again", b.ask(me, step.Act, step.Input{Name: "again"}), code.OK)
	if x, _ := b.Store().Get(me).Pos(pos(me)); x != 45000 {
		t.Errorf("at %d mm, beside the rival", x)
	}
	put(rival, 25000, 5000) // as far from both: the friends count
	b.wants("again", b.ask(me, step.Act, step.Input{Name: "again"}), code.OK)
	if x, _ := b.Store().Get(me).Pos(pos(me)); x != 5000 {
		t.Errorf("at %d mm, beside the friend", x)
	}
}

// TestFrozenPieces: in a frozen phase no kind of piece is placed, and each goes when its time is over.
func TestFrozenPieces(t *testing.T) {
	b, _ := begun(t, "players: {least: 1, most: 2}\nstart: {countdown: 0s}\nground: {width: 50m, height: 50m}\n"+
		"movement: {speed: 1m/s}\npieces: {stone: {number: 2, every: 100ms}, spark: {number: 0, lasts: 1s}, "+
		"ember: {number: 0, lasts: 1s}}\n"+
		"rules: [{on: start, do: [{place: spark}, {place: ember}, {place: ember}]}]\n"+
		"phases: {hold: {lasts: 3s, inputs: frozen}, play: {lasts: 60s}}\n", lobby.Setup{}, 1)
	if n := len(b.Store().Of(sheet.Piece)); n != 3 {
		t.Fatalf("%d pieces at the start", n)
	}
	b.take(step.Input{At: b.Tick() + 25})
	if n := len(b.Store().Of(sheet.Piece)); n != 0 {
		t.Errorf("%d pieces when their time is over", n)
	}
	b.take(step.Input{At: b.Tick() + 60})
	if n := len(b.Store().Of(sheet.Piece)); n != 2 {
		t.Errorf("%d pieces when play goes on", n)
	}
}

// TestCostsOfWholeNumbers: what is reckoned as an integer is paid in thousandths where the field is a number.
func TestCostsOfWholeNumbers(t *testing.T) {
	b, seats := begun(t, plain+"sheets: {player: {n: {type: integer, start: 2}, wind: {type: number, start: 5}}}\n"+
		"actions: {blow: {cost: {wind: me.n}}}\n", lobby.Setup{}, 1)
	for _, want := range []code.Code{code.OK, code.OK, code.TooLittle} {
		b.wants("blow", b.ask(seats[0], step.Act, step.Input{Name: "blow"}), want)
	}
	if b.int(seats[0], "wind") != 1000 {
		t.Errorf("%d thousandths are left", b.int(seats[0], "wind"))
	}
}

// TestRemovingTwice: what is gone is not removed again, nor is anything that is no piece.
func TestRemovingTwice(t *testing.T) {
	b, seats := begun(t, "players: {least: 1, most: 2}\nstart: {countdown: 0s}\nground: {width: 9m, height: 9m}\n"+
		"movement: {speed: 5m/s}\n"+
		"pieces: {stone: {number: 2, touch: [{remove: piece}, {remove: piece}, {add: me.n, by: "+
		"1}]}}\n"+
		"sheets: {player: {n: {type: integer}}}\nphases: {play: {lasts: 60s}}\n", lobby.Setup{Practice: true}, 1)
	stones := b.Store().Of(sheet.Piece)
	v := stones[0].Get(b.Book().Schema.Field(sheet.Piece, "pos"))
	set := step.Input{Target: seats[0], Name: "pos", Value: v}
	b.wants("to a stone", b.ask(seats[0], step.Set, set), code.OK)
	b.take(step.Input{At: b.Tick() + 2})
	if b.int(seats[0], "n") == 0 {
		t.Error("no piece was touched")
	}
}

// TestEndsByClocks: an end that reads a clock alone is looked at as time goes by.
func TestEndsByClocks(t *testing.T) {
	b, _ := begun(t, "players: {least: 1, most: 2}\nstart: {countdown: 0s}\n"+
		"phases: {play: {lasts: 60s, ends: [{if: match.clock <= 57s, next: rest}]}, rest: {lasts: 30s}}\n",
		lobby.Setup{}, 1)
	match := b.Store().Of(sheet.Match)[0].ID
	for want := int64(0); want < 2; want++ {
		if b.int(match, "phase") != want {
			t.Errorf("phase %d after tick %d", b.int(match, "phase"), b.Tick())
		}
		b.take(step.Input{At: b.Tick() + 70})
	}
}

// TestPartiesThatJustFit: a party goes where it fits as a whole, be it to the last seat.
func TestPartiesThatJustFit(t *testing.T) {
	b := open(t, "players: {least: 2, most: 5}\nstart: {countdown: 0s}\nphases: {play: {lasts: 60s}}\n"+
		"teams: {list: {red: {most: 3}, blue: {most: 2}}, least: 0}\n", lobby.Setup{})
	red, blue := b.Store().Of(sheet.Team)[0].ID, b.Store().Of(sheet.Team)[1].ID
	first := b.enter("Ada")
	if b.Store().Get(first).Team != red {
		t.Fatal("the first is not with the first team")
	}
	b.wants("places", b.take(step.Input{Kind: step.Reserve, Names: []string{"Bo", "Cy"}, Text: "one", N: 200}).Verdict,
		code.OK)
	bo, cy := b.enter("Bo"), b.enter("Cy")
	if b.Store().Get(bo).Team != red || b.Store().Get(cy).Team != red { // the first of those with two seats left
		t.Errorf("they are in %d and %d", b.Store().Get(bo).Team, b.Store().Get(cy).Team)
	}
	b.wants("places", b.take(step.Input{Kind: step.Reserve, Names: []string{"Di", "Ed"}, Text: "two", N: 200}).Verdict,
		code.OK)
	di, ed := b.enter("Di"), b.enter("Ed")
	if x, y := b.Store().Get(di).Team, b.Store().Get(ed).Team; x != blue || y != blue {
		t.Errorf("the second party is in %d and %d", x, y)
	}
}

// TestWhoAsksMustCome: the places of a party are let go when who asked for them does not come; where they come, the
// others have their whole time.
func TestWhoAsksMustCome(t *testing.T) {
	b := open(t, "players: {least: 2, most: 8}\nphases: {play: {lasts: 60s}}\n", lobby.Setup{})
	b.enter("Ada")
	held := func(after sheet.Tick, want int64) {
		t.Helper()
		b.take(step.Input{Kind: step.Tick, At: b.Tick() + after})
		if n := b.Row().Int(b.Book().F.Lobby.Reserved); n != want {
			t.Errorf("at tick %d %d places are held, not %d", b.Tick(), n, want)
		}
	}
	party := step.Input{Kind: step.Reserve, Names: []string{"Bo", "Cy"}, Text: "crew", N: 200, X: 100}
	b.wants("places", b.take(party).Verdict, code.OK)
	if !b.Row().Flag(b.Book().F.Lobby.Public) {
		t.Error("strangers are on their way, and the lobby is private")
	}
	held(99, 2)
	held(1, 0)
	b.wants("places again", b.take(party).Verdict, code.OK)
	b.enter("Bo")
	held(199, 1)
	held(1, 0)
}

// TestTheHostStarts: where the host starts, nobody else's readiness holds the start up.
func TestTheHostStarts(t *testing.T) {
	b := open(t, "players: {least: 2, most: 4}\n"+
		"host: {start: [private, public]}\nstart: {countdown: 2s, ready: false}\nphases: {play: {lasts: 60s}}\n",
		lobby.Setup{})
	ada, bo := b.enter("Ada"), b.enter("Bo")
	b.wants("start", b.ask(ada, step.Start, step.Input{}), code.OK)
	b.wants("ready", b.ask(bo, step.Ready, step.Input{}), code.OK)
	b.wants("unready", b.ask(bo, step.Unready, step.Input{}), code.OK)
	b.take(step.Input{At: b.Tick() + 41})
	if len(b.Store().Of(sheet.Match)) != 1 {
		t.Error("no match has begun")
	}
}

// TestTheBusiestAddress: when four for each seat have left a match who had something in it, nobody new comes in from
// the address that most of them came from, others do; when there are twice as many, nobody new does.
func TestTheBusiestAddress(t *testing.T) {
	b := open(t, `
tick: 10
players: {least: 1, most: 4, late: seat, below: go-on}
start: {countdown: 0s}
sheets: {player: {n: {type: integer}}}
actions: {score: {do: [{add: me.n, by: 1}]}}
phases: {play: {lasts: 10m}}`, lobby.Setup{Capacity: 4})
	b.ask(b.enter("ada"), step.Ready, step.Input{})
	come := func(who string, from int64) code.Code {
		out := b.take(step.Input{Kind: step.Enter, Acct: who, Name: who, Conn: who, X: from})
		seat, verdict := out.Seat, out.Verdict.Code
		if verdict == code.OK {
			b.take(step.Input{Kind: step.Loaded, Seat: seat})
			b.wants("score", b.ask(seat, step.Act, step.Input{Name: "score"}), code.OK)
			b.take(step.Input{Kind: step.Leave, Seat: seat})
		}
		return verdict
	}
	for i := range 16 {
		from := int64(7)
		if i < 3 {
			from = 8
		}
		if got := come(fmt.Sprint("guest ", i), from); got != code.OK {
			t.Fatalf("number %d: %s", i, got)
		}
	}
	same := b.take(step.Input{Kind: step.Enter, Acct: "guest 15", Name: "guest", Conn: "guest", X: 7}).Seat
	local := b.take(step.Input{Kind: step.Enter, Name: "another", Conn: "guest"}).Verdict.Code
	if b.take(step.Input{Kind: step.Leave, Seat: same}); local != code.Late {
		t.Errorf("a further player on a connection from there: %q", local)
	}
	if busy, back, other := come("bo", 7), come("guest 15", 7), come("cy", 8); busy != code.Late || back != code.OK ||
		other != code.OK {
		t.Errorf("from the busiest address %q, back there %q, from another %q", busy, back, other)
	}
	n := 0
	for come(fmt.Sprint("more ", n), 100+int64(n)) == code.OK {
		n++
	}
	if n != 15 {
		t.Errorf("%d from as many addresses more came in", n)
	}
}

// TestTheBenchedAreLeft: win.last counts who is benched as one who is left, and who is out for good as one who is not.
func TestTheBenchedAreLeft(t *testing.T) {
	b := open(t, `
tick: 10
players: {least: 2, most: 2}
start: {countdown: 0s}
spawn: {respawn: false}
ground: {width: 20m, height: 20m, spawns: [{at: [2m, 2m]}]}
movement: {speed: 3m/s}
actions: {sit: {do: [{bench: me}]}, fall: {do: [{out: me}]}}
phases: {play: {lasts: 60s}}
win: {last: true, order: [{highest: me.ping}]}`, lobby.Setup{Capacity: 2})
	ada, bo := b.enter("ada"), b.enter("bo")
	b.ask(ada, step.Ready, step.Input{})
	b.ask(bo, step.Ready, step.Input{})
	b.wants("sit", b.ask(ada, step.Act, step.Input{Name: "sit"}), code.OK)
	b.take(step.Input{Kind: step.Tick, At: b.Tick() + 5})
	if b.State() != rulebook.Playing {
		t.Error("the match has ended though one is on the bench")
	}
	b.wants("fall", b.ask(bo, step.Act, step.Input{Name: "fall"}), code.OK)
	b.take(step.Input{Kind: step.Tick, At: b.Tick() + 5})
	because := b.Store().Of(sheet.Match)[0].Text(b.Book().F.Match.Because)
	if because != "the last one standing" {
		t.Errorf("with one on the bench and one out it is over because of %q", because)
	}
}

// TestLookingOnce: what an action says of looking somewhere holds when it is asked for, and not again when what it
// costs has been taken.
func TestLookingOnce(t *testing.T) {
	b := open(t, `players: {least: 1}
start: {countdown: 0s}
ground: {width: 9m, height: 9m}
facing: {}
actions: {buy: {certain: true, cost: {coins: 1}, do: [{add: record.hats, by: 1}]}}
phases: {play: {lasts: 60s}}
record: {coins: {start: 10}, hats: {}}
`, lobby.Setup{Code: "LOOKS2", Seed: 1})
	ada := b.enter("Ada")
	b.ask(ada, step.Ready, step.Input{})
	buy := step.Input{Name: "buy", Yaw: 100, Faces: true, Seq: 1}
	b.ask(ada, step.Act, buy)
	b.ask(ada, step.Face, step.Input{Yaw: 200, Faces: true})
	for _, e := range b.effects {
		if e.Kind == step.Charge {
			buy.N = e.N
		}
	}
	b.wants("it is taken", b.ask(ada, step.Act, buy), code.OK)
	if yaw := b.int(ada, "yaw"); yaw != 200 || buy.N == 0 {
		t.Errorf("save %d; she looks to %d, and wanted to look to 200 last", buy.N, yaw)
	}
}

// TestSharedScreensAreNoStrangers: who signs in on the connection of somebody who is here makes no lobby public; a
// stranger does, until they have left.
func TestSharedScreensAreNoStrangers(t *testing.T) {
	b := open(t, "players: {local: 2}\nphases: {play: {lasts: 60s}}\n",
		lobby.Setup{Code: "SHARED", Seed: 1})
	b.enter("Ada")
	public := func() bool { return b.Store().Of(sheet.Lobby)[0].Flag(b.Book().F.Lobby.Public) }
	if v := b.take(step.Input{Kind: step.Enter, Acct: "Bo", Name: "Bo", Conn: "Ada"}).Verdict; !v.OK() || public() {
		t.Errorf("beside Ada: %+v, public %v", v, public())
	}
	cy := b.enter("Cy")
	if !public() {
		t.Error("a stranger is there, and the lobby is private")
	}
	b.take(step.Input{Kind: step.Leave, Seat: cy})
	if public() {
		t.Error("the stranger has left, and the lobby is public")
	}
}
