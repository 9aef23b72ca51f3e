package hall_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

func sheetID(n uint32) sheet.ID  { return sheet.ID(n) }
func sheetKind(k int) sheet.Kind { return sheet.Kind(k) }

// TestComing: a newcomer gets a welcome, then the whole copy, then deltas; what an intent led to stands in everybody's
// copy before its verdict comes.
func TestComing(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		if k := ada.kinds(); k[0] != "welcome" || k[1] != "snapshot" || slices.Index(k[2:], "snapshot") >= 0 {
			t.Fatalf("ada was sent %v", k)
		}
		bo.forget()
		ada.forget()
		ada.does(wire.Intent{Do: "act", Name: "score"})
		if k := ada.kinds(); !slices.Equal(k, []string{"delta", "notice", "verdict"}) {
			t.Errorf("ada was sent %v", k)
		}
		if k := bo.kinds(); !slices.Equal(k, []string{"delta", "notice"}) {
			t.Errorf("bo was sent %v", k)
		}
		me := uint32(ada.First())
		if ada.see(me, "points") != 1 || bo.see(me, "points") != 1 {
			t.Errorf("points: %d and %d", ada.see(me, "points"), bo.see(me, "points"))
		}
		bo.refused(wire.Intent{Do: "act", Name: "score", Seat: me}, string(code.NotYours), "not yours")
		info, err := l.Info(context.Background())
		if err != nil || info.Seats != 2 || info.Free != 2 || info.State != "playing" {
			t.Errorf("%+v, %v", info, err)
		}
	})
}

// TestHolds: a lost connection's seat is held for exactly as long as the rulebook says; who comes back in time has the
// same seat, and with a copy gets only what was missed.
func TestHolds(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		seat, key, at := ada.First(), ada.all("welcome")[0]["resume"].(string), int64(ada.copy.Tick)
		branch := ada.all("welcome")[0]["branch"].(string)
		ada.Lost()
		pass(9 * time.Second)
		bo.does(wire.Intent{Do: "act", Name: "score"})
		r.kept = ada.copy
		back, err := r.tryJoin(l, hall.Joining{Account: "ada", Resume: key, Tick: &at, Branch: branch})
		r.kept = nil
		if err != nil || back.First() != seat {
			t.Fatalf("back with seat %d, %v", back.First(), err)
		}
		w := back.all("welcome")[0]
		if w["kept"] != true || w["schema"] != nil || back.all("snapshot") != nil {
			t.Errorf("who still has the copy was sent %v, kept %v", back.kinds(), w["kept"])
		}
		if w["branch"] != branch {
			t.Errorf("nothing has happened, and the branch is %v, not %s", w["branch"], branch)
		}
		stolen := r.join(l, hall.Joining{Account: "cy", Resume: back.all("welcome")[0]["resume"].(string)})
		if stolen.First() == seat || stolen.First() == 0 {
			t.Errorf("with the key of another the seat is %d", stolen.First())
		}
		stolen.Receive(&wire.Leave{Is: "leave"})
		back.Lost()
		pass(10*time.Second - 100*time.Millisecond)
		if info, _ := l.Info(context.Background()); info.Seats != 2 {
			t.Errorf("before the hold is over there are %d seats", info.Seats)
		}
		pass(200 * time.Millisecond)
		if info, _ := l.Info(context.Background()); info.Seats != 1 {
			t.Errorf("after the hold there are %d seats", info.Seats)
		}
	})
}

// TestSecondConnection: a player's second connection takes over, the first is told so, and the seat is the same.
func TestSecondConnection(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, _ := r.two()
		again := r.join(l, hall.Joining{Account: "ada"})
		if ada.ended() != string(code.Replaced) || again.First() != ada.First() {
			t.Errorf("the first ended with %q; seats %d and %d", ada.ended(), ada.First(), again.First())
		}
		ada.Lost() // late, and of no consequence
		again.does(wire.Intent{Do: "act", Name: "score"})
	})
}

