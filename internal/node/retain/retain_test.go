package retain

import (
	"context"
	"fmt"
	"maps"
	"os"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

func TestParse(t *testing.T) {
	p, err := Parse("results=365d, guests=0 journals=36h")
	if err != nil || p["results"] != 365*day || p["guests"] != 0 || p["journals"] != 36*time.Hour ||
		p["audit"] != 365*day || p["history"] != 0 {
		t.Errorf("%v, %v", p, err)
	}
	for text, want := range map[string]string{
		"gusts=90d":       `"gusts" is nothing that has an end; there are results, history, `,
		"audit":           `audit: "" is no period`,
		"audit=-3d":       "no period",
		"audit=0d":        "no period",
		"audit=40000d":    "no period",
		"audit=x":         "no period",
		"guests=30d":      "guests are kept for 31d at least, or for ever (0)",
		"lobbies=1m":      "lobbies are kept for 1h at least",
		"audit=1000000h ": "no period",
	} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, wanted %s", text, err, want)
		}
	}
	for _, s := range Sorts { // what the help shows is what is read
		if p, err := Parse(s.Name + "=" + Written(s.For)); err != nil || p[s.Name] != s.For {
			t.Errorf("%s: %v, %v", s.Name, p, err)
		}
	}
}

// TestDocumented: the page for operators has the table of all that is kept, as Sorts have it.
func TestDocumented(t *testing.T) {
	page, err := os.ReadFile("../../../docs/operations.md")
	if err != nil {
		t.Fatal(err)
	}
	want := "| name | what is removed | kept for | at least |\n|---|---|---|---|\n"
	for _, s := range Sorts {
		kept := Written(s.For)
		if s.For == 0 {
			kept = "ever"
		}
		want += fmt.Sprintf("| `%s` | %s | %s | %s |\n", s.Name, s.Says, kept, Written(s.Least))
	}
	if !strings.Contains(string(page), want) {
		t.Errorf("docs/operations.md lacks\n%s", want)
	}
}

// now is when the test sweeps; what it writes is older or younger by the statements below.
var now = time.Date(2031, 6, 1, 12, 0, 0, 0, time.UTC)

// days writes a moment so many days before now, in SQL.
func days(n int) string {
	return fmt.Sprintf("timestamptz '%s'", now.AddDate(0, 0, -n).Format(time.RFC3339))
}

// id is the SQL of the ID of what has a number.
func id(n int) string { return fmt.Sprintf("'00000000-0000-4000-8000-%012d'::uuid", n) }

func write(t *testing.T, statements ...string) {
	t.Helper()
	for _, sql := range statements {
		if err := db.WithContext(t.Context()).Exec(sql).Error; err != nil {
			t.Fatalf("%s: %v", sql, err)
		}
	}
}

func count(t *testing.T, rows string) (n int) {
	t.Helper()
	if err := db.WithContext(t.Context()).Raw("select count(*) from " + rows).Scan(&n).Error; err != nil {
		t.Fatal(err)
	}
	return n
}

// guests writes players who came once, so many days ago, with numbers from first on.
func guests(t *testing.T, first, n, ago int) {
	t.Helper()
	for i := first; i < first+n; i++ {
		write(t, fmt.Sprintf("insert into players (id, name, created_at, seen_at) values (%s, 'Skiff', %s, %s)", id(i),
			days(ago), days(ago)))
	}
}

