// Package memdb holds stand-ins for what a node keeps in its database: they keep it in memory, so that a hall can be
// tried, and measured, without one. The same tests hold them and the real ones to what a hall relies on.
package memdb

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sync"
	"time"

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
	records map[[2]string]kept   // guarded by mu; by player and rulebook
	saves   map[resultKey]string // guarded by mu; by lobby and number: what was saved
	results []Result             // guarded by mu; one of a lobby and a match
	wrong   []string             // guarded by mu; what came again as something else
}

// Result is a result that is kept, and of which lobby it is.
type Result struct {
	*step.Result
	Lobby string
	Ended time.Time
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
	return &Keeper{records: map[[2]string]kept{}, saves: map[resultKey]string{}}
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
		if key, what := (resultKey{job.Lobby, r.Number}), fmt.Sprint(r.Player, r.Changes); k.saves[key] == "" {
			k.saves[key] = what
			s.Fields.Apply(job.Book, r.Changes)
			s.Version++
		} else if k.saves[key] != what && k.saves[key] != "void" {
			k.wrong = append(k.wrong, fmt.Sprintf("save %d of %s is %s, and was %s", r.Number, job.Lobby, what,
				k.saves[key]))
		}
		data, err := json.Marshal(s.Fields)
		if err != nil {
			return nil, err
		}
		k.records[[2]string{r.Player, job.Book.Name}] = kept{data, s.Version}
		stand[r.Player] = k.standingLocked(r.Player, job.Book.Name)
	}
	if r := (Result{job.Result, job.Lobby, job.Ended}); r.Result != nil {
		i := slices.IndexFunc(k.results, func(x Result) bool { return x.Lobby == r.Lobby && x.Match == r.Match })
		if i < 0 {
			k.results = append(k.results, r)
		} else if now, was := fmt.Sprint(r.Players), fmt.Sprint(k.results[i].Players); now != was {
			k.wrong = append(k.wrong, fmt.Sprintf("match %d of %s is %s, and was %s", r.Match, r.Lobby, now, was))
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
	ok := k.saves[resultKey{job.Lobby, -r.Number}] == "" &&
		(k.saves[resultKey{job.Lobby, r.Number}] != "" || s.Fields.Covers(job.Book, r.Changes))
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
	if key := (resultKey{job.Lobby, r.Number}); k.saves[key] == "" {
		k.saves[key], k.saves[resultKey{job.Lobby, -r.Number}] = "void", "void"
	} else if back := (resultKey{job.Lobby, -r.Number}); k.saves[back] == "" {
		k.saves[back] = "void"
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
func (k *Keeper) Results() []Result {
	k.mu.Lock()
	defer k.mu.Unlock()
	return slices.Clone(k.results)
}

// Wrong says what was to be kept again, under a number that was taken, and was something else.
func (k *Keeper) Wrong() []string {
	k.mu.Lock()
	defer k.mu.Unlock()
	return slices.Clone(k.wrong)
}

// Names keeps the players' names in memory.
type Names struct {
	Gate Gate // before each call

	mu    sync.Mutex
	names map[string]string // guarded by mu; by player
}

// NewNames returns names of nobody yet.
func NewNames() *Names { return &Names{names: map[string]string{}} }

// MayWrite lets everybody write.
func (*Names) MayWrite(string) error { return nil }

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
