package feed

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

// follower is who is told about records and voids, by a feed with pages of a few keys.
type follower struct {
	*testing.T
	*Feed
	told []string
	idle bool
	fail error
	once func() // called once, while it is asked whether it wants anything
}

func follows(t *testing.T, page int, topics ...Topic) *follower {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	f := &follower{T: t}
	var subs []Subscriber
	for _, topic := range topics {
		subs = append(subs, Subscriber{Topic: topic, Wanted: func() bool {
			idle := f.idle
			if f.once != nil {
				f.once()
				f.once = nil
			}
			return !idle
		}, Look: func(_ context.Context, keys []string) error {
			if len(keys) > page {
				t.Errorf("%d keys are told at once", len(keys))
			}
			if keys == nil {
				keys = []string{"all of " + topic.name}
			}
			f.told = append(f.told, keys...)
			return f.fail
		}})
	}
	f.Feed = New(db, subs...)
	f.page = page
	return f
}

// looks looks, and wants some keys to be told, in any order.
func (f *follower) looks(what string, want ...string) {
	f.Helper()
	f.told = nil
	if err := f.Look(f.Context()); !errors.Is(err, f.fail) {
		f.Fatalf("%s: %v", what, err)
	}
	slices.Sort(f.told)
	slices.Sort(want)
	if !slices.Equal(f.told, want) {
		f.Errorf("%s: told are %q, wanted %q", what, f.told, want)
	}
}

func do(t *testing.T, tx *store.Tx, sql string, args ...any) {
	t.Helper()
	if err := tx.Exec(sql, args...).Error; err != nil {
		t.Fatal(err)
	}
}

const voided = "insert into voided (subject, before) values (?, now())"

// TestFeed: everything is told first, then each row that has changed once: in pages, also what commits late and what is
// deleted. A transaction that stays open has nothing told twice.
func TestFeed(t *testing.T) {
	f := follows(t, 3, Voids, Players)
	f.looks("the first time", "all of voids", "all of players")
	f.looks("nothing has changed")
	var many []string
	for n := range 8 {
		many = append(many, fmt.Sprint("player ", n))
		do(t, db.DB, voided, many[n])
	}
	do(t, db.DB, "insert into voided (subject, before) select 'at once ' || n, now() from generate_series(1, 7) n")
	f.looks("pages, of many marks and of one", append(slices.Clone(many), "at once 1", "at once 2", "at once 3",
		"at once 4", "at once 5", "at once 6", "at once 7")...)
	f.looks("once")

	slow, abandoned := db.Begin(), db.Begin()
	do(t, slow, voided, "slow")
	do(t, abandoned, voided, "abandoned")
	do(t, db.DB, voided, "quick")
	f.looks("beside a transaction under way", "quick")
	for range 20 {
		f.looks("while it stays open")
	}
	do(t, db.DB, voided, "later")
	f.looks("after all that", "later")
	slow.Commit()
	abandoned.Rollback()
	f.looks("when it has ended", "slow")
	f.looks("and once")

	id := uuid.NewString()
	do(t, db.DB, "insert into players (id, name, created_at, seen_at) values (?, 'Ada', now(), now())", id)
	f.looks("who is new has no name that anybody knows")
	do(t, db.DB, "update players set name = 'Bo' where id = ?", id)
	f.looks("renamed", id)
	do(t, db.DB, "delete from players where id = ?", id)
	f.looks("deleted", id)
	do(t, db.DB, "update tombstones set at = now() - interval '59 minutes'")
	if err := f.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	var left int64
	if db.Table("tombstones").Count(&left); left != 1 {
		t.Errorf("%d keys of deleted rows are left within the hour", left)
	}
	do(t, db.DB, "update tombstones set at = now() - interval '61 minutes'")
	if err := f.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	if db.Table("tombstones").Count(&left); left != 0 {
		t.Errorf("%d keys of deleted rows are left after an hour", left)
	}
}

// TestFeedFails: what a subscriber could not look at is told again, also a page in the middle; to others it is not.
func TestFeedFails(t *testing.T) {
	f := follows(t, 2, Voids, Players)
	f.fail = errors.New("the database has gone")
	f.looks("the first time, failing", "all of voids", "all of players")
	f.fail = nil
	f.looks("again", "all of voids", "all of players")
	for _, n := range []string{"1", "2", "3"} {
		do(t, db.DB, voided, n)
	}
	f.fail = errors.New("the database has gone")
	f.looks("the first page fails", "1", "2")
	f.fail = nil
	f.looks("from its beginning", "1", "2", "3")
	over, cancel := context.WithCancel(t.Context())
	cancel()
	do(t, db.DB, voided, "4")
	if err := f.Look(over); err == nil {
		t.Error("a look without a database is no error")
	}
	f.looks("after it", "4")
}

