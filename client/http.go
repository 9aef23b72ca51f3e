package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Refusal is an error with which the service refused something. Code is stable
// (docs/errors.md lists them); Reason is for people.
type Refusal struct {
	Code     string          `json:"code"`
	Reason   string          `json:"detail"`
	Status   int             `json:"status"`
	Findings json.RawMessage `json:"findings,omitempty"`
}

func (r *Refusal) Error() string { return fmt.Sprintf("%s (%s)", r.Reason, r.Code) }

// CodeOf returns the code of an error that is or wraps a Refusal, or "".
func CodeOf(err error) string {
	var r *Refusal
	if errors.As(err, &r) {
		return r.Code
	}
	return ""
}

// Signed is what a sign-in gives.
type Signed struct {
	Player  string    `json:"player"`
	Name    string    `json:"name"`
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
	New     bool      `json:"new"`
}

// SignIn signs in with a device key: 24 to 128 printable characters that the
// client makes at random once and keeps. An unknown key makes a new player. With
// an empty name a new player gets one that is made up, and an old one keeps theirs.
func SignIn(ctx context.Context, address, deviceKey, name string) (*Signed, error) {
	var out Signed
	in := map[string]string{"device": deviceKey}
	if name != "" {
		in["name"] = name
	}
	return &out, Service{Address: address}.Call(ctx, http.MethodPost, "/v1/sign-in/device", in, &out)
}

// SignInKey signs in with an operator's key.
func SignInKey(ctx context.Context, address, key string) (*Signed, error) {
	var out Signed
	return &out, Service{Address: address}.Call(ctx, http.MethodPost, "/v1/sign-in/key", map[string]string{"key": key}, &out)
}

// Service is a service reached over HTTP. The zero Token reads what is public.
type Service struct {
	Address string // such as http://127.0.0.1:7420
	Token   string
	HTTP    *http.Client // nil for http.DefaultClient
}

// maxAnswer is the most bytes of an answer that are read.
const maxAnswer = 8 << 20

