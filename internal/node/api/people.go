package api

import (
	"net/url"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
)

// read decodes the request's body into a new T.
func read[T any](c *call) (T, error) {
	var in T
	err := body(c.w, c.r, &in)
	return in, err
}

func (s *server) signInAccount(c *call) (any, error) {
	in, err := read[loginRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.Login(c.r.Context(), in.Login, in.Password, in.Device, addressOf(c.r))
}

func (s *server) refresh(c *call) (any, error) {
	in, err := read[refreshRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.Refresh(c.r.Context(), in.Refresh)
}

func (s *server) signOut(c *call) (any, error) {
	in, err := read[refreshRequest](c)
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.SignOut(c.r.Context(), in.Refresh)
}

func (s *server) signOutEverywhere(c *call) (any, error) {
	return nil, s.Accounts.SignOutEverywhere(c.r.Context(), c.who.Player)
}

func (s *server) addLogin(c *call) (any, error) {
	in, err := read[addLoginRequest](c)
	if err != nil {
		return nil, err
	}
	if _, err := s.Guard.Take(guard.Accounts, c.who.Player); err != nil {
		return nil, err
	}
	return nil, s.Accounts.AddLogin(c.r.Context(), c.who.Player, in.Login, in.Password)
}

func (s *server) changePassword(c *call) (any, error) {
	in, err := read[passwordRequest](c)
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.ChangePassword(c.r.Context(), c.who.Player, in.Old, in.New, addressOf(c.r), in.Devices)
}

func (s *server) deleteMe(c *call) (any, error) {
	err := s.Accounts.Delete(c.r.Context(), c.who.Player)
	if err == nil {
		s.erased(c.who.Player)
	}
	return nil, err
}

func (s *server) listKeys(c *call) (any, error) {
	keys, err := s.Accounts.Keys(c.r.Context())
	return Keys{keys}, err
}

func (s *server) makeKey(c *call) (any, error) {
	in, err := read[makeKeyRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.MakeKey(c.r.Context(), in.Name, in.Scopes)
}

func (s *server) revokeKey(c *call) (any, error) {
	return nil, s.Accounts.RevokeKey(c.r.Context(), c.who, c.named())
}

// named is the name in the path, as it was before it was written there.
func (c *call) named() string {
	name, err := url.PathUnescape(c.path("name"))
	if err != nil {
		return c.path("name")
	}
	return name
}

func (s *server) rotateKey(c *call) (any, error) {
	in, err := read[rotateRequest](c)
	if err != nil {
		return nil, err
	}
	if in.KeepMS < 0 || in.KeepMS > account.MaxOverlap.Milliseconds() {
		return nil, fault.New(code.OutOfRange, "keep_ms is 0 to %d", account.MaxOverlap.Milliseconds())
	}
	return s.Accounts.RotateKey(c.r.Context(), c.who, c.named(), time.Duration(in.KeepMS)*time.Millisecond)
}

func (s *server) listSigning(c *call) (any, error) {
	keys, err := s.Accounts.SigningKeys(c.r.Context())
	return SigningKeys{keys}, err
}

func (s *server) rotateSigning(c *call) (any, error) {
	in, err := read[rotateSigningRequest](c)
	if err != nil {
		return nil, err
	}
	if err := s.Accounts.RotateSigning(c.r.Context(), in.Drop); err != nil {
		return nil, err
	}
	return s.listSigning(c)
}

func (s *server) signInRecovery(c *call) (any, error) {
	in, err := read[recoveryRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.ComeBack(c.r.Context(), in.Code, in.Device, in.Password, addressOf(c.r))
}

func (s *server) listDevices(c *call) (any, error) {
	list, err := s.Accounts.Devices(c.r.Context(), c.who)
	return Devices{list}, err
}

func (s *server) nameDevice(c *call) (any, error) {
	in, err := read[renameRequest](c)
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.NameDevice(c.r.Context(), c.who.Player, c.path("id"), in.Name)
}

func (s *server) removeDevice(c *call) (any, error) {
	return nil, s.Accounts.RemoveDevice(c.r.Context(), c.who.Player, c.path("id"))
}