// TestLeaving: who leaves is told so and the seat is free; several players on one connection come and go together, all
// or none.
func TestLeaving(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, bo := r.two()
		if err := ada.Receive(&wire.Leave{Is: "leave"}); err != nil {
			t.Fatal(err)
		}
		pass(100 * time.Millisecond)
		if ada.ended() != "left" || bo.flag(int(sheet.Match), "over") != true {
			t.Errorf("left with %q; with too few players the match is over: %v", ada.ended(),
				bo.flag(int(sheet.Match), "over"))
		}
		pass(6 * time.Second)
		pair := r.join(l, hall.Joining{Account: "cy", Locals: []string{"Little Cy"}})
		if seats := pair.all("welcome")[0]["seats"].([]any); len(seats) != 2 {
			t.Errorf("a pair has %d seats", len(seats))
		}
		_, err := r.tryJoin(l, hall.Joining{Account: "di", Locals: []string{"Little Di"}}) // one seat is left
		if fault.CodeOf(err) != code.LobbyFull {
			t.Errorf("a pair where one fits: %v", err)
		}
		if info, _ := l.Info(context.Background()); info.Seats != 3 {
			t.Errorf("%d seats: a pair gets all or none", info.Seats)
		}
		had, err := l.Quit(context.Background(), "cy")
		pass(aTick)
		if info, _ := l.Info(context.Background()); !had || err != nil || info.Seats != 1 || pair.ended() != "left" {
			t.Errorf("after quitting %d seats, ended %q, %v", info.Seats, pair.ended(), err)
		}
		if had, err := l.Quit(context.Background(), "cy"); had || err != nil {
			t.Errorf("quitting again: %v, %v", had, err)
		}
	})
}

// TestLine: who stands in line sees what a spectator sees, and gets the seat that becomes free, with a new welcome.
func TestLine(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Capacity: 2})
		ada, _ := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		cy := r.join(l, hall.Joining{Account: "cy", Wait: true})
		di := r.join(l, hall.Joining{Account: "di", Wait: true})
		if cy.all("welcome")[0]["waiting"] != 1.0 || di.all("welcome")[0]["waiting"] != 2.0 || cy.First() != 0 {
			t.Fatalf("%v, %v", cy.all("welcome"), di.all("welcome"))
		}
		cy.Lost() // and stands in line no more
		ada.Receive(&wire.Leave{Is: "leave"})
		pass(time.Second)
		if w := di.all("welcome"); len(w) != 2 || di.First() == 0 || cy.First() != 0 {
			t.Errorf("di was sent %v and has seat %d", di.kinds(), di.First())
		}
		if k := di.kinds(); k[len(k)-1] == "welcome" || di.text(uint32(di.First()), "name") != "di" {
			t.Errorf("after the welcome comes the copy: %v", k)
		}
	})
}

// TestSpectators: who watches sees everything later by the delay, takes no seat, and has a bounded number of places; an
// operator's view takes none of them.
func TestSpectators(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, _ := r.two()
		eye := r.join(l, hall.Joining{Account: "eve", Watch: true})
		r.join(l, hall.Joining{Account: "fay", Watch: true})
		if _, err := r.tryJoin(l, hall.Joining{Account: "guy", Watch: true}); fault.CodeOf(err) != code.NoWatching {
			t.Errorf("a third: %v", err)
		}
		op := r.join(l, hall.Joining{All: true})
		pass(6 * time.Second)
		me := uint32(ada.First())
		ada.does(wire.Intent{Do: "act", Name: "score"})
		if op.see(me, "points") != 1 || eye.see(me, "points") != 0 {
			t.Errorf("at once the operator sees %d, the spectator %d", op.see(me, "points"), eye.see(me, "points"))
		}
		pass(4800 * time.Millisecond)
		if eye.see(me, "points") != 0 {
			t.Error("the spectator sees it before the delay is over")
		}
		pass(300 * time.Millisecond)
		if eye.see(me, "points") != 1 {
			t.Error("the spectator does not see it after the delay")
		}
		if v := eye.ask2(wire.Intent{Do: "ready", Seat: me}); v["code"] != string(code.NotYours) {
			t.Errorf("an intent of who watches: %v", v)
		}
	})
}

