package memdb_test

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/trial"
)

// history is what nodes do to a database: each call is drawn, and told what it gave.
type history struct {
	*base
	r     *rand.Rand
	at    time.Time
	logs  map[int64]int // rows of the log, in the order in which they were made
	marks map[int]int64
}

func (h *history) node() string  { return fmt.Sprint("n", h.r.IntN(3)) }
func (h *history) lobby() string { return fmt.Sprintf("00000000-0000-4000-8000-%012d", h.r.IntN(8)) }

func (h *history) lobbies() (ids []string) {
	for range 1 + h.r.IntN(3) {
		if id := h.lobby(); !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return ids
}

func (h *history) fence() store.Fence {
	return store.Fence{Node: h.node(), Epoch: int64(1 + h.r.IntN(4))}
}

// entry is a lobby's row, as a node has it.
func (h *history) entry() directory.Entry {
	f := h.fence()
	e := directory.Entry{ID: h.lobby(), Node: f.Node, Epoch: f.Epoch, Listed: true}
	e.Code, e.Rulebook, e.State = fmt.Sprint("CODE", h.r.IntN(6)), "duel", "gathering"
	e.Seats, e.Opened = h.r.IntN(4), h.at
	if h.r.IntN(2) == 0 {
		e.Name = fmt.Sprint("Quay ", h.r.IntN(3))
	}
	return e
}

// does draws a call and what it is called with, whatever the database says of it.
func (h *history) does() (call, gave string) {
	ctx, table, dir := context.Background(), h.table, h.dir
	lease := []time.Duration{-time.Minute, time.Hour}[h.r.IntN(2)]
	e, f, ids := h.entry(), h.fence(), h.lobbies()
	self := &cluster.Identity{Name: f.Node, Region: []string{"here", "there"}[h.r.IntN(2)], Address: "http://" + e.Code}
	n, yes := h.r.IntN(5), h.r.IntN(2) == 0
	switch kind := h.r.IntN(20); kind {
	case 0, 1:
		return "open", told(nil, dir.Open(ctx, e))
	case 2:
		return "write", told(nil, dir.Write(ctx, e))
	case 3:
		return "close", told(nil, dir.Close(ctx, e, h.at))
	case 4:
		return "give", told(nil, dir.Give(ctx, e.ID, f, h.node()))
	case 5:
		code, err := dir.Named(ctx, "duel", e.Name)
		return "named", told(code, err)
	case 6:
		epoch, err := table.Enter(ctx, self, lease)
		return "enter", told(epoch, err)
	case 7:
		kept, draining, err := table.Renew(ctx, f.Node, f.Epoch, lease, &cluster.Load{Lobbies: n})
		return "renew", told(fmt.Sprint(kept, draining), err)
	case 8:
		dead, err := table.Dead(ctx, self.Region, f.Node)
		return "dead", told(dead, err)
	case 9:
		all, err := table.Members(ctx)
		slices.SortFunc(all, func(a, b cluster.Member) int { return cmp.Compare(a.Name, b.Name) })
		text := ""
		for _, m := range all {
			text += fmt.Sprint(m.Name, m.Epoch, m.Address, m.Region, m.Lobbies, m.Draining, m.Alive, m.Holds, " ")
		}
		return "members", told(text, err)
	case 10:
		if yes {
			return "drain", told(nil, table.Drain(ctx, f.Node, f.Epoch))
		}
		return "leave", told(nil, table.Leave(ctx, f.Node, f.Epoch))
	}
	return h.together(ids, f, n, yes)
}

// together draws a few calls that are made together, and at times are taken back.
func (h *history) together(ids []string, f store.Fence, n int, yes bool) (call, gave string) {
	var calls, all []string
	taken := errors.New("taken back")
	kinds := make([]int, 1+h.r.IntN(3))
	for i := range kinds {
		kinds[i] = h.r.IntN(11)
	}
	back := h.r.IntN(6) == 0
	entries := fmt.Sprint("entries ", n)
	pick := &ledger.Pick{Node: f.Node, Given: yes, Below: int64(n), Most: n, First: ids[:1]}
	if n%2 == 0 {
		pick.Only = ids
	}
	err := h.Together(context.Background(), func(tx ledger.Rows) error {
		for _, kind := range kinds {
			name, value, err := h.row(tx, kind, ids, f, entries, pick)
			calls, all = append(calls, name), append(all, told(value, err))
			if err != nil {
				return err
			}
		}
		if back {
			return taken
		}
		return nil
	})
	return strings.Join(calls, "+"), strings.Join(all, " ") + told(nil, err)
}

// row makes one call for rows.
func (h *history) row(tx ledger.Rows, kind int, ids []string, f store.Fence, entries string, p *ledger.Pick) (
	name string, value any, err error,
) {
	seq := int64(len(entries)+len(ids)) % 5
	switch kind {
	case 0:
		row, err := tx.Append(f.Node, f, h.at, []byte(entries))
		if row > 0 {
			h.logs[row] = len(h.logs) + 1
			h.marks[h.logs[row]] = row
		}
		return "append", h.logs[row], err
	case 1:
		return "shorten", nil, tx.Shorten(f.Node, h.marks[p.Most])
	case 2:
		rows, err := tx.Log(f.Node, h.marks[p.Most], 3)
		text := ""
		for _, x := range rows {
			text += fmt.Sprint(h.logs[x.ID], x.Node, string(x.Data), " ")
		}
		return "log", text, err
	case 3:
		k := &ledger.Kept{People: []store.LedgerPerson{{LobbyID: ids[0], Token: entries, Text: f.Node}},
			Segments:    []store.LedgerSegment{{LobbyID: ids[0], Seq: seq, Data: []byte(entries)}},
			Checkpoints: []*store.LedgerCheckpoint{{LobbyID: ids[0], Seq: seq, Data: []byte(entries), BeganAt: h.at}}}
		if p.Given {
			k.Ends = ids[:1]
		}
		return "keep", nil, tx.Keep(k)
	case 4:
		x, err := tx.Read(ids)
		return "read", h.held(x), err
	case 5:
		l := &store.LedgerLobby{LobbyID: ids[0], Node: f.Node, Setup: []byte{}, OpenedAt: h.at}
		return "begin", nil, tx.Begin(l, &store.LedgerCheckpoint{LobbyID: ids[0], Data: []byte("begun"), BeganAt: h.at})
	case 6:
		fell, err := tx.EndLease(f.Node)
		return "fell", fell, err
	case 7:
		given, older, err := tx.Waiting(f.Node, f.Epoch)
		return "waiting", fmt.Sprint(given, older), err
	case 8:
		picked, err := tx.Pick(p)
		if p.Most > 0 { // any may be among the most
			return "pick", len(picked), err
		}
		slices.Sort(picked)
		return "pick", picked, err
	case 9:
		row, err := tx.Next()
		h.logs[row] = len(h.logs) + 1
		h.marks[h.logs[row]] = row
		err = errors.Join(err, tx.Move(ids, f.Node, f.Epoch, row), tx.Delay(ids, time.Second, now))
		return "move", nil, err
	}
	if p.Given {
		return "drop", nil, tx.Drop(ids[0])
	}
	open, err := tx.IsOpen(ids[0])
	return "close", open, errors.Join(err, tx.Close(ids[:1], h.at))
}

// held tells what is kept of lobbies.
func (h *history) held(x *ledger.Held) (text string) {
	if x == nil {
		return ""
	}
	for _, l := range x.Lobbies {
		text += fmt.Sprint("lobby ", l.LobbyID[30:], l.Node, h.logs[l.LogFrom], " ")
	}
	slices.SortFunc(x.Checkpoints, func(a, b store.LedgerCheckpoint) int { return cmp.Compare(a.LobbyID, b.LobbyID) })
	for _, c := range x.Checkpoints {
		text += fmt.Sprint("state ", c.LobbyID[30:], c.Seq, string(c.Data), c.BeganAt.UTC().Format(time.RFC3339), " ")
	}
	slices.SortFunc(x.People, func(a, b store.LedgerPerson) int {
		return cmp.Or(cmp.Compare(a.LobbyID, b.LobbyID), cmp.Compare(a.Token, b.Token))
	})
	for _, p := range x.People {
		text += fmt.Sprint("person ", p.LobbyID[30:], p.Token, p.Text, " ")
	}
	return text + fmt.Sprint(x.Reached)
}

// told is what a call gave, without the words of an error.
func told(value any, err error) string {
	switch {
	case err == nil:
		return fmt.Sprint(value, "; ")
	case errors.Is(err, store.ErrFenced), errors.Is(err, directory.ErrCode):
		return err.Error() + "; "
	}
	return "it fails; "
}

// TestHistories: whatever nodes do to the stand-in for a database gives what it gives in PostgreSQL.
func TestHistories(t *testing.T) {
	seed := trial.Seed(t)
	for round := range trial.Rounds(40, 2) {
		at := time.Date(2030, 5, 6, 7, 8, 9, 0, time.UTC)
		one := func(b *base) *history {
			return &history{b, rand.New(rand.NewPCG(seed, uint64(round))), at, map[int64]int{}, map[int]int64{}}
		}
		real, slow := one(inPostgreSQL(t)), one(inMemory(t))
		var calls []string
		for range 300 {
			call, got := real.does()
			_, want := slow.does()
			if calls = append(calls, call+": "+got); got != want {
				t.Fatalf("round %d: in PostgreSQL %s gives\n%s\nand in memory\n%s\nafter\n%s", round, call, got, want,
					strings.Join(calls[max(len(calls)-12, 0):], "\n"))
			}
		}
	}
}
