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
	Revision int64       `json:"revision"` // higher after each change
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
	{"since", "only those that ended then or later, such as 2026-11-26T08:00:00Z", "string"},
	{"before", "only those that ended earlier", "string"},
}

var paging = []param{{"limit", "how many entries, 1 to 100", "integer"},
	{"cursor", "the next of the previous page", "string"}}

var routes = withWhy(slices.Concat(peopleRoutes, browserRoutes, bookRoutes, lobbyRoutes, nodeRoutes, boardRoutes,
	playerRoutes, seriesRoutes, auditRoutes, journalRoutes, keptRoutes))

// keptRoutes are for what is kept of matches.
var keptRoutes = []route{
	{
		method: "GET",
		path:   "/v1/matches",
		summary: "Ended matches, newest first. Those of unlisted lobbies are visible only to their players and " +
			"to service keys",
		out:    Matches{},
		params: append(slices.Clone(matchParams), paging...),
		do:     by((*results).listMatches),
	},
	{
		method: "GET",
		path:   "/v1/matches/export",
		long:   true,
		kinds:  []string{"application/jsonl text/csv"},
		access: reading,
		summary: "All ended matches that match the filter, newest first: as JSON Lines, one match per line, or " +
			"as CSV (RFC 4180), one player per line",
		params: append(slices.Clone(matchParams), param{"format", "jsonl or csv", "string"}),
		do:     by((*stories).exportMatches),
	},
	{method: "GET", path: "/v1/matches/{id}", summary: "An ended match; for unlisted lobbies see the list",
		out: Match{}, do: by((*results).getMatch)},
	{
		method: "GET",
		path:   "/v1/players/{id}/records/{rulebook}",
		summary: "A player's record for a rulebook, with the fields that the caller may see: integers and " +
			"numbers as decimals, choices as words, flags, texts, positions as [x, y] in millimetres",
		out: Record{},
		do:  by((*results).getRecord),
	},
	{
		method: "POST",
		path:   "/v1/players/{id}/records/{rulebook}",
		access: granting,
		summary: "Correct a player's record, with a reason: each change adds to a field, sets it, or raises or " +
			"lowers it to a value; all of them happen, or none. at_least names numbers that the record must have, " +
			"revision the one that it must be at. With the query id=UUID it happens once, however often you send it",
		out:    Record{},
		params: []param{{"id", "a UUID: the correction happens once", "string"}},
		do:     taking((*results).correctRecord),
	},
	{
		method: "GET",
		path:   "/v1/players/{id}/records/{rulebook}/history",
		access: operator,
		summary: "The history of a player's record, newest first: when, in which match or by whom, and the old " +
			"and new values",
		out:    History{},
		params: paging,
		do:     by((*results).recordHistory),
	},
}