// TestSweep: of each sort what is older than it is kept goes, with what belongs to it, and nothing else; who came once
// and left anything at all stays; a sort that is kept for ever stays whole.
func TestSweep(t *testing.T) {
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	guests(t, 1, 30, 100) // 1 to 12 leave something
	guests(t, 31, 5, 80)
	for i, sql := range []string{
		"update players set banned_at = now(), banned_why = 'rude' where id = %s",
		"update players set created_at = seen_at - interval '25 hours' where id = %s",
		"insert into accounts (player_id, login, password, created_at, changed_at) values (%s, 'a', 'b', now(), now())",
		"insert into records (player_id, rulebook, fields, updated_at) values (%s, 'duel', '{}', now())",
		"insert into player_totals values (%s, 'duel', 1, 1, 0, 0, 0, 5, now())",
		"insert into match_players values (%s, now(), " + id(7) + ", 'duel', 'Skiff', '', 'won', 1)",
		"with open as (insert into board_seasons (rulebook, board, name, begins) values ('duel', 'hand', '1', now()) " +
			"returning id) insert into board_entries (season, subject, value, posts, reached_at, version, mark) " +
			"select id, %s, 1, 1, now(), 1, 1 from open",
		"insert into board_posts values ('duel', 'best', gen_random_uuid(), %s, 1, now())",
		"insert into board_bars values ('duel', 'best', %s, 'me', 'rude', now())",
		"insert into series_players select %s, id, 1 from series where not over",
		"insert into ledger_people values (" + id(8) + ", 'a1', 'a1', %s::text)",
		"insert into record_changes (lobby_id, number, player_id, rulebook, version, match, changes, was, became, " +
			"changed_at) values (" + id(9) + ", 99, %s, 'duel', 'v', 1, '[]', '{}', '{}', " + days(500) + ")",
	} {
		if i == 5 {
			write(t, "select results_month(now())")
		}
		if i == 9 {
			for n, over := range []string{"false", "true", "true"} {
				write(t, fmt.Sprintf(`insert into series (id, name, title, node, plan, state, seq, over, opened_at, changed_at)
					values (%s, 'cup', 'Cup', 'n', '', '{}', 0, %s, %s, %s)`, id(100+n), over, days(900),
					days(480-n*60)))
			}
		}
		write(t, fmt.Sprintf(sql, id(i+1)))
	}
	for n, ago := range []int{40, 40, 20} { // the second has a journal
		write(t, fmt.Sprintf(`insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity,
			practice, open, listed, created_at, updated_at, closed_at) values (%s, 'C%d', 'duel', 'v', 'Duel', 'r', 'n',
			'closed', 0, 2, false, true, true, %s, %[3]s, %[3]s)`, id(200+n), n, days(ago)))
	}
	write(t, `insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity, practice, open,
			listed, created_at, updated_at) values (`+id(203)+`, 'C3', 'duel', 'v', 'Duel', 'r', 'n', 'playing', 0, 2,
			false, true, true, `+days(999)+`, `+days(999)+`)`,
		`insert into ledger_lobbies (lobby_id, node, code, name, rulebook, version, setup, opened_at, ended_at) values
			(`+id(201)+`, 'n', 'C1', '', 'duel', 'v', '', `+days(40)+`, `+days(40)+`)`)
	for n, closed := range []string{days(800), days(700), "null"} {
		write(t, fmt.Sprintf(`insert into board_seasons (rulebook, board, name, begins, ends, closed_at)
			values ('duel', 'best', 's%d', %s, %[3]s, %[3]s)`, n, days(900), closed))
	}
	write(t, `insert into board_entries (season, subject, value, posts, reached_at, version, mark)
		select s.id, gen_random_uuid(), 1, 1, now(), 1, 1 from board_seasons s, generate_series(1, 1500) where s.board = 'best'`)
	for _, ago := range []int{400, 300} {
		write(t, `insert into board_acts (rulebook, board, act, author, why, acted_at) values
			('duel', 'best', 'remove', 'me', 'rude', `+days(ago)+")", `insert into audit
			(at, who, what, subject, details, why, address) values (`+days(ago)+", 'me', 'x', '', '', '', '')")
	}
	periods, err := Parse("")
	if err != nil {
		t.Fatal(err)
	}
	gone, err := Sweep(t.Context(), db, now, periods)
	want := map[string]int64{"lobbies": 1, "seasons": 1501, "series": 1, "guests": 18, "acts": 1, "audit": 1}
	if err != nil || !maps.Equal(gone, want) {
		t.Errorf("gone are %v, wanted %v (%v)", gone, want, err)
	}
	for i := 1; i <= 12; i++ {
		if count(t, "players where id = "+id(i)) != 1 {
			t.Errorf("player %d, who left something, is gone", i)
		}
	}
	for rows, want := range map[string]int{"board_entries": 3001, "board_seasons": 3, "lobbies": 3, "series": 2,
		"record_changes": 1, "players where id > " + id(30): 5} {
		if n := count(t, rows); n != want {
			t.Errorf("%d of %s are left, wanted %d", n, rows, want)
		}
	}
	periods["history"] = day
	if gone, err = Sweep(t.Context(), db, now, periods); err != nil || !maps.Equal(gone, map[string]int64{"history": 1,
		"guests": 1}) { // of whom nothing is left then
		t.Errorf("a second time %v, %v", gone, err)
	}
	ended, over := context.WithCancel(t.Context())
	over()
	if _, err = Sweep(ended, db, now, periods); err == nil || !strings.Contains(err.Error(), "remove old guests") {
		t.Errorf("without a database: %v", err)
	}
}
