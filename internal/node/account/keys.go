package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"strings"
	"time"

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

// FirstKey sees to it that there is an operator's key: the given one, or, at the
// very first start, one that is made and returned to be shown once.
func (s *Service) FirstKey(ctx context.Context, given string) (made string, err error) {
	db := s.db.WithContext(ctx)
	if given == "" {
		var n int64
		if err := db.Model(&store.ServiceKey{}).Count(&n).Error; err != nil || n > 0 {
			return "", err
		}
		made, given = newKey(), ""
	}
	key := made
	name := "first operator"
	if given != "" {
		key, name = given, "operator of the environment"
		if err := db.Model(&store.ServiceKey{}).
			Where("name = ? and hash <> ? and revoked_at is null", name, hashKey(key)).
			Update("revoked_at", s.now().UTC()).
			Error; err != nil {
			return "", err
		}
	}
	row := store.ServiceKey{
		ID:        uuid.NewString(),
		Name:      name,
		Hash:      hashKey(key),
		Scopes:    string(Operator),
		CreatedAt: s.now().UTC(),
	}
	done := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.RowsAffected == 0 { // another node was first, or failed: a key that is not kept is not shown
		made = ""
	}
	return made, done.Error
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
	row := store.ServiceKey{
		ID:        uuid.NewString(),
		Name:      name,
		Hash:      hashKey(key),
		Scopes:    strings.Join(words, " "),
		CreatedAt: s.now().UTC(),
	}
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
	res := s.db.WithContext(ctx).
		Model(&store.ServiceKey{}).
		Where("name = ? and revoked_at is null", name).
		Update("revoked_at", s.now().UTC())
	if res.Error == nil && res.RowsAffected == 0 {
		return fault.New(code.NoKeyNamed, "there is no service key %q that is not revoked", name)
	}
	return res.Error
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
	token, expires, err := s.issue(row.ID, row.Scopes, keyLife)
	return &SignedIn{Name: row.Name, Token: token, Expires: expires}, err
}

// checkKey returns who a service key's token belongs to, as long as the key is
// not revoked.
func (s *Service) checkKey(ctx context.Context, id string) (*Who, error) {
	var row store.ServiceKey
	err := s.db.WithContext(ctx).First(&row, "id = ? and revoked_at is null", id).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.BadToken, "the key of this token has been revoked")
	}
	return &Who{Name: row.Name, Scopes: scopesOf(row.Scopes)}, err
}