// TestFeedOfIdleSubscribers: while nothing is wanted nothing is read, and nothing is told of then; who begins to want
// something in the middle of a look is told what that look did not read.
func TestFeedOfIdleSubscribers(t *testing.T) {
	f := follows(t, 100, Voids)
	f.looks("the first time", "all of voids")
	f.idle = true
	do(t, db.DB, voided, "unwanted")
	f.looks("idle")
	f.idle = false
	f.looks("what was read when it began", []string{}...)
	f.idle = true
	f.once = func() {
		f.idle = false
		do(t, db.DB, voided, "between")
	}
	f.looks("it begins in the middle of a look")
	f.looks("the look after", "between")
}

// TestFeedOfAnotherDatabase: rows that were restored from another database bear numbers from there: they are not read
// again and again. Another database in the place of this one, or this one set back, has everything looked at once, and
// so has a feed that could not read for long.
func TestFeedOfAnotherDatabase(t *testing.T) {
	f := follows(t, 100, Voids)
	do(t, db.DB, voided, "restored")
	do(t, db.DB, "alter table voided disable trigger voided_marked")
	do(t, db.DB, "update voided set mark = mark + 1000000")
	do(t, db.DB, "alter table voided enable trigger voided_marked")
	f.looks("the first time", "all of voids")
	do(t, db.DB, voided, "fresh")
	f.looks("of the rows", "fresh")
	f.looks("after it")
	told := &f.subs[0].told
	for what, change := range map[string]func(){
		"another database": func() { told.history = strings.Replace(told.history, " ", "1 ", 1) },
		"set back":         func() { told.next += 1000 },
		"long ago":         func() { told.at = told.at.Add(-forget) },
	} {
		change()
		f.looks(what, "all of voids")
		f.looks(what + ", once")
	}
	if n := len(strings.Fields(told.history)); n != 3 {
		t.Errorf("the history is %q", told.history)
	}
}

// TestFeedOfManyRows: a hundred thousand rows that change at once are told, each once.
func TestFeedOfManyRows(t *testing.T) {
	f := follows(t, pageKeys, Voids)
	f.looks("the first time", "all of voids")
	do(t, db.DB, "insert into voided (subject, before) select 'player ' || n, now() from generate_series(1, 100000) n")
	f.told = nil
	if err := f.Look(t.Context()); err != nil {
		t.Fatal(err)
	}
	slices.Sort(f.told)
	if all := len(f.told); all != 100_000 || len(slices.Compact(f.told)) != all {
		t.Errorf("%d are told", all)
	}
	f.looks("once")
}

// TestFeedRuns: a feed that runs looks by itself; that it cannot is told once, and so is that it can again.
func TestFeedRuns(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	told, said := make(chan error), make(chan string, 100)
	f := New(db, Subscriber{Topic: Voids, Look: func(ctx context.Context, _ []string) error {
		select {
		case err := <-told:
			return err
		case <-ctx.Done():
			return ctx.Err()
		}
	}})
	ctx, end := context.WithCancel(t.Context())
	over := make(chan struct{})
	go func() {
		defer close(over)
		f.Run(ctx, slog.New(slog.NewTextHandler(sayer{said}, nil)))
	}()
	away := errors.New("away")
	for _, err := range []error{nil, away, away, nil, away, nil} {
		if err != nil || f.subs[0].told.set() {
			do(t, db.DB, voided, uuid.NewString())
		}
		told <- err
	}
	do(t, db.DB, voided, "the last")
	told <- nil // so the look before has ended
	end()
	<-over
	close(said)
	var all []string
	for line := range said {
		all = append(all, map[bool]string{true: "again", false: "not"}[strings.Contains(line, "again")])
	}
	if got := strings.Join(all, " "); got != "not again not again" {
		t.Errorf("it says that what others did is known: %s", got)
	}
}

// sayer hands lines of a log on.
type sayer struct{ to chan<- string }

func (s sayer) Write(line []byte) (int, error) {
	s.to <- string(line)
	return len(line), nil
}
