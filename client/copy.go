package client

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// The kinds of sheet.
const (
	KindLobby  = sheet.Lobby
	KindMatch  = sheet.Match
	KindTeam   = sheet.Team
	KindPlayer = sheet.Player
	KindRecord = sheet.Record
	KindPiece  = sheet.Piece
)

// Sheet is one sheet of a copy: Get, Int, Text and Flag read its fields by name.
// A nil Sheet reads as empty.
type Sheet = replica.Sheet

// Change tells of one thing that changed, with its old and its new value. The
// first value of a field is told the same way, with First set.
type Change = replica.Change

// Value is a field's value.
type Value = sheet.Value

// Copy is everything the connection may see. It may be used only within the
// function that it is handed to.
type Copy struct {
	*replica.Copy
	Book  *wire.BookInfo
	Rate  int
	wall  sheet.Tick
	seats []uint32
	seen  map[sheet.ID][]Seen
}

// Me returns the sheet of the connection's own player, nil for a spectator.
func (c *Copy) Me() *Sheet {
	if len(c.seats) == 0 {
		return nil
	}
	return c.Sheet(sheet.ID(c.seats[0]))
}

// Seat returns the player's sheet with that number, or nil.
func (c *Copy) Seat(seat uint32) *Sheet { return c.Sheet(sheet.ID(seat)) }

// Lobby returns the lobby's sheet.
func (c *Copy) Lobby() *Sheet { return first(c.Of(sheet.Lobby)) }

// Match returns the match's sheet, nil between matches.
func (c *Copy) Match() *Sheet { return first(c.Of(sheet.Match)) }

// Teams returns the teams' sheets.
func (c *Copy) Teams() []*Sheet { return c.Of(sheet.Team) }

// Players returns the players' sheets in order of their seats.
func (c *Copy) Players() []*Sheet { return c.Of(sheet.Player) }

// Record returns a player's record sheet, nil where it is not there.
func (c *Copy) Record(seat uint32) *Sheet {
	for _, s := range c.Of(sheet.Record) {
		if s.Owner == sheet.ID(seat) {
			return s
		}
	}
	return nil
}

func first(list []*Sheet) *Sheet {
	if len(list) == 0 {
		return nil
	}
	return list[0]
}

// Clock returns what a clock field shows now, in milliseconds. Clocks are told
// only when they start, stop or are set; the rest is reckoned here.
func (c *Copy) Clock(s *Sheet, name string) int64 {
	v, ok := s.Get(name)
	if !ok || v.Type != sheet.Clock {
		return 0
	}
	now := c.wall
	if f := c.Schema.Named(s.Kind, name); !f.Wall {
		play, _ := c.Match().Get("play")
		now = sheet.Tick(sheet.ClockTicks(play.N[0], play.N[1], play.N[2], c.wall))
	}
	return v.ClockMillis(c.Rate, now)
}

// FormatClock writes milliseconds as mm:ss.mmm.
func FormatClock(ms int64) string { return sheet.FormatClock(ms) }

// Wall returns the service's wall tick at which the copy is being read.
func (c *Copy) Wall() int64 { return int64(c.wall) }
