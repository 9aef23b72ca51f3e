package wire

// TopicWatch says which topic is watched.
type TopicWatch struct {
	Name     string `json:"name" jsonschema:"results (anyone: the 20 matches that ended last), record (players: their own record of a rulebook; service keys: a player's), nodes or metrics (service keys: the nodes; the last hour of this node's metrics), players or audit (operators: who is connected to this node; the newest 50 lines of the audit trail)"`
	Rulebook string `json:"rulebook,omitempty" jsonschema:"of results: only those of this rulebook; of record: which"`
	Player   string `json:"player,omitempty" jsonschema:"of record: whose"`
	Lobby    string `json:"lobby,omitempty" jsonschema:"of results: only those of the lobby with this join code"`
}

// Topic is what a topic holds.
type Topic struct {
	Is   string     `json:"is"`
	Name string     `json:"name" jsonschema:"which topic"`
	Rows []TopicRow `json:"rows" jsonschema:"in their order"`
}

// TopicRow is one row of a topic.
type TopicRow struct {
	Key string `json:"key" jsonschema:"identifies the row within the topic"`
	Row any    `json:"row" jsonschema:"as returned by the HTTP route for the same data; see Topics"`
}

// News is what has changed in a topic.
type News struct {
	Is    string     `json:"is"`
	Set   []TopicRow `json:"set,omitempty" jsonschema:"rows that are new or have changed"`
	Order []string   `json:"order" jsonschema:"the keys of all rows, in their order; missing ones are gone"`
}
