package store_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var address string

func TestMain(m *testing.M) {
	os.Exit(pgbox.Tests(m.Run, func(_ context.Context, a string) error {
		address = a
		return nil
	}))
}

// TestTheSchemaExplainsItself: every table and every column has a comment, also after a second start, and every query
// of the page on the database runs.
func TestTheSchemaExplainsItself(t *testing.T) {
	db, err := store.Open(t.Context(), address, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for range 2 {
		if err := db.Migrate(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	var bare []string
	if err := db.Raw(`select c.relname || coalesce('.' || a.attname, '') from pg_class c
		left join (select attrelid, attname, attnum from pg_attribute where attnum > 0 and not attisdropped
			union all select oid, null, 0 from pg_class) a on a.attrelid = c.oid
		where c.relnamespace = current_schema()::regnamespace and c.relkind in ('r', 'p') and not c.relispartition
			and c.relname <> 'migrations' and coalesce(col_description(c.oid, nullif(a.attnum, 0)),
			case when a.attnum = 0 then obj_description(c.oid) end, '') = '' order by 1`).Scan(&bare).Error; err != nil {
		t.Fatal(err)
	}
	if len(bare) > 0 {
		t.Errorf("nothing says what is in %v: comment the type's fields and run ./dev docs", bare)
	}
	page, err := os.ReadFile("../../../docs/database.md")
	if err != nil {
		t.Fatal(err)
	}
	blocks := strings.Split(string(page), "```sql\n")[1:]
	for _, b := range blocks {
		b, _, _ = strings.Cut(b, "```")
		if err := db.Transaction(func(tx *store.Tx) error {
			return errors.Join(tx.Exec("set transaction read only").Error, tx.Exec(b).Error)
		}); err != nil {
			t.Errorf("%v in\n%s", err, b)
		}
	}
	if len(blocks) < 6 {
		t.Errorf("the page has %d queries", len(blocks))
	}
}

// TestMigrationsKeepWhatThereIs: a database that an earlier version has filled is brought to the present schema with
// everything that was in it: results in their months, each player's part and totals, boards as their first season,
// records with their history in order. A second start changes nothing.
func TestMigrationsKeepWhatThereIs(t *testing.T) {
	ctx := t.Context()
	db, err := store.Open(ctx, address, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	must := func(sql string, args ...any) {
		t.Helper()
		if err := db.Exec(sql, args...).Error; err != nil {
			t.Fatal(err)
		}
	}
	files, err := filepath.Glob("migrations/*.sql")
	if err != nil || len(files) < 11 {
		t.Fatal(files, err)
	}
	must("drop schema public cascade")
	must("create schema public")
	must("create table migrations (id varchar(100) primary key)")
	for _, f := range files[:6] { // as they were before boards had seasons
		sql, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		must(string(sql))
		must("insert into migrations values (?)", strings.TrimSuffix(filepath.Base(f), ".sql"))
	}
	id := func(n int) string { return fmt.Sprintf("00000000-0000-4000-8000-%012d", n) }
	for n, name := range []string{"Ada", "Bo"} {
		must("insert into players values (?, ?, now(), now())", id(n), name)
	}
	must(`insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity, practice, open,
		listed, created_at, updated_at) values (?, 'ABCDEF', 'duel', 'v', 'T', 'r', 'n', 'closed', 0, 2, false, false, false,
		now(), now())`, id(50))
	for n, at := range []string{"2025-12-31 23:30Z", "2026-01-01 00:30Z", "2026-03-05 12:00Z"} {
		must(
			`insert into matches values (?, ?, ?, 'duel', 'v', 'time', 60000, ?, ?, '{"players": [], "because": "time"}')`,
			id(100+n),
			id(50),
			n+1,
			n == 2,
			at,
		) // the last is of practice
		must("insert into match_players values (?, ?, 'Ada', '', ?, "+
			"1)", id(100+n), id(0), []string{"won", "lost", "won"}[n])
	}
	must("insert into match_players values (?, ?, 'Bo', '', 'lost', 2)", id(100), id(1))
	for n := range 2 {
		must("insert into board_entries values ('duel', 'points', ?, ?, '2026-01-01 00:30Z')", id(n), 10+n)
	}
	must("insert into records (player_id, rulebook, fields, updated_at, form, version) values (?, 'duel', ?, "+
		"now(), 2, 2)",
		id(0), `{"wins": 4}`)
	for n, at := range []string{"2026-01-02", "2026-01-01"} {
		must(`insert into record_changes (lobby_id, number, player_id, rulebook, version, match, changes, was, became,
			changed_at) values (?, ?, ?, 'duel', 'v', 1, '[]', '{}', ?, ?)`, id(50), n+1, id(0),
			fmt.Sprintf(`{"wins": %d}`, 4-2*n), at)
	}
	for range 2 {
		if err := db.Migrate(ctx); err != nil {
			t.Fatal(err)
		}
	}
	for sql, want := range map[string]string{
		"select string_agg(tableoid::regclass || ' ' || code || ' ' || number, ', ' order by number) from " +
			"matches": "matches_2025_12 ABCDEF 1, matches_2026_01 ABCDEF 2",
		"select string_agg(name || ' ' || rulebook || ' ' || outcome, ', ' order by ended_at, name) from " +
			"match_players": "Ada duel won, Bo duel lost, Ada duel lost",
		"select string_agg(matches || ' ' || won || ' ' || lost || ' ' || millis, ', ' order by player_id) from " +
			"player_totals": "2 1 1 120000, 1 0 1 60000",
		`select string_agg(s.name || ' ' || e.value || ' ' || e.posts, ', ' order by e.value) from board_entries e
			join board_seasons s on s.id = e.season`: "all 10 1, all 11 1",
		"select string_agg(became ->> 'wins', ', ' order by revision) from record_changes": "2, 4",
		"select string_agg((fields ->> 'wins') || ' ' || version, ', ') from records":      "4 2",
		"select count(*) || '' from migrations":                                            fmt.Sprint(len(files)),
		"select count(*) || '' from pg_tables where tablename like '%before%' escape '!'":  "0",
	} {
		var got string
		if err := db.Raw(sql).Scan(&got).Error; err != nil || got != want {
			t.Errorf("%s: %q, wanted %q (%v)", sql, got, want, err)
		}
	}
	must("insert into migrations values ('9999_of_a_later_version')")
	if err := db.Migrate(ctx); err == nil || !strings.Contains(err.Error(), "a newer version") {
		t.Errorf("a database of a newer version: %v", err)
	}
	must("delete from players where id = ?", id(0)) // goes from everything
	var left string
	if err := db.Raw("select (select count(*) from match_players) || ' ' || (select count(*) from " +
		"records)").Scan(&left).
		Error; err != nil || left != "1 0" {
		t.Errorf("after a deletion %s are left, %v", left, err)
	}
}
