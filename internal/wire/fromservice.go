package wire

import "turnvex.example/turnvex/internal/core/replica"

// Welcome answers hello.
type Welcome struct {
	Is      string             `json:"is"`
	Lobby   string             `json:"lobby" jsonschema:"join code"`
	Seats   []SeatInfo         `json:"seats" jsonschema:"this connection's seats, the own player's first; none for a spectator"`
	Resume  string             `json:"resume,omitempty" jsonschema:"the key for resuming"`
	Branch  string             `json:"branch" jsonschema:"the name of the lobby's history; another one means that play has gone on from what the database had"`
	Kept    bool               `json:"kept,omitempty" jsonschema:"the client's copy is still valid: a delta on its tick follows instead of a snapshot, and schema and book are omitted"`
	Nodes   []string           `json:"nodes,omitempty" jsonschema:"addresses of other nodes: if this one no longer answers, they know where the lobby is"`
	Ended   *Bye               `json:"ended,omitempty" jsonschema:"why the service ended the connection before this one, if it did"`
	Rate    int                `json:"rate" jsonschema:"ticks a second"`
	Tick    int64              `json:"tick" jsonschema:"the current wall tick"`
	Hold    int64              `json:"hold" jsonschema:"how long the seats of a lost connection are held, in milliseconds"`
	Schema  *replica.Described `json:"schema,omitempty" jsonschema:"the fields of each kind of sheet"`
	Book    *BookInfo          `json:"book,omitempty" jsonschema:"the rulebook: its actions, phases, teams and notices"`
	Service string             `json:"service" jsonschema:"the service's version"`
	Delay   int64              `json:"delay,omitempty" jsonschema:"how far a spectator is behind, in milliseconds"`
	Waiting int                `json:"waiting,omitempty" jsonschema:"your place in the queue for a seat, from 1"`
}

// SeatInfo is one of the connection's seats.
type SeatInfo struct {
	Seat uint32 `json:"seat" jsonschema:"the number of the player's sheet"`
	Last uint64 `json:"last" jsonschema:"the number of the last answered intent in this history; higher ones that were answered before are undone"`
}

// Snapshot is a complete copy of what the connection may see.
type Snapshot struct {
	Is    string  `json:"is"`
	Tick  int64   `json:"tick" jsonschema:"the wall tick of the copy afterwards"`
	Parts [][]any `json:"parts" jsonschema:"parts that create every sheet"`
}

// Delta is what has changed since the copy stood at tick On.
type Delta struct {
	Is    string  `json:"is"`
	On    int64   `json:"on" jsonschema:"the wall tick that the copy must be at"`
	Tick  int64   `json:"tick" jsonschema:"the wall tick of the copy afterwards"`
	Parts [][]any `json:"parts" jsonschema:"what has changed"`
}

// Notice is something that happened.
type Notice struct {
	Is   string         `json:"is"`
	Name string         `json:"name" jsonschema:"of the notice"`
	Tick int64          `json:"tick" jsonschema:"the wall tick at which it happened"`
	To   string         `json:"to,omitempty" jsonschema:"its audience, if not everyone: team, owner or referees"`
	Of   uint32         `json:"of,omitempty" jsonschema:"the seat or the team sheet that it is for"`
	With map[string]any `json:"with,omitempty" jsonschema:"its contents, by name, with values as in parts"`

	Lobby string `json:"lobby,omitempty" jsonschema:"for a referee of all lobbies of a rulebook: which lobby"`
}

// Missed tells that notices were left out.
type Missed struct {
	Is      string `json:"is"`
	Notices int    `json:"notices" jsonschema:"how many since the last such message"`
}

// Ping asks for a pong with the same number, from either side.
type Ping struct {
	Is   string `json:"is"`
	N    uint64 `json:"n" jsonschema:"the sender's number for it"`
	Tick int64  `json:"tick,omitempty" jsonschema:"from the service: the present wall tick"`
	Part int64  `json:"part,omitempty" jsonschema:"from the service: how much of that tick has passed, in thousandths"`
}

// Check asks for the hash of the copy as it stands now.
type Check struct {
	Is   string `json:"is"`
	Tick int64  `json:"tick" jsonschema:"the tick that the copy must be at"`
}

// Differs tells in what a copy differed.
type Differs struct {
	Is     string        `json:"is"`
	Tick   int64         `json:"tick" jsonschema:"of the check"`
	Fields []Differently `json:"fields" jsonschema:"what differed, at most 50 entries"`
}

