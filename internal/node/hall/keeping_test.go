package hall_test

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/wire"
)

var errAway = errors.New("the database is away")

// away is a gate that lets calls of some kinds fail until it is opened.
type away map[string]bool

func (a away) gate(ctx context.Context, call string) error {
	if a[call] {
		return errAway
	}
	return ctx.Err()
}

func (r *rig) saved(p *player) bool { return p.flag(int(sheet.Match), "saved") }

// TestSaving: what a match gave is kept once, though the answer is lost; that it is saved is told after it was, and not
// before.
func TestSaving(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		lost := 2
		r.keeper.Lost = func(job *keep.Job) error {
			if lost--; job.Result != nil && lost >= 0 {
				return errors.New("the answer is lost")
			}
			return nil
		}
		down := away{}
		r.keeper.Gate = down.gate
		l, ada, _ := r.two()
		ada.does(wire.Intent{Do: "act", Name: "score"})
		down["save"] = true
		if err := l.EndMatch(context.Background(), "enough"); err != nil {
			t.Fatal(err)
		}
		pass(3 * time.Second)
		if r.saved(ada) || len(r.keeper.Results()) != 0 {
			t.Error("it is told to be saved while the database is away")
		}
		delete(down, "save")
		pass(2 * time.Second)
		if list := r.keeper.Results(); len(list) != 1 || list[0].Because != "enough" ||
			list[0].Players[0].Outcome != "won" {
			t.Errorf("kept %d results: %+v", len(list), list)
		}
		if f := r.keeper.Fields("ada", "harbour"); f["total"].(interface{ String() string }).String() != "1" {
			t.Errorf("ada's record: %v", f)
		}
		if pass(4 * time.Second); !r.log.has("trying again") || r.log.has("it is lost") {
			t.Error("the log does not tell of the tries")
		}
	})
}

// TestLongOutage: a result waits for as long as the lobby is there, and is told as saved in the match that comes after
// only to that match.
func TestLongOutage(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		down := away{"save": true}
		r.keeper.Gate = down.gate
		l, ada, bo := r.two()
		l.EndMatch(context.Background(), "one")
		pass(6 * time.Second)
		for _, p := range []*player{ada, bo} {
			p.does(wire.Intent{Do: "ready"})
		}
		pass(20 * time.Minute) // matches of a minute do not start by themselves; this one ends by time
		if len(r.keeper.Results()) != 0 || r.log.has("it is lost") {
			t.Error("something was kept or given up")
		}
		for _, p := range []*player{ada, bo} {
			p.does(wire.Intent{Do: "ready"})
		}
		delete(down, "save")
		pass(10 * time.Second)
		if list := r.keeper.Results(); len(list) != 2 || list[0].Match != 1 || list[1].Match != 2 {
			t.Fatalf("kept %d results", len(list))
		}
		if r.saved(ada) {
			t.Error("the running match is told to be saved")
		}
		if n, size, age := r.hall.Saves(); n+size != 0 || age != 0 {
			t.Errorf("%d saves of %d bytes wait since %v", n, size, age)
		}
	})
}

// TestRecordsAway: while a record cannot be loaded its player has no control and no default stands in for it; it is
// there when the database is, and not overwritten.
func TestRecordsAway(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		r.keeper.Save(context.Background(), &keep.Job{Lobby: "before", Book: r.book, Records: []keep.Record{
			{
				Player: "ada",
				Number: 1,
				Changes: []step.Change{{Field: "total", Kind: step.ChangeAdd,
					Value: sheet.IntValue(sheet.Integer, 40)}},
			},
		}})
		down := away{"load": true}
		r.keeper.Gate = down.gate
		l := r.open(hall.Opening{})
		ada, bo := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		for _, p := range []*player{ada, bo} {
			p.does(wire.Intent{Do: "ready"})
		}
		pass(10 * time.Minute)
		if !l.Loading(context.Background()) || ada.flag(int(sheet.Match), "over") || ada.copy.Of(sheet.Match) != nil {
			t.Fatal("a match began without the records")
		}
		delete(down, "load")
		pass(10 * time.Second)
		ada.does(wire.Intent{Do: "act", Name: "score"})
		l.EndMatch(context.Background(), "")
		pass(time.Second)
		if f := r.keeper.Fields("ada", "harbour"); f["total"].(interface{ String() string }).String() != "41" {
			t.Errorf("ada had 40 and won 1: %v", f)
		}
	})
}

