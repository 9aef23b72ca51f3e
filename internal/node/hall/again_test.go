package hall_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/wire"
)

// TestBackTwice: each coming back gives a key with which to come back again, and the one before is good for nothing.
func TestBackTwice(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		ada := r.join(l, hall.Joining{Account: "ada"})
		seat, old := ada.First(), ""
		for range 3 {
			key := ada.all("welcome")[0]["resume"].(string)
			if key == old || key == "" {
				t.Fatalf("the key is %q again", key)
			}
			ada.Lost()
			pass(5 * time.Second)
			if ada = r.join(l, hall.Joining{Account: "ada", Resume: key}); ada.First() != seat {
				t.Fatalf("back with seat %d, not %d", ada.First(), seat)
			}
			old = key
		}
		pass(time.Minute)
		if info, err := l.Info(context.Background()); err != nil || info.Seats != 1 {
			t.Errorf("%d seats, %v", info.Seats, err)
		}
	})
}

// TestQuickByOptions: who asks for options is sent to a lobby that has them, and to no other.
func TestQuickByOptions(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		plain, nine := r.open(hall.Opening{}), r.open(hall.Opening{Options: map[string]any{"goal": 9.0}})
		for i, c := range []struct {
			goal any
			code string
		}{{nil, plain.Code}, {9.0, nine.Code}, {8.0, ""}, {99.0, "refused"}} {
			o := hall.Opening{Options: map[string]any{}}
			if c.goal != nil {
				o.Options["goal"] = c.goal
			}
			l, opened, err := r.hall.Quick(context.Background(), r.book, []string{fmt.Sprint("p", i)}, o)
			switch {
			case c.code == "refused":
				if fault.CodeOf(err) != code.BadOption {
					t.Errorf("goal %v: %v", c.goal, err)
				}
			case err != nil || opened != (c.code == "") || !opened && l.Code != c.code:
				t.Errorf("goal %v: opened %v, %v", c.goal, opened, err)
			}
		}
	})
}

// TestQuickToTheLastSeat: a lobby with one free seat is found by who comes alone.
func TestQuickToTheLastSeat(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{Capacity: 2})
		r.join(l, hall.Joining{Account: "ada"})
		found, opened, err := r.hall.Quick(context.Background(), r.book, []string{"bo"}, hall.Opening{})
		if err != nil || opened || found.Code != l.Code {
			t.Errorf("%v, opened %v, %v", found, opened, err)
		}
		found, opened, err = r.hall.Quick(context.Background(), r.book, []string{"cy"}, hall.Opening{})
		if err != nil || !opened || found.Code == l.Code {
			t.Errorf("where no seat is left: %v, opened %v, %v", found, opened, err)
		}
	})
}

// TestQuickAsksNobodyElse: who looks for a lobby waits for the one that is chosen, not for others.
func TestQuickAsksNobodyElse(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		busy, full := r.open(hall.Opening{}), r.open(hall.Opening{})
		r.join(full, hall.Joining{Account: "ada"})
		defer busy.Stick()()
		for _, who := range []string{"bo", "cy"} {
			found, opened, err := r.hall.Quick(context.Background(), r.book, []string{who}, hall.Opening{})
			if err != nil || opened || found != full {
				t.Errorf("%v, opened %v, %v", found, opened, err)
			}
		}
	})
}

// TestQuickPastABan: a lobby that would not take somebody of the party is no lobby for them, however many places it
// has.
func TestQuickPastABan(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		l := r.open(hall.Opening{})
		ada, bo := r.join(l, hall.Joining{Account: "ada"}), r.join(l, hall.Joining{Account: "bo"})
		ada.does(wire.Intent{Do: "ban", Target: uint32(bo.First())})
		found, opened, err := r.hall.Quick(context.Background(), r.book, []string{"bo"}, hall.Opening{})
		if err != nil || !opened || found == l {
			t.Errorf("who is banned was sent to the same lobby: opened %v, %v", opened, err)
		}
	})
}

// TestQuickWants: who looks for any lobby is never sent to one that is hidden, closed to newcomers, behind a password,
// for practice or of another rulebook; an open one is found.
func TestQuickWants(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		other, problems := rulebook.Compile([]byte(strings.Replace(harbour, "name: harbour", "name: other", 1)))
		if other == nil {
			t.Fatal(problems)
		}
		for name, o := range map[string]hall.Opening{"hidden": {Hidden: true}, "closed": {Closed: true},
			"behind a password": {Password: "secret"}, "for practice": {Practice: true}} {
			l := r.open(o)
			found, opened, err := r.hall.Quick(context.Background(), r.book, []string{name}, hall.Opening{Hidden: true})
			if err != nil || !opened || found == l {
				t.Errorf("somebody was sent to a lobby that is %s: %v", name, err)
			}
		}
		l := r.open(hall.Opening{})
		if found, opened, _ := r.hall.Quick(context.Background(), other, []string{"ed"}, hall.Opening{}); !opened ||
			found == l {
			t.Error("somebody was sent to a lobby of another rulebook")
		}
		if found, opened, _ := r.hall.Quick(context.Background(), r.book, []string{"fay"}, hall.Opening{}); opened ||
			found != l {
			t.Error("an open lobby was not found")
		}
	})
}

