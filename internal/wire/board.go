package wire

import "time"

// BoardWatch says which part of a board is watched.
type BoardWatch struct {
	Rulebook string `json:"rulebook" jsonschema:"whose board"`
	Board    string `json:"board" jsonschema:"as the rulebook names it"`
	Season   string `json:"season,omitempty" jsonschema:"its name; default: the current season and each that follows"`
	From     int    `json:"from,omitempty" jsonschema:"from this rank on; default: from the top"`
	Around   string `json:"around,omitempty" jsonschema:"a player: the rows around theirs, wherever that is"`
	Rows     int    `json:"rows,omitempty" jsonschema:"the number of rows, 1 to 100; default: 20"`
}

// Season is a board from one renewal to the next.
type Season struct {
	Name   string     `json:"name" jsonschema:"all, 2026-11-26, 2026-W48, 2026-11, since-2026-11-01, or by hand 1, 2 and so on"`
	Begins time.Time  `json:"begins" jsonschema:"1970 for a board without seasons"`
	Ends   *time.Time `json:"ends,omitempty" jsonschema:"absent if not yet known"`
	State  string     `json:"state" jsonschema:"open, closing (it has ended, but posts from before its end may still arrive) or closed"`
}

// BoardRow is a place on a board.
type BoardRow struct {
	Place  int64     `json:"place" jsonschema:"from 1; equal values share it"`
	Player string    `json:"player,omitempty" jsonschema:"its ID; none for a team"`
	Team   string    `json:"team,omitempty" jsonschema:"on a board per team: the team's name"`
	Name   string    `json:"name" jsonschema:"the player's current name, or the team's title"`
	Value  int64     `json:"value" jsonschema:"in thousandths if the board shows numbers, in milliseconds for clocks"`
	Posted time.Time `json:"posted" jsonschema:"when this value was reached"`
	Match  string    `json:"match,omitempty" jsonschema:"the ID of the match in which it was reached"`
}

// BoardPage is a part of a board.
type BoardPage struct {
	Rulebook string     `json:"rulebook" jsonschema:"its name"`
	Board    string     `json:"board" jsonschema:"as the rulebook names it"`
	Title    string     `json:"title" jsonschema:"the display name"`
	Show     string     `json:"show" jsonschema:"how values are displayed: integer, number or clock"`
	Order    string     `json:"order" jsonschema:"most or least: which value is first"`
	Season   Season     `json:"season" jsonschema:"which season it is"`
	Count    int        `json:"count" jsonschema:"the number of entries of the season"`
	First    int        `json:"first" jsonschema:"the rank of the first row, from 1; 0 without rows"`
	Rows     []BoardRow `json:"rows" jsonschema:"in order"`
	Next     string     `json:"next,omitempty" jsonschema:"the cursor of the next page"`
}

// Board answers hello with board: the part of it as it stands. Each change follows as a Ranked; when a season ends or
// another begins, the part comes whole again.
type Board struct {
	Is   string    `json:"is"`
	Page BoardPage `json:"page" jsonschema:"the part, without next"`
}

// Ranked tells what has changed in the watched part of a board.
type Ranked struct {
	Is    string      `json:"is"`
	Count int         `json:"count" jsonschema:"the number of entries of the season"`
	First int         `json:"first" jsonschema:"the rank of the first row"`
	Rows  int         `json:"rows" jsonschema:"the number of rows of the part; further ones are gone"`
	Set   []RankedRow `json:"set" jsonschema:"the rows that differ"`
}

// RankedRow is a row that has changed.
type RankedRow struct {
	N   int      `json:"n" jsonschema:"which row of the part, from 0"`
	Row BoardRow `json:"row" jsonschema:"its new contents"`
}
