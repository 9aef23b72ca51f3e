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
