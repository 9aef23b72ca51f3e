// Package memdb holds stand-ins for what a node keeps in its database: they keep it in memory, so that a hall can be
// tried, and measured, without one. The same tests hold them and the real ones to what a hall relies on.
package memdb

import (
	"context"
	"encoding/json"
	"slices"
	"sync"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/keep"
)

// Gate lets calls through, or holds or fails them. It may be nil.
type Gate func(ctx context.Context, call string) error

func (g Gate) pass(ctx context.Context, call string) error {
	if g == nil {
		return ctx.Err()
	}
	return g(ctx, call)
}

// Keeper keeps records and results in memory.
type Keeper struct {
	Gate Gate // before each call
	// Lost, if set, is asked after each job that was kept whether its answer is lost.
	Lost func(*keep.Job) error

	mu      sync.Mutex
	records map[[2]string]kept // guarded by mu; by player and rulebook
	saves   map[resultKey]bool // guarded by mu; by lobby and number
	results map[resultKey]*step.Result
	order   []*step.Result
}

type kept struct {
	fields  []byte
	version int64
}

type resultKey struct {
	lobby  string
	number int64
}

// NewKeeper returns a keeper of nothing yet.
func NewKeeper() *Keeper {
	return &Keeper{records: map[[2]string]kept{}, saves: map[resultKey]bool{}, results: map[resultKey]*step.Result{}}
}

// Load is keep.Keeper.Load.
func (k *Keeper) Load(ctx context.Context, player string,
	book *rulebook.Book) (s keep.Standing, first bool, err error) {
	if err := k.Gate.pass(ctx, "load"); err != nil {
		return s, false, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	key := [2]string{player, book.Name}
	if first = k.records[key].fields == nil; first {
		k.records[key] = kept{fields: []byte("{}")}
	}
	return k.standingLocked(player, book.Name), first, nil
}

func (k *Keeper) standingLocked(player, rulebook string) keep.Standing {
	r := k.records[[2]string{player, rulebook}]
	f, err := keep.ReadFields(r.fields)
	if err != nil { // a first visit
		f = keep.Fields{}
	}
	return keep.Standing{Fields: f, Version: r.version}
}

// Save is keep.Keeper.Save.
func (k *Keeper) Save(ctx context.Context, job *keep.Job) (map[string]keep.Standing, error) {
	if err := k.Gate.pass(ctx, "save"); err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	stand := map[string]keep.Standing{}
	for i := range job.Records {
		r := &job.Records[i]
		s := k.standingLocked(r.Player, job.Book.Name)
		if key := (resultKey{job.Lobby, r.Number}); !k.saves[key] {
			k.saves[key] = true
			s.Fields.Apply(job.Book, r.Changes)
			s.Version++
		}
		data, err := json.Marshal(s.Fields)
		if err != nil {
			return nil, err
		}
		k.records[[2]string{r.Player, job.Book.Name}] = kept{data, s.Version}
		stand[r.Player] = k.standingLocked(r.Player, job.Book.Name)
	}
	if r := job.Result; r != nil {
		if key := (resultKey{job.Lobby, r.Match}); k.results[key] == nil {
			k.results[key] = r
			k.order = append(k.order, r)
		}
	}
	if k.Lost != nil {
		if err := k.Lost(job); err != nil {
			return nil, err
		}
	}
	return stand, nil
}

// Charge is keep.Keeper.Charge.
func (k *Keeper) Charge(ctx context.Context, job *keep.Job) (bool, keep.Standing, error) {
	if err := k.Gate.pass(ctx, "charge"); err != nil {
		return false, keep.Standing{}, err
	}
	r := &job.Records[0]
	k.mu.Lock()
	s := k.standingLocked(r.Player, job.Book.Name)
	ok := k.saves[resultKey{job.Lobby, r.Number}] || s.Fields.Covers(job.Book, r.Changes)
	k.mu.Unlock()
	if !ok {
		return false, s, nil
	}
	stand, err := k.Save(ctx, job)
	return err == nil, stand[r.Player], err
}

// Void is keep.Keeper.Void.
func (k *Keeper) Void(ctx context.Context, job *keep.Job) (keep.Standing, error) {
	if err := k.Gate.pass(ctx, "void"); err != nil {
		return keep.Standing{}, err
	}
	r := job.Records[0]
	k.mu.Lock()
	defer k.mu.Unlock()
	s := k.standingLocked(r.Player, job.Book.Name)
	if key := (resultKey{job.Lobby, r.Number}); !k.saves[key] {
		k.saves[key], k.saves[resultKey{job.Lobby, -r.Number}] = true, true
	} else if back := (resultKey{job.Lobby, -r.Number}); !k.saves[back] {
		k.saves[back] = true
		s.Fields.Apply(job.Book, keep.Back(r.Changes))
		s.Version++
		data, err := json.Marshal(s.Fields)
		if err != nil {
			return s, err
		}
		k.records[[2]string{r.Player, job.Book.Name}] = kept{data, s.Version}
	}
	return s, nil
}

// Fields returns what is kept of a player for a rulebook.
func (k *Keeper) Fields(player, rulebook string) keep.Fields {
	k.mu.Lock()
	defer k.mu.Unlock()
	f, err := keep.ReadFields(k.records[[2]string{player, rulebook}].fields)
	if err != nil {
		return nil
	}
	return f
}

// Results returns the results, in the order in which they were kept.
func (k *Keeper) Results() []*step.Result {
	k.mu.Lock()
	defer k.mu.Unlock()
	return slices.Clone(k.order)
}

// Names keeps the players' names in memory.
type Names struct {
	Gate Gate // before each call

	mu    sync.Mutex
	names map[string]string // guarded by mu; by player
}

// NewNames returns names of nobody yet.
func NewNames() *Names { return &Names{names: map[string]string{}} }

// Rename is account.Service.Rename.
func (n *Names) Rename(ctx context.Context, player, name string) (string, error) {
	if err := n.Gate.pass(ctx, "rename"); err != nil {
		return "", err
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	n.names[player] = name
	return name, nil
}

// Name returns a player's name, "" if none was kept.
func (n *Names) Name(player string) string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.names[player]
}
