package scale

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/wire"
)

// The made-up nodes are in so many regions; half a second passes between renewals.
const (
	regions    = 5
	renewEvery = 500 * time.Millisecond
	groupEach  = 250 // changed rows in one statement of a node
	dies       = 5000
)

func manyNodes(ctx context.Context, r report, nodes, lobbies int) error {
	small, err := listing(ctx, r, nodes, 1000)
	if err != nil {
		return err
	}
	defer small.stop()
	began := time.Now()
	large, err := listing(ctx, r, nodes, lobbies)
	if err != nil {
		return err
	}
	defer large.stop()
	r.head("%d nodes with %d lobbies over one PostgreSQL (made up in %s)", nodes, lobbies,
		time.Since(began).Round(time.Second))
	var size int64
	large.db.Raw("select pg_total_relation_size('lobbies')").Scan(&size)
	r.row("size of the directory, with its indexes", "%d MiB, %d bytes a lobby", size>>20, size/int64(lobbies))
	if err := pages(ctx, r, small, large); err != nil {
		return err
	}
	if err := leases(ctx, r, large, nodes); err != nil {
		return err
	}
	if err := changes(ctx, r, large, nodes); err != nil {
		return err
	}
	return death(ctx, r, large)
}

// world is a directory with so many lobbies.
type world struct {
	db   *store.DB
	dir  *directory.Directory
	stop func()
}

func listing(ctx context.Context, r report, nodes, lobbies int) (*world, error) {
	db, stop, err := database(ctx, r)
	if err != nil {
		return nil, err
	}
	w := &world{db: db, dir: directory.New(db), stop: stop}
	tx := db.WithContext(ctx)
	for _, sql := range []string{
		fmt.Sprintf(`insert into nodes (name, epoch, seen_at, holds_from, address, region, version, started_at, lease_until,
			lobbies) select 'n' || i, 1, now(), now(), 'http://10.0.0.1:' || 7000 + i, 'r' || i %% %d, '0.1.0', now(),
			'2100-01-01', %d from generate_series(0, %d) i`, regions, lobbies/nodes, nodes-1),
		fmt.Sprintf(`insert into lobbies (id, code, rulebook, version, title, region, node, epoch, state, seats, capacity,
			free, practice, open, listed, created_at, updated_at)
			select gen_random_uuid(), 'C' || lpad(i::text, 8, '0'), 'book' || i %% 20, 'v', 'Harbour ' || i,
			'r' || (i %% %[1]d) %% %[2]d, 'n' || i %% %[1]d, 1,
				case when i %% 3 = 0 then 'playing' else 'gathering' end, i %% 8,
			8, 8 - i %% 8, false, i %% 10 <> 0, i %% 7 <> 0, now() - i * interval '1 second', now()
			from generate_series(1, %[3]d) i`, nodes, regions, lobbies),
		`update nodes n set tallies = x.t from (select node, jsonb_agg(jsonb_build_object('r', rulebook, 'g', region, 's',
			sort, 'n', c)) as t from (select node, rulebook, region,
				case when not listed then 'hidden' when not open then
			'closed' when free = 0 then 'full' when state <> 'gathering' then 'playing' else 'free' end as sort,
				count(*) as c
			from lobbies group by 1, 2, 3, 4) y group by node) x where x.node = n.name`,
		"vacuum analyze lobbies, nodes",
	} {
		if err := tx.Exec(sql).Error; err != nil {
			stop()
			return nil, err
		}
	}
	return w, nil
}

// pages times the same page of the listing in the small and the large directory, in turns.
func pages(ctx context.Context, r report, small, large *world) error {
	var took [2][]time.Duration
	for round := range r.Size(400, 30) {
		for i, w := range []*world{small, large} {
			began := time.Now()
			f := wire.Filter{Rulebook: "book7", Free: 1}
			p, err := w.dir.List(ctx, directory.Query{Filter: f, Limit: 20}, nil)
			if err == nil {
				p.LeftOut, err = w.dir.LeftOut(ctx, &f, "nobody", nil)
			}
			if err != nil {
				return err
			}
			if round >= 50 {
				took[i] = append(took[i], time.Since(began))
			}
		}
	}
	a, b := field.Percentile(took[0], 0.5), field.Percentile(took[1], 0.5)
	r.row("a page of 20, with what was left out, of 1,000 lobbies", "%s", a.Round(10*time.Microsecond))
	r.row("the same of all, and against that (goal 1.5)", "%s, %.2f times", b.Round(10*time.Microsecond),
		float64(b)/float64(a))
	return nil
}

