package api

import (
	"net/url"

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
	return nil, s.Accounts.ChangePassword(c.r.Context(), c.who.Player, in.Old, in.New, addressOf(c.r))
}

func (s *server) deleteMe(c *call) (any, error) {
	err := s.Accounts.Delete(c.r.Context(), c.who.Player)
	if err == nil {
		s.Hall.Removed(c.who.Player)
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
	name, err := url.PathUnescape(c.path("name"))
	if err != nil {
		name = c.path("name")
	}
	return nil, s.Accounts.RevokeKey(c.r.Context(), name)
}