// TestHeldPlaces: places are held for a minute unless something else is said, and as long as is said.
func TestHeldPlaces(t *testing.T) {
	for ms, held := range map[int64]time.Duration{0: time.Minute, 5000: 5 * time.Second} {
		inVirtualTime(t, harbour, func(r *rig) {
			l := r.open(hall.Opening{Reserve: []string{"a", "b", "c", "d"}, ReserveMS: ms})
			r.join(l, hall.Joining{Account: "a"}) // an empty lobby would close
			pass(held - time.Second)
			if _, err := r.tryJoin(l, hall.Joining{Account: "e"}); fault.CodeOf(err) != code.LobbyFull {
				t.Errorf("a second before the places are free: %v", err)
			}
			pass(2 * time.Second)
			if _, err := r.tryJoin(l, hall.Joining{Account: "e"}); err != nil {
				t.Errorf("a second after %s: %v", held, err)
			}
		})
	}
}

// TestEndedFor: a connection that is ended for what it sent is told the code and the reason; one that is gone is told
// nothing.
func TestEndedFor(t *testing.T) {
	inVirtualTime(t, harbour, func(r *rig) {
		_, ada, bo := r.two()
		ada.EndFor(fault.New(code.BadMessage, "that is no message"))
		bo.EndFor(errors.New("line noise"))
		pass(aTick)
		if ada.bye == nil || ada.bye.Code != string(code.BadMessage) || ada.bye.Reason != "that is no message" {
			t.Errorf("ada is told %+v", ada.bye)
		}
		if bo.bye == nil || bo.bye.Reason != "line noise" || bo.bye.Code == "" {
			t.Errorf("bo is told %+v", bo.bye)
		}
	})
}

// TestToldInTime: a field that is told only so often is told when its time has come, though nothing else happens; and
// who asks for a snapshot is sent one, though nothing has changed.
func TestToldInTime(t *testing.T) {
	src := strings.Replace(harbour, "points: {type: integer}, mood", "points: {type: integer, update: 2s}, mood", 1)
	inVirtualTime(t, src, func(r *rig) {
		_, ada, bo := r.two()
		for range 3 {
			ada.does(wire.Intent{Do: "act", Name: "score"})
			pass(200 * time.Millisecond)
		}
		seat := uint32(ada.First())
		if got := bo.see(seat, "points"); got == 3 {
			t.Errorf("after 0.6 s bo sees %d points already", got)
		}
		pass(2500 * time.Millisecond)
		if got := bo.see(seat, "points"); got != 3 {
			t.Errorf("after 2 s more bo sees %d points", got)
		}
		bo.forget()
		if err := bo.Receive(&wire.Plain{Is: "snapshot"}); err != nil {
			t.Fatal(err)
		}
		pass(200 * time.Millisecond)
		if got := len(bo.all("snapshot")); got != 1 {
			t.Errorf("who asked for a snapshot was sent %d", got)
		}
	})
}

// TestJournals: a lobby's journal plays back to the state that the lobby ended in.
func TestJournals(t *testing.T) {
	dir := t.TempDir()
	synctest.Test(t, func(t *testing.T) {
		book, problems := rulebook.Compile([]byte(harbour))
		if book == nil {
			t.Fatal(problems.Errors())
		}
		r := &rig{t: t, book: book, log: &lines{}}
		r.hall = hall.New(hall.Config{
			Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(), Names: memdb.NewNames(), Node: "n1",
			Journals: journal.NewFolder(dir),
			Log:      slog.New(slog.NewTextHandler(r.log, nil)),
		})
		l, ada, _ := r.two()
		for range 5 {
			ada.does(wire.Intent{Do: "act", Name: "score"})
			pass(2 * time.Second)
		}
		if info, err := os.Stat(only(t, dir)); err != nil || info.Size() < 1000 {
			t.Errorf("while the lobby is open the journal has %v, %v", info, err)
		}
		l.Close("enough")
		r.hall.Stop()
		if r.log.has("journal") {
			t.Error(r.log.text.String())
		}
	})
	f, err := os.Open(only(t, dir))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rp, err := journal.Open(f)
	if err != nil {
		t.Fatal(err)
	}
	if err := rp.RunTo(-1); err != io.EOF || rp.Inputs < 8 || rp.Hashes == 0 {
		t.Errorf("played back: %v, %d inputs, %d hashes", err, rp.Inputs, rp.Hashes)
	}
}

func only(t *testing.T, dir string) string {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*.journal"))
	if err != nil || len(files) != 1 {
		t.Fatalf("%v, %v", files, err)
	}
	return files[0]
}

// TestMidnight: a lobby knows the day in the rulebook's time zone when it opens, and the next one from its midnight on,
// whether nothing else happens, or something later.
func TestMidnight(t *testing.T) {
	src := strings.Replace(harbour, "lasts: 60s", "lasts: 24h", 1) + "calendar: {time_zone: Europe/Oslo}\n"
	for _, playing := range []bool{false, true} {
		inVirtualTime(t, src, func(r *rig) {
			var ada *player
			if playing {
				_, ada, _ = r.two()
			} else {
				ada = r.join(r.open(hall.Opening{}), hall.Joining{Account: "ada"})
			}
			const first = 10957 // the first of January 2000, where virtual time begins; one o'clock in Oslo
			for _, c := range []struct {
				after time.Duration
				day   int64
			}{{0, first}, {22*time.Hour + 59*time.Minute, first}, {2 * time.Minute, first + 1}} {
				pass(c.after)
				if is := ada.see(1, "day"); is != c.day {
					t.Errorf("playing %v, after %v: it is day %d, not %d", playing, c.after, is, c.day)
				}
			}
		})
	}
}
