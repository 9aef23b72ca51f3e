// Package account knows who people are: sign-in by device and by account, tokens and their renewal, service keys, and
// display names.
package account

import (
	"context"
	"crypto/hkdf"
	"crypto/sha256"
	"errors"
	"sync/atomic"
	"time"

	"github.com/hashicorp/golang-lru/v2/expirable"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
)

// Service signs people in. It may be used by several goroutines.
type Service struct {
	Mutes   *Mutes
	db      *store.DB
	signers signers
	now     func() time.Time
	guard   *guard.Guard
	voids   voids
	hasher  hasher
	known   *expirable.LRU[string, any]
	away    atomic.Int64 // until when the database is not asked about who is known, in nanoseconds since the epoch
}

// maxHashes bounds how many passwords are hashed at once: each takes 19 MiB.
const maxHashes = 4

// New returns a service that signs tokens with the secrets of the database, of which it makes the first; tries are
// counted by the guard.
func New(ctx context.Context, db *store.DB, g *guard.Guard) (*Service, error) {
	s := &Service{db: db, now: time.Now, guard: g, voids: voids{lines: map[string]time.Time{}},
		Mutes:  &Mutes{db: db, now: time.Now, guard: g, of: map[string]store.Mute{}},
		hasher: hasher{g, make(chan struct{}, maxHashes)},
		known:  expirable.NewLRU[string, any](mostRecalled, nil, TokenLife)}
	s.signers.db, s.signers.now = db, func() time.Time { return s.now() }
	return s, s.signers.first(ctx)
}

// Derived is the secret for one purpose, derived from that of the service (HKDF, RFC 5869): what is signed or digested
// for one says nothing about another.
func Derived(secret, purpose string) []byte {
	key, err := hkdf.Key(sha256.New, []byte(secret), nil, "turnvex "+purpose, sha256.Size)
	if err != nil {
		panic(err) // only a length that is not allowed
	}
	return key
}

// SignedIn is what a sign-in gives.
type SignedIn struct {
	Player  string    `json:"player,omitempty"` // none for a service key
	Name    string    `json:"name"`
	Scopes  []Scope   `json:"scopes,omitempty"` // of a service key
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
	Refresh string    `json:"refresh,omitempty"` // for the next pair of tokens; to be used once
	New     bool      `json:"new"`               // the player was made by this sign-in
}

// Player returns a player by id.
func (s *Service) Player(ctx context.Context, id string) (*store.Player, error) {
	if !store.IsID(id) {
		return nil, fault.New(code.NoPlayer, "there is no player %q", id)
	}
	var p store.Player
	err := s.db.WithContext(ctx).First(&p, "id = ?", id).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.NoPlayer, "there is no player %q", id)
	}
	return &p, err
}

// Rename gives a player another name and returns it in its normal form.
func (s *Service) Rename(ctx context.Context, id, name string) (string, error) {
	name, err := CleanName(name)
	if err != nil {
		return "", err
	}
	res := s.db.WithContext(ctx).Model(&store.Player{}).Where("id = ?", id).Update("name", name)
	if res.Error == nil && res.RowsAffected == 0 {
		return "", fault.New(code.NoPlayer, "there is no player %q", id)
	}
	return name, res.Error
}

// Delete removes a player with everything that is kept of them, but a ban. Their tokens are void from now on.
func (s *Service) Delete(ctx context.Context, id string) error {
	return s.voiding(ctx, func(tx *store.Tx) error {
		if err := keepBan(s, tx, id); err != nil {
			return err
		}
		if err := tx.Delete(&store.Player{}, "id = ?", id).Error; err != nil {
			return err
		}
		return s.void(tx, ofPlayer(id))
	})
}
