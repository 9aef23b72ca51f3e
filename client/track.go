package client

import (
	"turnvex.example/turnvex/internal/core/sheet"
)

// Seen is where something was at a wall tick, in millimetres.
type Seen struct {
	Tick int64 // wall tick
	X, Y int64
}

// Between returns where something is shown at a tick, given where it was seen, in order: on the straight line between
// the places before and after; at the first or the last place before and after all of them. It reckons nothing beyond
// what was seen, so show a tick or two behind the service's present one. Without any place it returns 0, 0.
func Between(seen []Seen, tick float64) (x, y float64) {
	for i, s := range seen {
		if float64(s.Tick) < tick {
			continue
		}
		if i == 0 {
			return float64(s.X), float64(s.Y)
		}
		p := seen[i-1]
		part := (tick - float64(p.Tick)) / float64(s.Tick-p.Tick)
		return float64(p.X) + part*float64(s.X-p.X), float64(p.Y) + part*float64(s.Y-p.Y)
	}
	if n := len(seen); n > 0 {
		return float64(seen[n-1].X), float64(seen[n-1].Y)
	}
	return 0, 0
}

// maxSeen is how many places are kept of each thing that moves.
const maxSeen = 12

// Follow adds a place to those that were seen, and may change their list in place. A gap of more than a second means
// that it stood still until shortly before; rate is ticks a second.
func Follow(seen []Seen, s Seen, rate int) []Seen {
	n := len(seen)
	switch {
	case n > 0 && seen[n-1].Tick == s.Tick:
		seen[n-1] = s
		return seen
	case n > 0 && s.Tick-seen[n-1].Tick > int64(rate):
		seen = append(seen, Seen{s.Tick - 1, seen[n-1].X, seen[n-1].Y})
	}
	seen = append(seen, s)
	if n := len(seen) - maxSeen; n > 0 {
		seen = seen[:copy(seen, seen[n:])]
	}
	return seen
}

// track follows the positions called pos.
func (c *Copy) track(ch Change, tick sheet.Tick) {
	switch {
	case ch.Gone || ch.Field != nil && ch.Field.Name == "pos" && !ch.Seen:
		delete(c.seen, ch.Sheet.ID)
	case ch.Field != nil && ch.Field.Name == "pos":
		if c.seen == nil {
			c.seen = map[uint32][]Seen{}
		}
		c.seen[ch.Sheet.ID] = Follow(c.seen[ch.Sheet.ID], Seen{int64(tick), ch.New.N[0], ch.New.N[1]}, c.Rate)
	}
}

// Place returns where a player, a creature or a piece is shown at a tick, in millimetres: see Between. Conn.ExactTick
// less the tick or two that one stays behind is a good tick.
func (c *Copy) Place(s *Sheet, tick float64) (x, y float64) {
	if s == nil {
		return 0, 0
	}
	return Between(c.seen[s.ID], tick)
}
