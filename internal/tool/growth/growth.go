// Package growth fills databases with results and shows that lists read as many pages of a large one as of a small one.
package growth

import (
	"context"
	"crypto/md5"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
)

// months is over how many months the results are spread.
const months = 24

var began = time.Date(2031, 1, 1, 0, 0, 0, 0, time.UTC)

// list is a list that a service reads, from several places.
type list struct {
	name  string
	query func(place int) keep.Query
}

// places is how many places each list is read from: how 21 rows lie on pages is chance.
const places = 12

// filled is a database with so many results.
type filled struct {
	results int
	db      *store.DB
	pages   []float64 // of each list, on average
	dropped time.Duration
	bytes   int64
}

// Run fills one database after another with so many results each, 1,000 at least, and prints what lists read of each.
func Run(ctx context.Context, lab *field.Field, sizes []int) error {
	out := lab.Out
	var all []*filled
	for _, n := range sizes {
		f, err := measure(ctx, lab, n)
		if err != nil {
			return err
		}
		all = append(all, f)
	}
	fmt.Fprintf(out, "\npages read (EXPLAIN ANALYZE, BUFFERS; of %d places on average)\n%-44s", places, "")
	for _, f := range all {
		fmt.Fprintf(out, "%14d", f.results)
	}
	fmt.Fprintln(out, "   the last against the first")
	first, last := all[0], all[len(all)-1]
	for i, l := range lists(first.results) {
		fmt.Fprintf(out, "  %-42s", l.name)
		for _, f := range all {
			fmt.Fprintf(out, "%14.1f", f.pages[i])
		}
		fmt.Fprintf(out, "   %.2f ×\n", last.pages[i]/first.pages[i])
	}
	for _, f := range all {
		fmt.Fprintf(out, "%d results: %.1f GiB, %d bytes a result; dropping a month took %s\n", f.results,
			float64(f.bytes)/(1<<30), f.bytes/int64(f.results), f.dropped.Round(time.Millisecond))
	}
	return nil
}

func measure(ctx context.Context, lab *field.Field, n int) (*filled, error) {
	db, stop, err := lab.Database(ctx)
	if err != nil {
		return nil, err
	}
	defer stop()
	at := time.Now()
	f := &filled{results: n, db: db}
	if err := f.fill(ctx); err != nil {
		return nil, err
	}
	fmt.Fprintf(lab.Out, "%d results of %d months written in %s\n", n, months, time.Since(at).Round(time.Second))
	for _, l := range lists(n) {
		sum := 0
		for i := range places {
			q := l.query(i)
			pages, err := f.read(ctx, &q)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", l.name, err)
			}
			sum += pages
		}
		f.pages = append(f.pages, float64(sum)/places)
	}
	if err := db.WithContext(ctx).Raw("select pg_database_size(current_database())").Scan(&f.bytes).Error; err != nil {
		return nil, err
	}
	at = time.Now()
	k := keep.New(db, nil, func() time.Time { return began.AddDate(0, months, 0) })
	err = k.Sweep(ctx, began.AddDate(0, months, 0).Sub(began.AddDate(0, 1, 0)))
	f.dropped = time.Since(at)
	return f, err
}

// fill writes results of two players each; every player has forty.
func (f *filled) fill(ctx context.Context) error {
	for m := range months {
		from, till := began.AddDate(0, m, 0), began.AddDate(0, m+1, 0)
		few := f.results / months
		for _, sql := range []string{
			fmt.Sprintf("select results_month('%s')", from.Format(time.RFC3339)),
			fmt.Sprintf(`insert into matches (ended_at, id, lobby_id, code, number, rulebook, version, because, millis, result)
				select timestamptz '%s' + i * (interval '1 second' * %f / %d), md5('m' || %d || ' ' || i)::uuid,
				md5('l' || %d || ' ' || i / 5)::uuid, 'C' || %d || 'X' || i / 5, i %% 5 + 1,
				(array['clash', 'bell', 'course'])[1 + i %% 3], 'v1', 'the time is up', 60000,
				jsonb_build_object('match', i %% 5 + 1, 'rulebook', 'clash', 'because', 'the time is up', 'millis', 60000,
				'posts', %s, 'players', jsonb_build_array(
				jsonb_build_object('player', p, 'name', 'Skiff', 'outcome', 'won', 'place', 1, 'fields', %s),
				jsonb_build_object('player', q, 'name', 'Sloop', 'outcome', 'lost', 'place', 2, 'fields', %s)))
				from generate_series(0, %d) i, lateral (select %s as p, %s as q) as both_of_it`,
				from.Format(time.RFC3339), till.Sub(from).Seconds()-1, few, m, m, m, posts, numbers, numbers, few-1,
				f.player("i", m, 0), f.player("i", m, 1)),
			fmt.Sprintf(`insert into match_players (player_id, ended_at, match_id, rulebook, name, team, outcome, place)
				select p.id, m.ended_at, m.id, m.rulebook, 'Skiff', '', 'won', 1 from matches m,
				lateral (select (x ->> 'player')::uuid as id from jsonb_array_elements(m.result -> 'players') x) p
				where m.ended_at >= '%s' and m.ended_at < '%s'`, from.Format(time.RFC3339), till.Format(time.RFC3339)),
		} {
			if err := f.db.WithContext(ctx).Exec(sql).Error; err != nil {
				return err
			}
		}
	}
	return f.db.WithContext(ctx).Exec("vacuum analyze matches, match_players").Error
}

