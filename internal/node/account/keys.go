package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// ServiceKey is a key as lists show it.
type ServiceKey struct {
	Name    string     `json:"name"`
	Scopes  []Scope    `json:"scopes"`
	Created time.Time  `json:"created"`
	Used    *time.Time `json:"used,omitempty"`
	Revoked *time.Time `json:"revoked,omitempty"`
	Key     string     `json:"key,omitempty"` // only when it is made: it is not kept
}

// hashKey returns what is kept of a key that was made at random: its SHA-256.
func hashKey(key string) string {
	sum := sha256.Sum256([]byte("turnvex key " + key))
	return hex.EncodeToString(sum[:])
}

// The name of the key that the environment gives, and the least length of one.
const (
	environmentKey = "operator of the environment"
	minKey         = 20
)

// FirstKey sees to it that there is an operator's key: the given one, in place of the one
// given before, or, at the very first start, one that is made and returned to be shown once.
func (s *Service) FirstKey(ctx context.Context, given string) (made string, err error) {
	if given != "" {
		return "", s.givenKey(ctx, given)
	}
	db := s.db.WithContext(ctx)
	var n int64
	if err := db.Model(&store.ServiceKey{}).Where("revoked_at is null").Count(&n).Error; err != nil || n > 0 {
		return "", err
	}
	made = newKey()
	row := s.keyRow("first operator", made, string(Operator))
	done := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.RowsAffected == 0 { // another node was first, or failed: a key that is not kept is not shown
		made = ""
	}
	return made, done.Error
}

// givenKey makes the key that the environment gives good, and the one before good no more.
func (s *Service) givenKey(ctx context.Context, key string) error {
	if n := utf8.RuneCountInString(key); n < minKey {
		return fmt.Errorf("the operator's key of the environment has %d characters, at least %d are needed", n, minKey)
	}
	return s.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if _, err := s.revoke(tx, "name = ? and hash <> ?", environmentKey, hashKey(key)); err != nil {
			return err
		}
		row := s.keyRow(environmentKey, key, string(Operator))
		return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "hash"}},
			DoUpdates: clause.Assignments(map[string]any{"revoked_at": nil, "scopes": row.Scopes})}).Create(&row).Error
	})
}

// keyRow is a key as it is kept.
func (s *Service) keyRow(name, key, scopes string) store.ServiceKey {
	return store.ServiceKey{
		ID:        uuid.NewString(),
		Name:      name,
		Hash:      hashKey(key),
		Scopes:    scopes,
		CreatedAt: s.now().UTC(),
	}
}

func newKey() string { return "tvx" + strings.ToLower(rand.Text()) }

// MakeKey makes a service key. Its text is in the answer and nowhere else.
func (s *Service) MakeKey(ctx context.Context, name string, scopes []Scope) (*ServiceKey, error) {
	name, err := CleanName(name)
	if err != nil {
		return nil, err
	}
	var words []string
	for _, sc := range scopes {
		if !slices.Contains(Scopes, sc) {
			return nil, fault.New(code.BadRequest, "there is no scope %q; there are operator, referee and read", sc)
		}
		words = append(words, string(sc))
	}
	if len(words) == 0 {
		return nil, fault.New(code.BadRequest, "a key needs at least one scope: operator, referee or read")
	}
	key := newKey()
	row := s.keyRow(name, key, strings.Join(words, " "))
	if err := s.db.WithContext(ctx).Create(&row).Error; err != nil {
		if errors.Is(err, store.ErrDuplicate) {
			return nil, fault.New(code.NameTaken, "there is a key called %q already", name)
		}
		return nil, err
	}
	out := showKey(&row)
	out.Key = key
	return &out, nil
}

func showKey(r *store.ServiceKey) ServiceKey {
	return ServiceKey{
		Name:    r.Name,
		Scopes:  scopesOf(r.Scopes),
		Created: r.CreatedAt,
		Used:    r.UsedAt,
		Revoked: r.RevokedAt,
	}
}

// Keys lists all keys, the newest first.
func (s *Service) Keys(ctx context.Context) ([]ServiceKey, error) {
	var rows []store.ServiceKey
	if err := s.db.WithContext(ctx).Order("created_at desc").Limit(1000).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := []ServiceKey{}
	for i := range rows {
		out = append(out, showKey(&rows[i]))
	}
	return out, nil
}

// RevokeKey voids a key and every token that was had for it.
func (s *Service) RevokeKey(ctx context.Context, name string) error {
	return s.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		n, err := s.revoke(tx, "name = ?", name)
		if err == nil && n == 0 {
			return fault.New(code.NoKeyNamed, "there is no service key %q that is not revoked", name)
		}
		return err
	})
}

// revoke voids the keys for which a condition holds, and says how many there were.
func (s *Service) revoke(tx *store.Tx, where string, args ...any) (int, error) {
	var ids []string
	err := tx.Raw("update service_keys set revoked_at = ? where revoked_at is null and "+where+" returning id",
		append([]any{s.now().UTC()}, args...)...).Scan(&ids).Error
	for _, id := range ids {
		if err == nil {
			err = s.void(tx, ofKey(id))
		}
	}
	return len(ids), err
}

// Key signs a program or an operator in. Tries from an address are limited.
func (s *Service) Key(ctx context.Context, key, address string) (*SignedIn, error) {
	worked, err := s.try("", address)
	if err != nil {
		return nil, err
	}
	var row store.ServiceKey
	res := s.db.WithContext(ctx).
		Raw("update service_keys set used_at = ? where hash = ? and revoked_at is null returning *", s.now().UTC(),
			hashKey(key)).
		Scan(&row)
	if res.Error != nil {
		return nil, res.Error
	}
	if res.RowsAffected == 0 {
		return nil, fault.New(code.BadToken, "this key is not known or has been revoked")
	}
	worked()
	token, expires, err := s.issue(row.ID, row.Scopes, "", keyLife)
	return &SignedIn{Name: row.Name, Token: token, Expires: expires}, err
}

// checkKey returns who a service key's token belongs to, as long as the key is
// not revoked.
func (s *Service) checkKey(ctx context.Context, c *claims) (*Who, error) {
	var row store.ServiceKey
	err := s.db.WithContext(ctx).First(&row, "id = ? and revoked_at is null", c.Subject).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.BadToken, "the key of this token has been revoked")
	}
	return &Who{Name: row.Name, Scopes: scopesOf(row.Scopes), subject: ofKey(row.ID), at: c.At}, err
}
