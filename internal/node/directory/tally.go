package directory

import (
	"context"
	"encoding/json"
	"sync"
	"time"
)

// Tally is how many open lobbies of a rulebook, in a region, are of a sort.
type Tally struct {
	Rulebook string `json:"r"`
	Region   string `json:"g"`
	Sort     string `json:"s"` // hidden, practice, closed, full, playing or free
	N        int64  `json:"n"`
}

// sortOf is the sort of a lobby: why a listing may leave it out.
func sortOf(e *Entry) string {
	switch {
	case !e.Listed:
		return "hidden"
	case e.Practice:
		return "practice"
	case !e.Open:
		return "closed"
	case e.Free == 0:
		return "full"
	case e.State != "gathering":
		return "playing"
	}
	return "free"
}

// Tallies count the lobbies that are alive on a node. They may be used by several goroutines.
type Tallies struct {
	mu sync.Mutex
	of map[string]Tally // guarded by mu; by the lobby's ID; N is 0
	n  map[Tally]int64  // guarded by mu
}

// NewTallies returns those of a node without lobbies.
func NewTallies() *Tallies { return &Tallies{of: map[string]Tally{}, n: map[Tally]int64{}} }

// Set counts a lobby as what it is now.
func (t *Tallies) Set(e *Entry) {
	now := Tally{Rulebook: e.Rulebook, Region: e.Region, Sort: sortOf(e)}
	t.mu.Lock()
	defer t.mu.Unlock()
	if was, there := t.of[e.ID]; !there || was != now {
		t.dropLocked(e.ID)
		t.of[e.ID] = now
		t.n[now]++
	}
}

// Drop counts a lobby no more.
func (t *Tallies) Drop(lobby string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.dropLocked(lobby)
}

func (t *Tallies) dropLocked(lobby string) {
	was, there := t.of[lobby]
	if !there {
		return
	}
	delete(t.of, lobby)
	if t.n[was]--; t.n[was] == 0 {
		delete(t.n, was)
	}
}

// All are the tallies now.
func (t *Tallies) All() (out []Tally) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for key, n := range t.n {
		key.N = n
		out = append(out, key)
	}
	return out
}

// JSON is how the tallies are announced.
func (t *Tallies) JSON() []byte {
	all := t.All()
	if all == nil {
		return []byte("[]")
	}
	data, err := json.Marshal(all)
	if err != nil {
		panic(err) // they are texts and numbers
	}
	return data
}

// announced are the tallies of other nodes, as they were announced a moment ago.
type announced struct {
	mu   sync.Mutex
	at   time.Time // guarded by mu
	list []Tally   // guarded by mu
}

// rereadTallies is for how long what other nodes have announced counts.
const rereadTallies = time.Second

// elsewhere are the tallies of the nodes that are alive, but one.
func (d *Directory) elsewhere(ctx context.Context, but string) ([]Tally, error) {
	a := &d.announced
	a.mu.Lock()
	defer a.mu.Unlock()
	if time.Since(a.at) < rereadTallies {
		return a.list, nil
	}
	var rows []struct{ Tallies []byte }
	err := d.db.WithContext(ctx).Raw("select tallies from nodes where name <> ? and lease_until > clock_timestamp() "+
		"and tallies <> '[]'", but).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	sum := map[Tally]int64{}
	for _, r := range rows {
		var list []Tally
		if err := json.Unmarshal(r.Tallies, &list); err != nil {
			return nil, err
		}
		for _, t := range list {
			key := t
			key.N = 0
			sum[key] += t.N
		}
	}
	a.list = nil
	for key, n := range sum {
		key.N = n
		a.list = append(a.list, key)
	}
	a.at = time.Now()
	return a.list, nil
}
