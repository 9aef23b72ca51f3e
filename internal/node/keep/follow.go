package keep

import (
	"context"

	"turnvex.example/turnvex/internal/node/store"
)

// Told is how a record stands.
type Told struct {
	Player   string
	Rulebook string
	Standing
}

// Names returns the names of those of some players whom there are.
func (k *Keeper) Names(ctx context.Context, players []string) (names map[string]string, err error) {
	var rows []store.Player
	err = k.db.WithContext(ctx).Select("id", "name").Find(&rows, "id in ?", players).Error
	names = map[string]string{}
	for i := range rows {
		names[rows[i].ID] = rows[i].Name
	}
	return names, err
}

// Stand returns how all records of some players stand.
func (k *Keeper) Stand(ctx context.Context, players []string) (out []Told, err error) {
	var rows []store.Record
	if err := k.db.WithContext(ctx).Find(&rows, "player_id in ?", players).Error; err != nil {
		return nil, err
	}
	for i := range rows {
		if rows[i].Form != formWords { // no change was made to it yet
			continue
		}
		s, err := standingOf(&rows[i], nil)
		if err != nil {
			return nil, err
		}
		out = append(out, Told{rows[i].PlayerID, rows[i].Rulebook, s})
	}
	return out, nil
}
