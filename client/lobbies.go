package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Lobby is a lobby as listings show it.
type Lobby struct {
	Code     string    `json:"code"`              // the join code
	Name     string    `json:"name,omitempty"`    // by which OpenOrJoin finds it
	Rulebook string    `json:"rulebook"`          // its name
	Version  string    `json:"version"`           // of the rulebook
	Title    string    `json:"title"`             // for people
	Region   string    `json:"region"`            // of the node on which it is alive
	State    string    `json:"state"`             // gathering, starting, playing, results or closed
	Arena    string    `json:"arena,omitempty"`   // of the running match, or else of the next one; "" where there are none
	Seats    int       `json:"seats"`             // taken
	Capacity int       `json:"capacity"`          // seats in all
	Free     int       `json:"free"`              // seats that are neither taken nor held for others
	Waiting  int       `json:"waiting,omitempty"` // people who stand in line
	Practice bool      `json:"practice"`          // nothing of it is kept
	Open     bool      `json:"open"`              // to newcomers
	Password bool      `json:"password"`          // one is asked for
	Opened   time.Time `json:"opened"`            // when
}

// Filter says which lobbies are wanted; what is left empty is not asked for.
type Filter struct {
	Rulebook string // only of this rulebook
	Region   string // only in this region
	State    string // only in this state
	Free     int    // only open ones with at least so many free places
	Practice *bool  // only practice lobbies, or only real ones
	Title    string // what the title begins with; case does not matter
}

// FoundLobby is a lobby that was found or opened.
type FoundLobby struct {
	Lobby
	New     bool   `json:"new"`     // this call has opened it
	Link    string `json:"link"`    // to hand to others
	Node    string `json:"node"`    // at which it is alive
	Address string `json:"address"` // of the node; Connect finds it by itself
}

// Opening is how a lobby is asked for. Only Rulebook must be given.
type Opening struct {
	Rulebook  string         `json:"rulebook"`             // its name
	Version   string         `json:"version,omitempty"`    // of the rulebook; the current one if empty
	Name      string         `json:"name,omitempty"`       // by which OpenOrJoin finds it
	Title     string         `json:"title,omitempty"`      // for people, 1 to 60 characters
	Capacity  int            `json:"capacity,omitempty"`   // seats; the rulebook's players.most if 0
	Practice  bool           `json:"practice,omitempty"`   // nothing of its matches is kept
	Hidden    bool           `json:"hidden,omitempty"`     // by code only, not listed
	Closed    bool           `json:"closed,omitempty"`     // to newcomers, until the host opens it
	Password  string         `json:"password,omitempty"`   // to enter with; "" for none
	WatchMost int            `json:"watch_most,omitempty"` // spectators; negative: none
	Region    string         `json:"region,omitempty"`     // the node's own, where it may be played, if empty
	Regions   []string       `json:"regions,omitempty"`    // instead of Region: one of these
	Reserve   []string       `json:"reserve,omitempty"`    // players for whom places are held
	ReserveMS int64          `json:"reserve_ms,omitempty"` // how long; a minute if 0
	Options   map[string]any `json:"options,omitempty"`    // the rulebook's options, by name
}

// Open opens a lobby. Opening is not joining: Connect with its code for that.
func (s Service) Open(ctx context.Context, o Opening) (*FoundLobby, error) {
	var out FoundLobby
	return &out, s.Call(ctx, http.MethodPost, "/v1/lobbies", o, &out)
}

// OpenOrJoin returns the open lobby called o.Name of that rulebook, or opens it. Two calls at the same moment never
// make two.
func (s Service) OpenOrJoin(ctx context.Context, o Opening) (*FoundLobby, error) {
	var out FoundLobby
	return &out, s.Call(ctx, http.MethodPost, "/v1/lobbies/named", o, &out)
}

// Quick is what a quick join asks for. Only Rulebook must be given.
type Quick struct {
	Rulebook string         `json:"rulebook"`           // its name
	Region   string         `json:"region,omitempty"`   // any if empty
	Regions  []string       `json:"regions,omitempty"`  // instead of Region: one of these
	Party    []string       `json:"party,omitempty"`    // passes of other players who come along and stay together; see PartyPass
	Capacity int            `json:"capacity,omitempty"` // of the lobby, if one is opened
	Options  map[string]any `json:"options,omitempty"`  // the same
}

// PartyPass is a player's consent to be taken along in quick join.
type PartyPass struct {
	Pass    string    `json:"pass"` // to be given to who asks
	Expires time.Time `json:"expires"`
}

// PartyPass makes a pass, which is good for two minutes and for Quick.Party alone.
func (s Service) PartyPass(ctx context.Context) (*PartyPass, error) {
	var out PartyPass
	return &out, s.Call(ctx, http.MethodPost, "/v1/me/pass", nil, &out)
}

// QuickJoin finds a lobby with room, or opens one. Places for the player and the party are held for 20 seconds, or for
// 10 if the player does not come.
func (s Service) QuickJoin(ctx context.Context, q Quick) (*FoundLobby, error) {
	var out FoundLobby
	return &out, s.Call(ctx, http.MethodPost, "/v1/quick", q, &out)
}

// Lobby returns an open lobby by its join code.
func (s Service) Lobby(ctx context.Context, code string) (*FoundLobby, error) {
	var out FoundLobby
	return &out, s.Call(ctx, http.MethodGet, "/v1/lobbies/"+url.PathEscape(code), nil, &out)
}

