package keep

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"

	"github.com/google/uuid"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// PutBack lets the fields of a record stand as they did right after a save, whatever has changed them since, for a
// reason; what was not kept then is not kept again. The history goes on: this is one more change in it.
func (k *Keeper) PutBack(ctx context.Context, player string, book *rulebook.Book, lobby string, number int64,
	author, why string) (stand Standing, err error) {
	if why, err = fault.Reason(why); err != nil {
		return stand, err
	}
	if !store.IsID(lobby) {
		return stand, fault.New(code.NoMatch, "there is no save %s %d in this record's history", lobby, number)
	}
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		stand, err = k.putBack(tx, player, book, lobby, number, author, why)
		return err
	})
	return stand, err
}

func (k *Keeper) putBack(tx *store.Tx, player string, book *rulebook.Book, lobby string, number int64,
	author, why string) (s Standing, err error) {
	var row store.Record
	err = tx.Clauses(clause.Locking{Strength: "UPDATE"}).
		First(&row, "player_id = ? and rulebook = ?", player, book.Name).Error
	if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
		return s, err
	}
	var later []store.RecordChange // and the save itself, oldest first
	q := tx.Where("player_id = ? and rulebook = ?", player, book.Name)
	err = q.Where(`(revision, lobby_id, number) >= (select revision, lobby_id, number from record_changes
		where lobby_id = ? and number = ? and player_id = ? and rulebook = ?)`, lobby, number, player, book.Name).
		Order("revision, lobby_id, number").Find(&later).Error
	if err != nil {
		return s, err
	}
	if len(later) == 0 {
		return s, fault.New(code.NoMatch, "there is no save %s %d in this record's history", lobby, number)
	}
	before, err := standingOf(&row, book)
	if err != nil {
		return s, err
	}
	f, was, became := maps.Clone(before.Fields), Fields{}, Fields{}
	if err := undo(f, later[1:]); err != nil {
		return s, err
	}
	for _, name := range slices.Sorted(maps.Keys(mergedKeys(f, before.Fields))) {
		old, had := before.Fields[name]
		now, has := f[name]
		if had == has && same(old, now) {
			continue
		}
		if had {
			was[name] = old
		}
		if has {
			became[name] = now
		} else {
			became[name] = nil // no longer kept
		}
	}
	row.Form, row.Version, row.UpdatedAt = formWords, row.Version+1, k.now().UTC()
	if row.Fields, err = json.Marshal(f); err != nil {
		return s, err
	}
	job := &Job{Lobby: uuid.NewString(), Book: book, Author: author, Why: why}
	note := &Record{Player: player, Number: 1}
	if _, err := k.noteChange(tx, job, note, was, became, row.Version); err != nil {
		return s, err
	}
	return Standing{f, row.Version}, tx.Save(&row).Error
}

// undo puts each field that was changed back to what it was before the first of the changes.
func undo(f Fields, changes []store.RecordChange) error {
	done := map[string]bool{}
	for i := range changes {
		was, err := ReadFields(changes[i].Was)
		if err != nil {
			return err
		}
		became, err := ReadFields(changes[i].Became)
		if err != nil {
			return err
		}
		for name := range became {
			if done[name] {
				continue
			}
			done[name] = true
			if v, had := was[name]; had {
				f[name] = v
			} else {
				delete(f, name)
			}
		}
	}
	return nil
}

func mergedKeys(a, b Fields) Fields {
	out := maps.Clone(a)
	maps.Copy(out, b)
	return out
}

// same compares two kept values as they are written.
func same(a, b any) bool {
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	return string(x) == string(y)
}
