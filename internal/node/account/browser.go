package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// How long a browser session of a service key lasts: so long at most, and so long after it was renewed last.
const (
	BrowserLife = 12 * time.Hour
	browserIdle = time.Hour
)

func browserHash(secret string) []byte {
	hash := sha256.Sum256([]byte("turnvex browser " + secret))
	return hash[:]
}

// Browse signs an operator in with a service key and begins a session in their browser: the secret renews its tokens,
// so that the key itself is kept nowhere.
func (s *Service) Browse(ctx context.Context, key, address string) (in *SignedIn, secret string, err error) {
	row, err := s.tryKey(ctx, key, address)
	if err != nil {
		return nil, "", err
	}
	secret, now := rand.Text()+rand.Text(), s.now().UTC()
	err = s.db.WithContext(ctx).Create(&store.BrowserSession{Hash: browserHash(secret), KeyID: row.ID, CreatedAt: now,
		UsedAt: now, ExpiresAt: now.Add(BrowserLife)}).Error
	if err != nil {
		return nil, "", err
	}
	in, err = s.browserToken(row)
	return in, secret, err
}

func (s *Service) browserToken(row *store.ServiceKey) (*SignedIn, error) {
	token, expires, err := issue(s, row.ID, row.Scopes, "", TokenLife)
	return &SignedIn{Name: row.Name, Scopes: scopesOf(row.Scopes), Token: token, Expires: expires}, err
}

var errBrowser = fault.New(code.BadToken, "the session in this browser has ended: sign in with the key again")

// RenewBrowser gives the next token of a browser session, as long as its key is good, has the same text, and the
// session was renewed within the hour.
func (s *Service) RenewBrowser(ctx context.Context, secret string) (*SignedIn, error) {
	now := s.now().UTC()
	var session store.BrowserSession
	done := s.db.WithContext(ctx).Raw("update browser_sessions set used_at = ? where hash = ? and expires_at > ? "+
		"and used_at > ? returning *", now, browserHash(secret), now, now.Add(-browserIdle)).Scan(&session)
	if done.Error != nil {
		return nil, done.Error
	}
	if done.RowsAffected == 0 {
		return nil, errBrowser
	}
	var row store.ServiceKey
	err := s.db.WithContext(ctx).First(&row, "id = ? and revoked_at is null", session.KeyID).Error
	if errors.Is(err, store.ErrNotFound) ||
		err == nil && row.VoidBefore != nil && !session.CreatedAt.After(*row.VoidBefore) {
		return nil, errBrowser
	}
	if err != nil {
		return nil, err
	}
	return s.browserToken(&row)
}

// EndBrowser ends a browser session. Its last token lasts for a quarter of an hour at most.
func (s *Service) EndBrowser(ctx context.Context, secret string) error {
	return s.db.WithContext(ctx).Delete(&store.BrowserSession{}, "hash = ?", browserHash(secret)).Error
}
