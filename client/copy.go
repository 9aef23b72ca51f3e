package client

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Copy is everything the connection may see. It may be used only within the function that it is handed to.
type Copy struct {
	Book *Book // the rulebook: its actions, phases, teams and notices
	Rate int   // ticks a second

	copy   *replica.Copy
	fields [sheet.Kinds][]*Field // by number; nil where there is none
	sheets map[sheet.ID]*Sheet
	wall   sheet.Tick
	seats  []uint32
	seen   map[uint32]*Track
}

// newCopy is an empty copy with the fields of a schema.
func newCopy(s *replica.Schema) *Copy {
	c := &Copy{copy: replica.NewCopy(s), sheets: map[sheet.ID]*Sheet{}}
	c.describe(s)
	return c
}

// describe makes a schema the copy's.
func (c *Copy) describe(s *replica.Schema) {
	c.copy.Schema = s
	for k := range c.fields {
		c.fields[k] = nil
		for _, f := range s.Fields(sheet.Kind(k)) {
			for len(c.fields[k]) <= f.No {
				c.fields[k] = append(c.fields[k], nil)
			}
			c.fields[k][f.No] = fieldOf(f)
		}
	}
}

// of is the sheet in the copy as users know it.
func (c *Copy) of(r *replica.Sheet) *Sheet {
	if r == nil {
		return nil
	}
	s := c.sheets[r.ID]
	if s == nil {
		s = &Sheet{ID: uint32(r.ID), Kind: Kind(r.Kind), Owner: uint32(r.Owner), copy: c}
		c.sheets[r.ID] = s
	}
	s.last = r
	return s
}

// change is a change of the copy as users know it.
func (c *Copy) change(ch replica.Change) Change {
	out := Change{Sheet: c.of(ch.Sheet), Old: valueOf(ch.Old), New: valueOf(ch.New), First: ch.First, Seen: ch.Seen,
		Appeared: ch.Appeared, Gone: ch.Gone, Expected: ch.Expected, Undone: ch.Undone}
	if ch.Field != nil {
		out.Field = c.fields[ch.Sheet.Kind][ch.Field.No]
	}
	if ch.Gone {
		delete(c.sheets, ch.Sheet.ID)
	}
	return out
}

// Sheet returns the sheet with that number, or nil.
func (c *Copy) Sheet(id uint32) *Sheet { return c.of(c.copy.Sheet(sheet.ID(id))) }

// Of returns the sheets of a kind in order of their numbers.
func (c *Copy) Of(k Kind) []*Sheet {
	var out []*Sheet
	for _, r := range c.copy.Of(sheet.Kind(k)) {
		out = append(out, c.of(r))
	}
	return out
}

// Fields returns the fields that sheets of a kind may have, in their order.
func (c *Copy) Fields(k Kind) (out []*Field) {
	for _, f := range c.fields[k] {
		if f != nil {
			out = append(out, f)
		}
	}
	return out
}

// Field returns the field of that name that sheets of a kind may have, or nil.
func (c *Copy) Field(k Kind, name string) *Field {
	for _, f := range c.fields[k] {
		if f != nil && f.Name == name {
			return f
		}
	}
	return nil
}

// Tick returns the service's wall tick that the copy stands at. Two copies of one view and tick are equal.
func (c *Copy) Tick() int64 { return int64(c.copy.Tick) }

// Hash returns the hash of the copy, as docs/protocol.md defines it.
func (c *Copy) Hash() uint32 { return c.copy.Hash() }

// Me returns the sheet of the connection's own player, nil for a spectator.
func (c *Copy) Me() *Sheet {
	if len(c.seats) == 0 {
		return nil
	}
	return c.Sheet(c.seats[0])
}

// Seat returns the player's sheet with that number, or nil.
func (c *Copy) Seat(seat uint32) *Sheet { return c.Sheet(seat) }

// Lobby returns the lobby's sheet.
func (c *Copy) Lobby() *Sheet { return first(c.Of(KindLobby)) }

// Match returns the match's sheet, nil between matches.
func (c *Copy) Match() *Sheet { return first(c.Of(KindMatch)) }

// Arena returns the arena of the match, or between matches that of the next one; nil where the rulebook has no arenas.
func (c *Copy) Arena() *Arena {
	s := c.Match()
	if s == nil {
		s = c.Lobby()
	}
	if s != nil && len(c.Book.Arenas) > 0 {
		for i := range c.Book.Arenas {
			if a := &c.Book.Arenas[i]; a.Name == s.Text("arena") {
				return a
			}
		}
	}
	return nil
}

// Ground returns the ground of the present match, or of the next one; nil without any.
func (c *Copy) Ground() *Ground {
	if a := c.Arena(); a != nil {
		return a.Ground
	}
	return c.Book.Ground
}

// Parts is of how many lengths positions are: three on tall ground, otherwise two.
func (c *Copy) Parts() int {
	if g := c.Ground(); g != nil && g.Tall > 0 {
		return 3
	}
	return 2
}

// Teams returns the teams' sheets.
func (c *Copy) Teams() []*Sheet { return c.Of(KindTeam) }

// Players returns the players' sheets in order of their seats.
func (c *Copy) Players() []*Sheet { return c.Of(KindPlayer) }

// Record returns a player's record sheet, nil where it is not there.
func (c *Copy) Record(seat uint32) *Sheet {
	for _, s := range c.Of(KindRecord) {
		if s.Owner == seat {
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

// Clock returns what a clock field shows now, in milliseconds. Clocks are told only when they start, stop or are set;
// the rest is reckoned here.
func (c *Copy) Clock(s *Sheet, name string) int64 {
	v, ok := s.Get(name)
	if !ok || v.Type != TypeClock {
		return 0
	}
	now := c.wall
	if f := c.copy.Schema.Named(sheet.Kind(s.Kind), name); !f.Wall {
		play, _ := c.Match().Get("play")
		now = sheet.Tick(sheet.ClockTicks(play.N[0], play.N[1], play.N[2], c.wall))
	}
	return v.inner().ClockMillis(c.Rate, now)
}

// FormatClock writes milliseconds as mm:ss.mmm, with hours in front from one hour on.
func FormatClock(ms int64) string { return sheet.FormatClock(ms) }

// FormatThousandths writes thousandths, as number fields are kept and boards are shown, as a decimal without needless
// zeros.
func FormatThousandths(n int64) string { return sheet.ShowThousandths(n) }

// Wall returns the service's wall tick at which the copy is being read.
func (c *Copy) Wall() int64 { return int64(c.wall) }
