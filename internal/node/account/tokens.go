package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// How long tokens are good. A token is short-lived, because it is checked without asking who has signed out where; a
// refresh token is used once.
const (
	TokenLife   = 15 * time.Minute
	RefreshLife = 30 * 24 * time.Hour
	keyLife     = time.Hour
)

// Scope is what a service key allows.
type Scope string

// The scopes. Operator includes the others.
const (
	Operator Scope = "operator" // may do everything that operators do
	Referee  Scope = "referee"  // sees all and decides what rulebooks leave to referees
	Grants   Scope = "grants"   // sees all, and gives to and takes from records
	Read     Scope = "read"     // sees all, changes nothing
)

// maxSkew is how far the clock of the node that issued a token may be ahead of this one's. What is voided is voided by
// the time of issue, so that a token from further ahead would outlive it.
const maxSkew = time.Minute

// Scopes lists every scope.
var Scopes = []Scope{Operator, Referee, Grants, Read}

// Who is somebody who has shown a token: a player, or a program with a service key.
type Who struct {
	Player string // "" for a service key
	Name   string
	Scopes []Scope

	key     string // the service key's ID
	signer  string // the secret that the token was signed with
	subject string // whose tokens are voided together
	line    string // the sign-in that the token came of; "" for a service key
	at      int64  // when the token was issued, in microseconds since the epoch
}

// Can tells whether a scope is among those of a service key.
func (w *Who) Can(s Scope) bool {
	return w != nil && (slices.Contains(w.Scopes, s) || slices.Contains(w.Scopes, Operator))
}

// IsPlayer tells whether it is a player.
func (w *Who) IsPlayer() bool { return w != nil && w.Player != "" }

// claims are what a token says.
type claims struct {
	jwt.RegisteredClaims
	At     int64  `json:"at"`               // when it was issued, in microseconds since the epoch
	Scopes string `json:"scopes,omitempty"` // of a service key
	Line   string `json:"line,omitempty"`   // of a player: the sign-in that it came of
}

// The issuers that tokens name: those that sign in; passes; and those of who is leaving, who may be banned.
const (
	ofTokens  = "turnvex"
	ofPasses  = "turnvex party"
	ofLeaving = "turnvex leaving"
)

func issue(s *Service, subject, scopes, line string, life time.Duration) (string, time.Time, error) {
	return issueAs(s, ofTokens, subject, scopes, line, life)
}

func issueAs(s *Service, issuer, subject, scopes, line string, life time.Duration) (string, time.Time, error) {
	now := s.now()
	expires := now.Add(life)
	t := jwt.NewWithClaims(jwt.SigningMethodHS256, claims{
		jwt.RegisteredClaims{Issuer: issuer, Subject: subject, IssuedAt: jwt.NewNumericDate(now),
			ExpiresAt: jwt.NewNumericDate(expires), ID: uuid.NewString()},
		now.UnixMicro(),
		scopes,
		line,
	})
	id, secret, err := s.signers.current()
	if err != nil {
		return "", expires, err
	}
	t.Header["kid"] = id
	signed, err := t.SignedString(secret)
	return signed, expires, err
}

// signIn makes a pair of tokens that begins a line of them. Who signs in again with a device goes on with the line of
// the device: the refresh token of before is good no more, and what voids the line voids all its tokens.
func (s *Service) signIn(ctx context.Context, p store.Player, device string, fresh bool) (*SignedIn, error) {
	if err := s.mayComeIn(&p); err != nil {
		return nil, err
	}
	now := s.now().UTC()
	row := store.RefreshToken{Family: uuid.NewString(), Session: rand.Text(), PlayerID: p.ID, CreatedAt: now,
		ExpiresAt: now.Add(RefreshLife)}
	if device != "" {
		row.DeviceID = &device
	}
	secret := rand.Text()
	row.Hash = refreshHash(secret)
	err := s.db.WithContext(ctx).Raw(`insert into refresh_tokens as t
			(family, hash, session, player_id, created_at, expires_at, device_id) values (?, ?, ?, ?, ?, ?, ?)
		on conflict (device_id) where device_id is not null do update set hash = excluded.hash,
			family = case when t.player_id = excluded.player_id then t.family else excluded.family end,
			session = excluded.session, player_id = excluded.player_id, created_at = excluded.created_at,
			expires_at = excluded.expires_at
		returning family`, row.Family, row.Hash, row.Session, row.PlayerID, row.CreatedAt, row.ExpiresAt,
		row.DeviceID).Scan(&row.Family).Error
	if err != nil {
		return nil, err
	}
	return s.pair(p, &row, secret, fresh)
}

