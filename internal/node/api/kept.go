package api

import (
	"encoding/json"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/node/keep"
)

// Match is a match that has ended.
type Match struct {
	ID     string          `json:"id"`
	Lobby  string          `json:"lobby"`
	Ended  time.Time       `json:"ended"`
	Result json.RawMessage `json:"result"`
}

// Matches is a page of ended matches, newest first.
type Matches struct {
	Matches []Match `json:"matches"`
	Next    string  `json:"next,omitempty"`
}

// Record is what is kept of a player.
type Record struct {
	Player   string      `json:"player"`
	Rulebook string      `json:"rulebook"`
	Fields   keep.Fields `json:"fields"`
}

// History is what happened to a record.
type History struct {
	Changes []keep.Change `json:"changes"`
	Next    string        `json:"next,omitempty"` // the cursor of the next page
}

var matchParams = []param{
	{"rulebook", "only of this rulebook", "string"},
	{"player", "only with this player", "string"},
	{"lobby", "only of the lobby with this join code", "string"},
	{"since", "only what ended then or later, such as 2026-11-26T08:00:00Z", "string"},
	{"before", "only what ended earlier", "string"},
}

var paging = []param{
	{"limit", "how many entries, 1 to 100", "integer"},
	{"cursor", "where the last page ended: its next", "string"},
}

var routes = withWhy(slices.Concat(peopleRoutes, browserRoutes, bookRoutes, lobbyRoutes, nodeRoutes, boardRoutes,
	playerRoutes, seriesRoutes, auditRoutes, journalRoutes, keptRoutes))

// keptRoutes are for what is kept of matches.
var keptRoutes = []route{
	{
		method: "GET",
		path:   "/v1/matches",
		summary: "Ended matches, newest first; those of lobbies that were not listed for who took part, and for " +
			"service keys",
		out:    Matches{},
		params: append(slices.Clone(matchParams), paging...),
		do:     (*server).listMatches,
	},
	{
		method: "GET",
		path:   "/v1/matches/export",
		long:   true,
		kinds:  []string{"application/jsonl text/csv"},
		access: reading,
		summary: "All ended matches that fit, newest first: as JSON Lines, one match a line, or as CSV (RFC 4180), " +
			"one player a line",
		params: append(slices.Clone(matchParams), param{"format", "jsonl or csv", "string"}),
		do:     (*server).exportMatches,
	},
	{method: "GET", path: "/v1/matches/{id}", summary: "An ended match; of a lobby that was not listed as in the list",
		out: Match{}, do: (*server).getMatch},
	{
		method: "GET",
		path:   "/v1/players/{id}/records/{rulebook}",
		summary: "A player's record for a rulebook, as far as the caller may see it: integers and numbers as " +
			"decimals, choices as words, flags, texts, positions as [x, y] in millimetres",
		out: Record{},
		do:  (*server).getRecord,
	},
	{
		method: "POST",
		path:   "/v1/players/{id}/records/{rulebook}",
		access: operator,
		summary: "Correct a player's record, with a reason: each change adds to a field, sets it, raises it to a " +
			"value or lowers it to one. With a query id=UUID it happens once, however often it is sent",
		in:     keep.Correction{},
		out:    Record{},
		params: []param{{"id", "a UUID: the correction happens once", "string"}},
		do:     (*server).correctRecord,
	},
	{
		method: "GET",
		path:   "/v1/players/{id}/records/{rulebook}/history",
		access: operator,
		summary: "What happened to a player's record, newest first: when, in which match or by whom, " +
			"from what to what",
		out:    History{},
		params: paging,
		do:     (*server).recordHistory,
	},
}