// What a result tells of two players who have three numbers each and post to three boards, in SQL.
const (
	numbers = `jsonb_build_object('storm', i % 100, 'throws', i % 7, 'caught', i % 13)`
	post    = `jsonb_build_object('board', 'calmest', 'value', i % 100, 'player', p),
		jsonb_build_object('board', 'week', 'value', i % 100, 'player', p),
		jsonb_build_object('board', 'throws', 'value', i % 7, 'player', p)`
)

var posts = "jsonb_build_array(" + post + "," + strings.ReplaceAll(post, "'player', p)", "'player', q)") + ")"

// players is how many players there are.
func players(results int) int { return max(results/20, 2) }

// player is the SQL of the ID of the first or the second player of a result. Who plays in which months is the same
// share of all in each size.
func (f *filled) player(i string, month, which int) string {
	all := players(f.results)
	return fmt.Sprintf("md5('p' || (%s * 2 + %d + %d) %% %d)::uuid", i, which, month*(all*5/13), all)
}

// lists are the lists of so many results that are compared. Lobbies are of the middle, and so are the times, each some
// days from the last.
func lists(results int) []list {
	at := func(i int) time.Time { return began.AddDate(0, months/2, 5).Add(time.Duration(i) * 61 * time.Hour) }
	const other = "00000000-0000-4000-8000-000000000000"
	player := func(i int) string {
		return uuid.UUID(md5.Sum(fmt.Appendf(nil, "p%d", players(results)*i/places))).String()
	}
	return []list{
		{"the newest", func(i int) keep.Query { return keep.Query{Limit: 21 + i} }},
		{"a page from the middle on", func(i int) keep.Query {
			return keep.Query{Before: at(i), BeforeID: other, Limit: 21}
		}},
		{"of a rulebook", func(i int) keep.Query { return keep.Query{Rulebook: "bell", Limit: 21 + i} }},
		{"of a rulebook, from the middle on", func(i int) keep.Query {
			return keep.Query{Rulebook: "bell", Before: at(i), BeforeID: other, Limit: 21}
		}},
		{"of a time", func(i int) keep.Query {
			return keep.Query{Since: at(i), Before: at(i).AddDate(0, 0, 1), Limit: 21}
		}},
		{"of a lobby", func(i int) keep.Query { return keep.Query{Lobby: fmt.Sprintf("C%dX%d", 6+i, i%8), Limit: 21} }},
		{"of a player", func(i int) keep.Query { return keep.Query{Player: player(i), Limit: 21} }},
		{"of a player and a rulebook", func(i int) keep.Query {
			return keep.Query{Player: player(i), Rulebook: "bell", Limit: 21}
		}},
		{"of a player, from the middle on", func(i int) keep.Query {
			return keep.Query{Player: player(i), Before: at(i), BeforeID: other, Limit: 21}
		}},
	}
}

// read is how many pages a list reads.
func (f *filled) read(ctx context.Context, q *keep.Query) (int, error) {
	var rows []store.Match
	sql := f.db.ToSQL(func(tx *store.Tx) *store.Tx { return q.On(tx).Scan(&rows) })
	var plan string
	if err := f.db.WithContext(ctx).Raw("explain (analyze, buffers, format json) " +
		sql).Scan(&plan).Error; err != nil {
		return 0, err
	}
	var out []struct {
		Plan struct {
			Hit  int `json:"Shared Hit Blocks"`
			Read int `json:"Shared Read Blocks"`
			Rows int `json:"Actual Rows"`
		}
	}
	if err := json.Unmarshal([]byte(plan), &out); err != nil {
		return 0, err
	}
	if len(out) != 1 || out[0].Plan.Rows == 0 {
		return 0, fmt.Errorf("the list is empty: %s", sql)
	}
	return out[0].Plan.Hit + out[0].Plan.Read, nil
}
