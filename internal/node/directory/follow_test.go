package directory_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/feed"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/wire"
)

// TestFarLobbies: who watches on a node is told of every lobby of others that changes, also of six thousand that change
// at once; of one that closes and whose code is used again; of one that comes here it is for the node to tell. Whoever
// watches when everything may have changed lists anew.
func TestFarLobbies(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	d, to := directory.New(db), directory.NewWatchers()
	f := feed.New(db, feed.Subscriber{Topic: feed.Lobbies, Wanted: func() bool { return !to.Idle() },
		Look: func(ctx context.Context, keys []string) error { return d.Look(ctx, to, "here", keys) }})
	open := func(code, node, rulebook string) directory.Entry {
		t.Helper()
		e := directory.Entry{ID: uuid.NewString(), Node: node, Listed: true, LobbyInfo: wire.LobbyInfo{Code: code,
			Rulebook: rulebook, Region: "north", State: "gathering", Opened: now}}
		if err := d.Open(t.Context(), e); err != nil {
			t.Fatal(err)
		}
		return e
	}
	far := open("FAR", "there", "bell")
	all, clash := to.Watch(wire.Filter{}), to.Watch(wire.Filter{Rulebook: "clash"})
	looks := func(what, want, wantClash string) {
		t.Helper()
		if err := f.Look(t.Context()); err != nil {
			t.Fatal(err)
		}
		for w, want := range map[*directory.Watcher]string{all: want, clash: wantClash} {
			changes, anew := w.Take()
			got := ""
			for _, m := range changes {
				if got += m.Code; m.Gone {
					got += " gone"
				}
				got += ", "
			}
			if anew {
				got += "anew"
			}
			if got != want {
				t.Errorf("%s: told %q, wanted %q", what, got, want)
			}
		}
	}
	looks("the first time", "anew", "anew")
	near := open("NEAR", "here", "bell")
	open("CLASH", "there", "clash")
	looks("opened", "CLASH, ", "CLASH, ")
	if err := d.Close(t.Context(), far, now.Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	looks("closed", "FAR gone, ", "")
	far = open("FAR", "there", "bell")
	if err := d.Close(t.Context(), far, now.Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	far = open("FAR", "there", "bell")
	looks("its code is used again", "FAR, ", "")
	move := func(id, node string) {
		t.Helper()
		if err := db.Exec("update lobbies set node = ? where id = ?", node, id).Error; err != nil {
			t.Fatal(err)
		}
	}
	move(far.ID, "here")
	move(near.ID, "there")
	looks("one comes, and one goes", "NEAR, ", "")
	if err := db.Exec("delete from lobbies where id = ?", near.ID).Error; err != nil {
		t.Fatal(err)
	}
	looks("a row is deleted", "NEAR gone, ", "NEAR gone, ")

	const many = 6000
	err := db.Exec(`insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity, practice,
			open, listed, created_at, updated_at)
		select gen_random_uuid(), 'X' || n, 'bell', 'v', '', 'north', 'there', 'gathering', 0, 9, false, true, true, now(), now()
		from generate_series(1, ?) n`, many).Error
	if err != nil {
		t.Fatal(err)
	}
	for _, change := range []string{"created_at = now()", "seats = 1", "closed_at = now()"} {
		if err := db.Exec("update lobbies set " + change + " where code like 'X%'").Error; err != nil {
			t.Fatal(err)
		}
		if err := f.Look(t.Context()); err != nil {
			t.Fatal(err)
		}
		told := map[string]bool{}
		changes, _ := all.Take()
		for _, m := range changes {
			told[m.Code] = true
		}
		if len(told) != many {
			t.Errorf("of %d lobbies that changed at once, %s, %d are told", many, change, len(told))
		}
	}
	to.Stop(all)
	to.Stop(clash)
	if !to.Idle() {
		t.Error("somebody still watches")
	}
}
