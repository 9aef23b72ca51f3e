package growth

import (
	"context"
	"fmt"
	"time"

	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/retain"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
)

// aged are rows of a sort that fill writes: their table, and a statement that writes rows i of 1 to n, the first half
// at @old and the rest at @young.
var aged = []struct{ sort, table, fill string }{
	{"history", "record_changes", `insert into record_changes (lobby_id, number, player_id, rulebook, version, match,
		changes, was, became, changed_at) select gen_random_uuid(), i, p.id, 'duel', 'v', 1, '[]', '{}', '{}', at
		from ages, (select id from players limit 1) p`},
	{"journals", "ledger_lobbies", `insert into ledger_lobbies (lobby_id, node, code, name, rulebook, version, setup,
		opened_at, ended_at) select gen_random_uuid(), 'n', i::text, '', 'duel', 'v', '', at, at from ages`},
	{"lobbies", "lobbies", `insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity,
		practice, open, listed, created_at, updated_at, closed_at) select gen_random_uuid(), i::text, 'duel', 'v', 'Duel',
		'r', 'n', 'closed', 0, 2, false, true, true, at, at, at from ages`},
	{"seasons", "board_entries", `, made as (insert into board_seasons (rulebook, board, name, begins, ends,
		closed_at) select 'duel', 'week', i::text, at - interval '1 day', at, at from ages where i % 100 = 0 returning id)
		insert into board_entries (season, subject, value, posts, reached_at, version, mark)
		select id, gen_random_uuid(), 1, 1, now(), 1, 1 from made, generate_series(1, 100)`},
	{"series", "series", `insert into series (id, name, title, node, plan, state, seq, over, opened_at, changed_at)
		select gen_random_uuid(), 'cup', 'Cup', 'n', '', '{}', 0, true, at, at from ages`},
	{"guests", "players", `insert into players (id, name, created_at, seen_at) select gen_random_uuid(), 'Skiff', at, at
		from ages`},
	{"acts", "board_acts", `insert into board_acts (rulebook, board, act, author, why, acted_at)
		select 'duel', 'week', 'bar', 'me', 'rude', at from ages`},
	{"audit", "audit", `insert into audit (at, who, what, subject, details, why, address)
		select at, 'me', 'x', '', '', '', '' from ages`},
}

// Ages writes old and young rows of every sort that has an end, removes what is old, and prints what was there, what is
// left, and what a second time finds.
func Ages(ctx context.Context, lab *field.Field, n int) error {
	db, stop, err := lab.Database(ctx)
	if err != nil {
		return err
	}
	defer stop()
	periods, err := retain.Parse("history=365d")
	if err != nil {
		return err
	}
	now := time.Now().UTC()
	people, err := account.New(ctx, db, guard.New())
	if err != nil {
		return err
	}
	for range 100 { // one device, again and again
		if _, err := people.Device(ctx, "a-device-that-comes-again-and-again", "Skiff", "a"); err != nil {
			return err
		}
	}
	for _, a := range aged {
		err := db.WithContext(ctx).Exec(`with ages as (select i, case when i <= @n / 2 then cast(@old as timestamptz)
			else cast(@young as timestamptz) end as at from generate_series(1, @n) i) `+a.fill, map[string]any{"n": n,
			"old": now.Add(-periods[a.sort] - time.Hour), "young": now.Add(-time.Hour)}).Error
		if err != nil {
			return fmt.Errorf("%s: %w", a.sort, err)
		}
	}
	rows := func(table string) (k int, err error) {
		return k, db.WithContext(ctx).Raw("select count(*) from " + table).Scan(&k).Error
	}
	sweep := func() (map[string]int64, time.Duration, error) {
		at := time.Now()
		if err := ledger.NewArchive(db, nil).Sweep(ctx, periods["journals"], 1<<40); err != nil {
			return nil, 0, err
		}
		gone, err := retain.Sweep(ctx, db, now, periods)
		return gone, time.Since(at), err
	}
	before := map[string]int{}
	for _, a := range aged {
		if before[a.table], err = rows(a.table); err != nil {
			return err
		}
	}
	_, first, err := sweep()
	if err != nil {
		return err
	}
	again, second, err := sweep()
	if err != nil {
		return err
	}
	fmt.Fprintf(lab.Out, "\n%-10s %-16s %10s %10s %12s\n", "what", "table", "rows", "left", "then removed")
	for _, a := range aged {
		left, err := rows(a.table)
		if err != nil {
			return err
		}
		fmt.Fprintf(lab.Out, "%-10s %-16s %10d %10d %12d\n", a.sort, a.table, before[a.table], left, again[a.sort])
	}
	var tokens int64
	if err := db.WithContext(ctx).Model(&store.RefreshToken{}).Count(&tokens).Error; err != nil {
		return err
	}
	fmt.Fprintf(lab.Out, "removed in %s, with nothing to remove in %s; 100 sign-ins with one device made %d rows\n",
		first.Round(time.Millisecond), second.Round(time.Millisecond), tokens)
	return nil
}