// ask2 is ask for who is told everything later.
func (p *player) ask2(in wire.Intent) map[string]any {
	p.n++
	in.Is, in.N = "intent", p.n
	p.Receive(&in)
	pass(6 * time.Second)
	for _, m := range p.all("verdict") {
		if m["n"] == float64(p.n) {
			return m
		}
	}
	return nil
}

// TestNamed: many who ask for one name at the same moment get one lobby, while the directory is slow; and codes that
// are taken are not given out twice.
func TestNamed(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		r.dir.Gate = func(ctx context.Context, call string) error {
			time.Sleep(time.Duration(len(call)) * time.Millisecond)
			return nil
		}
		var mu sync.Mutex
		codes, opened := map[string]int{}, 0
		var all sync.WaitGroup
		for i := range 40 {
			all.Go(func() {
				name := "Pier"
				if i%2 == 1 {
					name = "pier" // case does not matter
				}
				c, fresh, err := r.hall.OpenOrJoin(context.Background(), r.book, hall.Opening{Name: name})
				mu.Lock()
				defer mu.Unlock()
				if err != nil {
					t.Error(err)
				}
				codes[c]++
				if fresh {
					opened++
				}
			})
		}
		all.Wait()
		if len(codes) != 1 || opened != 1 || r.hall.Lobbies() != 1 {
			t.Errorf("%d lobbies for one name, %d opened, %d alive", len(codes), opened, r.hall.Lobbies())
		}
		if _, err := r.hall.Open(context.Background(), r.book,
			hall.Opening{Name: "PIER"}); fault.CodeOf(err) != code.NameTaken {
			t.Errorf("opening it again: %v", err)
		}
		clash := 0
		r.dir.Gate = func(ctx context.Context, call string) error {
			if clash++; call == "open" && clash < 4 {
				return directory.ErrCode
			}
			return nil
		}
		if _, err := r.hall.Open(context.Background(), r.book, hall.Opening{}); err != nil || clash != 4 {
			t.Errorf("after three codes that were taken: %v, %d tries", err, clash)
		}
	})
}

// TestQuick: parties that look for a lobby at the same moment are put together, each whole, and no lobby is opened
// while one with room is there.
func TestQuick(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		var mu sync.Mutex
		found := map[string]int{}
		var all sync.WaitGroup
		for i := range 10 {
			all.Go(func() {
				party := []string{fmt.Sprint("a", i)}
				if i%2 == 0 {
					party = append(party, fmt.Sprint("b", i))
				}
				l, _, err := r.hall.Quick(context.Background(), r.book, party, hall.Opening{})
				mu.Lock()
				defer mu.Unlock()
				if err != nil {
					t.Error(err)
				} else {
					found[l.Code] += len(party)
				}
			})
		}
		all.Wait()
		if len(found) > 5 { // 15 people in lobbies of four
			t.Errorf("%d lobbies: %v", len(found), found)
		}
		for c, n := range found {
			if n > 4 {
				t.Errorf("%s has %d people", c, n)
			}
		}
		pass(21 * time.Second) // nobody came, so the places are free again
		l, opened, err := r.hall.Quick(context.Background(), r.book, []string{"x", "y", "z", "w"}, hall.Opening{})
		if err != nil || opened {
			t.Errorf("with places that nobody took: opened %v, %v", opened, err)
		}
		x := r.join(l, hall.Joining{Account: "x"})
		if _, err := r.tryJoin(l, hall.Joining{Account: "stranger"}); fault.CodeOf(err) != code.LobbyFull {
			t.Errorf("a stranger where places are held: %v", err)
		}
		x.Receive(&wire.Leave{Is: "leave"})
		if _, _, err := r.hall.Quick(context.Background(), r.book, []string{"1", "2", "3", "4", "5"},
			hall.Opening{}); fault.CodeOf(err) != code.OutOfRange {
			t.Errorf("a party of five: %v", err)
		}
	})
}

