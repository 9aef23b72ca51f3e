package bench

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

func lobbyBenchmarks() []Benchmark {
	return []Benchmark{
		{"lobbies-idle", "2,000 connections that wait in lobbies", manyConnections},
		{"lobbies-open",
			"2,000 lobbies of 8 on one node: memory, then 500 joins and leaves a second with the listing live",
			manyLobbies},
		{"lobbies-list", "a page of 20 of a directory of 100,000 lobbies against one of 1,000", listPages},
	}
}

const seatCount = 8

// manyConnections measures on a node of its own: seats that nobody is at are given up after a while, and would count
// for less than nothing.
func manyConnections(t *Table) error {
	ctx := context.Background()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return err
	}
	defer stop()
	conns, err := idleConnections(ctx, t, node, t.Size(2000, 16))
	if err != nil {
		return err
	}
	t.Row("memory of a connection that waits in a lobby", kib(conns), "≤ 12 KiB")
	return nil
}

// manyLobbies opens lobbies, seats players, and lets some come and go.
func manyLobbies(t *Table) error {
	ctx := context.Background()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return err
	}
	defer stop()
	count := t.Size(2000, 8)
	if err := fakePlayers(ctx, node, count*seatCount); err != nil {
		return err
	}
	book, err := node.Library.Book("clash")
	if err != nil {
		return err
	}
	before, lobbies := memory(t), make([]*hall.Lobby, count)
	if err := load.Each(count, func(i int) (err error) {
		lobbies[i], err = node.Hall.Open(ctx, book, hall.Opening{Title: fmt.Sprint("Harbour ", i), Capacity: seatCount,
			Linger: time.Hour})
		return err
	}); err != nil {
		return err
	}
	empty := memory(t)
	if err := load.Each(count*seatCount, func(i int) error { return sit(ctx, lobbies[i/seatCount], i) }); err != nil {
		return err
	}
	settled(ctx, lobbies)
	full := memory(t)
	t.Row("memory of a lobby that nobody is in", kib((empty-before)/float64(count)), "")
	t.Row("memory of a lobby of 8", kib((full-before)/float64(count)), "≤ 24 KiB")
	return churn(ctx, t, node, lobbies)
}

// settled waits until every player's record is loaded.
func settled(ctx context.Context, lobbies []*hall.Lobby) {
	for _, l := range lobbies {
		for l.Loading(ctx) {
			time.Sleep(10 * time.Millisecond)
		}
	}
}

func sit(ctx context.Context, l *hall.Lobby, i int) error {
	_, err := l.Sit(ctx, hall.Joining{Account: fakeID(i), Name: fmt.Sprint("Skiff ", i)})
	return err
}

func fakeID(i int) string { return fmt.Sprintf("00000000-0000-7000-8000-%012d", i) }

// fakePlayers writes players straight into the database.
func fakePlayers(ctx context.Context, node *service.Service, n int) error {
	return node.DB.WithContext(ctx).Exec(`insert into players (id, name, created_at, seen_at)
		select ('00000000-0000-7000-8000-' || lpad(i::text, 12, '0'))::uuid, 'Skiff ' || i, now(),
			now() from generate_series(0, ?) i`, n-1).Error
}

