package keep

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Change is one save of a record, as its history tells it.
type Change struct {
	At      time.Time       `json:"at"`
	Lobby   string          `json:"lobby"`                           // the lobby's ID; of a correction an ID of its own
	Number  int64           `json:"number"`                          // of the save in that lobby; 0 in a player's own export
	Made    int64           `json:"revision" gorm:"column:revision"` // the version of the record that it made
	Match   int64           `json:"match,omitempty"`                 // the number of the match under way
	Version string          `json:"version"`                         // of the rulebook
	Author  string          `json:"author,omitempty"`                // who corrected it, where no match did this
	Why     string          `json:"why,omitempty"`                   // and why
	Changes json.RawMessage `json:"changes"`                         // what was done, by field
	Was     json.RawMessage `json:"was"`                             // the fields that changed, before; one that is not there was not kept
	Became  json.RawMessage `json:"became"`                          // and after
}

// Place is where a change stands in the history of a record. Changes that changed no field share a revision.
type Place struct {
	Revision int64
	Lobby    string
	Number   int64
}

// Place returns where the change stands.
func (c *Change) Place() Place { return Place{c.Made, c.Lobby, c.Number} }

// History returns what happened to a record, newest first, from before a place (the zero one begins with the newest).
func (k *Keeper) History(ctx context.Context, player, rulebook string, before Place,
	limit int) (out []Change, err error) {
	q := k.db.WithContext(ctx).Table("record_changes").Where("player_id = ? and rulebook = ?", player, rulebook).
		Select("changed_at as at, lobby_id as lobby, number, revision, match, version, author, why, changes, was, " +
			"became")
	if before != (Place{}) {
		q = q.Where("(revision, lobby_id, number) < (?, ?, ?)", before.Revision, before.Lobby, before.Number)
	}
	return out, q.Order("revision desc, lobby_id desc, number desc").Limit(limit).Scan(&out).Error
}

// Correction is what an operator does to a record.
type Correction struct {
	Changes  []Corrected    `json:"changes"`
	Why      string         `json:"why"`                // 1 to 200 characters
	AtLeast  map[string]any `json:"at_least,omitempty"` // numbers that the record must have, by field; otherwise nothing happens
	Revision int64          `json:"revision,omitempty"` // the one that the record must be at; 0 for any
}

// Corrected is one change of a correction.
type Corrected struct {
	Field string `json:"field"`
	Does  string `json:"does"` // add, set, raise or lower
	Value any    `json:"value"`
}

// maxCorrected is the most changes at once.
const maxCorrected = 48

// Correct lets an operator's changes happen to a player's record, with a reason that the history keeps, and returns how
// the record stands then. id makes it happen once, however often it is tried; "" gives it one.
func (k *Keeper) Correct(ctx context.Context, player string, book *rulebook.Book, c *Correction,
	author, id string) (stand Standing, err error) {
	changes, err := c.read(book)
	if err != nil {
		return stand, err
	}
	if id == "" {
		id = uuid.NewString()
	} else if !store.IsID(id) {
		return stand, fault.New(code.BadRequest, "the ID of a correction is a UUID in lower case, with dashes, "+
			"not %.64q", id)
	}
	job := &Job{Lobby: id, Book: book, Author: author, Why: c.Why}
	record := &Record{Player: player, Number: 1, Changes: changes}
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		rows, before, err := k.lockAll(tx, player, book)
		if err != nil {
			return err
		}
		var done int64
		err = tx.Table("record_changes").Where("lobby_id = ? and number = ?", id, record.Number).Count(&done).Error
		if err == nil && done == 0 {
			err = c.holds(book, before)
		}
		if err != nil {
			return err
		}
		if stand, err = k.saveLocked(tx, job, record, rows, before); err == nil {
			err = sameChange(tx, job, record)
		}
		return err
	})
	if errors.Is(err, gorm.ErrForeignKeyViolated) {
		return stand, fault.New(code.NoPlayer, "there is no player %q", player)
	}
	return stand, err
}

// holds refuses a correction whose conditions a record does not meet.
func (c *Correction) holds(book *rulebook.Book, s Standing) error {
	if c.Revision != 0 && c.Revision != s.Version {
		return fault.New(code.ChangedSince, "the record is at revision %d, not %d: read it again", s.Version,
			c.Revision)
	}
	for _, name := range slices.Sorted(maps.Keys(c.AtLeast)) {
		r := fieldNamed(book, name)
		if r == nil {
			return fault.New(code.NoField, "the record of %s has no field %.40q", book.Name, name)
		}
		if r.Field.Type != sheet.Integer && r.Field.Type != sheet.Number {
			return fault.New(code.BadRequest, "at_least: %s is of type %s, and not a number", name, r.Field.Type)
		}
		least, err := sheet.Read(r.Field, c.AtLeast[name])
		if err != nil {
			return fault.New(code.BadRequest, "at_least: %s: %s", name, err)
		}
		if had, _ := s.Fields.of(r); had.N[0] < least.N[0] {
			return fault.New(code.TooLittle, "the record has %s of %s, and not at least %s", had.Show(r.Field, 0, 0),
				name, least.Show(r.Field, 0, 0))
		}
	}
	return nil
}

// sameChange refuses a correction whose ID was used for another.
func sameChange(tx *store.Tx, job *Job, r *Record) error {
	var was store.RecordChange
	if err := tx.First(&was, "lobby_id = ? and number = ?", job.Lobby, r.Number).Error; err != nil {
		return err
	}
	now, err := changesOf(job.Book, r)
	if err != nil {
		return err
	}
	var a, b any
	if err := errors.Join(json.Unmarshal(was.Changes, &a), json.Unmarshal(now, &b)); err != nil {
		return err
	}
	switch {
	case was.PlayerID != r.Player || was.Rulebook != job.Book.Name:
		return fault.New(code.IDUsed, "the id %s was used for another record: a new correction has a new id",
			job.Lobby)
	case !reflect.DeepEqual(a, b):
		return fault.New(code.IDUsed, "the id %s was used for %s: a new correction has a new id", job.Lobby,
			was.Changes)
	}
	return nil
}

// read checks a correction against a rulebook.
func (c *Correction) read(book *rulebook.Book) (out []step.Change, err error) {
	if c.Why, err = fault.Reason(c.Why); err != nil {
		return nil, err
	}
	if len(c.Changes) < 1 || len(c.Changes) > maxCorrected {
		return nil, fault.New(code.BadRequest, "a correction has 1 to %d changes, not %d", maxCorrected, len(c.Changes))
	}
	for _, x := range c.Changes {
		r := fieldNamed(book, x.Field)
		if r == nil {
			return nil, fault.New(code.NoField, "the record of %s has no field %q", book.Name, x.Field)
		}
		f := r.Field
		kind, ok := step.ChangeNamed(x.Does)
		if !ok {
			return nil, fault.New(code.BadRequest, "%s: a change does one of %s, not %q", x.Field,
				strings.Join(step.ChangeWords[:], ", "), x.Does)
		}
		if kind != step.ChangeSet && f.Type != sheet.Integer && f.Type != sheet.Number {
			return nil, fault.New(code.BadRequest, "%s is of type %s, which can only be set", x.Field, f.Type)
		}
		v, err := sheet.Read(f, x.Value)
		if err == nil && kind != step.ChangeAdd {
			err = f.Check(v)
		}
		if err != nil {
			return nil, fault.New(code.BadRequest, "%s: %s", x.Field, err)
		}
		out = append(out, step.Change{Field: x.Field, Kind: kind, Value: v})
	}
	return out, nil
}