// pair is a token of a line with the refresh token for the next.
func (s *Service) pair(p store.Player, of *store.RefreshToken, secret string, fresh bool) (*SignedIn, error) {
	token, expires, err := issue(s, p.ID, "", of.Family, TokenLife)
	return &SignedIn{Player: p.ID, Name: p.Name, Token: token, Expires: expires,
		Refresh: of.Family + "." + of.Session + "." + secret, New: fresh}, err
}

func refreshHash(secret string) []byte {
	hash := sha256.Sum256([]byte("turnvex refresh " + secret))
	return hash[:]
}

// readRefresh is what a refresh token names: a line of sign-ins, the last of them, and a secret that is used once.
func readRefresh(text string) (line, session, secret string, ok bool) {
	parts := strings.Split(text, ".")
	if len(parts) != 3 || !store.IsID(parts[0]) {
		return "", "", "", false
	}
	return parts[0], parts[1], parts[2], true
}

var errRefresh = fault.New(code.BadToken, "the refresh token is not valid or has been used: sign in again")

// Refresh gives a new pair of tokens for a refresh token. One that comes a second time was stolen, by whoever came
// first or second: all that came of its sign-in is void.
func (s *Service) Refresh(ctx context.Context, refresh string) (*SignedIn, error) {
	line, session, was, ok := readRefresh(refresh)
	if !ok {
		return nil, errRefresh
	}
	var out *SignedIn
	var stolen bool
	err := s.voiding(ctx, func(tx *store.Tx) error {
		now, secret := s.now().UTC(), rand.Text()
		var row store.RefreshToken
		res := tx.Raw("update refresh_tokens set hash = ?, expires_at = ? where hash = ? and family = ? and "+
			"expires_at > ? returning *", refreshHash(secret), now.Add(RefreshLife), refreshHash(was), line, now).
			Scan(&row)
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 { // unknown, run out, or used before: then whoever else has it is out too
			stolen = true
			return s.voidLine(tx, line, "session = ?", session)
		}
		var p store.Player
		if err := tx.Raw("update players set seen_at = ? where id = ? returning *", now, row.PlayerID).
			Scan(&p).Error; err != nil {
			return err
		}
		if err := s.mayComeIn(&p); err != nil {
			return err
		}
		var err error
		out, err = s.pair(p, &row, secret, false)
		return err
	})
	if err == nil && stolen {
		err = errRefresh
	}
	return out, err
}

// SignOut voids the line of sign-ins of a refresh token, also one that was used: this device signs out.
func (s *Service) SignOut(ctx context.Context, refresh string) error {
	line, _, _, ok := readRefresh(refresh)
	if !ok {
		return nil
	}
	return s.voiding(ctx, func(tx *store.Tx) error { return s.voidLine(tx, line, "true") })
}

// voidLine voids a line of sign-ins, if its last one meets a condition.
func (s *Service) voidLine(tx *store.Tx, line, where string, args ...any) error {
	res := tx.Where("family = ?", line).Where(where, args...).Delete(&store.RefreshToken{})
	if res.Error != nil || res.RowsAffected == 0 {
		return res.Error
	}
	return s.void(tx, ofLine(line))
}

// SignOutEverywhere voids all tokens of a player.
func (s *Service) SignOutEverywhere(ctx context.Context, player string) error {
	return s.voiding(ctx, func(tx *store.Tx) error {
		return s.signOutEverywhere(tx, player, s.now().UTC())
	})
}

