package hall_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/wire"
)

var background = context.Background()

// seats is how many seats the lobby says it has.
func (r *rig) seats(l *hall.Lobby) int {
	r.t.Helper()
	info, err := l.Info(background)
	if err != nil {
		r.t.Fatal(err)
	}
	return info.Seats
}

// TestSeatWithoutAConnection: a seat that is taken from outside is held until its player comes; while they have it they
// may not take another, and what they ask from outside is answered; it is given up once, and what was counted for it is
// given back.
func TestSeatWithoutAConnection(t *testing.T) {
	withLedger(t, harbour, 0, func(k *kept) {
		l, back := k.open(hall.Opening{}), 0
		sit := func(j hall.Joining) error {
			j.Name, j.GiveBack = j.Account, func() { back++ }
			_, err := l.Sit(background, j)
			return err
		}
		if err := sit(hall.Joining{Account: "ada"}); err != nil {
			k.t.Fatal(err)
		}
		for want, j := range map[string]hall.Joining{"already-in": {Account: "ada"},
			"wrong-version": {Account: "bo", Version: "another"}} {
			if err := sit(j); string(fault.CodeOf(err)) != want {
				t.Errorf("%+v: %v, wanted %s", j, err, want)
			}
		}
		if !l.HasSeat(background, "ada") || l.HasSeat(background, "") || l.HasSeat(background, "bo") {
			t.Error("who has a seat is not who took one")
		}
		if seated := k.hall.Seated(); !slices.Equal(seated, []string{"ada"}) || len(k.hall.Where("ada")) != 1 {
			t.Errorf("seated: %v", seated)
		}
		if v, err := l.Ask(background, "ada", &wire.Intent{Do: "ready"}); err != nil || !v.OK() {
			t.Errorf("asked from outside: %+v, %v", v, err)
		}
		if _, err := l.Ask(background, "bo", &wire.Intent{Do: "ready"}); fault.CodeOf(err) != code.NoSeat {
			t.Errorf("without a seat: %v", err)
		}
		ada := k.join(l, hall.Joining{Account: "ada"})
		if k.seats(l) != 1 || ada.text(uint32(ada.First()), "name") != "ada" {
			t.Errorf("come, %d seats are taken", k.seats(l))
		}
		for _, want := range []bool{true, false} {
			if had, err := l.Quit(background, "ada"); had != want || err != nil {
				t.Errorf("a seat was given up: %v, %v", had, err)
			}
		}
		if pass(aTick); ada.ended() != "left" || k.seats(l) != 0 || back != 1 || len(k.hall.Seated()) != 0 {
			t.Errorf("left: %q, %d seats, given back %d times, seated: %v", ada.ended(), k.seats(l), back,
				k.hall.Seated())
		}
		if err := sit(hall.Joining{Account: "bo"}); err != nil {
			k.t.Fatal(err)
		}
		if pass(11 * time.Second); k.seats(l) != 0 || back != 2 {
			t.Errorf("nobody came: %d seats, given back %d times", k.seats(l), back)
		}
		k.away = true
		if err := sit(hall.Joining{Account: "cy"}); fault.CodeOf(err) != code.Stopping {
			t.Errorf("a seat that is not kept: %v", err)
		}
		k.away = false
		if pass(time.Second); k.seats(l) != 0 {
			t.Error("a seat that was refused is taken")
		}
		if l.Close("over"); sit(hall.Joining{Account: "di"}) == nil {
			t.Error("a seat in a lobby that has closed")
		}
	})
}

