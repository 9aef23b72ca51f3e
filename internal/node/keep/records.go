package keep

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/node/store"
)

// Fields are a record's values by name, in the units that the wire uses
// (integers, thousandths, texts, flags, pairs of millimetres).
type Fields map[string]any

// LoadRecord returns a player's record for a rulebook; nil when there is none yet.
func LoadRecord(ctx context.Context, db *store.DB, player, rulebook string) (Fields, error) {
	var r store.Record
	err := db.WithContext(ctx).First(&r, "player_id = ? and rulebook = ?", player, rulebook).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var f Fields
	d := json.NewDecoder(bytes.NewReader(r.Fields))
	d.UseNumber()
	return f, d.Decode(&f)
}

// SaveRecord writes a player's record, whole.
func SaveRecord(tx *store.Tx, player, rulebook string, f Fields) error {
	data, err := json.Marshal(f)
	if err != nil {
		return err
	}
	r := store.Record{PlayerID: player, Rulebook: rulebook, Fields: data, UpdatedAt: time.Now().UTC()}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&r).Error
}
