package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/deaths"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/wire"
)

func ledgerBenchmarks() []Benchmark {
	return []Benchmark{
		{"ledger-cost", "1,000 lobbies of 8 with 4 inputs a second each, without sockets, with the ledger and " +
			"without", ledgerCost},
		{"recovery", "1,000 lobbies after their node was killed: started again, and on another node", recovery},
		{"certain-cost", "from an intent with a certain cost to its verdict, and a bare commit", certainCost},
		{"publish-kept", "from an intent to another client's delta, told at once and when it is kept", publishKept},
	}
}

const quietBook = "turnvex: 1\nname: quiet\nplayers: {least: 2, most: 8, hold: 10m}\nphases: {play: {lasts: 10m}}\n"

// scene is a hall with lobbies of 8 and, if it has one, a ledger.
type scene struct {
	hall    *hall.Hall
	ledger  *ledger.Ledger
	db      *store.DB
	lobbies []*hall.Lobby
	stop    func()
}

func newScene(ctx context.Context, f *field.Field, with, sure bool, lobbies int) (*scene, error) {
	db, stop, err := f.Database(ctx)
	if err != nil {
		return nil, err
	}
	log := slog.New(slog.DiscardHandler)
	s := &scene{db: db, stop: stop}
	if with {
		s.ledger = ledger.New(ledger.In(s.db), "bench", nil, log, 0)
	}
	s.hall = hall.New(hall.Config{Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(), Names: memdb.NewNames(),
		Node: "bench", Ledger: s.ledger, PublishKept: sure})
	book, problems := rulebook.Compile([]byte(quietBook))
	if book == nil {
		return nil, problems.Errors()
	}
	s.lobbies = make([]*hall.Lobby, lobbies)
	return s, load.Each(lobbies, func(i int) error {
		l, err := s.hall.Open(ctx, book, hall.Opening{Linger: time.Hour})
		s.lobbies[i] = l
		for p := range 8 {
			if err == nil {
				_, err = l.Sit(ctx, hall.Joining{Account: oarsman(i, p), Name: fmt.Sprint("Oar ", p)})
			}
		}
		return err
	})
}

func oarsman(lobby, player int) string {
	return fmt.Sprintf("00000000-0000-4000-8000-%06d%06d", lobby, player)
}

func (s *scene) end(ctx context.Context) {
	s.hall.Stop()
	if s.ledger != nil {
		s.ledger.Close(ctx)
	}
	s.stop()
}

// drive hands in so many inputs a second, evenly over the lobbies and their players.
func (s *scene) drive(ctx context.Context, each float64, long time.Duration) int {
	var all sync.WaitGroup
	var counts [4]int
	end := time.Now().Add(long)
	for w := range counts {
		all.Go(func() {
			mine := len(s.lobbies) / len(counts)
			gap := time.Duration(float64(time.Second) / (each * 8 * float64(mine)))
			for next, n := time.Now(), 0; time.Now().Before(end); n++ {
				l := w*mine + n%mine
				do := []string{"ready", "unready"}[n/mine/8%2]
				s.lobbies[l].Ask(ctx, oarsman(l, n/mine%8), &wire.Intent{Do: do})
				counts[w]++
				next = next.Add(gap)
				time.Sleep(time.Until(next))
			}
		})
	}
	all.Wait()
	return counts[0] + counts[1] + counts[2] + counts[3]
}

// ledgerCost drives 1,000 lobbies without the ledger, twice with it, and without it again, and compares what the
// process and PostgreSQL have taken.
func ledgerCost(t *Table) error {
	ctx := context.Background()
	lobbies, long := t.Size(1000, 8), t.For(8*time.Second, 200*time.Millisecond)
	var own, pg, bytes [2]float64
	for _, with := range []bool{false, true, true, false} {
		s, err := newScene(ctx, t.Field, with, false, lobbies)
		if err != nil {
			return err
		}
		s.drive(ctx, 4, long/4)
		var before, after int64
		s.db.Raw("select pg_current_wal_lsn() - '0/0'::pg_lsn").Scan(&before)
		own0, pg0 := pgbox.Processor()
		n := s.drive(ctx, 4, long)
		own1, pg1 := pgbox.Processor()
		s.db.Raw("select pg_current_wal_lsn() - '0/0'::pg_lsn").Scan(&after)
		i := 0
		if with {
			i = 1
		}
		own[i] += (own1 - own0).Seconds() / long.Seconds() / 2
		pg[i] += (pg1 - pg0).Seconds() / long.Seconds() / 2
		bytes[i] += float64(after-before) / long.Seconds() / 2
		s.end(ctx)
		t.Row(fmt.Sprintf("%d lobbies, ledger %v: this process, of a core", lobbies, with),
			fmt.Sprintf("%.1f %%", 100*(own1-own0).Seconds()/long.Seconds()),
			fmt.Sprintf("(%.0f inputs a second)", float64(n)/long.Seconds()))
	}
	t.Row("the ledger costs, of a core", fmt.Sprintf("%.1f %%", 100*(own[1]-own[0])), "at most 10 %")
	t.Row("  PostgreSQL, of a core", fmt.Sprintf("%.1f %%", 100*(pg[1]-pg[0])), "")
	t.Row("  written ahead a second", kib(bytes[1]-bytes[0]), "")
	return nil
}

func recovery(t *Table) error { return deaths.Recovery(context.Background(), t.Field, t.Row) }

// publishKept measures when another client is told of an intent: at once, and when it is kept.
func publishKept(t *Table) error {
	for i, name := range []string{"told at once, in the median", "told when it is kept"} {
		took, err := published(context.Background(), t.Field, i == 1)
		if err != nil {
			return err
		}
		t.Row(name, ms(field.Percentile(took, 0.5)), "")
		t.Row("  99 of 100", ms(field.Percentile(took, 0.99)), "")
	}
	return nil
}

// published is how long it took until a client was told of intents of others.
func published(ctx context.Context, f *field.Field, sure bool) (took []time.Duration, err error) {
	s, err := newScene(ctx, f, true, sure, 1)
	if err != nil {
		return nil, err
	}
	defer s.end(ctx)
	l, told := s.lobbies[0], make(chan bool, 64)
	c, err := l.Join(ctx, hall.Joining{Account: oarsman(0, 0), Name: "Oar 0", Enc: replica.JSON})
	if err != nil {
		return nil, err
	}
	c.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool {
		for _, f := range list {
			if !bytes.Contains(f.Data, []byte(`"is":"welcome"`)) {
				told <- true
			}
			f.Free()
		}
		return bye == nil
	}, nil)
	<-told // its snapshot
	for n := range f.Size(200, 7) {
		began := time.Now()
		if _, err := l.Ask(ctx, oarsman(0, 1+n%7), &wire.Intent{Do: []string{"ready", "unready"}[n/7%2]}); err != nil {
			return nil, err
		}
		select {
		case <-told:
			took = append(took, time.Since(began))
		case <-time.After(5 * time.Second):
			return nil, errors.New("nothing was told within 5 s")
		}
		time.Sleep(60 * time.Millisecond) // for the next tick, and the next commit
	}
	return took, nil
}
