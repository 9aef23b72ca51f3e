package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Device is a device that the player signs in with.
type Device struct {
	ID   string    `json:"id"`   // tells it from the others; it is not its key
	Name string    `json:"name"` // as the player calls it, if they do
	Made time.Time `json:"made"` // when it signed in first
	Seen time.Time `json:"seen"` // when it signed in last
	This bool      `json:"this"` // the one that the token came from
}

// Devices lists the devices that the player signs in with, the one seen last first.
func (s Service) Devices(ctx context.Context) ([]Device, error) {
	var out struct{ Devices []Device }
	return out.Devices, s.Call(ctx, http.MethodGet, "/v1/me/devices", nil, &out)
}

// DevicesOf lists the devices that a player signs in with, the one seen last first, for operators.
func (s Service) DevicesOf(ctx context.Context, player string) ([]Device, error) {
	var out struct{ Devices []Device }
	return out.Devices, s.Call(ctx, http.MethodGet, "/v1/players/"+url.PathEscape(player)+"/devices", nil, &out)
}

// RemoveDeviceOf removes a device of a player, with the tokens of its sign-ins, for operators. The only way back to a
// player stays.
func (s Service) RemoveDeviceOf(ctx context.Context, player, id string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/players/"+url.PathEscape(player)+"/devices/"+url.PathEscape(id), nil,
		nil)
}

// NameDevice gives a device of the player a name.
func (s Service) NameDevice(ctx context.Context, id, name string) error {
	return s.Call(ctx, http.MethodPatch, "/v1/me/devices/"+url.PathEscape(id), map[string]string{"name": name}, nil)
}

// RemoveDevice removes a device of the player, with the tokens of its sign-ins. The only way back to a player is not
// removed.
func (s Service) RemoveDevice(ctx context.Context, id string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/me/devices/"+url.PathEscape(id), nil, nil)
}

// RotateKey gives a service key another text, which is in the answer only. The old one stays good for the given time, a
// week at most; with none its tokens are void at once. Operators only.
func (s Service) RotateKey(ctx context.Context, name string, keep time.Duration) (*ServiceKey, error) {
	var out ServiceKey
	return &out, s.Call(ctx, http.MethodPost, "/v1/keys/"+url.PathEscape(name)+"/rotate",
		map[string]int64{"keep_ms": keep.Milliseconds()}, &out)
}

// RotateSigning makes the service sign tokens with a new secret. With drop, tokens of before are good no more, and have
// to be refreshed. Operators only.
func (s Service) RotateSigning(ctx context.Context, drop bool) error {
	return s.Call(ctx, http.MethodPost, "/v1/signing-keys", map[string]bool{"drop": drop}, nil)
}

// Ban is what a player is kept from, and until when.
type Ban struct {
	Until time.Time `json:"until,omitzero"`  // for good if it is zero
	Texts bool      `json:"texts,omitempty"` // they are only muted: they may play on, and what they write is not delivered
	Tell  string    `json:"tell,omitempty"`  // what they read beside until when, at most 200 characters
	Why   string    `json:"why"`             // for the audit trail alone
}

// BanPlayer keeps a player out of the service, or mutes them. Operators only.
func (s Service) BanPlayer(ctx context.Context, player string, b Ban) error {
	return s.Call(ctx, http.MethodPut, "/v1/players/"+url.PathEscape(player)+"/ban", b, nil)
}

// UnbanPlayer lifts every ban of a player. Operators only.
func (s Service) UnbanPlayer(ctx context.Context, player, why string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/players/"+url.PathEscape(player)+"/ban?why="+url.QueryEscape(why),
		nil, nil)
}

// Recovery is a code with which a player comes back, once.
type Recovery struct {
	Code    string    `json:"code"`    // for SignInRecovery
	Expires time.Time `json:"expires"` // when it runs out
}

// RecoverPlayer makes a code with which a player who has lost all devices or the password comes back. Operators only.
func (s Service) RecoverPlayer(ctx context.Context, player, why string) (*Recovery, error) {
	var out Recovery
	return &out, s.Call(ctx, http.MethodPost,
		"/v1/players/"+url.PathEscape(player)+"/recovery?why="+url.QueryEscape(why), nil, &out)
}

// SignInRecovery signs in with the code that an operator gave. The device key is the player's only one from then on; a
// password, if it is given, is that of the account.
func SignInRecovery(ctx context.Context, address, code, deviceKey, password string) (*Signed, error) {
	in := map[string]string{"code": code, "device": deviceKey}
	if password != "" {
		in["password"] = password
	}
	return signIn(ctx, address, "recovery", in)
}

