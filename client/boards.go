package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/wire"
)

// BoardPage is a part of a leaderboard, BoardRow one of its rows, and Season a board from one renewal to the next.
type (
	BoardPage = wire.BoardPage
	BoardRow  = wire.BoardRow
	Season    = wire.Season
)

// Part says which part of a board is wanted: of Cursor, Around, Players, Name and From the first that is set counts;
// with none, the top.
type Part struct {
	Season  string   // its name; "" for the present one
	Cursor  string   // the Next of the page before
	Around  string   // a player's ID, or me: their entry and those around it
	Players []string // IDs: only these, at most 100
	Name    string   // only players whose names begin so, of at most 100 such players
	From    int      // from this rank on, from 1
	Rows    int      // how many, 1 to 100; 20 if 0
}

func (p *Part) query() string {
	q := url.Values{}
	for name, v := range map[string]string{"season": p.Season, "cursor": p.Cursor, "around": p.Around, "name": p.Name,
		"players": strings.Join(p.Players, ",")} {
		if v != "" {
			q.Set(name, v)
		}
	}
	for name, n := range map[string]int{"from": p.From, "limit": p.Rows} {
		if n != 0 {
			q.Set(name, strconv.Itoa(n))
		}
	}
	if len(q) == 0 {
		return ""
	}
	return "?" + q.Encode()
}

func boardPath(rulebook, board string) string {
	return "/v1/boards/" + url.PathEscape(rulebook) + "/" + url.PathEscape(board)
}

// Board returns a part of a leaderboard.
func (s Service) Board(ctx context.Context, rulebook, board string, p Part) (*BoardPage, error) {
	var out BoardPage
	return &out, s.Call(ctx, http.MethodGet, boardPath(rulebook, board)+p.query(), nil, &out)
}

// Seasons lists a board's seasons, newest first, 100 a page from a cursor on ("" for the first). next is the cursor of
// the page after it, "" after the last.
func (s Service) Seasons(ctx context.Context, rulebook, board, cursor string) (list []Season, next string, err error) {
	var out struct {
		Seasons []Season
		Next    string
	}
	q := url.Values{"limit": {"100"}, "cursor": {cursor}}
	err = s.Call(ctx, http.MethodGet, boardPath(rulebook, board)+"/seasons?"+q.Encode(), nil, &out)
	return out.Seasons, out.Next, err
}

// Posting is a value for a leaderboard.
type Posting struct {
	Value  int64  `json:"value"`            // as the board counts it
	Player string `json:"player,omitempty"` // service keys: whose; "" for oneself
	Team   string `json:"team,omitempty"`   // service keys, of a board per team: whose
	ID     string `json:"id,omitempty"`     // a UUID with which it counts once, however often it is sent
}

// Post posts to a leaderboard: a player for themselves, where the rulebook lets clients; a service key for anybody.
// With an ID it may be repeated after an error; without one a repeated post counts again where the board keeps totals
// or counts.
func (s Service) Post(ctx context.Context, rulebook, board string, p Posting) error {
	return s.Call(ctx, http.MethodPost, boardPath(rulebook, board), p, nil)
}

// RenewBoard begins a leaderboard anew that is renewed by hand, for a reason. after is the name of the season that it
// ends, with which it may be repeated and happens once; "" for the present one. For operators.
func (s Service) RenewBoard(ctx context.Context, rulebook, board, after, why string) (*Season, error) {
	var out Season
	in := map[string]string{"after": after, "why": why}
	return &out, s.Call(ctx, http.MethodPost, boardPath(rulebook, board)+"/seasons", in, &out)
}

// RemoveEntry removes the entry of a player (an ID) or of a team (its name) from a season, "" for the present one, for
// a reason. For operators.
func (s Service) RemoveEntry(ctx context.Context, rulebook, board, season, subject, why string) error {
	path := boardPath(rulebook, board) + "/entries/" + url.PathEscape(subject) + "/removal"
	if season != "" {
		path += "?season=" + url.QueryEscape(season)
	}
	return s.Call(ctx, http.MethodPost, path, map[string]string{"why": why}, nil)
}

// BarPlayer keeps a player off a leaderboard, for a reason; UnbarPlayer lets them back. Both may be repeated. For
// operators.
func (s Service) BarPlayer(ctx context.Context, rulebook, board, player, why string) error {
	path := boardPath(rulebook, board) + "/bars/" + url.PathEscape(player)
	return s.Call(ctx, http.MethodPut, path, map[string]string{"why": why}, nil)
}

// UnbarPlayer lets a player who was barred post again.
func (s Service) UnbarPlayer(ctx context.Context, rulebook, board, player, why string) error {
	path := boardPath(rulebook, board) + "/bars/" + url.PathEscape(player) + "?why=" + url.QueryEscape(why)
	return s.Call(ctx, http.MethodDelete, path, nil, nil)
}

// BoardAct is what an operator did to a board.
type BoardAct struct {
	At      time.Time `json:"at"`      // when
	Does    string    `json:"does"`    // remove, bar, unbar or renew
	Season  string    `json:"season"`  // of remove and renew
	Subject string    `json:"subject"` // the player
	Author  string    `json:"author"`  // the operator's key
	Why     string    `json:"why"`     // the reason
}

// BoardActs lists what operators did to a board, newest first, at most 100. For operators.
func (s Service) BoardActs(ctx context.Context, rulebook, board string) ([]BoardAct, error) {
	var out struct{ Acts []BoardAct }
	return out.Acts, s.Call(ctx, http.MethodGet, boardPath(rulebook, board)+"/acts?limit=100", nil, &out)
}

// BoardComparison is how a season in memory stands beside the database.
type BoardComparison struct {
	Season   string   `json:"season"`   // its name
	Memory   int      `json:"memory"`   // entries
	Database int      `json:"database"` // entries
	Differ   []string `json:"differ"`   // what is not the same, at most 20 lines
}

// CompareBoard compares what a service has of a season in memory with the database. For operators.
func (s Service) CompareBoard(ctx context.Context, rulebook, board, season string) (*BoardComparison, error) {
	var out BoardComparison
	path := boardPath(rulebook, board) + "/comparison"
	if season != "" {
		path += "?season=" + url.QueryEscape(season)
	}
	return &out, s.Call(ctx, http.MethodGet, path, nil, &out)
}
