package wire

import (
	"strings"
	"time"
)

// Filter says which lobbies of the listing are wanted; what is empty is not asked for.
type Filter struct {
	Rulebook string `json:"rulebook,omitempty" jsonschema:"only of this rulebook"`
	Region   string `json:"region,omitempty" jsonschema:"only in this region"`
	State    string `json:"state,omitempty" jsonschema:"only in this state"`
	Free     int    `json:"free,omitempty" jsonschema:"only open ones with at least this many free seats"`
	Practice *bool  `json:"practice,omitempty" jsonschema:"only practice lobbies, or only real ones"`
	Title    string `json:"title,omitempty" jsonschema:"the beginning of the title, in any case"`
}

// LobbyInfo is a lobby as listings show it.
type LobbyInfo struct {
	Code     string    `json:"code"`
	Name     string    `json:"name,omitempty"`
	Rulebook string    `json:"rulebook"`
	Version  string    `json:"version"`
	Title    string    `json:"title"`
	Region   string    `json:"region"`
	State    string    `json:"state"`
	Arena    string    `json:"arena,omitempty" jsonschema:"of the running match, or else of the next one"`
	Seats    int       `json:"seats"`
	Capacity int       `json:"capacity"`
	Free     int       `json:"free" jsonschema:"seats that are neither taken nor reserved"`
	Waiting  int       `json:"waiting,omitempty"`
	Practice bool      `json:"practice"`
	Open     bool      `json:"open"`
	Password bool      `json:"password"`
	Opened   time.Time `json:"opened"`
}

// Matches tells whether a lobby is wanted.
func (f *Filter) Matches(l *LobbyInfo) bool {
	return (f.Rulebook == "" || f.Rulebook == l.Rulebook) && (f.Region == "" || f.Region == l.Region) &&
		(f.State == "" || f.State == l.State) &&
		(f.Free == 0 || l.Open && l.Free >= f.Free) &&
		(f.Practice == nil || *f.Practice == l.Practice) &&
		strings.HasPrefix(strings.ToLower(l.Title), strings.ToLower(f.Title))
}

// Listing answers hello with list: the lobbies at first. Each change follows as a Listed.
type Listing struct {
	Is      string      `json:"is"`
	Lobbies []LobbyInfo `json:"lobbies" jsonschema:"those that match the filter, at most 200"`
}

// Listed is a lobby that has come, changed or, where it is Gone, no longer fits the filter or has closed.
type Listed struct {
	Is    string     `json:"is"`
	Code  string     `json:"code" jsonschema:"join code"`
	Lobby *LobbyInfo `json:"lobby,omitempty" jsonschema:"its new contents"`
	Gone  bool       `json:"gone,omitempty" jsonschema:"it no longer matches the filter, or has closed"`
}
