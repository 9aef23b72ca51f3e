package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Ban keeps a player out of the service, until a moment or, with none, for good: their tokens are void, and they cannot
// sign in, but to leave. They are told for how long, and what tell says. What is kept of them stays.
func (s *Service) Ban(ctx context.Context, player string, until *time.Time, tell string) error {
	now := s.now().UTC()
	if err := endsLater(until, now); err != nil {
		return err
	}
	return s.voiding(ctx, func(tx *store.Tx) error {
		res := tx.Model(&store.Player{}).Where("id = ?", player).
			Updates(map[string]any{"banned_at": now, "banned_until": until, "banned_why": tell})
		if res.Error == nil && res.RowsAffected == 0 {
			return fault.New(code.NoPlayer, "there is no player %q", player)
		}
		if res.Error != nil {
			return res.Error
		}
		return s.signOutEverywhere(tx, player, now)
	})
}

// endsLater refuses a ban that is over already.
func endsLater(until *time.Time, now time.Time) error {
	if until != nil && !until.After(now) {
		return fault.New(code.OutOfRange, "a ban ends in the future, not at %s", until.Format(time.RFC3339))
	}
	return nil
}

// Unban lets a player in again, or the devices of one who was deleted, and lets them write.
func (s *Service) Unban(ctx context.Context, player string) error {
	db := s.db.WithContext(ctx)
	kept := db.Delete(&store.KeptBan{}, "player_id = ?", player)
	if kept.Error != nil || kept.RowsAffected > 0 {
		return kept.Error
	}
	if _, err := s.Player(ctx, player); err != nil {
		return err
	}
	if err := s.Mutes.lift(ctx, player); err != nil {
		return err
	}
	return db.Model(&store.Player{}).Where("id = ?", player).
		Updates(map[string]any{"banned_at": nil, "banned_until": nil, "banned_why": ""}).Error
}

// mayComeIn refuses a player who is banned.
func (s *Service) mayComeIn(p *store.Player) error {
	if p.BannedAt == nil || p.BannedUntil != nil && !s.now().Before(*p.BannedUntil) {
		return nil
	}
	return fault.New(code.ShutOut, "you are banned from this service %s", banned(p.BannedUntil, p.BannedWhy))
}

// banned says until when, and what else there is to say.
func banned(until *time.Time, tell string) string {
	text := "for good"
	if until != nil {
		text = "until " + until.UTC().Format(time.RFC3339)
	}
	if tell != "" {
		text += ": " + tell
	}
	return text
}

// Recovery is a code with which a player gets back in, once.
type Recovery struct {
	Code    string    `json:"code"`
	Expires time.Time `json:"expires"`
}

// recoveryLife is how long a code is good.
const recoveryLife = 24 * time.Hour

func recoveryHash(text string) []byte {
	hash := sha256.Sum256([]byte("turnvex recovery " + text))
	return hash[:]
}

// Recover makes a code for a player who has lost all devices, or the password: whoever has it is the player, once,
// within a day. One made before is good no more.
func (s *Service) Recover(ctx context.Context, player string) (*Recovery, error) {
	text, expires := rand.Text(), s.now().UTC().Add(recoveryLife)
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).
		Create(&store.Recovery{PlayerID: player, Hash: recoveryHash(text), ExpiresAt: expires}).Error
	return &Recovery{text, expires}, err
}

// ComeBack signs a player in with the code that an operator gave. The device belongs to the player from then on, and is
// the only one; with a password it is the account's from then on; every other sign-in is void. Tries from an address
// are limited.
func (s *Service) ComeBack(ctx context.Context, text, device, password, address string) (*SignedIn, error) {
	if password != "" {
		if err := checkPassword(password, ""); err != nil {
			return nil, err
		}
	}
	worked, err := s.try("", address)
	if err != nil {
		return nil, err
	}
	hash := ""
	if password != "" {
		if hash, err = s.hasher.hash(password); err != nil {
			return nil, err
		}
	}
	var p store.Player
	id, now := "", s.now().UTC()
	err = s.voiding(ctx, func(tx *store.Tx) error {
		var player string
		err := tx.Raw("delete from recoveries where hash = ? and expires_at > ? returning "+
			"player_id", recoveryHash(text),
			now).Scan(&player).Error
		if err == nil && player == "" {
			return fault.New(code.WrongLogin, "this code is not known, or was used, or has run out: ask for "+
				"another one")
		}
		if err != nil {
			return err
		}
		if err := tx.Delete(&store.Device{}, "player_id = ? and key_hash <> "+
			"?", player, deviceHash(device)).Error; err != nil {
			return err
		}
		if id, err = s.tie(tx, device, player); err != nil {
			return err
		}
		if hash != "" {
			res := tx.Model(&store.Account{}).Where("player_id = ?", player).
				Updates(map[string]any{"password": hash, "changed_at": now})
			if res.Error == nil && res.RowsAffected == 0 {
				return fault.New(code.WrongLogin, "you have no account, so leave the password out")
			}
			if res.Error != nil {
				return res.Error
			}
		}
		if err := tx.First(&p, "id = ?", player).Error; err != nil {
			return err
		}
		return s.signOutEverywhere(tx, player, now.Add(-time.Microsecond))
	})
	var f *fault.Fault
	if err == nil || !errors.As(err, &f) || f.Code != code.WrongLogin {
		worked()
	}
	if err != nil {
		return nil, err
	}
	return s.signIn(ctx, p, id, false)
}
