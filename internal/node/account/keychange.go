package account

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"
	"unicode/utf8"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// The key that the environment gives: its name, what it is found by, and its least length.
const (
	environmentKey    = "operator of the environment"
	environmentFinder = "environment"
	minKey            = 20
)

// MaxOverlap is for how long at most the old text of a rotated key may stay good.
const MaxOverlap = 7 * 24 * time.Hour

// FirstKey sees to it that there is an operator's key: the given one, in place of the one given before, or, at the very
// first start, one that is made and returned to be shown once.
func (s *Service) FirstKey(ctx context.Context, given string) (made string, err error) {
	if given != "" {
		return "", s.givenKey(ctx, given)
	}
	db := s.db.WithContext(ctx)
	var n int64
	if err := db.Model(&store.ServiceKey{}).Where("revoked_at is null").Count(&n).Error; err != nil || n > 0 {
		return "", err
	}
	made = newKey("")
	row, err := s.keyRow("first operator", finderOf(made), made, string(Operator))
	if err != nil {
		return "", err
	}
	done := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.RowsAffected == 0 { // another node was first, or failed: a key that is not kept is not shown
		made = ""
	}
	return made, done.Error
}

// givenKey makes the key that the environment gives good, and the one before good no more.
func (s *Service) givenKey(ctx context.Context, key string) error {
	if n := utf8.RuneCountInString(key); n < minKey || n > maxPassword {
		return fmt.Errorf("the operator's key of the environment has %d characters, %d to %d are needed", n, minKey,
			maxPassword)
	}
	row, err := s.keyRow(environmentKey, environmentFinder, key, string(Operator))
	if err != nil {
		return err
	}
	return s.voiding(ctx, func(tx *store.Tx) error {
		if err := tx.Exec("update service_keys set revoked_at = ? where name = ? and finder is distinct from ? and "+
			"revoked_at is null", s.now().UTC(), environmentKey, environmentFinder).Error; err != nil {
			return err
		}
		var old store.ServiceKey
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&old, "finder = ?", environmentFinder).Error
		note := store.Audit{Who: "the start of a node", What: "set the key of the environment", Subject: environmentKey,
			Outcome: "ok"}
		if errors.Is(err, store.ErrNotFound) {
			if err := tx.Create(&note).Error; err != nil {
				return err
			}
			return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "finder"}},
				DoUpdates: clause.AssignmentColumns([]string{"hash", "scopes"})}).Create(&row).Error
		}
		if err != nil {
			return err
		}
		if same, err := s.hasher.verify(key, old.Hash); same && old.RevokedAt == nil || err != nil {
			return err
		}
		if err := tx.Create(&note).Error; err != nil {
			return err
		}
		return s.retext(tx, &old, map[string]any{"hash": row.Hash, "revoked_at": nil}, true)
	})
}

// retext changes a key's text, and voids the tokens that were had for the one before.
func (s *Service) retext(tx *store.Tx, row *store.ServiceKey, with map[string]any, void bool) error {
	if void {
		with["void_before"] = s.now().UTC()
	}
	if err := tx.Model(row).Updates(with).Error; err != nil || !void {
		return err
	}
	return s.void(tx, ofKey(row.ID))
}

// RevokeKey voids a key and every token that was had for it. An operator's key revokes keys without the scope operator,
// and itself unless it is the last; the environment's key revokes every other.
func (s *Service) RevokeKey(ctx context.Context, by *Who, name string) error {
	return s.changeKey(ctx, by, name, func(tx *store.Tx, row *store.ServiceKey, last bool) error {
		if last {
			return fault.New(code.Forbidden, "%q is the only operator's key: make another one first", name)
		}
		if err := tx.Model(row).Update("revoked_at", s.now().UTC()).Error; err != nil {
			return err
		}
		return s.void(tx, ofKey(row.ID))
	})
}

// RotateKey gives a key another text, which is in the answer and nowhere else. The old one stays good for a while, at
// most MaxOverlap; with none its tokens are void at once. Who may revoke a key may rotate it.
func (s *Service) RotateKey(ctx context.Context, by *Who, name string, overlap time.Duration) (*ServiceKey, error) {
	if overlap < 0 || overlap > MaxOverlap {
		return nil, fault.New(code.OutOfRange, "the old text can stay valid for 0 to %d ms", MaxOverlap.Milliseconds())
	}
	var out ServiceKey
	err := s.changeKey(ctx, by, name, func(tx *store.Tx, row *store.ServiceKey, _ bool) error {
		finder := ""
		if row.Finder != nil {
			finder = *row.Finder
		}
		key := newKey(finder)
		hash, err := s.hasher.hash(key)
		if err != nil {
			return err
		}
		with := map[string]any{"finder": finderOf(key), "hash": hash, "old_hash": "", "old_until": nil}
		if overlap > 0 {
			with["old_hash"], with["old_until"] = row.Hash, s.now().UTC().Add(overlap)
		}
		out = showKey(row)
		out.Key = key
		return s.retext(tx, row, with, overlap == 0)
	})
	return &out, err
}

// changeKey changes a key that somebody may change. Of two who change operators' keys at the same moment the second one
// sees what the first has done.
func (s *Service) changeKey(ctx context.Context, by *Who, name string,
	change func(tx *store.Tx, row *store.ServiceKey, last bool) error) error {
	return s.voiding(ctx, func(tx *store.Tx) error {
		var rows []store.ServiceKey
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Order("id").
			Find(&rows, "revoked_at is null and (name = ? or id = ? or scopes like "+
				"?)", name, by.key, "%operator%").Error
		if err != nil {
			return err
		}
		var row, caller *store.ServiceKey
		operators := 0
		for i := range rows {
			if slices.Contains(scopesOf(rows[i].Scopes), Operator) {
				operators++
			}
			if rows[i].Name == name {
				row = &rows[i]
			}
			if rows[i].ID == by.key {
				caller = &rows[i]
			}
		}
		switch {
		case row == nil:
			return fault.New(code.NoKeyNamed, "there is no service key %q that is not revoked", name)
		case ofEnvironment(row):
			return fault.New(code.Forbidden, "change the environment's key where the service is started")
		case slices.Contains(scopesOf(row.Scopes), Operator) && row.ID != by.key && !ofEnvironment(caller):
			return fault.New(code.Forbidden, "an operator's key is revoked and rotated with itself, or with the key "+
				"that the service is given where it is started (TURNVEX_OPERATOR_KEY)")
		}
		return change(tx, row, operators == 1 && row.ID == by.key)
	})
}

func ofEnvironment(row *store.ServiceKey) bool {
	return row != nil && row.Finder != nil && *row.Finder == environmentFinder
}