// SignInLeaving signs in a player who may be banned, with a device key. The token is good for nothing but an export of
// their data and its deletion.
func SignInLeaving(ctx context.Context, address, deviceKey string) (*Signed, error) {
	return signIn(ctx, address, "leaving", map[string]string{"device": deviceKey})
}

// AuditLine is a line of the audit trail.
type AuditLine struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Who     string    `json:"who"`     // the name of the service key
	What    string    `json:"what"`    // such as DELETE /v1/players/{id}
	Subject string    `json:"subject"` // to what or whom it was done
	Details string    `json:"details"` // what was asked for, without what is secret
	Why     string    `json:"why"`     // the reason that was given
	Address string    `json:"address"` // from where
	Outcome string    `json:"outcome"` // ok, or the code of the refusal; empty if nobody knows
}

// AuditQuery says which lines of the audit trail are wanted; what is empty is not looked at.
type AuditQuery struct {
	Who, What, Subject string
	Since, Before      time.Time
	Limit              int    // 1 to 100; 20 if 0
	Cursor             string // of the page before
}

// Audit reads a page of the audit trail, newest first, and the cursor of the next. Operators only.
func (s Service) Audit(ctx context.Context, q AuditQuery) ([]AuditLine, string, error) {
	v := url.Values{}
	for name, text := range map[string]string{"who": q.Who, "what": q.What, "subject": q.Subject, "cursor": q.Cursor} {
		if text != "" {
			v.Set(name, text)
		}
	}
	for name, at := range map[string]time.Time{"since": q.Since, "before": q.Before} {
		if !at.IsZero() {
			v.Set(name, at.UTC().Format(time.RFC3339))
		}
	}
	if q.Limit != 0 {
		v.Set("limit", strconv.Itoa(q.Limit))
	}
	var out struct {
		Lines []AuditLine
		Next  string
	}
	err := s.Call(ctx, http.MethodGet, "/v1/audit?"+v.Encode(), nil, &out)
	return out.Lines, out.Next, err
}

// MyLobbies returns the lobbies in which the player has a seat, or stands in line for one.
func (s Service) MyLobbies(ctx context.Context) ([]FoundLobby, error) {
	var out struct{ Lobbies []FoundLobby }
	return out.Lobbies, s.Call(ctx, http.MethodGet, "/v1/me/lobbies", nil, &out)
}

// LobbiesOf is MyLobbies of any player. Service keys only.
func (s Service) LobbiesOf(ctx context.Context, player string) ([]FoundLobby, error) {
	var out struct{ Lobbies []FoundLobby }
	return out.Lobbies, s.Call(ctx, http.MethodGet, "/v1/players/"+url.PathEscape(player)+"/lobbies", nil, &out)
}

// Playback says which part of what happened in a lobby is wanted.
type Playback struct {
	From, To int64  // ticks; To 0: to the end
	As       uint32 // only what this seat sees; everything if 0
}

// Playback writes what happened in a lobby, open or ended lately, as JSON Lines: a playback, a snapshot, and then the
// deltas and notices that a live connection with this view would have been sent. The last line is an end: with more,
// the rest is asked for from its tick on. Service keys only.
func (s Service) Playback(ctx context.Context, lobby string, p Playback, into io.Writer) error {
	q := url.Values{"from": {strconv.FormatInt(p.From, 10)}}
	if p.To > 0 {
		q.Set("to", strconv.FormatInt(p.To, 10))
	}
	if p.As > 0 {
		q.Set("as", strconv.FormatUint(uint64(p.As), 10))
	}
	return s.Read(ctx, "/v1/journals/"+url.PathEscape(lobby)+"/view?"+q.Encode(), into)
}

// Incomplete is the error of a journal that was written as far as it is kept: the database was away for so long that
// there was no room for what followed.
type Incomplete struct {
	Missing string // the ticks that are not kept, as FROM-TO
}

func (e *Incomplete) Error() string {
	return fmt.Sprintf("the journal is written up to a gap: the ticks %s are not kept; playing back (-view) goes on "+
		"behind them", e.Missing)
}

// Journal writes the journal of a lobby, open or ended lately, by its join code or ID. Where a piece is missing it ends
// there, and the error is an *Incomplete. Service keys only.
func (s Service) Journal(ctx context.Context, lobby string, into io.Writer) error {
	header, err := s.read(ctx, "/v1/journals/"+url.PathEscape(lobby), into)
	if err != nil {
		return err
	}
	if missing := header.Get("Turnvex-Missing"); missing != "" {
		return &Incomplete{missing}
	}
	return nil
}
