package match

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Verdict answers an intent: accepted when Code is empty, otherwise refused.
type Verdict struct {
	Seat   sheet.ID
	Seq    uint64
	Code   code.Code
	Reason string     // for a person; may name amounts and times
	At     sheet.Tick // the wall tick at which it took effect
	Left   int64      // milliseconds to wait, where waiting helps
}

// OK tells whether the intent was accepted.
func (v Verdict) OK() bool { return v.Code == code.OK }

// Notice is something told once to an audience. Of is the player (owner) or
// the team that is told, where To asks for one.
type Notice struct {
	Notice *rulebook.Notice
	To     sheet.Audience
	Of     sheet.ID
	Values []sheet.Value
}

// EffectKind says what the driver must do.
type EffectKind uint8

// The effects.
const (
	LoadRecord EffectKind = iota // of Account, for Seat; answer with Loaded
	SaveRecord                   // Values of Account
	SaveResult                   // Result; answer with Saved when it is committed
	Drop                         // end Seat's connection, for Reason
	CloseLobby                   // nothing more will happen here
	AskReferee                   // Decision wants an answer
	Seated                       // Account, who stood in line on the connection Text, has the seat Seat
	Fault                        // the rulebook did something it may not: Text; for the operator
)

// Effect is something for the driver to carry out.
type Effect struct {
	Kind     EffectKind
	Seat     sheet.ID
	Account  string
	Values   []Named
	Result   *Result
	Reason   code.Code
	Text     string
	Decision *Decision
}

// Decision is an action whose outcome a referee decides.
type Decision struct {
	No     int64
	Seat   sheet.ID
	Target sheet.ID
	Action string
	Tell   []Named
	Until  sheet.Tick // play tick at which it is decided without an answer
}

// Output is what one input led to. It is valid until the next Step.
type Output struct {
	Seat     sheet.ID  // of an accepted Enter: the new seat
	Verdicts []Verdict // of an Intent or Enter: its verdict; decisions of a referee may add others
	Notices  []Notice
	Effects  []Effect
}

// Result is what a match ended with.
type Result struct {
	Match    int64          `json:"match"`
	Rulebook string         `json:"rulebook"`
	Version  string         `json:"version"`
	Because  string         `json:"because"`
	Practice bool           `json:"practice,omitempty"`
	Millis   int64          `json:"millis"` // of play time
	Rounds   int64          `json:"rounds,omitempty"`
	Teams    []TeamResult   `json:"teams,omitempty"`
	Players  []PlayerResult `json:"players"`
	Clocks   []string       `json:"clocks,omitempty"` // the fields that are milliseconds of a clock
	Posts    []Post         `json:"posts,omitempty"`
}

// TeamResult is a team's part of a result.
type TeamResult struct {
	Team    string         `json:"team"`
	Title   string         `json:"title"`
	Outcome string         `json:"outcome"`
	Place   int64          `json:"place"`
	Rounds  int64          `json:"rounds,omitempty"`
	Fields  map[string]any `json:"fields,omitempty"`
}

// PlayerResult is a player's part of a result.
type PlayerResult struct {
	Account string         `json:"player"`
	Name    string         `json:"name"`
	Team    string         `json:"team,omitempty"`
	Outcome string         `json:"outcome"`
	Place   int64          `json:"place"`
	Fields  map[string]any `json:"fields,omitempty"`
}

// Post is an entry for a leaderboard, in thousandths when Number.
type Post struct {
	Board   string `json:"board"`
	Account string `json:"player"`
	Value   int64  `json:"value"`
}
