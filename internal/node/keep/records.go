package keep

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/store"
)

// Fields are a record's values by name, in the units that the wire uses
// (integers, thousandths, texts, flags, pairs of millimetres).
type Fields map[string]any

// FieldsOf makes what is kept of a record's values.
func FieldsOf(values []step.Named) Fields {
	f := Fields{}
	for _, v := range values {
		f[v.Name] = v.Value.Plain()
	}
	return f
}

// Defaults is the record of a first-time player.
func Defaults(book *rulebook.Book) Fields {
	f := Fields{}
	for _, field := range book.Schema.Fields(sheet.Record) {
		f[field.Name] = field.Start.Plain()
	}
	return f
}

// Values turns kept fields into values; what no longer fits its field is left out,
// so that it stands at its start.
func (f Fields) Values(book *rulebook.Book) []step.Named {
	var out []step.Named
	for _, field := range book.Schema.Fields(sheet.Record) {
		raw, ok := f[field.Name]
		if !ok {
			continue
		}
		if v, err := replica.ValueOf(field.Type, raw); err == nil {
			out = append(out, step.Named{Name: field.Name, Value: v})
		}
	}
	return out
}

// ReadFields reads fields as they are kept.
func ReadFields(data []byte) (Fields, error) {
	var f Fields
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	return f, d.Decode(&f)
}

// Record returns what is kept of a player for a rulebook; nil when there is nothing.
func (k *Keeper) Record(ctx context.Context, player, rulebook string) (Fields, error) {
	var r store.Record
	err := k.db.WithContext(ctx).First(&r, "player_id = ? and rulebook = ?", player, rulebook).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return ReadFields(r.Fields)
}

// Load returns a player's record for a rulebook. A first-time player's is made with
// its defaults; that of a player who was deleted meanwhile is not. It may be
// repeated.
func (k *Keeper) Load(ctx context.Context, player string, book *rulebook.Book) ([]step.Named, error) {
	fields, err := k.Record(ctx, player, book.Name)
	if err != nil || fields != nil {
		return fields.Values(book), err
	}
	fields = Defaults(book)
	err = k.saveRecord(k.db.WithContext(ctx), player, book.Name, fields)
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		err = nil
	}
	return fields.Values(book), err
}

// saveRecord writes a player's record, whole.
func (k *Keeper) saveRecord(tx *store.Tx, player, rulebook string, f Fields) error {
	data, err := json.Marshal(f)
	if err != nil {
		return err
	}
	r := store.Record{PlayerID: player, Rulebook: rulebook, Fields: data, UpdatedAt: k.now().UTC()}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&r).Error
}
