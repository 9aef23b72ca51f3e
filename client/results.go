package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"time"
)

// Match is a match that has ended.
type Match struct {
	ID     string    `json:"id"`     // unique for ever
	Lobby  string    `json:"lobby"`  // its join code
	Ended  time.Time `json:"ended"`  // when it ended
	Result Result    `json:"result"` // what it ended with
}

// Result is what a match ended with.
type Result struct {
	Match    int64          `json:"match"`            // its number in the lobby, from 1
	Rulebook string         `json:"rulebook"`         // its name
	Because  string         `json:"because"`          // why it ended, for people
	Practice bool           `json:"practice"`         // of a practice lobby
	Millis   int64          `json:"millis"`           // play time in milliseconds
	Rounds   int64          `json:"rounds"`           // how many were played
	Teams    []TeamResult   `json:"teams"`            // by place
	Players  []PlayerResult `json:"players"`          // by place
	Clocks   []string       `json:"clocks,omitempty"` // the fields that are milliseconds of a clock
}

// TeamResult is a team's part of a result.
type TeamResult struct {
	Team    string         `json:"team"`    // as the rulebook names it
	Title   string         `json:"title"`   // for people
	Outcome string         `json:"outcome"` // none, won, lost or drawn
	Place   int64          `json:"place"`   // from 1; equal ones share it
	Rounds  int64          `json:"rounds"`  // rounds won
	Fields  map[string]any `json:"fields"`  // the team sheet's, by name
}

// PlayerResult is a player's part of a result.
type PlayerResult struct {
	Player  string         `json:"player"`  // the account; "" for one without
	Name    string         `json:"name"`    // the display name
	Team    string         `json:"team"`    // as the rulebook names it; "" for none
	Outcome string         `json:"outcome"` // none, won, lost, drawn or left
	Place   int64          `json:"place"`   // from 1; equal ones share it
	Fields  map[string]any `json:"fields"`  // the player sheet's, by name
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
	Rulebook string     `json:"rulebook"` // its name
	Board    string     `json:"board"`    // as the rulebook names it
	Title    string     `json:"title"`    // for people
	Show     string     `json:"show"`     // how a value is shown
	Order    string     `json:"order"`    // most or least: which value is first
	Rows     []BoardRow `json:"rows"`     // by place
	Next     string     `json:"next"`     // the cursor of the next page; "" on the last
}

// BoardRow is one entry of a leaderboard.
type BoardRow struct {
	Place  int64     `json:"place"`  // from 1; equal values share it
	Player string    `json:"player"` // the account
	Name   string    `json:"name"`   // the display name
	Value  int64     `json:"value"`  // as the board counts it
	Posted time.Time `json:"posted"` // when it was reached
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
