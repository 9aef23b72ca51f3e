package keep

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/store"
)

// Record returns what is kept of a player for a rulebook; nil when there is nothing.
func (k *Keeper) Record(ctx context.Context, player string, book *rulebook.Book) (Fields, error) {
	s, err := k.standing(ctx, player, book)
	return s.Fields, err
}

func (k *Keeper) standing(ctx context.Context, player string, book *rulebook.Book) (Standing, error) {
	var r store.Record
	err := k.db.WithContext(ctx).First(&r, "player_id = ? and rulebook = ?", player, book.Name).Error
	if errors.Is(err, store.ErrNotFound) {
		return Standing{}, nil
	}
	if err != nil {
		return Standing{}, err
	}
	return standingOf(&r, book)
}

func standingOf(r *store.Record, book *rulebook.Book) (Standing, error) {
	f, err := ReadFields(r.Fields)
	if err == nil && r.Form == formPlain {
		f.fromPlain(book)
	}
	return Standing{f, r.Version}, err
}

// Load returns how a player's record stands, for a lobby, and whether it is a first
// visit: nothing was ever kept. The visit is noted at once.
func (k *Keeper) Load(
	ctx context.Context, player string, book *rulebook.Book,
) (s Standing, first bool, err error) {
	s, err = k.standing(ctx, player, book)
	if err != nil || s.Fields != nil {
		return s, false, err
	}
	err = k.begin(k.db.WithContext(ctx), player, book.Name)
	if errors.Is(err, gorm.ErrForeignKeyViolated) { // deleted meanwhile
		err = nil
	}
	return Standing{}, true, err
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
func (k *Keeper) saveRecords(tx *store.Tx, job *Job, there map[string]bool) (map[string]Standing, error) {
	stand := map[string]Standing{}
	list := slices.Clone(job.Records)
	slices.SortStableFunc(list, func(a, b Record) int { return strings.Compare(a.Player, b.Player) })
	for i := range list {
		if !there[list[i].Player] {
			continue
		}
		s, err := k.saveRecord(tx, job, &list[i])
		if err != nil {
			return nil, err
		}
		stand[list[i].Player] = s
	}
	return stand, nil
}

func fieldNamed(book *rulebook.Book, name string) *rulebook.RecordField {
	for _, r := range book.Record {
		if r.Field.Name == name {
			return r
		}
	}
	return nil
}

func (k *Keeper) saveRecord(tx *store.Tx, job *Job, r *Record) (s Standing, err error) {
	if err := k.begin(tx, r.Player, job.Book.Name); err != nil {
		return s, err
	}
	row, err := k.lock(tx, r.Player, job.Book.Name)
	if err != nil {
		return s, err
	}
	before, err := standingOf(row, job.Book)
	if err != nil {
		return s, err
	}
	f := maps.Clone(before.Fields)
	was, became := f.Apply(job.Book, r.Changes)
	first, err := k.noteChange(tx, job, r, was, became, row.Version+1)
	if err != nil || !first { // not the first try: the record stands as it did
		return before, err
	}
	row.Form, row.Version, row.UpdatedAt = formWords, row.Version+1, k.now().UTC()
	if row.Fields, err = json.Marshal(f); err != nil {
		return s, err
	}
	return Standing{f, row.Version}, tx.Save(row).Error
}

// lock returns a record that is there, and keeps others from changing it until the
// transaction ends.
func (k *Keeper) lock(tx *store.Tx, player, rulebook string) (*store.Record, error) {
	var row store.Record
	return &row, tx.Clauses(clause.Locking{Strength: "UPDATE"}).
		First(&row, "player_id = ? and rulebook = ?", player, rulebook).Error
}

// noteChange writes a save into the history, and tells whether it was not there yet.
func (k *Keeper) noteChange(
	tx *store.Tx, job *Job, r *Record, was, became Fields, revision int64,
) (bool, error) {
	row := store.RecordChange{LobbyID: job.Lobby, Number: r.Number, PlayerID: r.Player, Rulebook: job.Book.Name,
		Version: job.Book.Version, Match: r.Match, ChangedAt: k.now().UTC(), Author: job.Author, Why: job.Why,
		Revision: revision}
	list := []map[string]any{}
	for i := range r.Changes {
		c := &r.Changes[i]
		if r := fieldNamed(job.Book, c.Field); r != nil {
			f := r.Field
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
