package handover_test

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/trial"
)

// once compares what is kept: nothing came again as something else; of each lobby the matches one after the other, each
// once; of each player as many points in the record as all results say, and a hat for each coin spent.
func (w *world) once(all []*person) {
	w.t.Helper()
	for _, wrong := range w.keep.Wrong() {
		w.t.Error(wrong)
	}
	points, matches := map[string]int64{}, map[string]int64{}
	for _, r := range w.keep.Results() {
		if matches[r.Lobby]++; matches[r.Lobby] != r.Match {
			w.t.Errorf("of the lobby %s match %d is kept where %d should be, ended at %s", r.Lobby[:8], r.Match,
				matches[r.Lobby], r.Ended.Sub(w.began))
		}
		for _, p := range r.Players {
			points[p.Account] += p.Fields["points"].(int64)
		}
	}
	bought := int64(0)
	for _, p := range all {
		f := w.keep.Fields(p.name, w.book.Name)
		number := func(name string, start int64) int64 {
			if n, is := f[name].(json.Number); is {
				start, _ = n.Int64()
			}
			return start
		}
		if coins, hats := number("coins", 99), number("hats", 0); coins+hats != 99 {
			w.t.Errorf("%s has %d coins and %d hats", p.name, coins, hats)
		} else {
			bought += hats
		}
		if got := fmt.Sprint(f["total"]); got != fmt.Sprint(points[p.name]) {
			w.t.Errorf("%s has %s points in all, and %d in the results", p.name, got, points[p.name])
		}
	}
	if len(matches) == 0 || bought == 0 && w.t.Name() == "TestOnce" {
		w.t.Error("nothing is kept, or bought")
	}
}

// TestResultBeforeItsCause: a match whose end is not written ends once, though its node could keep what it gave, and
// dies then.
func TestResultBeforeItsCause(t *testing.T) {
	inWorldOf(t, relay, 1, 2, func(w *world) {
		all := w.begin(1, 2)
		one := w.nodes[0]
		w.pass(3 * time.Second) // the first is over
		gate := one.link.Gate
		one.link.Gate = func(ctx context.Context, call string) error { // but records are kept
			if call == "append" || call == "together" {
				return errAway
			}
			return gate(ctx, call)
		}
		all[0].ask()
		w.pass(4 * time.Second)
		one.kill()
		w.pass(20 * time.Second)
		w.heal(all)
		w.pass(5 * time.Second)
		w.once(all)
	})
}

// TestOnce: whatever happens to nodes and to their ways to the database, each match is kept once, and what follows from
// it too.
func TestOnce(t *testing.T) {
	seed := trial.Seed(t)
	for round := range trial.Rounds(300, 40) {
		if t.Failed() {
			return
		}
		inWorldOf(t, relay, seed+uint64(round), 3, func(w *world) {
			w.notef("seed %d", seed+uint64(round))
			all := w.begin(3, 2)
			for range 40 {
				w.pass(time.Duration(10+w.r.IntN(900)) * time.Millisecond)
				if w.r.IntN(3) == 0 {
					w.happens()
				}
				for range 4 {
					if p := all[w.r.IntN(len(all))]; p.come() {
						p.ask()
					}
				}
			}
			w.heal(all)
			w.pass(5 * time.Second)
			w.once(all)
		})
	}
}

// records are what a node does with records and results, over the same way to the database.
type records struct {
	*memdb.Keeper
	x *run
}

func (r records) do(ctx context.Context, call string, job *keep.Job, do func() error) error {
	err := r.x.before(ctx, call)
	for _, e := range r.x.link.Entries() {
		if e.ID == job.Lobby && (e.Node != job.Fence.Node || e.Epoch != job.Fence.Epoch) {
			err = cmp.Or(err, store.ErrFenced)
		}
	}
	if err == nil {
		err = do()
	}
	if err == nil {
		err = r.x.after(ctx, call)
	}
	return err
}

func (r records) Save(ctx context.Context, job *keep.Job) (stand map[string]keep.Standing, err error) {
	err = r.do(ctx, "save", job, func() (err error) { stand, err = r.Keeper.Save(ctx, job); return err })
	return stand, err
}

func (r records) Charge(ctx context.Context, job *keep.Job) (ok bool, s keep.Standing, err error) {
	err = r.do(ctx, "charge", job, func() (err error) { ok, s, err = r.Keeper.Charge(ctx, job); return err })
	return ok, s, err
}

func (r records) Void(ctx context.Context, job *keep.Job) (s keep.Standing, err error) {
	err = r.do(ctx, "void", job, func() (err error) { s, err = r.Keeper.Void(ctx, job); return err })
	return s, err
}
