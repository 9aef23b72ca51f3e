package step

import "turnvex.example/turnvex/internal/core/sheet"

// Result is what a match ended with.
type Result struct {
	Match    int64          `json:"match"`              // its number within the lobby, from 1
	Rulebook string         `json:"rulebook"`           // its name
	Version  string         `json:"version"`            // of the rulebook
	Because  string         `json:"because"`            // why it ended
	Practice bool           `json:"practice,omitempty"` // it does not count
	Millis   int64          `json:"millis"`             // of play time
	Lasted   int64          `json:"lasted,omitempty"`   // milliseconds of wall time, pauses with it: it began so long before it ended
	Rounds   int64          `json:"rounds,omitempty"`   // begun
	Arena    string         `json:"arena,omitempty"`    // the name of the one it ended in, if there are several
	Teams    []TeamResult   `json:"teams,omitempty"`    // in the rulebook's order
	Players  []PlayerResult `json:"players"`            // by seat, and behind them who left
	Clocks   []string       `json:"clocks,omitempty"`   // the fields that are milliseconds of a clock
	Posts    []Post         `json:"posts,omitempty"`    // to the boards
}

// TeamResult is a team's part of a result.
type TeamResult struct {
	Team    string         `json:"team"`             // its name
	Title   string         `json:"title"`            // for people
	Outcome string         `json:"outcome"`          // none, won, lost or drawn
	Place   int64          `json:"place"`            // from 1; 0 for none
	Rounds  int64          `json:"rounds,omitempty"` // won
	Fields  map[string]any `json:"fields,omitempty"` // the declared numbers that everyone may see
}

// BecauseClosed is why a match has ended whose lobby was closed under it.
const BecauseClosed = "the lobby closed"

// PlayerResult is a player's part of a result.
type PlayerResult struct {
	Account string         `json:"player"`           // the account; "" for a further player on a connection
	Name    string         `json:"name"`             // as it was then
	Team    string         `json:"team,omitempty"`   // its name
	Outcome string         `json:"outcome"`          // none, won, lost, drawn or left
	Place   int64          `json:"place"`            // from 1; 0 for none
	Fields  map[string]any `json:"fields,omitempty"` // the declared numbers that everyone may see

	StandIn bool `json:"stand_in,omitempty"` // the service played the seat
}

// Post is a value for a leaderboard: of a player's account or of a team.
type Post struct {
	Board   string     `json:"board"`            // its name
	Account string     `json:"player,omitempty"` // whose
	Team    string     `json:"team,omitempty"`   // or of which team, by its name
	Value   int64      `json:"value"`            // in thousandths where the board shows a number
	At      sheet.Tick `json:"-"`                // the wall tick at which it happened
}
