package bench

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
)

func boardBenchmarks() []Benchmark {
	return []Benchmark{
		{"boards", "a leaderboard of 1,000,000: ready, read and posted to, against an empty request and against SQL",
			millionEntries},
	}
}

const boardBook = "turnvex: 1\nname: ranks\nphases: {play: {lasts: 60s}}\nboards: {great: {}, small: {keep: total}}\n"

// millionEntries measures all of it on one node.
func millionEntries(t *Table) error {
	ctx := context.Background()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return err
	}
	defer stop()
	book, _, err := node.Library.Load(ctx, []byte(boardBook))
	if err != nil {
		return err
	}
	entries := t.Size(1_000_000, 1000)
	if err := fillBoard(node.DB.WithContext(ctx), entries); err != nil {
		return err
	}
	ref := board.Ref{Rulebook: book.Name, Board: book.Board("great")}
	before, at := memory(t), time.Now()
	if _, err := node.Boards.Read(ctx, ref, &board.Query{Limit: 20}); err != nil {
		return err
	}
	t.Row(fmt.Sprintf("a board of %d is ready after", entries), fmt.Sprintf("%.2f s", time.Since(at).Seconds()),
		"≤ 5 s")
	_, held, counted := node.Boards.Memory()
	t.Row("memory of an entry, with whose it is / as it is counted", fmt.Sprintf("%.0f / %d B",
		(memory(t)-before)/float64(held), counted/held), "")
	if err := readRequests(t, node, entries); err != nil {
		return err
	}
	if err := againstSQL(ctx, t, node, ref, entries); err != nil {
		return err
	}
	return posts(ctx, t, node, book, entries)
}

// fillBoard writes a season of a million entries, with the index that counting in SQL would want.
func fillBoard(tx *store.Tx, entries int) error {
	for _, sql := range []string{
		"alter table players disable trigger user",
		fmt.Sprintf(`insert into players (id, name, created_at, seen_at)
			select ('00000000-0000-4000-8000-' || lpad(to_hex(i), 12, '0'))::uuid, 'Skiff ' || i, now(), now()
			from generate_series(1, %d) i`, entries),
		"alter table players enable trigger user",
		"insert into board_seasons (rulebook, board, name, begins) values ('ranks', 'great', 'all', '1970-01-01Z')",
		fmt.Sprintf(`insert into board_entries (season, subject, value, posts, reached_at, version, mark)
			select (select id from board_seasons where board = 'great'),
				('00000000-0000-4000-8000-' || lpad(to_hex(i), 12, '0'))::uuid, (i * 7919::bigint) %% 500000, 1,
				now() - i * interval '1 millisecond', 1, pg_current_xact_id()::text::bigint
			from generate_series(1, %d) i`, entries),
		"create index on board_entries (season, value)",
		"vacuum analyze board_entries, players",
	} {
		if err := tx.Exec(sql).Error; err != nil {
			return err
		}
	}
	return nil
}

func boardPlayer(i int) string { return fmt.Sprintf("00000000-0000-4000-8000-%012x", i) }

// readRequests times requests in turns: an empty one, and places, pages and neighbours.
func readRequests(t *Table, node *service.Service, entries int) error {
	const great = "/v1/boards/ranks/great"
	kinds := []struct {
		name string
		path func() string
	}{
		{"an empty request", func() string { return "/health" }},
		{"an empty board", func() string { return "/v1/boards/ranks/small" }},
		{"one's place", func() string { return great + "?limit=1&around=" + boardPlayer(1+rand.IntN(entries)) }},
		{"a page of 10 from any rank", func() string {
			return fmt.Sprintf("%s?limit=10&from=%d", great, 1+rand.IntN(entries-20))
		}},
		{"five neighbours on each side", func() string {
			return great + "?limit=11&around=" + boardPlayer(1+rand.IntN(entries))
		}},
	}
	get := requester(node.Address)
	took := make([][]time.Duration, len(kinds))
	warmup := t.Size(500, 1)
	for round := range t.Size(3500, 3) {
		for i, k := range kinds {
			d, err := get(k.path())
			if err != nil {
				return err
			}
			if round >= warmup {
				took[i] = append(took[i], d)
			}
		}
	}
	empty := field.Percentile(took[0], 0.5)
	t.Row(kinds[0].name, fmt.Sprintf("%d µs", empty.Microseconds()), "")
	bare := field.Percentile(took[1], 0.5)
	t.Row(kinds[1].name, fmt.Sprintf("%d µs", bare.Microseconds()), "")
	for i, k := range kinds[2:] {
		half := field.Percentile(took[i+2], 0.5)
		t.Row(k.name+", against both", fmt.Sprintf("%d µs, %s, %s", half.Microseconds(),
			times(float64(half)/float64(empty)), times(float64(half)/float64(bare))), "≤ 1.30 ×")
	}
	return nil
}