// Differently is one field that differed.
type Differently struct {
	Seat  uint32 `json:"seat,omitempty" jsonschema:"for operators: whose copy"`
	Sheet uint32 `json:"sheet" jsonschema:"the sheet's number"`
	Kind  string `json:"kind" jsonschema:"its kind"`
	Field string `json:"field,omitempty" jsonschema:"the field's name; empty if the whole sheet was missing or should not be there"`
	Want  string `json:"want" jsonschema:"what the copy should hold; empty if it should not be there"`
	Found string `json:"found" jsonschema:"what it held"`
}

// Decision asks a referee.
type Decision struct {
	Is     string         `json:"is"`
	No     int64          `json:"no" jsonschema:"the number of the decision, for the answer"`
	Action string         `json:"action" jsonschema:"the action to decide on"`
	Seat   uint32         `json:"seat" jsonschema:"who used it"`
	Target uint32         `json:"target,omitempty" jsonschema:"who would be hit"`
	Tell   map[string]any `json:"tell,omitempty" jsonschema:"what the rulebook sends the referee, by name, with values as in parts"`
	Left   int64          `json:"left" jsonschema:"milliseconds of play until the default applies"`
	Lobby  string         `json:"lobby,omitempty" jsonschema:"for a referee of all lobbies of a rulebook: which lobby"`
}

// Decided answers a referee's word.
type Decided struct {
	Is     string `json:"is"`
	No     int64  `json:"no" jsonschema:"of the decision"`
	OK     bool   `json:"ok" jsonschema:"whether the answer counted"`
	Code   string `json:"code,omitempty" jsonschema:"why not; see errors.md"`
	Reason string `json:"reason,omitempty" jsonschema:"the same in words"`
	Lobby  string `json:"lobby,omitempty" jsonschema:"as in the answer"`
}

// Ruled answers what a referee does of its own accord.
type Ruled struct {
	Is     string `json:"is"`
	N      uint64 `json:"n" jsonschema:"as in rule"`
	OK     bool   `json:"ok" jsonschema:"whether it was done"`
	Code   string `json:"code,omitempty" jsonschema:"why not; see errors.md"`
	Reason string `json:"reason,omitempty" jsonschema:"the same in words"`
}

// SeriesDue tells a player of a meeting of a series that is theirs.
type SeriesDue struct {
	Is      string `json:"is"`
	ID      string `json:"id" jsonschema:"of the series"`
	Name    string `json:"name" jsonschema:"of the series"`
	Title   string `json:"title" jsonschema:"of the series, for people"`
	Meeting int    `json:"meeting" jsonschema:"its number in the series"`
	Round   int    `json:"round" jsonschema:"of the series, from 1"`
	Stage   string `json:"stage" jsonschema:"opens: a lobby is being opened; comes: a seat is held in the lobby; plays; decided"`
	Lobby   string `json:"lobby,omitempty" jsonschema:"join code"`
	Against string `json:"against,omitempty" jsonschema:"the other entrant"`
	Until   int64  `json:"until,omitempty" jsonschema:"when a player who has not arrived loses, in milliseconds since the epoch"`
	Wins    int    `json:"wins" jsonschema:"matches won"`
	Lost    int    `json:"lost" jsonschema:"matches that the other has won"`
	Won     bool   `json:"won,omitempty" jsonschema:"decided, and won"`
}

// Seated answers local, and a leave that is not possible.
type Seated struct {
	Is     string `json:"is"`
	N      uint64 `json:"n,omitempty" jsonschema:"as in local"`
	OK     bool   `json:"ok" jsonschema:"whether the player has a seat"`
	Seat   uint32 `json:"seat,omitempty" jsonschema:"the seat"`
	Code   string `json:"code,omitempty" jsonschema:"why not; see errors.md"`
	Reason string `json:"reason,omitempty" jsonschema:"the same in words"`
}

// Judging answers the hello of who referees all lobbies of a rulebook.
type Judging struct {
	Is       string   `json:"is"`
	Rulebook string   `json:"rulebook" jsonschema:"as in hello"`
	Lobbies  []string `json:"lobbies" jsonschema:"the codes of the lobbies that are open on this node"`
}

// Bye is the last message before the service ends a connection.
type Bye struct {
	Is     string `json:"is"`
	Code   string `json:"code" jsonschema:"why; see errors.md; left after leave"`
	Reason string `json:"reason" jsonschema:"the same in words"`
	Again  bool   `json:"again" jsonschema:"whether connecting again may help"`
	At     string `json:"at,omitempty" jsonschema:"the address of the node where the lobby is: connect there, with the same hello"`
}

// Still says that play stands still, or goes on.
type Still struct {
	Is   string `json:"is"`
	Ms   int64  `json:"ms,omitempty" jsonschema:"for how long nothing could be kept when play stood still, in milliseconds"`
	Why  string `json:"why,omitempty" jsonschema:"the reason, for the player"`
	Over bool   `json:"over,omitempty" jsonschema:"play goes on"`
}
