package account

import (
	"context"
	"errors"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Leaving signs in, with a device or an account, somebody who wants nothing but what is kept of them, or to have it
// removed, and may be banned. The token is good for that alone. Tries from an address are limited.
func (s *Service) Leaving(ctx context.Context, device, login, password, address string) (*SignedIn, error) {
	p, err := leaver(s, ctx, device, login, password, address)
	if err != nil {
		return nil, err
	}
	token, expires, err := issueAs(s, ofLeaving, p.ID, "", "", TokenLife)
	return &SignedIn{Player: p.ID, Name: p.Name, Token: token, Expires: expires}, err
}

func leaver(s *Service, ctx context.Context, device, login, password, address string) (*store.Player, error) {
	if device == "" && (login == "" || password == "") {
		return nil, fault.New(code.BadRequest, "leaving takes device, or login and password")
	}
	if device == "" {
		return loggedIn(s, ctx, login, password, address)
	}
	worked, err := s.try("", address)
	if err != nil {
		return nil, err
	}
	var p store.Player
	err = s.db.WithContext(ctx).Joins("join devices on devices.player_id = players.id and devices.key_hash = ?",
		deviceHash(device)).First(&p).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.BadDevice, "no player signs in with this device key")
	}
	worked()
	return &p, err
}

// CheckLeaving is Check for what somebody may do who is leaving.
func (s *Service) CheckLeaving(ctx context.Context, token string) (*Who, error) {
	w, err := s.Check(ctx, token)
	if fault.CodeOf(err) == code.BadToken {
		if out, e := check(s, ctx, token, ofLeaving); e == nil {
			return out, nil
		}
	}
	return w, err
}

// keepBan keeps the ban of a player who is about to be deleted, for the devices that they have: none of them makes
// another player while it lasts.
func keepBan(s *Service, tx *store.Tx, player string) error {
	return tx.Exec(`insert into kept_bans (key_hash, player_id, until, why)
		select d.key_hash, p.id, p.banned_until, p.banned_why from devices d join players p on p.id = d.player_id
		where p.id = ? and p.banned_at is not null and (p.banned_until is null or p.banned_until > ?)
		on conflict (key_hash) do update set player_id = excluded.player_id, until = excluded.until,
			why = excluded.why`, player, s.now().UTC()).Error
}

// shutOut refuses a device of somebody who was banned and deleted.
func shutOut(s *Service, db *store.Tx, hash []byte) error {
	var kept store.KeptBan
	err := db.First(&kept, "key_hash = ?", hash).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	began := s.now()
	return s.mayComeIn(&store.Player{BannedAt: &began, BannedUntil: kept.Until, BannedWhy: kept.Why})
}
