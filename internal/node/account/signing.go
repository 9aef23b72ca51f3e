package account

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// signers are the secrets that sign tokens, as a node knows them. A token names its own by its key ID (RFC 7515,
// section 4.1.4).
type signers struct {
	db  *store.DB
	now func() time.Time

	mu     sync.Mutex
	all    map[string][]byte // guarded by mu
	newest string            // guarded by mu
	read   time.Time         // guarded by mu
}

// SigningKey is a secret that signs tokens, as lists show it.
type SigningKey struct {
	ID   string    `json:"id"`
	Made time.Time `json:"made"`
}

// rereadEvery bounds how often tokens with unknown key IDs make a node look for new ones.
const rereadEvery = time.Second

// SigningKeys lists the secrets that sign tokens: the newest signs, all are believed.
func (s *Service) SigningKeys(ctx context.Context) ([]SigningKey, error) {
	var rows []store.SigningKey
	err := s.db.WithContext(ctx).Order("created_at desc, id").Find(&rows).Error
	out := []SigningKey{}
	for i := range rows {
		out = append(out, SigningKey{rows[i].ID, rows[i].CreatedAt.UTC()})
	}
	return out, err
}

// RotateSigning makes a new secret to sign tokens with, on all nodes. Tokens of before stay good for their time, unless
// the older secrets are dropped, because somebody knows one: then every token has to be refreshed, and nobody has to
// sign in again.
func (s *Service) RotateSigning(ctx context.Context, drop bool) error {
	err := s.voiding(ctx, func(tx *store.Tx) error {
		fresh, err := s.signers.fresh(tx)
		if err != nil || !drop {
			return err
		}
		var gone []string
		err = tx.Raw("delete from signing_keys where id <> ? returning id", fresh).Scan(&gone).Error
		for _, id := range gone {
			if err == nil {
				err = s.void(tx, ofSigner(id))
			}
		}
		return err
	})
	if err != nil {
		return err
	}
	return s.signers.look(ctx)
}

func (k *signers) fresh(tx *store.Tx) (id string, err error) {
	secret := make([]byte, 32)
	rand.Read(secret)
	row := store.SigningKey{ID: rand.Text()[:8], Secret: hex.EncodeToString(secret), CreatedAt: k.now().UTC()}
	return row.ID, tx.Create(&row).Error
}

// first makes the first secret, where there is none. Of nodes that start at once one makes it.
func (k *signers) first(ctx context.Context) error {
	err := k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := tx.Exec("lock table signing_keys in share row exclusive mode").Error; err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&store.SigningKey{}).Count(&n).Error; err != nil || n > 0 {
			return err
		}
		_, err := k.fresh(tx)
		return err
	})
	if err != nil {
		return err
	}
	return k.look(ctx)
}

func (k *signers) look(ctx context.Context) error {
	var rows []store.SigningKey
	if err := k.db.WithContext(ctx).Order("created_at, id").Find(&rows).Error; err != nil {
		return err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.all, k.read = map[string][]byte{}, time.Now()
	for i := range rows {
		secret, err := hex.DecodeString(rows[i].Secret)
		if err != nil {
			return err
		}
		k.all[rows[i].ID], k.newest = secret, rows[i].ID
	}
	return nil
}

// current returns the secret to sign with, and its ID.
func (k *signers) current() (id string, secret []byte, err error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if secret = k.all[k.newest]; secret == nil {
		return "", nil, errors.New("there is no secret to sign tokens with")
	}
	return k.newest, secret, nil
}

// of returns the secret with an ID; one that is not known is looked for, now and then.
func (k *signers) of(ctx context.Context, id string) ([]byte, error) {
	k.mu.Lock()
	secret, read := k.all[id], k.read
	k.mu.Unlock()
	if secret == nil && id != "" && time.Since(read) > rereadEvery {
		if err := k.look(ctx); err != nil {
			return nil, err
		}
		k.mu.Lock()
		secret = k.all[id]
		k.mu.Unlock()
	}
	if secret == nil {
		return nil, fault.New(code.BadToken, "the token was signed with a secret that is no longer used: refresh it")
	}
	return secret, nil
}

// drop believes no more what a secret has signed.
func (k *signers) drop(id string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	delete(k.all, id)
}

// sweep removes secrets whose tokens have all run out.
func (k *signers) sweep(tx *store.Tx) error {
	return tx.Exec("delete from signing_keys k where exists (select 1 from signing_keys n where n.created_at > "+
		"k.created_at and n.created_at < ?)", k.now().UTC().Add(-2*keyLife)).Error
}