// TestReadBehindSave: a record is not read while it is being saved, in whichever lobby.
func TestReadBehindSave(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, _ := r.two()
		ada.does(wire.Intent{Do: "act", Name: "score"})
		r.keeper.Gate = func(ctx context.Context, call string) error {
			if call == "save" {
				time.Sleep(5 * time.Second)
			}
			return nil
		}
		ada.Receive(&wire.Leave{Is: "leave"})
		pass(aTick)
		other := r.open(hall.Opening{})
		again := r.join(other, hall.Joining{Account: "ada"})
		if pass(4 * time.Second); !other.Loading(context.Background()) {
			t.Error("the record was read while it was being saved")
		}
		pass(2 * time.Second)
		if got := again.copy.Of(sheet.Record)[0].Int("total"); other.Loading(context.Background()) || got != 1 {
			t.Errorf("loaded with %d, saved was 1", got)
		}
		_ = l
	})
}

// TestStopping: a node that stops keeps what its lobbies hold, tells everybody to come again, and opens nothing more; a
// database that stays away does not hold it up for ever, and the loss is logged.
func TestStopping(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		down := away{}
		r.keeper.Gate = down.gate
		l, ada, _ := r.two()
		ada.does(wire.Intent{Do: "act", Name: "score"})
		began := time.Now()
		down["save"] = true
		r.hall.Stop()
		if took := time.Since(began); took < 2*time.Minute || took > 3*time.Minute || !r.log.has("it is lost") {
			t.Errorf("it stopped after %s", took)
		}
		if ada.ended() != string(code.Stopping) || !ada.bye.Again {
			t.Errorf("ended with %+v", ada.bye)
		}
		if e := r.dir.Entries()[0]; e.State != directory.Closed || e.Seats != 0 {
			t.Errorf("the directory says %+v", e)
		}
		if _, err := r.hall.Open(context.Background(), r.book, hall.Opening{}); fault.CodeOf(err) != code.Stopping {
			t.Errorf("opening: %v", err)
		}
		if _, err := l.Ask(context.Background(), "ada",
			&wire.Intent{Do: "ready"}); fault.CodeOf(err) != code.LobbyGone {
			t.Errorf("asking a lobby that has closed: %v", err)
		}
	})
}

// TestEmptyLobby: a lobby without a seat closes after a minute, its row with it; one with a seat does not.
func TestEmptyLobby(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		w := r.hall.Listing.Watch(wire.Filter{})
		l := r.open(hall.Opening{})
		ada := r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
		eve := r.join(l, hall.Joining{Account: "eve", Watch: true})
		pass(61 * time.Second)
		if r.hall.Lobbies() != 1 || eve.bye == nil || eve.ended() != string(code.LobbyGone) || ada.ended() != "" {
			t.Errorf("%d lobbies; eve ended %q, ada %q", r.hall.Lobbies(), eve.ended(), ada.ended())
		}
		gone := 0
		told, _ := w.Take()
		for _, m := range told {
			if m.Gone && m.Code == l.Code {
				gone++
			}
		}
		r.hall.Listing.Stop(w)
		if gone != 1 || r.dir.Entries()[0].State != directory.Closed {
			t.Errorf("told to be gone %d times; the row says %s", gone, r.dir.Entries()[0].State)
		}
	})
}

// TestDirectoryRows: the row follows the lobby, one write at a time, and a write that failed is made up for.
func TestDirectoryRows(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		down, busy, most := away{}, 0, 0
		r.dir.Gate = func(ctx context.Context, call string) error {
			busy++
			most = max(most, busy)
			time.Sleep(200 * time.Millisecond)
			busy--
			return down.gate(ctx, call)
		}
		l, ada, _ := r.two()
		down["write"] = true
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "One"}})
		pass(time.Second)
		delete(down, "write")
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"open": false}})
		pass(time.Second)
		e := r.dir.Entries()[0]
		if e.Title != "One" || e.Open || e.Seats != 2 || e.State != "playing" || most != 1 {
			t.Errorf("the row says %+v; %d writes at once", e, most)
		}
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "Two"}})
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "Three"}}) // while the first is written
		pass(time.Second)
		if e := r.dir.Entries()[0]; e.Title != "Three" {
			t.Errorf("what changed during a write is not written: %+v", e)
		}
		ada.does(wire.Intent{Do: "settings", Args: map[string]any{"title": "One"}})
		fresh := wire.LobbyInfo{Code: l.Code}
		if r.hall.Fresh(&fresh); fresh.Title != "One" || fresh.Open {
			t.Errorf("fresh: %+v", fresh)
		}
	})
}