// TestOpenings: what is asked for is held against what is allowed.
func TestOpenings(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		for _, c := range []struct {
			o      hall.Opening
			code   code.Code
			reason string
		}{
			{hall.Opening{Capacity: 5}, code.OutOfRange, "from 2 to 4"},
			{hall.Opening{Capacity: 1}, code.OutOfRange, "from 2 to 4"},
			{hall.Opening{Title: strings.Repeat("t", 61)}, code.BadName, "at most 60"},
			{hall.Opening{Name: strings.Repeat("n", 61)}, code.BadName, "at most 60"},
			{hall.Opening{Title: "a \x1b[31mred quay"}, code.BadName, "U+001B, which steers"},
			{hall.Opening{Name: "a \u202equay"}, code.BadName, "U+202E, which turns"},
			{hall.Opening{Options: map[string]any{"motto": "a\u2066b"}}, code.BadOption, "the text holds"},
			{hall.Opening{Password: strings.Repeat("p", 101)}, code.TooLarge, "100 bytes"},
			{hall.Opening{Reserve: strings.Fields("a b c d e")}, code.OutOfRange, "has 4 places, and 5"},
			{hall.Opening{Capacity: 2, Closed: true, By: "ada", Reserve: []string{"bo", "cy"}}, code.OutOfRange,
				"has 2"},
			{hall.Opening{ReserveMS: 600_001}, code.OutOfRange, "10m"},
			{hall.Opening{ReserveMS: -1}, code.OutOfRange, "10m"},
			{hall.Opening{Regions: []string{"there"}}, code.WrongRegion, "here"},
			{hall.Opening{Options: map[string]any{"gaol": 3.0}}, code.BadOption, "goal"},
			{hall.Opening{Options: map[string]any{"goal": "3"}}, code.BadOption, "an integer is expected"},
			{hall.Opening{Options: map[string]any{"goal": 10.0}}, code.BadOption, "from 1 to 9"},
			{hall.Opening{Options: map[string]any{"motto": "longer than ten"}}, code.BadOption, "10 characters"},
		} {
			_, err := r.hall.Open(context.Background(), r.book, c.o)
			if fault.CodeOf(err) != c.code || !strings.Contains(err.Error(), c.reason) {
				t.Errorf("%+v: %v, wanted %s with %q", c.o, err, c.code, c.reason)
			}
		}
		l := r.open(hall.Opening{
			Title:    "  Two   piers ",
			Capacity: 4,
			Options:  map[string]any{"goal": 9.0, "motto": "ten"},
			Password: "open",
		})
		if _, err := r.tryJoin(l, hall.Joining{Account: "ada",
			Pass: "opens"}); fault.CodeOf(err) != code.WrongPassword {
			t.Errorf("a wrong password: %v", err)
		}
		ada := r.join(l, hall.Joining{Account: "ada", Pass: "open"})
		lobby := uint32(1)
		if ada.text(lobby, "title") != "Two piers" || ada.see(lobby, "goal") != 9 || ada.text(lobby, "motto") != "ten" {
			t.Errorf("%q, goal %d, motto %q", ada.text(lobby, "title"), ada.see(lobby, "goal"),
				ada.text(lobby, "motto"))
		}
		if _, err := r.tryJoin(l, hall.Joining{Account: "bo", Pass: "open",
			Version: "other"}); fault.CodeOf(err) != code.WrongVersion {
			t.Errorf("another version: %v", err)
		}
		if got, err := r.hall.Find(" " + strings.ToLower(l.Code[:3]) + "-" + l.Code[3:]); err != nil || got != l {
			t.Errorf("found %v, %v", got, err)
		}
		synctest.Wait()
	})
}

