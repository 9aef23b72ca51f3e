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
	"unicode/utf8"

	"github.com/google/uuid"

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
	Key     string     `json:"key,omitempty"` // only when it is made or rotated: it is not kept
}

// A key that is made begins with a word, and its first letters say which it is: by them it is found, to be compared
// with what is kept of it at the cost of a password's hash.
const (
	keyWord  = "tvx"
	findable = len(keyWord) + 10
)

// finderOf is the part of a key by which it is found; "" for one that was not made here.
func finderOf(key string) string {
	if !strings.HasPrefix(key, keyWord) || len(key) <= findable {
		return ""
	}
	return key[:findable]
}

// newKey makes the text of a key that is found by the given part, or by a new one.
func newKey(finder string) string {
	if finder == "" {
		finder = keyWord + strings.ToLower(rand.Text())[:findable-len(keyWord)]
	}
	return finder + strings.ToLower(rand.Text())
}

// hashOld returns what was kept of keys that have no part to find them by: a SHA-256.
func hashOld(key string) string {
	sum := sha256.Sum256([]byte("turnvex key " + key))
	return hex.EncodeToString(sum[:])
}

// keyRow is a key as it is kept.
func (s *Service) keyRow(name, finder, key, scopes string) (store.ServiceKey, error) {
	hash, err := s.hasher.hash(key)
	return store.ServiceKey{ID: uuid.NewString(), Name: name, Finder: &finder, Hash: hash, Scopes: scopes,
		CreatedAt: s.now().UTC()}, err
}

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
	key := newKey("")
	row, err := s.keyRow(name, finderOf(key), key, strings.Join(words, " "))
	if err != nil {
		return nil, err
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
	return ServiceKey{Name: r.Name, Scopes: scopesOf(r.Scopes), Created: r.CreatedAt, Used: r.UsedAt,
		Revoked: r.RevokedAt}
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

// Key signs a program or an operator in. Tries from an address are limited.
func (s *Service) Key(ctx context.Context, key, address string) (*SignedIn, error) {
	row, err := s.tryKey(ctx, key, address)
	if err != nil {
		return nil, err
	}
	token, expires, err := issue(s, row.ID, row.Scopes, "", keyLife)
	return &SignedIn{Name: row.Name, Scopes: scopesOf(row.Scopes), Token: token, Expires: expires}, err
}

// tryKey returns the key with a text, and notes that it was used.
func (s *Service) tryKey(ctx context.Context, key, address string) (*store.ServiceKey, error) {
	worked, err := s.try("", address)
	if err != nil {
		return nil, err
	}
	row, err := s.keyOf(ctx, key)
	if err != nil {
		if fault.CodeOf(err) != code.BadToken {
			worked() // it was not tried
		}
		return nil, err
	}
	worked()
	return row, s.db.WithContext(ctx).Model(row).Update("used_at", s.now().UTC()).Error
}

// keyOf finds the key with a text. It takes as long where there is none.
func (s *Service) keyOf(ctx context.Context, key string) (*store.ServiceKey, error) {
	refused := fault.New(code.BadToken, "this key is not known or has been revoked")
	if utf8.RuneCountInString(key) > maxPassword {
		return nil, refused
	}
	finder := finderOf(key)
	if finder == "" {
		finder = environmentFinder
	}
	var rows []store.ServiceKey
	err := s.db.WithContext(ctx).
		Where("revoked_at is null and (finder = ? or hash = ?)", finder, hashOld(key)).
		Order("finder nulls first").Limit(1).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	row := store.ServiceKey{Hash: nobodysHash}
	if len(rows) > 0 {
		row = rows[0]
	}
	if row.Hash == hashOld(key) {
		return &row, nil
	}
	ok, err := s.hasher.verify(key, row.Hash)
	if err == nil && !ok && row.OldUntil != nil && s.now().Before(*row.OldUntil) {
		ok, err = s.hasher.verify(key, row.OldHash)
	}
	if err == nil && (!ok || row.ID == "") {
		err = refused
	}
	return &row, err
}

// checkKey returns who a service key's token belongs to, as long as the key is not revoked.
func (s *Service) checkKey(ctx context.Context, c *claims, signer string) (*Who, error) {
	row, err := recalled(ctx, s, ofKey(c.Subject), func(ctx context.Context) (row store.ServiceKey, err error) {
		err = s.db.WithContext(ctx).First(&row, "id = ? and revoked_at is null", c.Subject).Error
		if errors.Is(err, store.ErrNotFound) {
			err = fault.New(code.BadToken, "the key of this token has been revoked")
		}
		return row, err
	})
	if err == nil && row.VoidBefore != nil && c.At <= row.VoidBefore.UnixMicro() {
		return nil, fault.New(code.BadToken, "the key of this token has been rotated: sign in again")
	}
	return &Who{Name: row.Name, Scopes: scopesOf(row.Scopes), key: row.ID, subject: ofKey(row.ID), at: c.At,
		signer: signer}, err
}
