// Package account knows who people are: sign-in by device and by account, tokens
// and their renewal, service keys, and display names.
package account

import (
	"context"
	"crypto/hkdf"
	"crypto/sha256"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
)

// Service signs people in. It may be used by several goroutines.
type Service struct {
	db     *store.DB
	secret []byte
	now    func() time.Time
	guard  *guard.Guard
	voids  voids
	hashes chan struct{} // as many as may hash a password at once
}

// maxHashes bounds how many passwords are hashed at once: each takes 19 MiB.
const maxHashes = 4

// New returns a service that signs tokens with secret, which has at least 32
// bytes and stays the same over restarts; tries are counted by the guard.
func New(db *store.DB, secret []byte, g *guard.Guard) (*Service, error) {
	if len(secret) < 32 {
		return nil, fmt.Errorf("the token secret has %d bytes, at least 32 are needed", len(secret))
	}
	return &Service{
		db:     db,
		secret: secret,
		now:    time.Now,
		guard:  g,
		voids:  voids{lines: map[string]time.Time{}, seen: map[int64]time.Time{}},
		hashes: make(chan struct{}, maxHashes),
	}, nil
}

// Derived is the secret for one purpose, derived from that of the service (HKDF, RFC 5869):
// what is signed or digested for one says nothing about another.
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
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
	Refresh string    `json:"refresh,omitempty"` // for the next pair of tokens; to be used once
	New     bool      `json:"new"`               // the player was made by this sign-in
}

// Device signs in with a device key of 24 to 128 printable characters, which
// the client makes at random and keeps. An unknown key makes a new player, with
// the given name or a made-up one; for a known one a name that is given is taken
// as a rename.
func (s *Service) Device(ctx context.Context, key, name string) (*SignedIn, error) {
	if err := checkDeviceKey(key); err != nil {
		return nil, err
	}
	if name != "" {
		var err error
		if name, err = CleanName(name); err != nil {
			return nil, err
		}
	}
	p, fresh, err := s.playerOf(ctx, deviceHash(key), name)
	if err != nil {
		return nil, err
	}
	return s.signIn(ctx, p, fresh)
}

func deviceHash(key string) []byte {
	hash := sha256.Sum256([]byte("turnvex device " + key))
	return hash[:]
}

func checkDeviceKey(key string) error {
	ok := len(key) >= 24 && len(key) <= 128
	for _, c := range []byte(key) {
		ok = ok && c > ' ' && c < 0x7f
	}
	if !ok {
		return fault.New(
			code.BadDevice,
			"a device key has 24 to 128 printable ASCII characters without spaces; make it at random and keep it",
		)
	}
	return nil
}

// playerOf finds or makes the player of a device. Two first sign-ins of one
// device at the same moment make one player.
func (s *Service) playerOf(ctx context.Context, hash []byte, name string) (p store.Player, fresh bool, err error) {
	db, now := s.db.WithContext(ctx), s.now().UTC()
	for range 2 {
		p = store.Player{} // a number in it would be looked for as well
		err = db.Joins("join devices on devices.player_id = players.id and devices.key_hash = ?", hash).First(&p).Error
		if err == nil {
			p.SeenAt = now
			if name != "" {
				p.Name = name
			}
			return p, false, db.Model(&p).Updates(map[string]any{"seen_at": now, "name": p.Name}).Error
		}
		if !errors.Is(err, store.ErrNotFound) {
			return p, false, err
		}
		p = store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: now, SeenAt: now}
		if name == "" {
			p.Name = MakeUpName()
		}
		err = s.db.Transaction(func(tx *store.Tx) error {
			if err := tx.Create(&p).Error; err != nil {
				return err
			}
			return tx.Create(&store.Device{KeyHash: hash, PlayerID: p.ID, CreatedAt: now}).Error
		})
		if err == nil {
			return p, true, nil
		}
		if !errors.Is(err, store.ErrDuplicate) { // otherwise the other sign-in was first: find its player
			return p, false, err
		}
	}
	return p, false, err
}

// Player returns a player by id.
func (s *Service) Player(ctx context.Context, id string) (*store.Player, error) {
	if uuid.Validate(id) != nil {
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

// Delete removes a player with everything that is kept of them. Their tokens are
// void from now on.
func (s *Service) Delete(ctx context.Context, id string) error {
	return s.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := tx.Delete(&store.Player{}, "id = ?", id).Error; err != nil {
			return err
		}
		return s.void(tx, ofPlayer(id))
	})
}