// churn lets players leave and come back at 500 a second in all, while somebody watches the listing over a real socket.
func churn(ctx context.Context, t *Table, node *service.Service, lobbies []*hall.Lobby) error {
	ins, err := signIn(ctx, node, 1)
	if err != nil {
		return err
	}
	svc := client.Service{Address: node.Address, Token: ins[0].Token}
	var told atomic.Int64
	live, err := svc.WatchLobbies(ctx, client.Filter{}, func(string, *client.Lobby) { told.Add(1) })
	if err != nil {
		return err
	}
	defer live.Close()
	const rate = 500
	seconds := t.Size(10, 1)
	var mu sync.Mutex
	var took []time.Duration
	var all sync.WaitGroup
	var failed atomic.Int64
	began := time.Now()
	for i := range rate * seconds / 2 {
		time.Sleep(time.Until(began.Add(time.Duration(i) * time.Second * 2 / rate)))
		all.Go(func() {
			l := lobbies[i%len(lobbies)]
			at := time.Now()
			_, err := l.Quit(ctx, fakeID(i%len(lobbies)*seatCount))
			if err == nil {
				err = sit(ctx, l, i%len(lobbies)*seatCount)
			}
			d := time.Since(at)
			if err != nil {
				failed.Add(1)
			}
			mu.Lock()
			took = append(took, d/2)
			mu.Unlock()
		})
	}
	all.Wait()
	rated := float64(2*len(took)) / time.Since(began).Seconds()
	t.Row("joins and leaves a second", fmt.Sprintf("%.0f", rated), "500")
	t.Row("one of them, half of all / 99 of 100",
		ms(field.Percentile(took, 0.5))+" / "+ms(field.Percentile(took, 0.99)), "")
	t.Row("refused or failed", fmt.Sprint(failed.Load()), "0")
	if err := live.Wait(ctx, func(map[string]client.Lobby) bool { return told.Load() > 0 }); err != nil {
		return err
	}
	t.Row("changes told to who watches the listing, a second",
		fmt.Sprintf("%.0f", float64(told.Load())/float64(seconds)), "")
	return nil
}

// listPages times the same request against a small and a large directory, in turns.
func listPages(t *Table) error {
	ctx := context.Background()
	var requests [2]func() (time.Duration, error)
	for i, n := range []int{1000, t.Size(100_000, 2000)} {
		node, stop, err := t.Node(ctx)
		if err != nil {
			return err
		}
		defer stop()
		if err := fakeLobbies(node.DB.WithContext(ctx), n); err != nil {
			return err
		}
		requests[i] = pages(node.Address)
	}
	var took [2][]time.Duration
	warmup := t.Size(100, 1)
	for round := range t.Size(1100, 3) {
		for i, f := range requests {
			d, err := f()
			if err != nil {
				return err
			}
			if round >= warmup {
				took[i] = append(took[i], d)
			}
		}
	}
	small, large := field.Percentile(took[0], 0.5), field.Percentile(took[1], 0.5)
	t.Row("a page of 1,000", ms(small), "")
	t.Row("a page of 100,000", ms(large), "")
	t.Row("the large one against the small one", times(float64(large)/float64(small)), "≤ 1.20 ×")
	return nil
}

// fakeLobbies writes rows of another node, which never dies, into the directory.
func fakeLobbies(tx *store.Tx, n int) error {
	for _, sql := range []string{
		fmt.Sprintf(`insert into lobbies (id, code, rulebook, version, title, region, node, state, seats, capacity, free, practice, open, listed, created_at, updated_at)
			select gen_random_uuid(), 'C' || lpad(i::text, 8, '0'), (array['clash', 'bell',
				'course'])[1 + i %% 3], 'v', 'Harbour ' || i, 'local', 'another',
			'gathering', i %% 8, 8, 8 - i %% 8, false, true, true, now() - i * interval '1 second',
				now() from generate_series(1, %d) i`, n),
		"insert into nodes (name, seen_at, holds_from, lease_until, region, tallies) select 'another', now(), now(), " +
			"'infinity', 'local', jsonb_agg(jsonb_build_object('r', rulebook, 'g', region, 's', sort, 'n', n)) from " +
			"(select rulebook, region, case when free = 0 then 'full' else 'free' end as sort, count(*) as n from " +
			"lobbies group by 1, 2, 3) x",
		"vacuum analyze lobbies"} {
		if err := tx.Exec(sql).Error; err != nil {
			return err
		}
	}
	return nil
}

// pages returns a function that times the request for a page, from one address after another: the service takes 50 a
// second from each.
func pages(address string) func() (time.Duration, error) {
	var from [100]client.Service
	for i := range from {
		d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 2, 0, byte(i+1))}}
		from[i] = client.Service{Address: address,
			HTTP: &http.Client{Transport: &http.Transport{DialContext: d.DialContext}}}
	}
	n := 0
	return func() (time.Duration, error) {
		n++
		at := time.Now()
		page, err := from[n%len(from)].Lobbies(context.Background(), client.Filter{Rulebook: "clash"}, "", 20, "")
		if err == nil && len(page.Lobbies) != 20 {
			err = fmt.Errorf("%d lobbies on a page", len(page.Lobbies))
		}
		return time.Since(at), err
	}
}
