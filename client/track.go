package client

import (
	"math"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Seen is where something was at a wall tick, in millimetres; Z is how high above 0 on tall ground.
type Seen struct {
	Tick    int64 // wall tick
	X, Y, Z int64
	Put     bool // it was put there: there is no way from the place before
	stood   bool // nobody was told: it had not moved until then
}

// Place is where something is drawn, in millimetres; Z is how high above 0 on tall ground.
type Place struct{ X, Y, Z float64 }

func (s *Seen) place() Place { return Place{float64(s.X), float64(s.Y), float64(s.Z)} }

// Between returns where something was at a tick, given where it was seen, in order: on the straight line between the
// places before and after, unless it was put at the one after; at the first or the last place before and after all of
// them. Without any place it is at 0.
func Between(seen []Seen, tick float64) Place {
	for i := range seen {
		s := &seen[i]
		if float64(s.Tick) < tick {
			continue
		}
		if i == 0 || float64(s.Tick) == tick {
			return s.place()
		}
		p, to := seen[i-1].place(), s.place()
		if s.Put {
			return p
		}
		part := (tick - float64(seen[i-1].Tick)) / float64(s.Tick-seen[i-1].Tick)
		return Place{p.X + part*(to.X-p.X), p.Y + part*(to.Y-p.Y), p.Z + part*(to.Z-p.Z)}
	}
	if n := len(seen); n > 0 {
		return seen[n-1].place()
	}
	return Place{}
}

// maxSeen is how many places are kept of each thing that moves.
const maxSeen = 64

// Track is where one thing was seen, and how far behind all else it is drawn since it is told more rarely. The zero
// value has seen nothing.
type Track struct {
	seen  []Seen
	every int64   // ticks from one place to the next, while it moves
	extra float64 // ticks that it is drawn behind the others
	drawn float64 // the tick of which it was drawn last
	frame float64 // and of the frame for which it was
}

// Add takes the next place; rate is ticks a second. Who is not told of a change stood still: after a gap that is longer
// than the ones before, it is taken to have stood until as long before as they were. speed is the greatest that it can
// have, in millimetres a tick, 0 where that is not known: who is farther away than that was put there.
func (t *Track) Add(s Seen, rate int, speed float64) {
	n := len(t.seen)
	if n == 0 || s.Tick < t.seen[n-1].Tick { // or the lobby has gone on from before
		t.seen, t.every = append(t.seen[:0], s), 1
		return
	}
	last := t.seen[n-1]
	if last.Tick == s.Tick {
		s.Put = s.Put || last.Put
		t.seen[n-1] = s
		return
	}
	gap := s.Tick - last.Tick
	before := t.every
	for i := n - 2; i >= 0; i-- {
		if !t.seen[i].stood {
			before = min(last.Tick-t.seen[i].Tick, int64(rate))
			break
		}
	}
	if gap > before+1 {
		gap = min(t.every, gap-1)
		t.seen = append(t.seen, Seen{Tick: s.Tick - gap, X: last.X, Y: last.Y, Z: last.Z, stood: true})
	} else {
		t.every = gap
	}
	way := math.Hypot(math.Hypot(float64(s.X-last.X), float64(s.Y-last.Y)), float64(s.Z-last.Z))
	s.Put = s.Put || speed > 0 && way > 3*speed*float64(gap)+farther
	if t.seen = append(t.seen, s); len(t.seen) > maxSeen {
		t.seen = t.seen[:copy(t.seen, t.seen[len(t.seen)-maxSeen/2:])]
	}
}

// farther is how much farther than by itself something may get in a tick, when it is pushed, in millimetres.
const farther = 1000

// At returns where it is drawn in a frame of a tick, as Screen gives it. Frames come in order.
func (t *Track) At(frame float64) Place {
	if behind := float64(max(t.every, 1) - 1); behind >= t.extra {
		t.extra = behind
	} else if frame > t.frame {
		t.extra = max(behind, t.extra-(frame-t.frame)/10)
	}
	tick := frame - t.extra
	if frame >= t.frame {
		tick = max(tick, t.drawn)
	}
	t.drawn, t.frame = tick, frame
	return Between(t.seen, tick)
}

// track follows the positions called pos.
func (c *Copy) track(ch Change, tick sheet.Tick) {
	switch {
	case ch.Gone || ch.Field != nil && ch.Field.Name == "pos" && !ch.Seen:
		delete(c.seen, ch.Sheet.ID)
	case ch.Field != nil && ch.Field.Name == "pos":
		if c.seen == nil {
			c.seen = map[uint32]*Track{}
		}
		t := c.seen[ch.Sheet.ID]
		if t == nil {
			t = &Track{}
			c.seen[ch.Sheet.ID] = t
		}
		speed := 0.0
		if ch.Sheet.Kind == KindPlayer {
			speed = float64(c.Book.Speed) / float64(max(c.Rate, 1))
		}
		t.Add(Seen{Tick: int64(tick), X: ch.New.N[0], Y: ch.New.N[1], Z: ch.New.N[2]}, c.Rate, speed)
	}
}

// Place returns where a player, a creature or a piece was at a tick: see Between. To draw it, see Conn.Frame.
func (c *Copy) Place(s *Sheet, tick float64) Place {
	if s == nil || c.seen[s.ID] == nil {
		return Place{}
	}
	return Between(c.seen[s.ID].seen, tick)
}