// TestFaultInALobby: a fault in one lobby ends that lobby, which is logged and told; the others go on, and nothing is
// asked of it again.
func TestFaultInALobby(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l, ada, _ := r.two()
		_, cy, _ := r.two()
		l.Fault()
		pass(aTick)
		if ada.ended() != string(code.Internal) || !r.log.has("made up by a test") {
			t.Errorf("ended %q", ada.ended())
		}
		if _, err := l.Info(context.Background()); fault.CodeOf(err) != code.LobbyGone {
			t.Errorf("asked afterwards: %v", err)
		}
		cy.does(wire.Intent{Do: "act", Name: "score"})
		if r.hall.Lobbies() != 1 || r.dir.Entries()[0].State != directory.Closed {
			t.Errorf("%d lobbies are alive; the row says %s", r.hall.Lobbies(), r.dir.Entries()[0].State)
		}
	})
}

// TestFaultInATask: a fault while something is saved ends the lobby, and nobody waits for ever for the records that it
// would have saved.
func TestFaultInATask(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		bad := true
		r.keeper.Gate = func(ctx context.Context, call string) error {
			if bad && call == "save" {
				panic("made up by a test")
			}
			return ctx.Err()
		}
		l, ada, _ := r.two()
		l.EndMatch(context.Background(), "one")
		pass(time.Second)
		if ada.ended() != string(code.Internal) {
			t.Errorf("ended %q", ada.ended())
		}
		if _, err := l.Info(context.Background()); fault.CodeOf(err) != code.LobbyGone {
			t.Errorf("it is asked again: %v", err)
		}
		bad = false
		next := r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
		if pass(time.Second); next.see(uint32(next.First()), "loaded") == 0 {
			t.Error("her record is never read again")
		}
	})
}

// TestNames: a new name is in every lobby that the player is in, and kept, in the end, whatever the database does;
// names that cannot be are refused with the reason.
func TestNames(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		down := away{"rename": true}
		r.names.Gate = down.gate
		_, ada, bo := r.two()
		elsewhere := r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
		me, there := uint32(ada.First()), uint32(elsewhere.First())
		ada.does(wire.Intent{Do: "rename", Text: "  Ada   Lamp "})
		if bo.text(me, "name") != "Ada Lamp" || elsewhere.text(there, "name") != "ada" {
			t.Errorf("here %q, elsewhere, not kept yet, %q", bo.text(me, "name"), elsewhere.text(there, "name"))
		}
		ada.does(wire.Intent{Do: "rename", Text: "Ada Lantern"})
		delete(down, "rename")
		pass(10 * time.Second)
		if r.names.Name("ada") != "Ada Lantern" || elsewhere.text(there, "name") != "Ada Lantern" {
			t.Errorf("kept %q, elsewhere %q", r.names.Name("ada"), elsewhere.text(there, "name"))
		}
		ada.refused(wire.Intent{Do: "rename", Text: ""}, string(code.BadName), "empty")
		ada.refused(wire.Intent{Do: "rename", Text: "A\u200bda"}, string(code.BadName), "U+200B")
		bo.does(wire.Intent{Do: "rename", Text: "Ada Lantern"})
		if got := ada.text(uint32(bo.First()), "name"); got != "Ada Lantern 2" {
			t.Errorf("the second of a name is called %q", got)
		}
		r.hall.Renamed("ada", "Ines")
		pass(aTick)
		if bo.text(me, "name") != "Ines" || elsewhere.text(there, "name") != "Ines" {
			t.Errorf("renamed from outside: %q and %q", bo.text(me, "name"), elsewhere.text(there, "name"))
		}
		r.hall.Removed("ada")
		pass(aTick)
		if ada.ended() != "left" || elsewhere.ended() != "left" {
			t.Errorf("deleted: %q and %q", ada.ended(), elsewhere.ended())
		}
	})
}

// TestPractice: nothing of a practice lobby is kept.
func TestPractice(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Practice: true})
		ada, bo := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		for _, p := range []*player{ada, bo} {
			p.does(wire.Intent{Do: "ready"})
		}
		ada.does(wire.Intent{Do: "act", Name: "score"})
		l.EndMatch(context.Background(), "")
		pass(6 * time.Second)
		if f := r.keeper.Fields("ada", "harbour"); len(r.keeper.Results()) != 0 || len(f) != 0 {
			t.Errorf("kept: %v, %v", r.keeper.Results(), f)
		}
	})
}

// purse has a record that effects change in every way.
const purse = `turnvex: 1
name: purse
players: {least: 1, most: 4, hold: 10m, late: seat}
start: {countdown: 0s}
sheets: {player: {n: {type: integer}}}
actions:
  earn: {do: [{add: record.coins, by: 5}, {add: me.n, by: 1}]}
  spend: {if: record.coins >= 5, do: [{add: record.coins, by: -5}]}
  dress: {do: [{set: record.hat, to: red}]}
phases: {play: {lasts: 600s}}
win: {order: [{highest: me.n}]}
record: {coins: {}, best: {keep: best, value: me.n}, hat: {type: choice, words: [none, red]}, games: {keep: total, value: 1}}
`

