package wire

// Hello opens a connection: who asks, and for which lobby.
type Hello struct {
	Is      string      `json:"is"`
	Token   string      `json:"token,omitempty" jsonschema:"from a sign-in; may be sent in the Authorization header of the handshake instead"`
	Lobby   string      `json:"lobby,omitempty" jsonschema:"join code"`
	Watch   bool        `json:"watch,omitempty" jsonschema:"as a spectator, without a seat: needs the password, and is refused to players with a seat where spectators see more than they do"`
	As      uint32      `json:"as,omitempty" jsonschema:"service keys: see exactly what this seat sees"`
	All     bool        `json:"all,omitempty" jsonschema:"service keys: see everything but hidden fields"`
	Referee bool        `json:"referee,omitempty" jsonschema:"service keys with the scope referee: see everything and get decisions to make"`
	Judge   string      `json:"rulebook,omitempty" jsonschema:"with referee, instead of a lobby: decide in every lobby of this rulebook"`
	Resume  string      `json:"resume,omitempty" jsonschema:"the key from the last welcome, to return to the same seats"`
	Tick    *int64      `json:"tick,omitempty" jsonschema:"with resume: the tick of the copy, if the client still has it; it may then get the missed changes instead of a snapshot"`
	Branch  string      `json:"branch,omitempty" jsonschema:"with tick: the branch that the copy is of; without it a snapshot follows"`
	Team    string      `json:"team,omitempty" jsonschema:"the preferred team"`
	Pass    string      `json:"password,omitempty" jsonschema:"of the lobby"`
	Book    string      `json:"version,omitempty" jsonschema:"of the rulebook; refused if the lobby runs a different one"`
	Wait    bool        `json:"wait,omitempty" jsonschema:"join the queue if the lobby is full"`
	List    *Filter     `json:"list,omitempty" jsonschema:"instead of a lobby: watch the listing through this filter"`
	Board   *BoardWatch `json:"board,omitempty" jsonschema:"instead of a lobby: watch this part of a leaderboard"`
	Topic   *TopicWatch `json:"topic,omitempty" jsonschema:"instead of a lobby: watch this topic"`
	Locals  []string    `json:"locals,omitempty" jsonschema:"names of other players on this connection"`
}

// Intent is what a seat asks for.
type Intent struct {
	Is     string         `json:"is"`
	Seat   uint32         `json:"seat" jsonschema:"the seat that asks; it must belong to this connection"`
	N      uint64         `json:"n" jsonschema:"the client's number for it: from 1, increasing for each seat"`
	Do     string         `json:"do" jsonschema:"the request; see the list of intents"`
	Name   string         `json:"name,omitempty" jsonschema:"of an action, a team or a field"`
	Target uint32         `json:"target,omitempty" jsonschema:"a seat or a sheet"`
	At     []int64        `json:"at,omitempty" jsonschema:"a point in millimetres, or a direction in thousandths"`
	Yaw    *int64         `json:"yaw,omitempty" jsonschema:"where to look, 0 to 65535 in 1/65536 of a turn from east by south; of face, and with steer, claim and act"`
	Pitch  *int64         `json:"pitch,omitempty" jsonschema:"with yaw, on tall ground: how far up to look, -16384 to 16384 in 1/65536 of a turn; 0 by default"`
	Args   map[string]any `json:"args,omitempty" jsonschema:"the action's arguments or the settings to change, by name; numbers as decimals, choices by their word"`
	Text   string         `json:"text,omitempty" jsonschema:"a name, an account, or the reason of a pause"`
	Tick   int64          `json:"tick,omitempty" jsonschema:"the wall tick at which it is meant to be taken; see Drawing one's own body"`
	Value  any            `json:"value,omitempty" jsonschema:"for a field that is set by hand, or the number of ticks to advance"`
}

// Local brings a further player onto the connection.
type Local struct {
	Is    string `json:"is"`
	N     uint64 `json:"n" jsonschema:"the client's number for it, repeated in the answer"`
	Name  string `json:"name,omitempty" jsonschema:"of a guest, who keeps nothing behind the lobby; left out with a token"`
	Token string `json:"token,omitempty" jsonschema:"of a player who signs in as themselves: the seat has their name, record and results"`
	Team  string `json:"team,omitempty" jsonschema:"the preferred team"`
}

// Leave gives seats up.
type Leave struct {
	Is   string `json:"is"`
	Seat uint32 `json:"seat,omitempty" jsonschema:"of a local player on the connection; default: all of its seats"`
}

// Plain is a message that is nothing but its name: whole.
type Plain struct {
	Is string `json:"is"`
}

// Hash answers check.
type Hash struct {
	Is   string `json:"is"`
	Tick int64  `json:"tick" jsonschema:"of the check"`
	Hash uint32 `json:"hash" jsonschema:"of the copy at that tick; see How a copy is hashed"`
}

// Shown answers show.
type Shown struct {
	Is    string  `json:"is"`
	Tick  int64   `json:"tick" jsonschema:"of the check"`
	Parts [][]any `json:"parts" jsonschema:"the copy at that tick, as parts that create all of its sheets"`
}

// Decide is a referee's word.
type Decide struct {
	Is  string `json:"is"`
	No  int64  `json:"no" jsonschema:"of the decision"`
	Yes bool   `json:"yes" jsonschema:"whether the action takes effect"`

	Lobby string         `json:"lobby,omitempty" jsonschema:"for a referee of all lobbies of a rulebook: which lobby"`
	With  map[string]any `json:"with,omitempty" jsonschema:"the values that the rulebook's answers ask for, by name"`
}

// Rule is something that a referee does of its own accord.
type Rule struct {
	Is     string         `json:"is"`
	N      uint64         `json:"n" jsonschema:"the referee's number for it, repeated in the answer"`
	Lobby  string         `json:"lobby,omitempty" jsonschema:"for a referee of all lobbies of a rulebook: which lobby"`
	Act    string         `json:"act,omitempty" jsonschema:"the act"`
	Args   map[string]any `json:"args,omitempty" jsonschema:"the act's arguments, by name"`
	Set    string         `json:"set,omitempty" jsonschema:"instead of an act: the field to set, such as match.question"`
	Target uint32         `json:"target,omitempty" jsonschema:"with set, for a player's or a team's field: the sheet"`
	Value  any            `json:"value,omitempty" jsonschema:"with set: the value"`
}
