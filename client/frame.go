package client

import (
	"slices"

	"turnvex.example/turnvex/internal/core/ahead"
)

// Frame is the match as it is drawn at one moment. It is a little in the past, by as much as what comes is late, so
// that there is a later place to draw everything towards; see Conn.Frame.
type Frame struct {
	*Copy
	At    float64 // the wall tick of which others are drawn
	Ahead float64 // the wall tick of which one's own player is drawn, if that can be known before it has happened

	own map[uint32]*ahead.Body
}

// Wrong returns how often one's own player turned out to be over 0.1 m from where it was drawn.
func (f *Frame) Wrong(seat uint32) int {
	if b := f.own[seat]; b != nil {
		return b.Wrong()
	}
	return 0
}

// Place returns where to draw a player, a creature or a piece. One's own player is where it will be when what is asked
// for now has come to the service, as far as that is known: the rulebook's speed must not vary, or be a field that the
// player is told.
func (f *Frame) Place(s *Sheet) Place {
	if s == nil || f.seen[s.ID] == nil {
		return Place{}
	}
	if b := f.own[s.ID]; b != nil {
		if x, y, z, ok := b.Place(f.Ahead); ok {
			return Place{x, y, z}
		}
	}
	return f.seen[s.ID].At(f.At)
}

// Frame calls f with the match as it is to be drawn now. Call it once for each frame. The copy does not change
// meanwhile.
func (c *Conn) Frame(f func(*Frame)) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.view.wall = c.time.tick()
	c.ownLocked()
	f(&Frame{Copy: c.view, At: c.draws.screen.Frame(c.time.exact(), c.view.Rate), Ahead: c.aheadLocked(),
		own: c.draws.own})
}

// Screen chooses the tick of which is drawn: as far behind the service's as ticks have come late in the last seconds,
// and the tick more that it takes to draw between two. All times are in ticks. The zero value has heard of none.
type Screen struct {
	late  [maxLate]float64 // how late the last ones came
	count int
	most  float64 // how late nearly all came: one in a hundred may have come later
	lag   float64 // how far behind is drawn
	at    float64 // the tick that was drawn last
	last  float64 // the service's tick then; 0 before the first frame

	newest float64 // the newest tick that came
	gap    float64 // to the one before
	every  float64 // the gaps while something moves
}

// maxLate is of how many ticks it is remembered how late they came.
const maxLate = 128

// Heard notes that what has changed from the tick on to tick came when the service was at now.
func (x *Screen) Heard(on, tick int64, now float64) {
	x.late[x.count%maxLate] = now - float64(tick)
	x.count++
	list := x.late
	n := min(x.count, maxLate)
	slices.Sort(list[:n])
	x.most = max(list[n-1-n/100], 0)
	before := x.gap
	x.gap, x.newest = float64(tick-on), float64(tick)
	switch {
	case x.gap <= before+1 && x.gap <= mostGap:
		x.every = x.gap
	case x.at >= float64(on): // all of it is drawn, and nothing has happened since but in the last tick
		x.at = max(x.at, min(now-x.lag, x.newest-max(x.every, 1)))
	}
}

// mostGap is how many ticks may lie between two changes for nothing to stand still meanwhile.
const mostGap = 20

// Frame returns the tick to draw when the service is at now; rate is ticks a second. It falls behind at once when ticks
// come later, by going at half the pace, and comes nearer slowly when they come in time again. It does not go
// beyond what has come, so that nothing jumps when the next tick comes late.
func (x *Screen) Frame(now float64, rate int) float64 {
	want := 1 + min(x.most, float64(2*rate)) + float64(rate)/100
	passed := max(now-x.last, 0)
	if x.lag = max(want, x.lag-passed/50); x.last == 0 {
		x.lag = want
	}
	off := now - x.lag - (x.at + passed)
	if x.last == 0 || off > float64(rate) || off < -float64(rate) {
		x.at = now - x.lag
	} else {
		x.at += passed * (1 + min(max(off, -0.5), off/10, 0.3))
	}
	x.at, x.last = min(x.at, x.newest+max(x.every-1, 0)), now
	return x.at
}
