package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Entrant is who takes part in a series.
type Entrant struct {
	Name    string   `json:"name"`    // for people
	Players []string `json:"players"` // their IDs
}

// Series is a series of matches, in a list.
type Series struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Title    string    `json:"title"`
	Rulebook string    `json:"rulebook"`
	Form     string    `json:"form"` // meeting, bracket or table
	Over     bool      `json:"over"`
	Winner   string    `json:"winner"` // the entrant's name; "" while there is none
	Entrants int       `json:"entrants"`
	Opened   time.Time `json:"opened"`
}

// WholeSeries is a series with its meetings and how the entrants stand.
type WholeSeries struct {
	Series
	Standings []Standing `json:"standings"`
	Meetings  []Meeting  `json:"meetings"`
	Because   string     `json:"because"` // why an operator ended it
}

// Standing is how an entrant stands.
type Standing struct {
	Name    string   `json:"name"`
	Players []string `json:"players"`
	Out     bool     `json:"out"`    // withdrawn
	Place   int      `json:"place"`  // 0 while it is not known
	Played  int      `json:"played"` // meetings
	Won     int      `json:"won"`
	Drawn   int      `json:"drawn"`
	Lost    int      `json:"lost"`
	For     int      `json:"for"` // matches won
	Against int      `json:"against"`
	Points  int64    `json:"points"`
}

// Meeting is one meeting of a series.
type Meeting struct {
	Number int             `json:"number"`
	Round  int             `json:"round"`
	Third  bool            `json:"third"` // for the third place
	Sides  [2]MeetingParty `json:"sides"`
	Stage  string          `json:"stage"`  // waits, opens, comes, plays or decided
	Lobby  string          `json:"lobby"`  // join code; "" while there is none
	Winner string          `json:"winner"` // the entrant's name
	Why    string          `json:"why"`    // played, walkover, withdrawn, bye or ended
}

// MeetingParty is one side of a meeting.
type MeetingParty struct {
	Name string `json:"name"` // "" while it is not known, or there is nobody
	From int    `json:"from"` // the meeting that it comes from, 0 for none
	Wins int    `json:"wins"` // matches
}

// DueMeeting is a meeting that a player is to be at.
type DueMeeting struct {
	Is      string `json:"is"`      // series
	ID      string `json:"id"`      // of the series
	Name    string `json:"name"`    // of the series
	Title   string `json:"title"`   // of the series, for people
	Meeting int    `json:"meeting"` // its number in the series
	Round   int    `json:"round"`
	Stage   string `json:"stage"`   // opens, comes, plays or decided
	Lobby   string `json:"lobby"`   // where a place is held
	Against string `json:"against"` // the other entrant
	Until   int64  `json:"until"`   // when who has not come has lost, in milliseconds of the epoch
	Wins    int    `json:"wins"`    // matches won
	Lost    int    `json:"lost"`    // matches that the other has won
	Won     bool   `json:"won"`     // it is decided, and won
}

// OpenSeries begins a series with a plan, which is a file's text, and its entrants, the strongest first. It needs an
// operator's key. It returns the series' ID.
func (s Service) OpenSeries(ctx context.Context, plan string, entrants []Entrant) (string, error) {
	var out struct{ ID string }
	in := map[string]any{"plan": plan, "entrants": entrants}
	err := s.Call(ctx, http.MethodPost, "/v1/series", in, &out)
	return out.ID, err
}

// ListSeries returns series, the newest first, at most limit of 1 to 100, from a cursor on ("" for the newest). next is
// the cursor of the page after it, "" after the last.
func (s Service) ListSeries(ctx context.Context, limit int, cursor string) (list []Series, next string, err error) {
	var out struct {
		Series []Series
		Next   string
	}
	q := url.Values{"limit": {strconv.Itoa(limit)}, "cursor": {cursor}}
	err = s.Call(ctx, http.MethodGet, "/v1/series?"+q.Encode(), nil, &out)
	return out.Series, out.Next, err
}

// GetSeries returns a series whole.
func (s Service) GetSeries(ctx context.Context, id string) (*WholeSeries, error) {
	var out WholeSeries
	return &out, s.Call(ctx, http.MethodGet, "/v1/series/"+url.PathEscape(id), nil, &out)
}

// MySeries returns the meetings that the player is to be at now.
func (s Service) MySeries(ctx context.Context) ([]DueMeeting, error) {
	var out struct{ Meetings []DueMeeting }
	err := s.Call(ctx, http.MethodGet, "/v1/me/series", nil, &out)
	return out.Meetings, err
}

// Withdraw takes an entrant, by name, out of a series, as an operator.
func (s Service) Withdraw(ctx context.Context, id, entrant string) error {
	return s.Call(ctx, http.MethodPost, "/v1/series/"+url.PathEscape(id)+"/withdraw",
		map[string]string{"entrant": entrant}, nil)
}

// EndSeries ends a series, as an operator.
func (s Service) EndSeries(ctx context.Context, id, reason string) error {
	return s.Call(ctx, http.MethodPost, "/v1/series/"+url.PathEscape(id)+"/end", map[string]string{"reason": reason},
		nil)
}
