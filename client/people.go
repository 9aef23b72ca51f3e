package client

import (
	"context"
	"net/http"
	"net/url"
	"sync"
	"time"
)

// Signed is what a sign-in gives.
type Signed struct {
	Player  string    `json:"player"`  // none for a service key
	Name    string    `json:"name"`    // the player's display name
	Token   string    `json:"token"`   // for Options and Service
	Expires time.Time `json:"expires"` // when the token runs out
	Refresh string    `json:"refresh"` // for the next token; it can be used once
	New     bool      `json:"new"`     // the account was made by this sign-in
}

func signIn(ctx context.Context, address, way string, in any) (*Signed, error) {
	var out Signed
	return &out, Service{Address: address}.Call(ctx, http.MethodPost, "/v1/sign-in/"+way, in, &out)
}

// SignIn signs in with a device key: 24 to 128 printable characters that the client makes at random once and keeps. An
// unknown key makes a new player. With an empty name a new player gets one that is made up, and an old one keeps
// theirs.
func SignIn(ctx context.Context, address, deviceKey, name string) (*Signed, error) {
	in := map[string]string{"device": deviceKey}
	if name != "" {
		in["name"] = name
	}
	return signIn(ctx, address, "device", in)
}

// SignInAccount signs in with a login name and a password. A device key that is given belongs to the account's player
// from then on: it signs in the same player. A wrong login and a wrong password are refused alike.
func SignInAccount(ctx context.Context, address, login, password, deviceKey string) (*Signed, error) {
	in := map[string]string{"login": login, "password": password}
	if deviceKey != "" {
		in["device"] = deviceKey
	}
	return signIn(ctx, address, "account", in)
}

// SignInKey signs in with a service key.
func SignInKey(ctx context.Context, address, key string) (*Signed, error) {
	return signIn(ctx, address, "key", map[string]string{"key": key})
}

// Refresh gives a new token for a refresh token. Each can be used once; one that is used again voids everything that
// follows from the same sign-in.
func Refresh(ctx context.Context, address, refresh string) (*Signed, error) {
	return signIn(ctx, address, "refresh", map[string]string{"refresh": refresh})
}

// Tokens keeps a sign-in fresh. Its methods may be called from any goroutine.
type Tokens struct {
	address string
	mu      sync.Mutex
	in      Signed // guarded by mu
}

// KeepFresh returns a source of tokens that renews the sign-in before it runs out. Its Token is meant for
// Options.Tokens.
func KeepFresh(address string, in *Signed) *Tokens { return &Tokens{address: address, in: *in} }

// Token returns a token that is good for a minute at least.
func (t *Tokens) Token(ctx context.Context) (string, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.in.Refresh != "" && time.Until(t.in.Expires) < time.Minute {
		in, err := Refresh(ctx, t.address, t.in.Refresh)
		if err != nil {
			return "", err
		}
		t.in = *in
	}
	return t.in.Token, nil
}

// SignOut voids the tokens that follow from one sign-in.
func (s Service) SignOut(ctx context.Context, refresh string) error {
	return s.Call(ctx, http.MethodPost, "/v1/sign-out", map[string]string{"refresh": refresh}, nil)
}

// SignOutEverywhere voids all tokens of the player.
func (s Service) SignOutEverywhere(ctx context.Context) error {
	return s.Call(ctx, http.MethodPost, "/v1/me/sign-out", nil, nil)
}

// MakeAccount gives the player a login name and a password, with which they can sign in from any device.
func (s Service) MakeAccount(ctx context.Context, login, password string) error {
	return s.Call(ctx, http.MethodPost, "/v1/me/account", map[string]string{"login": login, "password": password}, nil)
}

// ChangePassword changes the account's password; all tokens are void afterwards.
func (s Service) ChangePassword(ctx context.Context, old, new string) error {
	return s.Call(ctx, http.MethodPatch, "/v1/me/account", map[string]string{"old": old, "new": new}, nil)
}

// ChangePasswordAndDevices is ChangePassword that removes all devices of the player as well: nothing but the new
// password leads in afterwards.
func (s Service) ChangePasswordAndDevices(ctx context.Context, old, new string) error {
	in := map[string]any{"old": old, "new": new, "devices": true}
	return s.Call(ctx, http.MethodPatch, "/v1/me/account", in, nil)
}

// DeleteMe deletes the player with everything that is kept of them.
func (s Service) DeleteMe(ctx context.Context) error {
	return s.Call(ctx, http.MethodDelete, "/v1/me", nil, nil)
}

// ServiceKey is a key with which a program signs in. Key is set only when it is made.
type ServiceKey struct {
	Name    string     `json:"name"`              // what the operator calls it
	Scopes  []string   `json:"scopes"`            // operator, referee, read
	Created time.Time  `json:"created"`           // when it was made
	Used    *time.Time `json:"used,omitempty"`    // when it was used last; nil for never
	Revoked *time.Time `json:"revoked,omitempty"` // when it was taken back; nil if it was not
	Key     string     `json:"key,omitempty"`     // the key itself, when it is made
}

// Keys lists the service keys. Operators only.
func (s Service) Keys(ctx context.Context) ([]ServiceKey, error) {
	var out struct{ Keys []ServiceKey }
	return out.Keys, s.Call(ctx, http.MethodGet, "/v1/keys", nil, &out)
}

// MakeKey makes a service key. Operators only.
func (s Service) MakeKey(ctx context.Context, name string, scopes ...string) (*ServiceKey, error) {
	var out ServiceKey
	return &out, s.Call(ctx, http.MethodPost, "/v1/keys", map[string]any{"name": name, "scopes": scopes}, &out)
}

// RevokeKey revokes a service key and every token had for it. Operators only.
func (s Service) RevokeKey(ctx context.Context, name string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/keys/"+url.PathEscape(name), nil, nil)
}
