package hall

import (
	"crypto/rand"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
)

// standInLine puts a connection in line for a seat; meanwhile it sees what a spectator sees.
func (l *seating) standInLine(c *Client, j Joining) error {
	c.key, c.waits = rand.Text(), true
	out := l.step(&step.Input{Kind: step.Wait, Acct: j.Account, Name: l.apart(j.Name, 0), Conn: c.key, Team: j.Team,
		Pass: l.hall.digest(j.Pass), X: l.addressNumber(j.From)})
	if v := out.Verdict; !v.OK() {
		return fault.New(v.Code, "%s", v.Reason)
	}
	return nil
}

// seated tells a connection that stood in line that it has a seat now: with a new welcome and a snapshot of what it now
// may see.
func (l *seating) seated(seat sheet.ID, key string) {
	for _, c := range l.shows.clients {
		if c.key == key && c.waits {
			c.waits = false
			c.Seats = []sheet.ID{seat}
			c.first.Store(uint32(seat))
			l.keys[key] = &heldSeats{seats: []sheet.ID{seat}}
			l.shows.pub.feed.Join(&c.View, l.m.Store())
			l.welcome(c)
			c.fresh = true
			return
		}
	}
	l.step(&step.Input{Kind: step.Lost, Seat: seat}) // it has gone meanwhile; the seat is held as any other
}
