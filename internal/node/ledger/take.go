package ledger

import (
	"context"
	"slices"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/node/store"
)

// Taking says which lobbies are to be taken.
type Taking struct {
	From  string   // the node that had them; this one, for those that it held or was given
	Given bool     // only those that were given to this node
	Most  int      // at most so many; all, if 0
	First []string // the IDs of those that are taken before others
	Only  []string // the IDs of those that are taken; any, if it is nil
	// Before is asked first, in the same transaction; nil for nothing.
	Before func(tx *store.Tx) (ok bool, err error)

	Taken int // how many there were
}

// Take makes lobbies this node's: those of its own that are not alive under its present lease, or
// those of a node that is dead. It returns what is needed to let them go on. Two nodes never take
// the same. A lobby of which nothing is kept is closed.
func (g *Ledger) Take(ctx context.Context, t *Taking) (out []*Left, err error) {
	err = g.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if t.Before != nil {
			if ok, err := t.Before(tx); err != nil || !ok {
				return err
			}
		}
		ids, err := g.pick(tx, t)
		if t.Taken = len(ids); err != nil || len(ids) == 0 {
			return err
		}
		out, err = g.read(tx, t, ids)
		if err != nil {
			return err
		}
		return g.move(tx, t, ids, out)
	})
	if err != nil {
		return nil, err
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, x := range out {
		if x.first != 0 { // the log is needed until the first checkpoint
			g.first[x.Lobby] = x.first
		}
	}
	return out, nil
}

// pick locks the rows of the lobbies that are taken.
func (g *Ledger) pick(tx *store.Tx, t *Taking) (ids []string, err error) {
	fence := g.fence()
	q := tx.Model(&store.Lobby{}).Where("node = ? and closed_at is null", t.From)
	if len(t.First) > 0 {
		q = q.Order(clause.Expr{SQL: "id not in ?", Vars: []any{t.First}})
	}
	locking := clause.Locking{Strength: "UPDATE"}
	switch {
	case t.Given:
		q = q.Where("epoch = 0")
	case t.From == g.node && fence.Node != "" && t.Only == nil:
		q = q.Where("epoch < ?", fence.Epoch)
	case t.From != g.node:
		locking.Options = "SKIP LOCKED"
	}
	if t.Only != nil {
		q = q.Where("id in ?", t.Only)
	}
	if t.Most > 0 {
		q = q.Limit(t.Most)
	}
	return ids, q.Clauses(locking).Pluck("id", &ids).Error
}

// read reads what is kept of lobbies, with what a node's log says beyond their checkpoints.
func (g *Ledger) read(tx *store.Tx, t *Taking, ids []string) (out []*Left, err error) {
	var rows []store.LedgerLobby
	if err := tx.Order("lobby_id").Find(&rows, "lobby_id in ? and ended_at is null", ids).Error; err != nil {
		return nil, err
	}
	byID := map[string]*Left{}
	for i := range rows {
		head, err := headOf(&rows[i])
		if err != nil {
			return nil, err
		}
		x := &Left{Head: head}
		byID[head.Lobby], out = x, append(out, x)
	}
	var states []store.LedgerCheckpoint
	if err := tx.Find(&states, "lobby_id in ?", ids).Error; err != nil {
		return nil, err
	}
	for i := range states {
		if x := byID[states[i].LobbyID]; x != nil {
			x.State, x.Seq, x.Began = states[i].Data, states[i].Seq, states[i].BeganAt
		}
	}
	if err := gaps(tx, ids, byID); err != nil {
		return nil, err
	}
	var people []store.LedgerPerson
	if err := tx.Find(&people, "lobby_id in ?", ids).Error; err != nil {
		return nil, err
	}
	for i := range people {
		if x := byID[people[i].LobbyID]; x != nil {
			x.People = append(x.People, personOf(&people[i]))
		}
	}
	out = slices.DeleteFunc(out, func(x *Left) bool { return x.State == nil })
	if t.Given { // its checkpoint holds everything
		return out, nil
	}
	var alive time.Time
	if err := tx.Raw("select alive_at from ledger_nodes where node = ?", t.From).Scan(&alive).Error; err != nil {
		return nil, err
	}
	for _, x := range out {
		x.Until = alive
	}
	return out, g.after(tx, t.From, byID)
}

// gaps finds the lobbies whose checkpoint is beyond the last piece of their journal: each is written
// with a piece that reaches to it, unless that gave way.
func gaps(tx *store.Tx, ids []string, byID map[string]*Left) error {
	var last []struct {
		LobbyID string
		Seq     int64
	}
	if err := tx.Model(&store.LedgerSegment{}).Select("lobby_id, max(seq) as seq").Where("lobby_id in ?", ids).
		Group("lobby_id").Find(&last).Error; err != nil {
		return err
	}
	reached := map[string]int64{}
	for _, x := range last {
		reached[x.LobbyID] = x.Seq
	}
	for id, x := range byID {
		x.Gap = x.Seq > reached[id]
	}
	return nil
}

// move notes that lobbies are this node's, and closes those of which nothing is kept. What the
// other node's log holds is copied: that node may shorten it. The time in which nobody ran them
// is taken out, for whoever takes them next before there is a checkpoint.
func (g *Ledger) move(tx *store.Tx, t *Taking, ids []string, all []*Left) error {
	kept := make([]string, 0, len(all))
	now := time.Now().UTC()
	var log []byte
	for _, x := range all {
		kept = append(kept, x.Lobby)
		for i, entry := range x.entries {
			if t.From != g.node {
				log = appendLogged(log, x.Lobby, x.Seq-int64(len(x.entries)-1-i), entry)
			}
		}
	}
	if log != nil {
		var id int64
		if err := tx.Raw("insert into ledger_log (node, data) values (?, ?) returning id", g.node, log).
			Scan(&id).Error; err != nil {
			return err
		}
		for _, x := range all {
			x.first = id
		}
	}
	if len(all) > 0 && !all[0].Until.IsZero() {
		if err := tx.Exec("update ledger_checkpoints set began_at = began_at + ? * interval '1 microsecond' where "+
			"lobby_id in ?", max(now.Sub(all[0].Until).Microseconds(), 0), kept).Error; err != nil {
			return err
		}
	}
	gone := slices.DeleteFunc(slices.Clone(ids), func(id string) bool { return slices.Contains(kept, id) })
	if len(gone) > 0 {
		if err := tx.Model(&store.Lobby{}).Where("id in ?", gone).
			Updates(map[string]any{"closed_at": now, "updated_at": store.Now, "state": "closed"}).Error; err != nil {
			return err
		}
	}
	if len(kept) == 0 {
		return nil
	}
	if err := tx.Exec("update lobbies set node = ?, epoch = ?, updated_at = clock_timestamp() where id in ?", g.node,
		g.fence().Epoch, kept).Error; err != nil {
		return err
	}
	return tx.Exec("update ledger_lobbies set node = ? where lobby_id in ?", g.node, kept).Error
}