// TestFurtherPlayers: whoever shares a connection comes and goes with messages of its own; the first one leaves with
// all; without room, a name or a seat nobody more comes; what is not kept has not joined.
func TestFurtherPlayers(t *testing.T) {
	withLedger(t, harbour, 0, func(k *kept) {
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada"})
		say := func(p *player, m any, wait time.Duration) map[string]any {
			t.Helper()
			p.forget()
			if err := p.Receive(m); err != nil {
				k.t.Fatal(err)
			}
			if pass(wait); len(p.all("seated")) != 1 {
				return nil
			}
			return p.all("seated")[0]
		}
		first := say(ada, &wire.Local{N: 1, Name: " Bo  Li"}, aTick)
		seat := uint32(first["seat"].(float64))
		if first["ok"] != true || first["n"] != 1.0 || ada.text(seat, "name") != "Bo Li" || k.seats(l) != 2 {
			k.t.Fatalf("%v", first)
		}
		if w := ada.all("welcome"); len(w) != 1 || len(w[0]["seats"].([]any)) != 2 || len(ada.all("snapshot")) != 1 {
			t.Errorf("it is told %v", ada.kinds())
		}
		watcher := k.join(l, hall.Joining{Account: "wu", Watch: true})
		for what, x := range map[string]struct {
			p    *player
			name string
			code string
		}{"too many on one connection": {ada, "Cy", "too-many-locals"}, "no name": {ada, "\x00", "bad-name"},
			"a spectator's": {watcher, "Cy", "no-such-seat"}} {
			if m := say(x.p, &wire.Local{N: 2, Name: x.name}, 6*time.Second); m["code"] != x.code || m["n"] != 2.0 {
				t.Errorf("%s: %v", what, m)
			}
		}
		if m := say(ada, &wire.Leave{Seat: uint32(ada.First())}, aTick); m["code"] != "not-your-seat" {
			t.Errorf("the first one alone: %v", m)
		}
		say(ada, &wire.Leave{Seat: seat}, aTick)
		if w := ada.all("welcome"); k.seats(l) != 1 || len(w) != 1 || len(w[0]["seats"].([]any)) != 1 {
			t.Errorf("gone: %d seats, %v", k.seats(l), w)
		}
		ada.forget()
		for n, name := range []string{"Fay", "Gus", "", "Hal"} { // one more than may be, and no name
			ada.Receive(&wire.Local{N: uint64(n + 10), Name: name})
		}
		pass(time.Second)
		list := ada.all("seated")
		for i := range 4 {
			if m := list[i]; m["n"] != float64(i+10) || (m["ok"] == true) != (i == 0) {
				t.Errorf("of a burst, answer %d is %v", i, m)
			}
		}
		say(ada, &wire.Leave{Seat: uint32(list[0]["seat"].(float64))}, aTick)
		if m := say(ada, &wire.Local{N: 20, Name: "Ivo", Team: "grey"}, time.Second); m["code"] != "no-such-team" {
			t.Errorf("in a team that there is not: %v", m)
		}
		if _, err := k.tryJoin(l, hall.Joining{Account: "jo", Team: "grey"}); fault.CodeOf(err) != code.NoTeam {
			t.Errorf("who joins a team that there is not: %v", err)
		}
		k.away = true
		if m := say(ada, &wire.Local{N: 3, Name: "Di"}, 4*time.Second); m["code"] != "stopping" || k.seats(l) != 1 {
			t.Errorf("while nothing is kept: %v, %d seats", m, k.seats(l))
		}
		k.away = false
		pass(time.Second)
		say(ada, &wire.Local{N: 4, Name: "Ed"}, aTick)
		say(ada, &wire.Leave{}, aTick)
		if k.seats(l) != 0 || ada.ended() != "left" {
			t.Errorf("all left: %d seats, %q", k.seats(l), ada.ended())
		}
	})
}

// TestMeeting: a lobby knows who of those that are expected is there, holds places for the others, says whether a match
// is on, and closes only when the result has been shown.
func TestMeeting(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		expects := func(here, ready bool, whom ...string) {
			t.Helper()
			if h, rd, err := l.Expect(background, whom, "", 5*time.Second); h != here || rd != ready || err != nil {
				t.Errorf("of %v somebody is there: %v, and all ready: %v (%v)", whom, h, rd, err)
			}
		}
		expects(false, false, "ada", "bo")
		ada := r.join(l, hall.Joining{Account: "ada"})
		expects(true, false, "ada", "bo")
		ada.Receive(&wire.Intent{Is: "intent", N: 1, Seat: uint32(ada.First()), Do: "ready"})
		pass(aTick)
		if expects(true, true, "ada", "bo"); r.seats(l) != 1 {
			t.Errorf("%d seats", r.seats(l))
		}
		for _, name := range []string{"cy", "di"} {
			r.join(l, hall.Joining{Account: name})
		}
		if _, err := r.tryJoin(l, hall.Joining{Account: "ed"}); fault.CodeOf(err) != code.LobbyFull {
			t.Errorf("into a held place: %v", err)
		}
		bo := r.join(l, hall.Joining{Account: "bo"})
		expects(true, false, "ada", "bo")
		bo.Lost()
		pass(aTick)
		expects(true, true, "ada", "bo")
		expects(false, false, "bo")
		if l.Playing(background) {
			t.Error("a match is on before any")
		}
		r.hall.TellPlayer("ada", wire.SeriesDue{Is: "series", ID: "x"})
		r.hall.TellPlayer("", wire.SeriesDue{Is: "series", ID: "y"})
		if pass(aTick); len(ada.all("series")) != 1 {
			t.Errorf("told: %v", ada.all("series"))
		}
	})
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, _ := r.two()
		if !l.Playing(background) {
			t.Error("a match is on, and it is not said")
		}
		l.EndMatch(background, "enough")
		pass(aTick)
		if l.CloseAfter(); !l.Playing(background) {
			t.Error("the result is shown, and it is not said")
		}
		if pass(4 * time.Second); ada.ended() != "" {
			t.Errorf("while the result is shown the lobby has closed: %s", ada.ended())
		}
		if pass(2 * time.Second); ada.ended() != string(code.LobbyGone) {
			t.Errorf("when it has been shown: %q", ada.ended())
		}
	})
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		if l.CloseAfter(); ada.ended() != "" {
			t.Error("it closes before its time")
		}
		if pass(2 * aTick); ada.ended() != string(code.LobbyGone) {
			t.Errorf("without a result it is not closed at once: %q", ada.ended())
		}
	})
}

