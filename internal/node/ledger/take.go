package ledger

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Taking says which lobbies are to be taken.
type Taking struct {
	From  string   // the node that had them; this one, for those that it held or was given
	Given bool     // only those that were given to this node; they are to be taken before others of its own
	Most  int      // at most so many; all, if 0
	First []string // the IDs of those that are taken before others
	Only  []string // the IDs of those that are taken; any, if it is nil
	Dead  bool     // the node's lease is ended first; nothing is taken if it is alive after all
	// Also is called before anything is taken, in the same transaction; nil for nothing.
	Also func(tx *store.Tx) error

	Alive bool // the node is alive after all
	Taken int  // how many there were
	// Picked are the IDs of those that were picked, also when nobody knows whether they were taken: the database may
	// have done it, and its answer been lost.
	Picked []string
}

// Take makes lobbies this node's: those of its own that are not alive under its present lease, or those of a node that
// is dead. It returns what is needed to let them go on. Two nodes never take the same. A lobby of which nothing is kept
// is closed.
func (g *Ledger) Take(ctx context.Context, t *Taking) (out []*Left, err error) {
	g.takes(1)
	defer g.takes(-1)
	err = g.db.Together(ctx, func(tx Rows) error {
		if t.Taken, t.Picked, out = 0, nil, nil; t.Dead {
			fell, err := tx.EndLease(t.From)
			if t.Alive = !fell; err != nil || !fell {
				return err
			}
		}
		if t.Also != nil {
			if err := tx.Also(t.Also); err != nil {
				return err
			}
		}
		ids, err := tx.Pick(g.pick(t))
		if t.Taken, t.Picked = len(ids), ids; err != nil || len(ids) == 0 {
			return err
		}
		if out, err = g.read(tx, t, ids); err != nil {
			return err
		}
		return g.move(tx, t, ids, out)
	})
	g.need(t, out)
	if err != nil {
		return nil, err
	}
	return out, nil
}

// takes counts what is being taken: until it is known what the log is needed for it is not made shorter.
func (g *Ledger) takes(n int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.taking += n
}

// need notes that the log is needed until the first checkpoint of each lobby that was taken, or may have been, and not
// for those that were asked for and are not this node's.
func (g *Ledger) need(t *Taking, out []*Left) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, id := range t.Only {
		delete(g.first, id)
	}
	for _, x := range out {
		if x.first != 0 {
			g.first[x.Lobby] = x.first
		}
	}
}

// Given tells whether lobbies or series were given to this node that nobody runs yet, and whether lobbies are this
// node's that were begun under an earlier lease.
func (g *Ledger) Given(ctx context.Context) (given, older bool, err error) {
	return g.db.Rows(ctx).Waiting(g.node, g.fence().Epoch)
}

// IsOpen tells whether a lobby is open, on whichever node.
func (g *Ledger) IsOpen(ctx context.Context, lobby string) (bool, error) {
	return g.db.Rows(ctx).IsOpen(lobby)
}

// pick says which lobbies are taken.
func (g *Ledger) pick(t *Taking) *Pick {
	p := &Pick{Node: t.From, Given: t.Given, Most: t.Most, First: t.First, Only: t.Only}
	switch fence := g.fence(); {
	case t.Given:
	case t.From == g.node && fence.Node != "" && t.Only == nil:
		p.Below = fence.Epoch
	case t.From != g.node:
		p.Skip = true
	}
	return p
}

// read reads what is kept of lobbies, with what a node's log says beyond their checkpoints.
func (g *Ledger) read(tx Rows, t *Taking, ids []string) (out []*Left, err error) {
	held, err := tx.Read(ids)
	if err != nil {
		return nil, err
	}
	byID := map[string]*Left{}
	for i := range held.Lobbies {
		head, err := headOf(&held.Lobbies[i])
		if err != nil {
			return nil, err
		}
		x := &Left{Head: head, from: held.Lobbies[i].LogFrom}
		byID[head.Lobby], out = x, append(out, x)
	}
	for i := range held.Checkpoints {
		if x := byID[held.Checkpoints[i].LobbyID]; x != nil {
			x.State, x.Seq, x.Began = held.Checkpoints[i].Data, held.Checkpoints[i].Seq, held.Checkpoints[i].BeganAt
			if at := held.Checkpoints[i].TakenAt; at != nil && t.Only != nil {
				x.Until = *at
			}
		}
	}
	for id, x := range byID { // each checkpoint is written with a piece that reaches to it, unless that gave way
		x.Gap = x.Seq > held.Reached[id]
	}
	for i := range held.People {
		if x := byID[held.People[i].LobbyID]; x != nil {
			x.People = append(x.People, personOf(&held.People[i]))
		}
	}
	out = slices.DeleteFunc(out, func(x *Left) bool { return x.State == nil })
	if t.Given { // its checkpoint holds everything
		return out, nil
	}
	alive, err := tx.Alive(t.From)
	if err != nil {
		return nil, err
	}
	for _, x := range out {
		if t.Only == nil { // otherwise nobody has let it go on since it was taken
			x.Until = alive
		}
	}
	return out, after(tx, g.log, t.From, byID)
}

// move notes that lobbies are this node's, and closes those of which nothing is kept. What the other node's log holds
// is copied: that node may shorten it. The time in which nobody ran them is taken out, for whoever takes them next
// before there is a checkpoint.
func (g *Ledger) move(tx Rows, t *Taking, ids []string, all []*Left) error {
	kept := make([]string, 0, len(all))
	now := time.Now().UTC()
	var log []byte
	since := map[time.Time][]string{}
	for _, x := range all {
		if kept = append(kept, x.Lobby); !x.Until.IsZero() {
			since[x.Until] = append(since[x.Until], x.Lobby)
		}
		for i, entry := range x.entries {
			if t.From != g.node {
				log = appendLogged(log, x.Lobby, x.Seq-int64(len(x.entries)-1-i), entry)
			}
		}
	}
	var row int64 // from which on the log's entries count
	var err error
	switch {
	case log != nil:
		row, err = tx.Append(g.node, store.Fence{}, time.Time{}, log)
		for _, x := range all {
			x.first = row
		}
	case t.From != g.node || t.Given:
		row, err = tx.Next()
	}
	if err != nil {
		return err
	}
	for until, ids := range since {
		if err := tx.Delay(ids, max(now.Sub(until), 0), now); err != nil {
			return err
		}
	}
	gone := slices.DeleteFunc(slices.Clone(ids), func(id string) bool { return slices.Contains(kept, id) })
	if len(gone) > 0 {
		if err := tx.Close(gone, now); err != nil {
			return err
		}
	}
	if len(kept) == 0 {
		return nil
	}
	return tx.Move(kept, g.node, g.fence().Epoch, row)
}
