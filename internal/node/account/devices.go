package account

import (
	"context"
	"crypto/sha256"
	"errors"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
)

// Device is a device that a player signs in with, as lists show it.
type Device struct {
	ID   string    `json:"id"`
	Name string    `json:"name"`
	Made time.Time `json:"made"`
	Seen time.Time `json:"seen"` // when it signed in last
	This bool      `json:"this"` // the caller's own
}

// MaxDevices is with how many devices a player may sign in.
const MaxDevices = 50

// Device signs in with a device key of 24 to 128 printable characters, which the client makes at random and keeps. An
// unknown key makes a new player, with the given name or a made-up one; for a known one a name that is given is taken
// as a rename. New players from an address are limited.
func (s *Service) Device(ctx context.Context, key, name, address string) (*SignedIn, error) {
	if err := checkDeviceKey(key); err != nil {
		return nil, err
	}
	if name != "" {
		var err error
		if name, err = CleanName(name); err != nil {
			return nil, err
		}
	}
	p, device, fresh, err := s.playerOf(ctx, deviceHash(key), name, address)
	if err != nil {
		return nil, err
	}
	return s.signIn(ctx, p, device, fresh)
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
		return fault.New(code.BadDevice,
			"a device key has 24 to 128 printable ASCII characters without spaces; make it at random and keep it")
	}
	return nil
}

// playerOf finds or makes the player of a device. Two first sign-ins of one device at the same moment make one player.
func (s *Service) playerOf(ctx context.Context, hash []byte,
	name, address string) (p store.Player, device string, fresh bool, err error) {
	db, now := s.db.WithContext(ctx), s.now().UTC()
	for range 2 {
		p, device = store.Player{}, "" // a number in it would be looked for as well
		err = db.Raw("update devices set seen_at = ? where key_hash = ? returning id", now, hash).Scan(&device).Error
		if err == nil && device != "" {
			err = db.Joins("join devices on devices.player_id = players.id and devices.id = ?", device).First(&p).Error
			if err == nil {
				p.SeenAt = now
				if name != "" {
					p.Name = name
				}
				return p, device, false, db.Model(&p).Updates(map[string]any{"seen_at": now, "name": p.Name}).Error
			}
		}
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return p, "", false, err
		}
		if err := shutOut(s, db, hash); err != nil {
			return p, "", false, err
		}
		if _, err := s.guard.Take(guard.Players, address); err != nil {
			return p, "", false, err
		}
		p = store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: now, SeenAt: now}
		if name == "" {
			p.Name = MakeUpName()
		}
		row := store.Device{KeyHash: hash, PlayerID: p.ID, CreatedAt: now, SeenAt: now, ID: uuid.NewString()}
		err = s.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
			if err := tx.Create(&p).Error; err != nil {
				return err
			}
			return tx.Create(&row).Error
		})
		if err == nil {
			return p, row.ID, true, nil
		}
		if !errors.Is(err, store.ErrDuplicate) { // otherwise the other sign-in was first: find its player
			return p, "", false, err
		}
	}
	return p, "", false, err
}

// tie makes a device belong to a player, and returns its ID.
func (s *Service) tie(tx *store.Tx, key, player string) (id string, err error) {
	if err := checkDeviceKey(key); err != nil {
		return "", err
	}
	hash, now := deviceHash(key), s.now().UTC()
	if err := shutOut(s, tx, hash); err != nil {
		return "", err
	}
	var n int64
	err = tx.Model(&store.Device{}).Where("player_id = ? and key_hash <> ?", player, hash).Count(&n).Error
	if err != nil {
		return "", err
	}
	if n >= MaxDevices {
		return "", fault.New(code.TooManyDevices, "you already have %d devices; remove one first", MaxDevices)
	}
	row := store.Device{KeyHash: hash, PlayerID: player, CreatedAt: now, SeenAt: now, ID: uuid.NewString()}
	err = tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "key_hash"}},
		DoUpdates: clause.Assignments(map[string]any{"player_id": player, "seen_at": now})}).
		Create(&row).Error
	if err == nil {
		err = tx.Raw("select id from devices where key_hash = ?", hash).Scan(&id).Error
	}
	return id, err
}

// Devices lists the devices that a player signs in with, the one seen last first. For who is not signed in themselves
// none is theirs at the moment.
func (s *Service) Devices(ctx context.Context, who *Who) ([]Device, error) {
	out := []Device{}
	return out, s.db.WithContext(ctx).Raw(`select id, name, created_at as made, seen_at as seen, exists (
			select 1 from refresh_tokens t where t.device_id = d.id and t.family = nullif(?, '')::uuid) as this
		from devices d where player_id = ? order by seen_at desc, id`, who.line, who.Player).Scan(&out).Error
}

// NameDevice gives a device of a player a name, by which it is told from the others.
func (s *Service) NameDevice(ctx context.Context, player, id, name string) error {
	name, err := CleanName(name)
	if err != nil {
		return err
	}
	if !store.IsID(id) {
		return noDevice(id)
	}
	res := s.db.WithContext(ctx).Model(&store.Device{}).Where("player_id = ? and id = ?", player, id).
		Update("name", name)
	if res.Error == nil && res.RowsAffected == 0 {
		return noDevice(id)
	}
	return res.Error
}

func noDevice(id string) error {
	return fault.New(code.NoDevice, "you have no device %.40q; the list of your devices has their IDs", id)
}

// RemoveDevice makes a device a player's no more, and voids the tokens of its sign-ins. The only one of a player who
// has no account stays: nothing else leads back to the player.
func (s *Service) RemoveDevice(ctx context.Context, player, id string) error {
	if !store.IsID(id) {
		return noDevice(id)
	}
	return s.voiding(ctx, func(tx *store.Tx) error {
		var ways int64
		err := tx.Raw("select (select count(*) from devices where player_id = @p) + "+
			"(select count(*) from accounts where player_id = @p) from players where id = @p for update",
			map[string]any{"p": player}).Scan(&ways).Error
		if err != nil {
			return err
		}
		var line string // before the device, with which the row goes
		err = tx.Raw("delete from refresh_tokens where player_id = ? and device_id = ? returning family", player, id).
			Scan(&line).Error
		if err != nil {
			return err
		}
		res := tx.Where("player_id = ? and id = ?", player, id).Delete(&store.Device{})
		switch {
		case res.Error != nil:
			return res.Error
		case res.RowsAffected == 0:
			return noDevice(id)
		case ways == 1:
			return fault.New(code.LastWay, "this device is your only way to sign in: make an account first")
		}
		if line == "" {
			return nil
		}
		return s.void(tx, ofLine(line))
	})
}