// LobbyPage is a part of the listing.
type LobbyPage struct {
	Lobbies []Lobby `json:"lobbies"` // in the order asked for
	// LeftOut says why lobbies are not on the list, and how many.
	LeftOut []struct {
		Why   string `json:"why"`
		Count int64  `json:"count"`
	} `json:"left_out"`
	Next string `json:"next"` // the cursor of the next page, "" at the end
}

// Lobbies lists open lobbies. Order is newest (if empty), oldest, fullest or title; limit is from 1 to 100, 20 if 0.
func (s Service) Lobbies(ctx context.Context, f Filter, order string, limit int, cursor string) (*LobbyPage, error) {
	q := url.Values{}
	for name, v := range map[string]string{"rulebook": f.Rulebook, "region": f.Region, "state": f.State,
		"title": f.Title, "order": order, "cursor": cursor} {
		if v != "" {
			q.Set(name, v)
		}
	}
	if f.Free > 0 {
		q.Set("free", strconv.Itoa(f.Free))
	}
	if f.Practice != nil {
		q.Set("practice", strconv.FormatBool(*f.Practice))
	}
	if limit > 0 {
		q.Set("limit", strconv.Itoa(limit))
	}
	var out LobbyPage
	return &out, s.Call(ctx, http.MethodGet, "/v1/lobbies?"+q.Encode(), nil, &out)
}

// Settings are changes of a lobby by its host: title, capacity, open, listed, watch_most, password, and the options of
// the rulebook by their names.
type Settings map[string]any

// ChangeLobby changes a lobby in which the player is the host. Either all changes are made or none.
func (s Service) ChangeLobby(ctx context.Context, code string, changes Settings) error {
	return s.Call(ctx, http.MethodPatch, "/v1/lobbies/"+url.PathEscape(code), changes, nil)
}

// Ask hands in an intent for the player's seat in a lobby without a live connection of one's own. A refusal is a
// *Refusal.
func (s Service) Ask(ctx context.Context, code string, in Intent) error {
	in.Seat = 0
	return s.Call(ctx, http.MethodPost, "/v1/lobbies/"+url.PathEscape(code)+"/intents", in, nil)
}

// TakeSeat takes a seat over HTTP. It is held as a lost connection's is, until Connect comes.
func (s Service) TakeSeat(ctx context.Context, code, password string) (seat uint32, err error) {
	var out struct{ Seat uint32 }
	err = s.Call(ctx, http.MethodPost, "/v1/lobbies/"+url.PathEscape(code)+"/seat",
		map[string]string{"password": password}, &out)
	return out.Seat, err
}

// LeaveSeat gives the player's seats in a lobby up; without one it does nothing.
func (s Service) LeaveSeat(ctx context.Context, code string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/lobbies/"+url.PathEscape(code)+"/seat", nil, nil)
}

// CopyReport is what a check of all copies in a lobby has found.
type CopyReport struct {
	Asked    int          `json:"asked"`    // connections
	Answered int          `json:"answered"` // in time
	Differs  []Difference `json:"differs"`  // whose copies differ, and where
}

// CheckCopies asks every client in a lobby whether its copy is what it should be. It needs a service key's token and
// takes up to 5 s.
func (s Service) CheckCopies(ctx context.Context, code string) (*CopyReport, error) {
	var out CopyReport
	return &out, s.Call(ctx, http.MethodPost, "/v1/lobbies/"+code+"/copies", struct{}{}, &out)
}

// CheckedCopy is what a client has told of its copy.
type CheckedCopy struct {
	Seat    uint32       `json:"seat"`
	Tick    int64        `json:"tick"` // that the copy stood at
	Same    bool         `json:"same"` // it was what it should be
	Differs []Difference `json:"differs"`
}

// CheckedCopies are the newest answers of clients that were asked for their copies, the oldest first; rate is ticks a
// second. It needs a service key's token.
func (s Service) CheckedCopies(ctx context.Context, code string) (rate int, list []CheckedCopy, err error) {
	var out struct {
		Rate    int
		Checked []CheckedCopy
	}
	err = s.Call(ctx, http.MethodGet, "/v1/lobbies/"+code+"/copies", nil, &out)
	return out.Rate, out.Checked, err
}

// EndMatch ends the match that is running in a lobby, as an operator.
func (s Service) EndMatch(ctx context.Context, code, because string) error {
	return s.Call(ctx, http.MethodPost, "/v1/lobbies/"+code+"/end", map[string]string{"because": because}, nil)
}

// SetField sets a field of a sheet in a practice lobby by hand, as an operator. A number is given as a decimal, a
// choice by its word, a clock in milliseconds.
func (s Service) SetField(ctx context.Context, code string, sheet uint32, field string, value any) error {
	in := map[string]any{"sheet": sheet, "field": field, "value": value}
	return s.Call(ctx, http.MethodPost, "/v1/lobbies/"+code+"/set", in, nil)
}

// Advance lets 1 to 36000 ticks of play pass in a practice lobby, as an operator: play that runs stands still from now
// on; play that stands still runs for so many ticks.
func (s Service) Advance(ctx context.Context, code string, ticks int) error {
	return s.Call(ctx, http.MethodPost, "/v1/lobbies/"+code+"/advance", map[string]int{"ticks": ticks}, nil)
}

// CloseLobby closes a lobby, as an operator.
func (s Service) CloseLobby(ctx context.Context, code string) error {
	return s.Call(ctx, http.MethodDelete, "/v1/lobbies/"+code, nil, nil)
}
