package keep

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/store"
)

// Record returns how a player's record of a rulebook stands; without fields when there is nothing.
func (k *Keeper) Record(ctx context.Context, player string, book *rulebook.Book) (Standing, error) {
	s, _, err := k.standing(ctx, player, book)
	return s, err
}

// parts names the records that a rulebook reads: its own, and its game's.
func parts(book *rulebook.Book) []string {
	if book.Game == "" {
		return []string{book.Name}
	}
	return []string{book.Name, rulebook.GamePrefix + book.Game}
}

func (k *Keeper) standing(ctx context.Context, player string, book *rulebook.Book) (s Standing, own bool, err error) {
	var rows []store.Record
	err = k.db.WithContext(ctx).Find(&rows, "player_id = ? and rulebook in ?", player, parts(book)).Error
	if err != nil || len(rows) == 0 {
		return s, false, err
	}
	own = slices.ContainsFunc(rows, func(r store.Record) bool { return r.Rulebook == book.Name })
	s, err = joined(rows, book)
	return s, own, err
}

// joined is how the record stands that a rulebook's own and its game's come to: of the game's the names have
// GamePrefix.
func joined(rows []store.Record, book *rulebook.Book) (s Standing, err error) {
	s.Fields = Fields{}
	for i := range rows {
		part, err := standingOf(&rows[i], book)
		if err != nil {
			return s, err
		}
		s.Version += part.Version
		prefix := ""
		if rows[i].Rulebook != book.Name {
			prefix = rulebook.GamePrefix
		}
		for name, v := range part.Fields {
			s.Fields[prefix+name] = v
		}
	}
	return s, nil
}

func standingOf(r *store.Record, book *rulebook.Book) (Standing, error) {
	f, err := ReadFields(r.Fields)
	if err == nil && r.Form == formPlain {
		f.fromPlain(book)
	}
	return Standing{f, r.Version}, err
}

// Load returns how a player's record stands, for a lobby, and whether it is a first visit: nothing was ever kept. The
// visit is noted at once.
func (k *Keeper) Load(ctx context.Context, player string, book *rulebook.Book) (s Standing, first bool, err error) {
	s, own, err := k.standing(ctx, player, book)
	if err != nil || own {
		return s, false, err
	}
	err = k.begin(k.db.WithContext(ctx), player, book.Name)
	if errors.Is(err, gorm.ErrForeignKeyViolated) { // deleted meanwhile
		err = nil
	}
	return s, true, err
}

// begin makes an empty record where there is none.
func (k *Keeper) begin(tx *store.Tx, player, rulebook string) error {
	r := store.Record{PlayerID: player, Rulebook: rulebook, Fields: []byte("{}"), Form: formWords,
		UpdatedAt: k.now().UTC()}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r).Error
}

// saveRecords lets changes happen to records, each once however often it is tried, and returns how the records stand
// then, by player. Rows are taken in one order, so that two saves cannot wait for each other.
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
	rows, before, err := k.lockAll(tx, r.Player, job.Book)
	if err != nil {
		return s, err
	}
	return k.saveLocked(tx, job, r, rows, before)
}

// saveLocked is saveRecord, of which the rows are locked.
func (k *Keeper) saveLocked(tx *store.Tx, job *Job, r *Record, rows []*store.Record, before Standing) (
	s Standing, err error) {
	f := maps.Clone(before.Fields)
	was, became := f.Apply(job.Book, r.Changes)
	first, err := k.noteChange(tx, job, r, was.part(""), became.part(""), rows[0].Version+1)
	if err != nil || !first { // not the first try: the record stands as it did
		return before, err
	}
	if err := k.write(tx, rows[0], f.part("")); err != nil {
		return s, err
	}
	s = Standing{f, before.Version + 1}
	if shared := became.part(rulebook.GamePrefix); len(shared) > 0 {
		game := *job
		game.Lobby, game.Book = gameSave(job.Lobby), gameOf(job.Book)
		if _, err := k.noteChange(tx, &game, r, was.part(rulebook.GamePrefix), shared, rows[1].Version+1); err != nil {
			return s, err
		}
		s.Version++
		err = k.write(tx, rows[1], f.part(rulebook.GamePrefix))
	}
	return s, err
}