// leases has all nodes renew their leases and look at each other for some seconds, as they do.
func leases(ctx context.Context, r report, w *world, nodes int) error {
	log := slog.New(slog.DiscardHandler)
	running, stop := context.WithCancel(ctx)
	defer stop()
	var all sync.WaitGroup
	var turns, lost atomic.Int64
	var mu sync.Mutex
	var failed error
	members := make([]*cluster.Cluster, nodes)
	sem := make(chan struct{}, 8)
	for i := range nodes {
		all.Go(func() {
			sem <- struct{}{}
			defer func() { <-sem }()
			self := cluster.Identity{Name: fmt.Sprint("n", i), Region: fmt.Sprint("r", i%regions),
				Address: "http://10.0.0.1:7420", Version: "0.1.0"}
			c, err := cluster.Watch(ctx, cluster.In(w.db), self, func() cluster.Load { return cluster.Load{} }, log)
			mu.Lock()
			if members[i] = c; err != nil {
				failed = err
			}
			mu.Unlock()
		})
	}
	all.Wait()
	if failed != nil {
		return failed
	}
	for _, c := range members {
		all.Go(func() { c.Run(running, func() { lost.Add(1) }, func() { turns.Add(1) }) })
	}
	time.Sleep(r.For(2*time.Second, 0))
	at, was, n := used(), wal(w.db), turns.Load()
	time.Sleep(r.measured())
	own, pg := at.share(r.measured())
	r.row("leases: renewals a second (wanted), and leases lost", "%.0f (%.0f), %d",
		float64(turns.Load()-n)/r.measured().Seconds(), float64(nodes)/renewEvery.Seconds(), lost.Load())
	r.row("  PostgreSQL / all nodes, of one core; written ahead", "%.0f %% / %.0f %%; %.0f KiB a second", pg, own,
		float64(wal(w.db)-was)/1024/r.measured().Seconds())
	stop()
	all.Wait()
	var err error
	for range 16 { // the end of the measurement may have broken a statement on each connection
		err = w.db.WithContext(ctx).Exec("update nodes set lease_until = '2100-01-01', epoch = 1").Error
		if !store.Busy(err) {
			break
		}
	}
	return err
}

// changes has lobbies change their rows, each node its own in groups, as fast as the database takes them.
func changes(ctx context.Context, r report, w *world, nodes int) error {
	var rows []struct {
		ID, Node string
	}
	if err := w.db.WithContext(ctx).Raw("select id, node from lobbies where node in ? limit 100000",
		names(min(nodes, 40))).Scan(&rows).Error; err != nil {
		return err
	}
	of := map[string][]string{}
	for _, x := range rows {
		of[x.Node] = append(of[x.Node], x.ID)
	}
	var all sync.WaitGroup
	var written atomic.Int64
	running, stop := context.WithTimeout(ctx, r.measured())
	defer stop()
	at, was := used(), wal(w.db)
	var failed atomic.Value
	for node, ids := range of {
		all.Go(func() {
			d := directory.New(w.db) // a node's own
			for running.Err() == nil {
				var group sync.WaitGroup
				for range min(groupEach, len(ids)) {
					e := directory.Entry{ID: ids[rand.IntN(len(ids))], Node: node, Epoch: 1, Listed: true}
					e.State, e.Title, e.Capacity, e.Free, e.Open = "gathering", "Harbour", 8, rand.IntN(8), true
					group.Go(func() {
						if err := d.Write(ctx, e); err != nil {
							failed.Store(err)
						} else {
							written.Add(1)
						}
					})
				}
				group.Wait()
			}
		})
	}
	all.Wait()
	if err, is := failed.Load().(error); is {
		return err
	}
	own, pg := at.share(r.measured())
	r.row("changed lobby rows a second, in groups (goal 5,000)", "%.0f", float64(written.Load())/r.measured().Seconds())
	r.row("  PostgreSQL / all nodes, of one core; written ahead", "%.0f %% / %.0f %%; %.0f KiB a second", pg, own,
		float64(wal(w.db)-was)/1024/r.measured().Seconds())
	return nil
}

func names(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprint("n", i))
	}
	return out
}

// death has one node take over what another one held.
func death(ctx context.Context, r report, w *world) error {
	tx := w.db.WithContext(ctx)
	for _, sql := range []string{
		fmt.Sprintf(`insert into ledger_lobbies (lobby_id, node, code, name, rulebook, version, setup, opened_at)
			select id, 'n1', code, '', rulebook, version, '\xa0', now() from lobbies where node = 'n1' limit %d`, dies),
		`insert into ledger_checkpoints (lobby_id, seq, data, began_at) select lobby_id, 0, decode(repeat('ab', 6000), 'hex'),
			now() from ledger_lobbies`,
		"update nodes set lease_until = now() - interval '1 second' where name = 'n1'",
		"insert into ledger_nodes (node, alive_at) values ('n1', now())",
	} {
		if err := tx.Exec(sql).Error; err != nil {
			return err
		}
	}
	fence := func() store.Fence { return store.Fence{Node: "n6", Epoch: 1} }
	g := ledger.New(ledger.In(w.db), "n6", fence, slog.New(slog.DiscardHandler), 0)
	defer g.Abort()
	began, taken := time.Now(), 0
	for {
		left, err := g.Take(ctx, &ledger.Taking{From: "n1", Most: groupEach})
		if err != nil {
			return err
		}
		if taken += len(left); len(left) < groupEach {
			break
		}
	}
	r.row("take-over of a node's lobbies, by one other", "%d in %s", taken, time.Since(began).Round(time.Millisecond))
	return nil
}