// signOutEverywhere voids all refresh tokens of a player, and what was issued up to a moment.
func (s *Service) signOutEverywhere(tx *store.Tx, player string, before time.Time) error {
	if err := tx.Delete(&store.RefreshToken{}, "player_id = ?", player).Error; err != nil {
		return err
	}
	err := tx.Model(&store.Player{}).Where("id = ?", player).Update("void_before", before).Error
	if err != nil {
		return err
	}
	return s.voidBefore(tx, ofPlayer(player), before)
}

// Check returns who a token belongs to.
func (s *Service) Check(ctx context.Context, token string) (*Who, error) {
	return check(s, ctx, token, ofTokens)
}

func check(s *Service, ctx context.Context, token, issuer string) (*Who, error) {
	if token == "" {
		return nil, fault.New(code.NoToken, "a token is needed: sign in first")
	}
	var c claims
	var signer string
	_, err := jwt.ParseWithClaims(
		token,
		&c,
		func(t *jwt.Token) (any, error) {
			signer, _ = t.Header["kid"].(string)
			return s.signers.of(ctx, signer)
		},
		jwt.WithValidMethods([]string{"HS256"}),
		jwt.WithIssuer(issuer),
		jwt.WithExpirationRequired(),
		jwt.WithTimeFunc(s.now),
	)
	if err != nil {
		if errors.Is(err, jwt.ErrTokenExpired) {
			return nil, fault.New(code.BadToken, "the token has expired: refresh it or sign in again")
		}
		var f *fault.Fault
		if errors.As(err, &f) {
			return nil, f
		}
		if errors.Is(err, jwt.ErrTokenUnverifiable) && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fault.New(code.BadToken, "the token is not valid: sign in again")
	}
	if s.now().Add(maxSkew).UnixMicro() < c.At {
		return nil, fault.New(code.BadToken, "the token was issued in the future: the clocks of the nodes differ by "+
			"more than a minute; set them, and sign in again")
	}
	if c.Scopes != "" {
		return s.checkKey(ctx, &c, signer)
	}
	if s.lineVoided(c.Line) {
		return nil, fault.New(code.BadToken, "this device has signed out since: sign in again")
	}
	p, err := recalled(ctx, s, ofPlayer(c.Subject), func(ctx context.Context) (*store.Player, error) {
		return s.Player(ctx, c.Subject)
	})
	if err != nil {
		if fault.CodeOf(err) == code.NoPlayer {
			return nil, fault.New(code.BadToken, "the player of this token has been deleted: sign in again")
		}
		return nil, err
	}
	if err := s.mayComeIn(p); err != nil && issuer != ofLeaving {
		return nil, err
	}
	if p.VoidBefore != nil && c.At <= p.VoidBefore.UnixMicro() {
		return nil, fault.New(code.BadToken, "the player has signed out everywhere since: sign in again")
	}
	return &Who{Player: p.ID, Name: p.Name, subject: ofPlayer(p.ID), line: c.Line, at: c.At, signer: signer}, nil
}

// Sweep removes refresh tokens that have run out, and what all nodes have read. Call it now and then.
func (s *Service) Sweep(ctx context.Context) error {
	db := s.db.WithContext(ctx)
	if err := db.Exec("delete from voided where at < clock_timestamp() - interval '2 hours'").Error; err != nil {
		return err
	}
	if err := db.Delete(&store.RefreshToken{}, "expires_at < ?", s.now().UTC()).Error; err != nil {
		return err
	}
	if err := db.Delete(&store.BrowserSession{}, "expires_at < ?", s.now().UTC()).Error; err != nil {
		return err
	}
	if err := db.Delete(&store.Recovery{}, "expires_at < ?", s.now().UTC()).Error; err != nil {
		return err
	}
	if err := db.Delete(&store.KeptBan{}, "until <= ?", s.now().UTC()).Error; err != nil {
		return err
	}
	if err := s.signers.sweep(db); err != nil {
		return err
	}
	return s.signers.look(ctx)
}

func scopesOf(text string) (out []Scope) {
	for _, w := range strings.Fields(text) {
		out = append(out, Scope(w))
	}
	return out
}
