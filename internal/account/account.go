// Package account knows who people are: sign-in by device, tokens, and display
// names.
package account

import (
	"context"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/google/uuid"

	"turnvex/internal/code"
	"turnvex/internal/fault"
	"turnvex/internal/store"
)

// TokenLife is how long a token is good.
const TokenLife = 12 * time.Hour

// Service signs people in. It may be used by several goroutines.
type Service struct {
	db     *store.DB
	secret []byte
	opKey  string // the hash of the operator's key; "" when there is none
	now    func() time.Time
}

// New returns a service that signs tokens with secret, which has at least 32
// bytes and stays the same over restarts. Without the hash of an operator's
// key no operator can sign in.
func New(db *store.DB, secret []byte, operatorKeyHash string) (*Service, error) {
	if len(secret) < 32 {
		return nil, fmt.Errorf("the token secret has %d bytes, at least 32 are needed", len(secret))
	}
	s := &Service{db: db, secret: secret, opKey: operatorKeyHash, now: time.Now}
	return s, nil
}

// HashKey returns what is kept of a key that was made at random: its SHA-256.
func HashKey(key string) string {
	sum := sha256.Sum256([]byte("turnvex key " + key))
	return hex.EncodeToString(sum[:])
}

// Key signs an operator in.
func (s *Service) Key(key string) (*SignedIn, error) {
	if s.opKey == "" || subtle.ConstantTimeCompare([]byte(HashKey(key)), []byte(s.opKey)) != 1 {
		return nil, fault.New(code.BadToken, "this key is not known")
	}
	token, expires, err := s.issue("operator", Operator)
	return &SignedIn{Name: "operator", Token: token, Expires: expires}, err
}

// SignedIn is what a sign-in gives.
type SignedIn struct {
	Player  string    `json:"player"`
	Name    string    `json:"name"`
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
	New     bool      `json:"new"` // the player was made by this sign-in
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
	hash := sha256.Sum256([]byte("turnvex device " + key))
	p, fresh, err := s.playerOf(ctx, hash[:], name)
	if err != nil {
		return nil, err
	}
	token, expires, err := s.issue(p.ID, Player)
	if err != nil {
		return nil, err
	}
	return &SignedIn{Player: p.ID, Name: p.Name, Token: token, Expires: expires, New: fresh}, nil
}

func checkDeviceKey(key string) error {
	ok := len(key) >= 24 && len(key) <= 128
	for _, c := range []byte(key) {
		ok = ok && c > ' ' && c < 0x7f
	}
	if !ok {
		return fault.New(code.BadDevice, "a device key has 24 to 128 printable ASCII characters without spaces; make it at random and keep it")
	}
	return nil
}

// playerOf finds or makes the player of a device. Two first sign-ins of one
// device at the same moment make one player.
func (s *Service) playerOf(ctx context.Context, hash []byte, name string) (p store.Player, fresh bool, err error) {
	db, now := s.db.WithContext(ctx), s.now().UTC()
	for range 2 {
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

// claims are what a token says.
type claims struct {
	jwt.RegisteredClaims
	Role Role `json:"role,omitempty"`
}

// Role is what a token allows beyond being a player.
type Role string

// The roles.
const (
	Player   Role = ""
	Operator Role = "operator"
)

func (s *Service) issue(subject string, role Role) (string, time.Time, error) {
	now := s.now()
	expires := now.Add(TokenLife)
	t := jwt.NewWithClaims(jwt.SigningMethodHS256, claims{jwt.RegisteredClaims{Issuer: "turnvex", Subject: subject,
		IssuedAt: jwt.NewNumericDate(now), ExpiresAt: jwt.NewNumericDate(expires), ID: uuid.NewString()}, role})
	signed, err := t.SignedString(s.secret)
	return signed, expires, err
}

// Who is somebody who has shown a token.
type Who struct {
	Player string // "" for an operator
	Name   string
	Role   Role
}

// Check returns who a token belongs to.
func (s *Service) Check(ctx context.Context, token string) (*Who, error) {
	if token == "" {
		return nil, fault.New(code.NoToken, "a token is needed: sign in first")
	}
	var c claims
	_, err := jwt.ParseWithClaims(token, &c, func(*jwt.Token) (any, error) { return s.secret, nil },
		jwt.WithValidMethods([]string{"HS256"}), jwt.WithIssuer("turnvex"), jwt.WithExpirationRequired(), jwt.WithTimeFunc(s.now))
	if err != nil {
		if errors.Is(err, jwt.ErrTokenExpired) {
			return nil, fault.New(code.BadToken, "the token has run out: sign in again")
		}
		return nil, fault.New(code.BadToken, "the token is not valid: sign in again")
	}
	if c.Role == Operator {
		return &Who{Name: "operator", Role: Operator}, nil
	}
	p, err := s.Player(ctx, c.Subject)
	if err != nil {
		if fault.CodeOf(err) == code.NoPlayer {
			return nil, fault.New(code.BadToken, "the player of this token is no more: sign in again")
		}
		return nil, err
	}
	return &Who{Player: p.ID, Name: p.Name}, nil
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
