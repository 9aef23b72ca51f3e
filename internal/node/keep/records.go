package keep

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/store"
)

// Record returns what is kept of a player for a rulebook; nil when there is nothing.
func (k *Keeper) Record(ctx context.Context, player string, book *rulebook.Book) (Fields, error) {
	var r store.Record
	err := k.db.WithContext(ctx).First(&r, "player_id = ? and rulebook = ?", player, book.Name).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return fieldsOf(&r, book)
}

func fieldsOf(r *store.Record, book *rulebook.Book) (Fields, error) {
	f, err := ReadFields(r.Fields)
	if err == nil && r.Form == formPlain {
		f.fromPlain(book)
	}
	return f, err
}

// Load returns what is kept of a player, for a lobby, and whether it is a first visit:
// nothing was ever kept. The visit is noted at once.
func (k *Keeper) Load(
	ctx context.Context, player string, book *rulebook.Book,
) (values []step.Named, first bool, err error) {
	fields, err := k.Record(ctx, player, book)
	if err != nil || fields != nil {
		return fields.Values(book), false, err
	}
	err = k.begin(k.db.WithContext(ctx), player, book.Name)
	if errors.Is(err, gorm.ErrForeignKeyViolated) { // deleted meanwhile
		err = nil
	}
	return nil, true, err
}

// begin makes an empty record where there is none.
func (k *Keeper) begin(tx *store.Tx, player, rulebook string) error {
	r := store.Record{PlayerID: player, Rulebook: rulebook, Fields: []byte("{}"), Form: formWords,
		UpdatedAt: k.now().UTC()}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r).Error
}

// saveRecords lets changes happen to records, each once however often it is tried, and
// returns how the records stand then, by player. Rows are taken in one order, so that
// two saves cannot wait for each other.
func (k *Keeper) saveRecords(tx *store.Tx, job *Job, there map[string]bool) (map[string]Fields, error) {
	stand := map[string]Fields{}
	list := slices.Clone(job.Records)
	slices.SortStableFunc(list, func(a, b Record) int { return strings.Compare(a.Player, b.Player) })
	for i := range list {
		if !there[list[i].Player] {
			continue
		}
		f, err := k.saveRecord(tx, job, &list[i])
		if err != nil {
			return nil, err
		}
		stand[list[i].Player] = f
	}
	return stand, nil
}

func fieldNamed(book *rulebook.Book, name string) *sheet.Field {
	for _, r := range book.Record {
		if r.Field.Name == name {
			return r.Field
		}
	}
	return nil
}

func (k *Keeper) saveRecord(tx *store.Tx, job *Job, r *Record) (Fields, error) {
	if err := k.begin(tx, r.Player, job.Book.Name); err != nil {
		return nil, err
	}
	var row store.Record
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).
		First(&row, "player_id = ? and rulebook = ?", r.Player, job.Book.Name).Error
	if err != nil {
		return nil, err
	}
	f, err := fieldsOf(&row, job.Book)
	if err != nil {
		return nil, err
	}
	before, err := json.Marshal(f)
	if err != nil {
		return nil, err
	}
	was, became := f.Apply(job.Book, r.Changes)
	first, err := k.noteChange(tx, job, r, was, became)
	if err != nil || !first { // not the first try: the record stands as it did
		f, _ = ReadFields(before)
		return f, err
	}
	row.Form, row.UpdatedAt = formWords, k.now().UTC()
	if row.Fields, err = json.Marshal(f); err != nil {
		return nil, err
	}
	return f, tx.Save(&row).Error
}

// noteChange writes a save into the history, and tells whether it was not there yet.
func (k *Keeper) noteChange(tx *store.Tx, job *Job, r *Record, was, became Fields) (bool, error) {
	row := store.RecordChange{LobbyID: job.Lobby, Number: r.Number, PlayerID: r.Player, Rulebook: job.Book.Name,
		Version: job.Book.Version, Match: r.Match, ChangedAt: k.now().UTC(), Author: job.Author, Why: job.Why}
	var list []map[string]any
	for i := range r.Changes {
		c := &r.Changes[i]
		if f := fieldNamed(job.Book, c.Field); f != nil {
			list = append(list, map[string]any{"field": c.Field, "does": c.Kind.String(), "value": written(f, c.Value)})
		}
	}
	for _, part := range []struct {
		to *[]byte
		v  any
	}{{&row.Changes, list}, {&row.Was, was}, {&row.Became, became}} {
		data, err := json.Marshal(part.v)
		if err != nil {
			return false, err
		}
		*part.to = data
	}
	done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	return done.RowsAffected > 0, done.Error
}
