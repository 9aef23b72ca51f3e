package account

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
	"golang.org/x/text/unicode/norm"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// The parameters of argon2id (RFC 9106): 19 MiB, two passes, one lane.
const (
	argonMemory = 19 * 1024
	argonTime   = 2
	argonLanes  = 1
	argonKey    = 32
	argonSalt   = 16
)

// The limits of a password, in characters.
const (
	minPassword = 10
	maxPassword = 200
)

var loginForm = regexp.MustCompile(`^[a-z0-9][a-z0-9._@+-]{2,63}$`)

func cleanLogin(raw string) (string, error) {
	login := strings.ToLower(norm.NFKC.String(strings.TrimSpace(raw)))
	if !utf8.ValidString(raw) || !loginForm.MatchString(login) {
		return "", fault.New(code.BadName,
			"a login name has 3 to 64 letters, digits and . _ @ + -, and begins with a letter or digit")
	}
	return login, nil
}

// fewestGuesses is how many guesses a password has to stand, as zxcvbn counts them with its lists of the most common
// passwords, words and names.
const fewestGuesses = 1e6

// looked is how many characters of a password are looked at for being common.
const looked = 64

// checkPassword refuses a password that is too short, too long, or guessed soon.
func checkPassword(p, login string) error {
	if n := utf8.RuneCountInString(p); n < minPassword || n > maxPassword || !utf8.ValidString(p) {
		return fault.New(code.WeakPassword, "a password has %d to %d characters", minPassword, maxPassword)
	}
	head := p
	if runes := []rune(p); len(runes) > looked {
		head = string(runes[:looked])
	}
	if zxcvbn.PasswordStrength(head, []string{login, "turnvex"}).Guesses < fewestGuesses {
		return fault.New(code.WeakPassword, "this password is too common: use several words that do not belong "+
			"together")
	}
	return nil
}

// hash returns a password as it is kept: argon2id with a salt of its own, in the usual written form.
func (h *hasher) hash(password string) (string, error) {
	salt := make([]byte, argonSalt)
	rand.Read(salt)
	derived, err := h.derive(password, salt, argonTime, argonMemory)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonLanes,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(derived)), err
}

func (h *hasher) derive(password string, salt []byte, time, memory uint32) ([]byte, error) {
	done, err := h.hashing()
	if err != nil {
		return nil, err
	}
	defer done()
	return argon2.IDKey([]byte(norm.NFKC.String(password)), salt, time, memory, argonLanes, argonKey), nil
}

// verify compares a password with what is kept of one.
func (h *hasher) verify(password, kept string) (bool, error) {
	var version int
	var memory, time uint32
	var lanes uint8
	parts := strings.Split(kept, "$")
	if len(parts) != 6 {
		return false, nil
	}
	if _, err := fmt.Sscanf(parts[2]+" "+parts[3], "v=%d m=%d,t=%d,p=%d", &version, &memory, &time,
		&lanes); err != nil {
		return false, nil
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || memory > 1<<20 || time > 16 {
		return false, nil
	}
	got, err := h.derive(password, salt, time, memory)
	return err == nil && subtle.ConstantTimeCompare(got, want) == 1, err
}

// nobody's hash: compared with where there is no such account, so that the answer takes as long.
var nobodysHash = "$argon2id$v=19$m=19456,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// AddLogin gives a player an account: from now on they can sign in with it from any device, and are the same player.
func (s *Service) AddLogin(ctx context.Context, player, login, password string) error {
	login, err := cleanLogin(login)
	if err != nil {
		return err
	}
	if err := checkPassword(password, login); err != nil {
		return err
	}
	db, taken := s.db.WithContext(ctx), fault.New(code.NameTaken,
		"this login name is taken, or you have an account already")
	var n int64
	err = db.Model(&store.Account{}).Where("login = ? or player_id = ?", login, player).Count(&n).Error
	if err == nil && n > 0 {
		return taken
	}
	if err != nil {
		return err
	}
	hash, err := s.hasher.hash(password)
	if err != nil {
		return err
	}
	now := s.now().UTC()
	row := store.Account{PlayerID: player, Login: login, Password: hash, CreatedAt: now, ChangedAt: now}
	err = db.Create(&row).Error
	if errors.Is(err, store.ErrDuplicate) {
		return taken
	}
	return err
}

// Login signs in with an account. With a device key, that device belongs to the account's player from then on. Tries
// are limited by account and by address; no answer tells whether the account exists.
func (s *Service) Login(ctx context.Context, login, password, device, address string) (*SignedIn, error) {
	p, err := loggedIn(s, ctx, login, password, address)
	if err != nil {
		return nil, err
	}
	if err := s.mayComeIn(p); err != nil {
		return nil, err
	}
	id := ""
	if device != "" {
		if id, err = s.tie(s.db.WithContext(ctx), device, p.ID); err != nil {
			return nil, err
		}
	}
	return s.signIn(ctx, *p, id, false)
}

// loggedIn returns the player of an account.
func loggedIn(s *Service, ctx context.Context, login, password, address string) (*store.Player, error) {
	if login == "" || password == "" {
		return nil, fault.New(code.BadRequest, "signing in to an account takes login and password")
	}
	refused := fault.New(code.WrongLogin, "there is no account with this login name and password")
	clean, err := cleanLogin(login)
	if err != nil {
		clean = "?" + login[:min(len(login), 64)] // no such account, and tried like one
	}
	worked, err := s.try(clean, address)
	if err != nil {
		return nil, err
	}
	var a store.Account
	err = s.db.WithContext(ctx).First(&a, "login = ?", clean).Error
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	kept := a.Password
	if err != nil {
		kept = nobodysHash
	}
	if utf8.RuneCountInString(password) > maxPassword || !utf8.ValidString(password) {
		return nil, refused
	}
	ok, err := s.hasher.verify(password, kept)
	if err != nil {
		worked() // it was not tried
		return nil, err
	}
	if !ok || a.PlayerID == "" {
		return nil, refused
	}
	worked()
	return s.Player(ctx, a.PlayerID)
}

// ChangePassword changes an account's password and signs the player out everywhere. It may remove all devices as well:
// then nothing but the new password leads in.
func (s *Service) ChangePassword(ctx context.Context, player, old, fresh, address string, devices bool) error {
	worked, err := s.try(player, address)
	if err != nil {
		return err
	}
	var a store.Account
	if err := s.db.WithContext(ctx).First(&a, "player_id = ?", player).Error; err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return fault.New(code.WrongLogin, "you have no account yet")
		}
		return err
	}
	ok, err := s.hasher.verify(old, a.Password)
	if err == nil && !ok {
		return fault.New(code.WrongLogin, "this is not your password")
	}
	worked()
	if err != nil {
		return err
	}
	if err := checkPassword(fresh, a.Login); err != nil {
		return err
	}
	hash, err := s.hasher.hash(fresh)
	if err != nil {
		return err
	}
	return s.voiding(ctx, func(tx *store.Tx) error {
		now := s.now().UTC()
		if err := tx.Model(&a).Updates(map[string]any{"password": hash, "changed_at": now}).Error; err != nil {
			return err
		}
		if devices {
			if err := tx.Delete(&store.Device{}, "player_id = ?", player).Error; err != nil {
				return err
			}
		}
		return s.signOutEverywhere(tx, player, now)
	})
}