// Call sends a request with a JSON body (nil for none; a []byte is sent as it
// is) and decodes the answer into out (nil to drop it). A refusal is returned as
// *Refusal.
func (s Service) Call(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if raw, ok := in.([]byte); ok {
		body = bytes.NewReader(raw)
	} else if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, s.Address+path, body)
	if err != nil {
		return fmt.Errorf("the address %q: %w", s.Address, err)
	}
	if _, raw := in.([]byte); in != nil && !raw {
		req.Header.Set("Content-Type", "application/json")
	}
	if s.Token != "" {
		req.Header.Set("Authorization", "Bearer "+s.Token)
	}
	h := s.HTTP
	if h == nil {
		h = http.DefaultClient
	}
	res, err := h.Do(req)
	if err != nil {
		return fmt.Errorf("the service at %s does not answer: %w", s.Address, err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	if err != nil {
		return fmt.Errorf("read the answer of %s: %w", path, err)
	}
	if res.StatusCode >= 400 {
		r := &Refusal{Status: res.StatusCode}
		if json.Unmarshal(data, r) != nil || r.Code == "" {
			r.Code, r.Reason = "http-"+strconv.Itoa(res.StatusCode), "the service answered "+res.Status
		}
		return r
	}
	if out == nil || res.StatusCode == http.StatusNoContent {
		return nil
	}
	return json.Unmarshal(data, out)
}

// Lobby is a lobby as lists show it.
type Lobby struct {
	Code     string    `json:"code"`
	Rulebook string    `json:"rulebook"`
	Version  string    `json:"version"`
	Title    string    `json:"title"`
	Region   string    `json:"region"`
	State    string    `json:"state"`
	Seats    int       `json:"seats"`
	Capacity int       `json:"capacity"`
	Practice bool      `json:"practice"`
	Open     bool      `json:"open"`
	Opened   time.Time `json:"opened"`
}

// Opening is how a lobby is asked for. Only Rulebook must be given.
type Opening struct {
	Rulebook string         `json:"rulebook"`
	Title    string         `json:"title,omitempty"`
	Capacity int            `json:"capacity,omitempty"`
	Practice bool           `json:"practice,omitempty"`
	Hidden   bool           `json:"hidden,omitempty"` // by code only, not listed
	Options  map[string]any `json:"options,omitempty"`
}

// Open opens a lobby. Opening is not joining: Connect with its code for that.
func (s Service) Open(ctx context.Context, o Opening) (*Lobby, error) {
	var out Lobby
	return &out, s.Call(ctx, http.MethodPost, "/v1/lobbies", o, &out)
}

// Lobbies returns the newest open lobbies, at most 100; of one rulebook unless
// that is empty.
func (s Service) Lobbies(ctx context.Context, rulebook string) ([]Lobby, error) {
	var out struct{ Lobbies []Lobby }
	path := "/v1/lobbies?limit=100"
	if rulebook != "" {
		path += "&rulebook=" + url.QueryEscape(rulebook)
	}
	return out.Lobbies, s.Call(ctx, http.MethodGet, path, nil, &out)
}

// Match is a match that has ended.
type Match struct {
	ID     string    `json:"id"`
	Lobby  string    `json:"lobby"`
	Ended  time.Time `json:"ended"`
	Result Result    `json:"result"`
}

// Result is what a match ended with.
type Result struct {
	Match    int64          `json:"match"`
	Rulebook string         `json:"rulebook"`
	Because  string         `json:"because"`
	Practice bool           `json:"practice"`
	Millis   int64          `json:"millis"`
	Rounds   int64          `json:"rounds"`
	Teams    []TeamResult   `json:"teams"`
	Players  []PlayerResult `json:"players"`
	Clocks   []string       `json:"clocks,omitempty"` // the fields that are milliseconds of a clock
}

// TeamResult is a team's part of a result.
type TeamResult struct {
	Team    string         `json:"team"`
	Title   string         `json:"title"`
	Outcome string         `json:"outcome"`
	Place   int64          `json:"place"`
	Rounds  int64          `json:"rounds"`
	Fields  map[string]any `json:"fields"`
}

// PlayerResult is a player's part of a result.
type PlayerResult struct {
	Player  string         `json:"player"`
	Name    string         `json:"name"`
	Team    string         `json:"team"`
	Outcome string         `json:"outcome"`
	Place   int64          `json:"place"`
	Fields  map[string]any `json:"fields"`
}

// Matches returns the newest ended matches. The query holds the parameters of
// GET /v1/matches.
func (s Service) Matches(ctx context.Context, query url.Values) ([]Match, error) {
	var out struct{ Matches []Match }
	path := "/v1/matches"
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	return out.Matches, s.Call(ctx, http.MethodGet, path, nil, &out)
}

// BoardPage is a part of a leaderboard.
type BoardPage struct {
	Rulebook string     `json:"rulebook"`
	Board    string     `json:"board"`
	Title    string     `json:"title"`
	Show     string     `json:"show"`
	Order    string     `json:"order"`
	Rows     []BoardRow `json:"rows"`
	Next     string     `json:"next"`
}

// BoardRow is one entry of a leaderboard.
type BoardRow struct {
	Place  int64     `json:"place"`
	Player string    `json:"player"`
	Name   string    `json:"name"`
	Value  int64     `json:"value"`
	Posted time.Time `json:"posted"`
}

// Board returns a page of a leaderboard from the top; cursor is the last page's
// Next, or "".
func (s Service) Board(ctx context.Context, rulebook, board string, limit int, cursor string) (*BoardPage, error) {
	var out BoardPage
	path := fmt.Sprintf("/v1/boards/%s/%s?limit=%d", url.PathEscape(rulebook), url.PathEscape(board), limit)
	if cursor != "" {
		path += "&cursor=" + url.QueryEscape(cursor)
	}
	return &out, s.Call(ctx, http.MethodGet, path, nil, &out)
}