// gameOf is a rulebook's game, as far as its record goes.
func gameOf(book *rulebook.Book) *rulebook.Book {
	game := &rulebook.Book{Name: rulebook.GamePrefix + book.Game, Version: book.Version}
	for _, r := range book.Record {
		if r.Game {
			own := *r
			own.Game = false
			game.Record = append(game.Record, &own)
		}
	}
	return game
}

// gameSave is what stands for a lobby in the history of its game's records, where its numbers are those of its saves
// too.
func gameSave(lobby string) string {
	return uuid.NewSHA1(uuid.NameSpaceOID, []byte("turnvex game save "+lobby)).String()
}

// lockAll returns the records that a rulebook reads, its own first, and how they stand, and keeps others from changing
// them until the transaction ends.
func (k *Keeper) lockAll(tx *store.Tx, player string, book *rulebook.Book) ([]*store.Record, Standing, error) {
	var rows []*store.Record
	var all []store.Record
	for _, name := range parts(book) {
		if err := k.begin(tx, player, name); err != nil {
			return nil, Standing{}, err
		}
		row, err := k.lock(tx, player, name)
		if err != nil {
			return nil, Standing{}, err
		}
		rows, all = append(rows, row), append(all, *row)
	}
	s, err := joined(all, book)
	return rows, s, err
}

// write writes a record that has changed.
func (k *Keeper) write(tx *store.Tx, row *store.Record, f Fields) (err error) {
	row.Form, row.Version, row.UpdatedAt = formWords, row.Version+1, k.now().UTC()
	if row.Fields, err = json.Marshal(f); err != nil {
		return err
	}
	return tx.Save(row).Error
}

// part are the fields whose names begin with a prefix, without it; those without any for "".
func (f Fields) part(prefix string) Fields {
	out := Fields{}
	for name, v := range f {
		rest, is := strings.CutPrefix(name, rulebook.GamePrefix)
		if is == (prefix != "") {
			out[rest] = v
		}
	}
	return out
}

// lock returns a record that is there, and keeps others from changing it until the transaction ends.
func (k *Keeper) lock(tx *store.Tx, player, rulebook string) (*store.Record, error) {
	var row store.Record
	return &row, tx.Clauses(clause.Locking{Strength: "UPDATE"}).
		First(&row, "player_id = ? and rulebook = ?", player, rulebook).Error
}

// changesOf is what a save does to a rulebook's own fields, as the history keeps it.
func changesOf(book *rulebook.Book, r *Record) ([]byte, error) {
	list := []map[string]any{}
	for i := range r.Changes {
		c := &r.Changes[i]
		if r := fieldNamed(book, c.Field); r != nil && !r.Game {
			list = append(list, map[string]any{"field": c.Field, "does": c.Kind.String(),
				"value": written(r.Field, c.Value)})
		}
	}
	return json.Marshal(list)
}

// noteChange writes a save into the history, and tells whether it was not there yet.
func (k *Keeper) noteChange(tx *store.Tx, job *Job, r *Record, was, became Fields, revision int64) (bool, error) {
	row := store.RecordChange{LobbyID: job.Lobby, Number: r.Number, PlayerID: r.Player, Rulebook: job.Book.Name,
		Version: job.Book.Version, Match: r.Match, ChangedAt: k.now().UTC(), Author: job.Author, Why: job.Why,
		Revision: revision}
	var err error
	if row.Changes, err = changesOf(job.Book, r); err != nil {
		return false, err
	}
	for _, part := range []struct {
		to *[]byte
		v  any
	}{{&row.Was, was}, {&row.Became, became}} {
		data, err := json.Marshal(part.v)
		if err != nil {
			return false, err
		}
		*part.to = data
	}
	done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	return done.RowsAffected > 0, done.Error
}