// TestFoundBeforeItLives: who finds a lobby by its name in the directory while it is being opened here gets it when it
// lives.
func TestFoundBeforeItLives(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		r.dir.Late = func(ctx context.Context, call string) error {
			if call == "open" {
				time.Sleep(time.Second) // it is known, and does not live yet
			}
			return ctx.Err()
		}
		var all sync.WaitGroup
		for range 3 {
			all.Go(func() {
				code, _, err := r.hall.OpenOrJoin(context.Background(), r.book, hall.Opening{Name: "Quay Seven"})
				if err == nil {
					_, err = r.hall.Find(code)
				}
				if err != nil {
					t.Error(err)
				}
			})
			pass(100 * time.Millisecond)
		}
		all.Wait()
		if n := r.hall.Lobbies(); n != 1 {
			t.Errorf("%d lobbies were opened", n)
		}
	})
}

// TestPromisedPlaces: a lobby that is opened closed lets in who opened it and who is listed, and nobody else, for as
// long as it is closed; they may leave and come back, and find it among their lobbies.
func TestPromisedPlaces(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Closed: true, By: "ada", Reserve: []string{"bo"}, Linger: time.Hour})
		pass(10 * time.Minute) // longer than a place is held in one that is open
		if _, err := r.tryJoin(l, hall.Joining{Account: "cy"}); fault.CodeOf(err) != code.LobbyClosed {
			t.Errorf("who is not listed: %v", err)
		}
		for range 2 {
			bo, ada := r.join(l, hall.Joining{Account: "bo"}), r.join(l, hall.Joining{Account: "ada"})
			if pass(aTick); len(r.hall.HeldFor("bo")) != 1 || len(r.hall.HeldFor("cy")) != 0 {
				t.Errorf("held are %d places for bo, %d for cy", len(r.hall.HeldFor("bo")), len(r.hall.HeldFor("cy")))
			}
			for _, p := range []*player{ada, bo} {
				p.Receive(&wire.Leave{Is: "leave"})
				pass(aTick)
			}
		}
		ada := r.join(l, hall.Joining{Account: "ada"})
		ada.Receive(&wire.Intent{Is: "intent", N: 1, Seat: uint32(ada.First()), Do: "settings",
			Args: map[string]any{"open": true}})
		pass(time.Minute)
		if r.join(l, hall.Joining{Account: "cy"}); len(r.hall.HeldFor("bo")) > 0 {
			t.Error("in a lobby that is open a place is held for ever")
		}
	})
}

// TestNamesThatLookAlike: who takes a name that looks like another's in the lobby is told apart by a number, and cannot
// take one on purpose.
func TestNamesThatLookAlike(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		var last *player
		for i, c := range []struct{ name, shown string }{{"Nora", "Nora"}, {"NORA", "NORA 2"},
			{"N\u043era", "N\u043era 3"}, {"Bo", "Bo"}} {
			last = r.join(l, hall.Joining{Account: fmt.Sprint("a", i), Name: c.name})
			pass(2 * aTick)
			if got := last.text(uint32(last.First()), "name"); got != c.shown {
				t.Errorf("%s is called %q, not %q", c.name, got, c.shown)
			}
		}
		last.refused(wire.Intent{Do: "rename", Text: "n\u03bfra"}, string(code.BadName), "looks like that of Nora")
		v, err := l.Ask(context.Background(), "a3", &wire.Intent{Do: "rename", Text: "n\u03bfra"})
		if fault.CodeOf(err) != code.BadName {
			t.Errorf("renamed over HTTP: %+v, %v", v, err)
		}
		last.does(wire.Intent{Do: "rename", Text: "Nor"})
	})
}