// TestTwoLobbiesOneRecord: a player who is in two lobbies at once has one record: what both do to it adds up, each sees
// within a second what the other did, the best of both stays, and nothing is done twice though answers are lost.
func TestTwoLobbiesOneRecord(t *testing.T) {
	inVirtualTime(t, purse, func(r *rig) {
		lost := 0
		r.keeper.Lost = func(*keep.Job) error {
			if lost++; lost%2 == 1 {
				return errors.New("the answer is lost")
			}
			return nil
		}
		one, two := r.open(hall.Opening{}), r.open(hall.Opening{})
		a, b := r.join(one, hall.Joining{Account: "ada"}), r.join(two, hall.Joining{Account: "ada"})
		for _, p := range []*player{a, b} {
			p.does(wire.Intent{Do: "ready"})
		}
		act := func(p *player, name string, times int) {
			for range times {
				p.does(wire.Intent{Do: "act", Name: name})
			}
		}
		coins := func(p *player) int64 { return p.copy.Of(sheet.Record)[0].Int("coins") }
		act(a, "earn", 3)
		act(b, "earn", 1)
		if coins(a) != 15 || coins(b) != 5 {
			t.Errorf("at first they see %d and %d coins", coins(a), coins(b))
		}
		pass(6 * time.Second) // both are saved, and a second later known
		if coins(a) != 20 || coins(b) != 20 {
			t.Errorf("then they see %d and %d coins", coins(a), coins(b))
		}
		act(a, "spend", 4)
		pass(6 * time.Second)
		b.refused(wire.Intent{Do: "act", Name: "spend"}, "condition", "spend")
		act(b, "dress", 1)
		one.EndMatch(context.Background(), "")
		two.EndMatch(context.Background(), "")
		pass(2 * time.Second)
		f := r.keeper.Fields("ada", "purse")
		for name, want := range map[string]string{"coins": "0", "best": "3", "hat": "red", "games": "2"} {
			if fmt.Sprint(f[name]) != want {
				t.Errorf("%s is %v, not %s", name, f[name], want)
			}
		}
		if coins(a) != 0 || lost < 4 {
			t.Errorf("a sees %d coins; %d saves", coins(a), lost)
		}
	})
}

// TestStandingsInOrder: what another lobby did to a record does not undo, for a moment, what is being saved here, and
// is seen once that is done; an older standing that comes late changes nothing.
func TestStandingsInOrder(t *testing.T) {
	inVirtualTime(t, purse, func(r *rig) {
		coins := func(p *player) int64 { return p.copy.Of(sheet.Record)[0].Int("coins") }
		one, two := r.open(hall.Opening{}), r.open(hall.Opening{})
		a, b := r.join(one, hall.Joining{Account: "ada"}), r.join(two, hall.Joining{Account: "ada"})
		for _, p := range []*player{a, b} {
			p.does(wire.Intent{Do: "ready"})
		}
		a.does(wire.Intent{Do: "act", Name: "earn"})
		pass(6 * time.Second)
		old, _, err := r.keeper.Load(context.Background(), "ada", r.book)
		if err != nil || old.Version != 1 || coins(b) != 5 {
			t.Fatalf("saved as version %d, %v; the other lobby sees %d coins", old.Version, err, coins(b))
		}
		var slow atomic.Bool
		slow.Store(true)
		r.keeper.Gate = func(_ context.Context, call string) error {
			if call == "save" && slow.Swap(false) {
				time.Sleep(3 * time.Second)
			}
			return nil
		}
		a.does(wire.Intent{Do: "act", Name: "spend"})
		pass(time.Second)
		b.does(wire.Intent{Do: "act", Name: "earn"})
		pass(5500 * time.Millisecond) // b's is saved; a's hangs
		if got := r.keeper.Fields("ada", "purse")["coins"]; fmt.Sprint(got) != "10" || slow.Load() {
			t.Errorf("%v coins are kept, a's save has begun: %t", got, !slow.Load())
		}
		a.refused(wire.Intent{Do: "act", Name: "spend"}, string(code.Condition), "spend")
		pass(3 * time.Second)
		if coins(a) != 5 || coins(b) != 5 {
			t.Errorf("in the end they see %d and %d coins", coins(a), coins(b))
		}
		a.does(wire.Intent{Do: "act", Name: "spend"})
		pass(6 * time.Second)
		r.hall.Stands("purse", "ada", old)
		pass(aTick)
		if coins(a) != 0 || coins(b) != 0 {
			t.Errorf("after an old standing they see %d and %d coins", coins(a), coins(b))
		}
	})
}
