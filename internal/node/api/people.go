package api

import (
	"net/http"
	"net/url"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
)

type deviceRequest struct {
	Device string `json:"device"`
	Name   string `json:"name,omitempty"`
}

type keyRequest struct {
	Key string `json:"key"`
}

type loginRequest struct {
	Login    string `json:"login"`
	Password string `json:"password"`
	Device   string `json:"device,omitempty"` // belongs to the account's player from then on
}

type refreshRequest struct {
	Refresh string `json:"refresh"`
}

type addLoginRequest struct {
	Login    string `json:"login"`
	Password string `json:"password"`
}

type passwordRequest struct {
	Old     string `json:"old"`
	New     string `json:"new"`
	Devices bool   `json:"devices,omitempty"` // remove all devices as well: only the password leads in then
}

type recoveryRequest struct {
	Code     string `json:"code"`
	Device   string `json:"device"`             // belongs to the player from then on
	Password string `json:"password,omitempty"` // of the account from then on
}

type leavingRequest struct {
	Device   string `json:"device,omitempty"`   // or both of:
	Login    string `json:"login,omitempty"`    // the account's name
	Password string `json:"password,omitempty"` // and its password
}

type rotateRequest struct {
	KeepMS int64 `json:"keep_ms,omitempty"` // for how long the old text stays good, at most a week
}

type rotateSigningRequest struct {
	Drop bool `json:"drop,omitempty"` // believe what older secrets have signed no more
}

// SigningKeys are the secrets that sign tokens, without the secrets.
type SigningKeys struct {
	Keys []account.SigningKey `json:"keys"`
}

// Devices are the devices that a player signs in with.
type Devices struct {
	Devices []account.Device `json:"devices"`
}

type banRequest struct {
	Why   string     `json:"why"`             // for the audit trail
	Tell  string     `json:"tell,omitempty"`  // what the player reads, beside for how long
	Until *time.Time `json:"until,omitempty"` // for good if it is not given
	Texts bool       `json:"texts,omitempty"` // they are only muted: what they write is not delivered
}

type makeKeyRequest struct {
	Name   string          `json:"name"`
	Scopes []account.Scope `json:"scopes"`
}

// Keys are the service keys.
type Keys struct {
	Keys []account.ServiceKey `json:"keys"`
}

type renameRequest struct {
	Name string `json:"name"`
}

// Me is the player a token belongs to.
type Me struct {
	Player string `json:"player"`
	Name   string `json:"name"`
}