// requester returns a function that times a request, from one address after another: the service takes 50 a second from
// each.
func requester(address string) func(path string) (time.Duration, error) {
	var from [200]*http.Client
	for i := range from {
		d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 2, 1, byte(i+1))}}
		from[i] = &http.Client{Transport: &http.Transport{DialContext: d.DialContext}}
	}
	n := 0
	return func(path string) (time.Duration, error) {
		n++
		at := time.Now()
		res, err := from[n/4%len(from)].Get(address + path)
		if err != nil {
			return 0, err
		}
		defer res.Body.Close()
		_, err = io.Copy(io.Discard, res.Body)
		if err == nil && res.StatusCode != http.StatusOK {
			err = fmt.Errorf("%s is answered with %s", path, res.Status)
		}
		return time.Since(at), err
	}
}

// againstSQL compares finding a place in memory with counting those who are better.
func againstSQL(ctx context.Context, t *Table, node *service.Service, ref board.Ref, entries int) error {
	var inMemory, inSQL time.Duration
	memoryTries, sqlTries := t.Size(20000, 20), t.Size(30, 2)
	at := time.Now()
	for range memoryTries {
		_, err := node.Boards.Read(ctx, ref, &board.Query{Limit: 1, Around: boardPlayer(1 + rand.IntN(entries))})
		if err != nil {
			return err
		}
	}
	inMemory = time.Since(at) / time.Duration(memoryTries)
	var season int64
	if err := node.DB.WithContext(ctx).Raw("select id from board_seasons where board = 'great'").Scan(&season).
		Error; err != nil {
		return err
	}
	at = time.Now()
	for range sqlTries {
		var n int64
		err := node.DB.WithContext(ctx).Raw(`select count(*) + 1 from board_entries
			where season = ? and value > ? and not removed`, season, rand.Int64N(int64(entries/2))).Scan(&n).Error
		if err != nil {
			return err
		}
	}
	inSQL = time.Since(at) / time.Duration(sqlTries)
	t.Row("a place in memory", fmt.Sprintf("%.1f µs", float64(inMemory.Nanoseconds())/1000), "")
	t.Row("counted in SQL with an index", ms(inSQL), "")
	t.Row("so much less work", times(float64(inSQL)/float64(inMemory)), "≥ 1000 ×")
	return nil
}

// posts measures how many posts a second are kept, in groups and one by one.
func posts(ctx context.Context, t *Table, node *service.Service, book *rulebook.Book, entries int) error {
	ref := board.Ref{Rulebook: book.Name, Board: book.Board("small")}
	post := func(i int) board.Post {
		return board.Post{Ref: ref, Subject: boardPlayer(1 + i%entries), Value: 1, At: node.Boards.Now(),
			ID: uuid.NewString()}
	}
	const at = 256
	lasts := t.For(5*time.Second, 200*time.Millisecond)
	var kept, failed atomic.Int64
	var all sync.WaitGroup
	began := time.Now()
	for w := range at {
		all.Go(func() {
			for i := w; time.Since(began) < lasts; i += at {
				if err := node.Boards.Post(ctx, post(i*31)); err != nil {
					failed.Add(1)
				} else {
					kept.Add(1)
				}
			}
		})
	}
	all.Wait()
	grouped := float64(kept.Load()) / time.Since(began).Seconds()
	began = time.Now()
	single := 0
	for time.Since(began) < lasts/2 {
		err := node.DB.WithContext(ctx).Transaction(func(tx *store.Tx) error {
			_, placed, err := node.Boards.Put(tx, []board.Post{post(single)})
			node.Boards.Learn(placed)
			return err
		})
		if err != nil {
			return err
		}
		single++
	}
	one := float64(single) / time.Since(began).Seconds()
	t.Row("posts kept a second, in groups", fmt.Sprintf("%.0f", grouped), "≥ 5000")
	t.Row("one by one", fmt.Sprintf("%.0f", one), "")
	t.Row("failed", fmt.Sprint(failed.Load()), "0")
	return nil
}
