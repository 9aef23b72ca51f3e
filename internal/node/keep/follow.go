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
func (k *Keeper) Mark(ctx context.Context) (m Mark, err error) {
	return m, k.db.WithContext(ctx).Raw("select pg_snapshot_xmin(pg_current_snapshot())::text::bigint").Scan(&m).Error
}

// Changes returns the records of some players that have changed since a mark, and the mark
// for the next time. Some may be told again; none is passed over, in whatever order
// transactions commit.
func (k *Keeper) Changes(ctx context.Context, since Mark, players []string) (out []Told, next Mark, err error) {
	var rows []store.Record
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error { // one snapshot for both
		if err := tx.Exec("set transaction isolation level repeatable read, read only").Error; err != nil {
			return err
		}
		if err := tx.Raw("select pg_snapshot_xmin(pg_current_snapshot())::text::bigint").Scan(&next).Error; err != nil {
			return err
		}
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