var peopleRoutes = []route{
	{method: "POST", path: "/v1/sign-in/device", summary: "Sign in with a device key; an unknown one creates a player",
		out: account.SignedIn{}, do: taking((*people).signInDevice)},
	{method: "POST", path: "/v1/sign-in/key", summary: "Sign in with a service key",
		out: account.SignedIn{}, do: taking((*people).signInKey)},
	{method: "POST", path: "/v1/sign-in/account",
		summary: "Sign in with a login name and a password; a device key in the request then belongs to the player",
		out:     account.SignedIn{}, do: taking((*people).signInAccount)},
	{method: "POST", path: "/v1/sign-in/refresh",
		summary: "A new pair of tokens for a refresh token, which can be used once",
		out:     account.SignedIn{}, do: taking((*people).refresh)},
	{
		method: "POST",
		path:   "/v1/sign-in/recovery",
		summary: "Sign in once with a code from an operator: the device becomes the player's only one, a " +
			"password in the request becomes the account's, and every other sign-in is void",
		out: account.SignedIn{},
		do:  taking((*people).signInRecovery),
	},
	{method: "POST", path: "/v1/sign-in/leaving",
		summary: "Sign in with a device key or a login name and a password, banned or not, for nothing but an export " +
			"of one's data and its deletion",
		out: account.SignedIn{}, do: taking((*people).signInLeaving)},
	{method: "POST", path: "/v1/sign-out", summary: "Void the tokens of one sign-in",
		do: taking((*people).signOut)},
	{method: "POST", path: "/v1/me/sign-out", access: signedIn,
		summary: "Void all of the player's tokens, on every device", do: by((*people).signOutEverywhere)},
	{method: "POST", path: "/v1/me/pass", access: signedIn,
		summary: "A pass, with which another player may take this one along in quick join within two minutes",
		out:     account.Pass{}, do: by((*people).makePass)},
	{method: "POST", path: "/v1/me/account", access: signedIn, summary: "Give the player a login name and a password",
		do: taking((*people).addLogin)},
	{method: "PATCH", path: "/v1/me/account", access: signedIn,
		summary: "Change the password; all tokens become void, and devices must sign in again",
		do:      taking((*people).changePassword)},
	{method: "DELETE", path: "/v1/me", access: leaving,
		summary: "Delete the player and all of their data; a ban stays with the devices that they had",
		do:      by((*people).deleteMe)},
	{method: "GET", path: "/v1/me/devices", access: signedIn,
		summary: "The player's devices, the most recently used first", out: Devices{}, do: by((*people).listDevices)},
	{method: "PATCH", path: "/v1/me/devices/{id}", access: signedIn, summary: "Give a device a name",
		do: taking((*people).nameDevice)},
	{method: "DELETE", path: "/v1/me/devices/{id}", access: signedIn,
		summary: "Remove a device and its tokens; the only way to sign in as the player cannot be removed",
		do:      by((*people).removeDevice)},
	{method: "GET", path: "/v1/keys", access: operator, summary: "The service keys", out: Keys{},
		do: by((*people).listKeys)},
	{method: "POST", path: "/v1/keys", access: operator, summary: "Create a service key; its text is shown only once",
		out: account.ServiceKey{}, status: http.StatusCreated, do: taking((*people).makeKey)},
	{
		method: "DELETE",
		path:   "/v1/keys/{name}",
		access: operator,
		summary: "Revoke a service key and all of its tokens. An operator's key is revoked with itself, unless " +
			"it is the last one, or with the key from the environment",
		do: by((*people).revokeKey),
	},
	{
		method: "POST",
		path:   "/v1/keys/{name}/rotate",
		access: operator,
		summary: "Give a service key a new text, shown only once; whoever may revoke it may do so. Its tokens " +
			"become void unless the old text stays valid for a while",
		out: account.ServiceKey{},
		do:  taking((*people).rotateKey),
	},
	{method: "GET", path: "/v1/signing-keys", access: operator,
		summary: "The secrets that sign tokens, by ID; the newest, which is in use, first", out: SigningKeys{},
		do: by((*people).listSigning)},
	{
		method: "POST",
		path:   "/v1/signing-keys",
		access: operator,
		summary: "Sign tokens with a new secret; existing tokens stay valid until they expire, unless the older " +
			"secrets are dropped. Nobody has to sign in again",
		out: SigningKeys{},
		do:  taking((*people).rotateSigning),
	},
	{method: "GET", path: "/v1/me", access: signedIn, summary: "The owner of the token", out: Me{},
		do: by((*people).me)},
	{method: "PATCH", path: "/v1/me", access: signedIn, summary: "Change the player's name", out: Me{},
		do: taking((*people).rename)},
}

// read decodes the request's body into a new T.
func read[T any](c *call) (T, error) {
	var in T
	err := body(c.w, c.r, &in)
	return in, err
}

func (s *people) signInAccount(c *call, in loginRequest) (any, error) {
	return s.Accounts.Login(c.r.Context(), in.Login, in.Password, in.Device, addressOf(c.r))
}

func (s *people) refresh(c *call, in refreshRequest) (any, error) {
	return s.Accounts.Refresh(c.r.Context(), in.Refresh)
}

func (s *people) signOut(c *call, in refreshRequest) (any, error) {
	return nil, s.Accounts.SignOut(c.r.Context(), in.Refresh)
}

func (s *people) signOutEverywhere(c *call) (any, error) {
	return nil, s.Accounts.SignOutEverywhere(c.r.Context(), c.who.Player)
}

