package keep

import (
	"context"

	"turnvex.example/turnvex/internal/node/store"
)

// Mark is a moment in the order of the database's transactions.
type Mark int64

// Told is how a record stands that was changed, on whichever node.
type Told struct {
	Player   string
	Rulebook string
	Standing
}

// Mark returns the present mark: Changes since it miss nothing that is committed later.
func (k *Keeper) Mark(ctx context.Context) (Mark, error) {
	m, err := store.Mark(k.db.WithContext(ctx))
	return Mark(m), err
}

// Named are the names of some players that have changed since a mark.
func (k *Keeper) Named(ctx context.Context, since Mark, players []string) (names map[string]string, next Mark,
	err error) {
	var rows []struct{ ID, Name string }
	err = k.db.Snapshot(ctx, func(tx *store.Tx) error {
		mark, err := store.Mark(tx)
		if err != nil {
			return err
		}
		next = Mark(mark)
		return tx.Raw("select id, name from players where mark >= ? and mark > 0 and id in ?", since, players).
			Scan(&rows).Error
	})
	names = map[string]string{}
	for _, r := range rows {
		names[r.ID] = r.Name
	}
	return names, next, err
}

// Changes returns the records of some players that have changed since a mark, and the mark
// for the next time. Some may be told again; none is passed over, in whatever order
// transactions commit.
func (k *Keeper) Changes(ctx context.Context, since Mark, players []string) (out []Told, next Mark, err error) {
	var rows []store.Record
	err = k.db.Snapshot(ctx, func(tx *store.Tx) error {
		mark, err := store.Mark(tx)
		if err != nil {
			return err
		}
		next = Mark(mark)
		return tx.Raw("select * from records where mark >= ? and mark > 0 and player_id in ?", since, players).
			Scan(&rows).Error
	})
	if err != nil {
		return nil, since, err
	}
	for i := range rows {
		if rows[i].Form != formWords { // no change was made to it yet
			continue
		}
		s, err := standingOf(&rows[i], nil)
		if err != nil {
			return nil, since, err
		}
		out = append(out, Told{rows[i].PlayerID, rows[i].Rulebook, s})
	}
	return out, next, nil
}
