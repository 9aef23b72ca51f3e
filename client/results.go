package client

import (
	"context"
	"io"
	"maps"
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
	Lasted   int64          `json:"lasted"`           // milliseconds from its beginning to its end, pauses with them
	Rounds   int64          `json:"rounds"`           // how many were played
	Arena    string         `json:"arena"`            // the name of the one it ended in; "" if there is one ground only
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

// Matches returns the newest ended matches. The query holds the parameters of GET /v1/matches.
func (s Service) Matches(ctx context.Context, query url.Values) ([]Match, error) {
	list, _, err := s.MatchPage(ctx, query)
	return list, err
}

// MatchPage is Matches with the cursor of the next page, "" on the last: it goes into the next query as cursor.
func (s Service) MatchPage(ctx context.Context, query url.Values) (list []Match, next string, err error) {
	var out struct {
		Matches []Match
		Next    string
	}
	path := "/v1/matches"
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	err = s.Call(ctx, http.MethodGet, path, nil, &out)
	return out.Matches, out.Next, err
}

// Totals are what a player's results of a rulebook come to.
type Totals struct {
	Rulebook string    `json:"rulebook"` // its name
	Matches  int64     `json:"matches"`  // how many
	Won      int64     `json:"won"`      // of them
	Lost     int64     `json:"lost"`     // of them
	Drawn    int64     `json:"drawn"`    // of them
	Left     int64     `json:"left"`     // before the end
	Millis   int64     `json:"millis"`   // play time in milliseconds
	Last     time.Time `json:"last"`     // when the last of them ended
	Streak   struct {
		Outcome string `json:"outcome"` // none, won, lost, drawn or left
		Matches int    `json:"matches"` // how many of the newest in a row; at most 100 are counted
	} `json:"streak"`
}

// Totals returns what a player's results come to, by rulebook, the one played last first.
func (s Service) Totals(ctx context.Context, player string) ([]Totals, error) {
	var out struct{ Totals []Totals }
	return out.Totals, s.Call(ctx, http.MethodGet, "/v1/players/"+url.PathEscape(player)+"/totals", nil, &out)
}

// ExportMatches writes all ended matches that fit: in the format jsonl one match a line, in csv one player a line. The
// query holds the parameters of GET /v1/matches/export. For service keys.
func (s Service) ExportMatches(ctx context.Context, w io.Writer, format string, query url.Values) error {
	q := maps.Clone(query)
	if q == nil {
		q = url.Values{}
	}
	q.Set("format", format)
	return s.Read(ctx, "/v1/matches/export?"+q.Encode(), w)
}