func (s *people) addLogin(c *call, in addLoginRequest) (any, error) {
	if _, err := s.Guard.Take(guard.Accounts, c.who.Player); err != nil {
		return nil, err
	}
	return nil, s.Accounts.AddLogin(c.r.Context(), c.who.Player, in.Login, in.Password)
}

func (s *people) changePassword(c *call, in passwordRequest) (any, error) {
	return nil, s.Accounts.ChangePassword(c.r.Context(), c.who.Player, in.Old, in.New, addressOf(c.r), in.Devices)
}

func (s *people) makePass(c *call) (any, error) { return s.Accounts.Pass(c.who) }

func (s *people) deleteMe(c *call) (any, error) {
	err := s.Accounts.Delete(c.r.Context(), c.who.Player)
	if err == nil {
		s.erased(c.who.Player)
	}
	return nil, err
}

func (s *people) listKeys(c *call) (any, error) {
	keys, err := s.Accounts.Keys(c.r.Context())
	return Keys{keys}, err
}

func (s *people) makeKey(c *call, in makeKeyRequest) (any, error) {
	return s.Accounts.MakeKey(c.r.Context(), in.Name, in.Scopes)
}

func (s *people) revokeKey(c *call) (any, error) {
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

func (s *people) rotateKey(c *call, in rotateRequest) (any, error) {
	if in.KeepMS < 0 || in.KeepMS > account.MaxOverlap.Milliseconds() {
		return nil, fault.New(code.OutOfRange, "keep_ms is 0 to %d", account.MaxOverlap.Milliseconds())
	}
	return s.Accounts.RotateKey(c.r.Context(), c.who, c.named(), time.Duration(in.KeepMS)*time.Millisecond)
}

func (s *people) listSigning(c *call) (any, error) {
	keys, err := s.Accounts.SigningKeys(c.r.Context())
	return SigningKeys{keys}, err
}

func (s *people) rotateSigning(c *call, in rotateSigningRequest) (any, error) {
	if err := s.Accounts.RotateSigning(c.r.Context(), in.Drop); err != nil {
		return nil, err
	}
	return s.listSigning(c)
}

func (s *people) signInRecovery(c *call, in recoveryRequest) (any, error) {
	return s.Accounts.ComeBack(c.r.Context(), in.Code, in.Device, in.Password, addressOf(c.r))
}

func (s *people) signInLeaving(c *call, in leavingRequest) (any, error) {
	return s.Accounts.Leaving(c.r.Context(), in.Device, in.Login, in.Password, addressOf(c.r))
}

func (s *people) listDevices(c *call) (any, error) {
	list, err := s.Accounts.Devices(c.r.Context(), c.who)
	return Devices{list}, err
}

func (s *people) nameDevice(c *call, in renameRequest) (any, error) {
	return nil, s.Accounts.NameDevice(c.r.Context(), c.who.Player, c.path("id"), in.Name)
}

func (s *people) removeDevice(c *call) (any, error) {
	return nil, s.Accounts.RemoveDevice(c.r.Context(), c.who.Player, c.path("id"))
}

func (s *people) signInDevice(c *call, in deviceRequest) (any, error) {
	return s.Accounts.Device(c.r.Context(), in.Device, in.Name, addressOf(c.r))
}

func (s *people) signInKey(c *call, in keyRequest) (any, error) {
	return s.Accounts.Key(c.r.Context(), in.Key, addressOf(c.r))
}

func (s *people) me(c *call) (any, error) {
	return Me{c.who.Player, c.who.Name}, nil
}

func (s *people) rename(c *call, in renameRequest) (any, error) {
	if _, err := s.Guard.Take(guard.Renames, c.who.Player); err != nil {
		return nil, err
	}
	name, err := s.Accounts.Rename(c.r.Context(), c.who.Player, in.Name)
	if err != nil {
		return nil, err
	}
	s.Hall.Renamed(c.who.Player, name)
	s.Boards.Renamed(c.who.Player, name)
	return Me{c.who.Player, name}, nil
}