// TestStandsElsewhere: what somebody else has changed of a record comes to the lobbies of its rulebook that hold it,
// and to no other; a player's new name too; who has left is held no more.
func TestStandsElsewhere(t *testing.T) {
	inVirtualTime(t, stall, func(r *rig) {
		l := r.open(hall.Opening{})
		ada, bo := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		if held := r.hall.Holding(); !slices.Equal(held, []string{"ada", "bo"}) || !r.hall.HoldsRecords() {
			t.Errorf("records are held of %v", held)
		}
		coins := func(p *player) int64 { return p.copy.Of(sheet.Record)[0].Int("coins") }
		stand := keep.Standing{Version: 7, Fields: keep.Fields{"coins": json.Number("9"), "hats": json.Number("1")}}
		r.hall.Stands("another", "ada", stand)
		r.hall.Stands("stall", "cy", stand)
		if pass(aTick); coins(ada) != 5 {
			t.Error("another rulebook's record counts")
		}
		r.hall.Stands("stall", "ada", stand)
		if pass(aTick); coins(ada) != 9 {
			t.Errorf("the record has %d coins", coins(ada))
		}
		r.hall.Renamed("ada", "Ada L")
		if pass(aTick); bo.text(uint32(ada.First()), "name") != "Ada L" {
			t.Errorf("renamed, she is %q", bo.text(uint32(ada.First()), "name"))
		}
		ada.Receive(&wire.Leave{})
		pass(aTick)
		r.join(l, hall.Joining{Account: "cy"}) // whose record is held from now on
		if held := r.hall.Holding(); !slices.Equal(held, []string{"bo", "cy"}) {
			t.Errorf("when one has left records are held of %v", held)
		}
		l.Close("over")
		if pass(aTick); r.hall.HoldsRecords() {
			t.Errorf("of a lobby that has closed records are held of %v", r.hall.Holding())
		}
	})
}

// TestSmallMessages: a ping is answered with where the clock stands; a round trip is told to all; a message that is not
// for a player ends nothing; whoever is ended is told why.
func TestSmallMessages(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		if ada.Lobby() != l.Code || ada.Count() != 1 {
			t.Errorf("it is of %s, with %d", ada.Lobby(), ada.Count())
		}
		pass(975 * time.Millisecond)
		tick, part := ada.Now()
		ada.Receive(&wire.Ping{N: 7})
		pass(0)
		if got := ada.all("pong"); len(got) != 1 || got[0]["n"] != 7.0 || got[0]["tick"] != float64(tick) ||
			fmt.Sprint(got[0]["part"]) != fmt.Sprint(part) || part <= 0 {
			t.Errorf("at %d and %d thousandths: %v", tick, part, got)
		}
		ada.Client.Ping(42)
		if pass(aTick); bo.see(uint32(ada.First()), "ping") != 42 {
			t.Errorf("the round trip is %d", bo.see(uint32(ada.First()), "ping"))
		}
		if at, err := l.Tick(background); err != nil || at < tick {
			t.Errorf("the lobby is at %d, %v", at, err)
		}
		ada.EndFor(fault.New(code.BadMessage, "what is this"))
		bo.Stuck()
		if pass(aTick); ada.bye.Reason != "what is this" || ada.bye.Code != "bad-message" || bo.ended() != "too-slow" {
			t.Errorf("they are ended with %+v, %q", ada.bye, bo.ended())
		}
	})
}

// TestJournalKnowsWhose: in a journal each line says whose seat it is about, further players by who came with them.
func TestJournalKnowsWhose(t *testing.T) {
	withLedger(t, harbour, 0, func(k *kept) {
		l := k.open(hall.Opening{})
		ada := k.join(l, hall.Joining{Account: "ada", Locals: []string{"Bo"}})
		seats := ada.all("welcome")[0]["seats"].([]any)
		second := uint32(seats[1].(map[string]any)["seat"].(float64))
		ada.does(wire.Intent{Do: "rename", Seat: second, Text: "Cy"})
		l.Close("over")
		pass(time.Second)
		var whole []byte
		for _, s := range k.dir.Journal(l.ID) {
			whole = append(whole, s.Data...)
		}
		if len(whole) == 0 || bytes.Contains(whole, []byte("ada")) || bytes.Contains(whole, []byte("Cy")) {
			t.Errorf("the journal is %q", whole)
		}
		people := 0
		for _, p := range k.dir.People(l.ID) {
			if p.Text == "ada" || p.OfToken != "" && slices.Contains([]string{"ada", "Bo", "Cy"}, p.Text) {
				people++
			}
		}
		if people != 4 {
			t.Errorf("its people are %v", k.dir.People(l.ID))
		}
	})
}
