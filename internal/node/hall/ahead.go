package hall

import (
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// aheadMost is for how long an intent is held back for the tick that it names, and aheadCount how many of a seat are.
const (
	aheadMost  = 100 * time.Millisecond
	aheadCount = 16
)

// released is the tick of an intent that has waited.
const released = -1

// ahead is an intent that waits for its tick.
type ahead struct {
	at sheet.Tick
	c  *Client
	m  *wire.Intent
}

// holds keeps an intent back until the tick that it names, and what the seat asks for behind it. A client that walks
// ahead of the service names the tick at which it has set out itself. Nobody gains by it: an intent is never taken
// before it has come.
func (l *playing) holds(c *Client, m *wire.Intent) bool {
	if !slices.Contains(c.own(), sheet.ID(m.Seat)) { // who has no say in it does not hurry it either
		return false
	}
	now, count := l.clock(), 0
	at := min(sheet.Tick(m.Tick), now+max(sheet.Tick(aheadMost*time.Duration(l.book.Rate)/time.Second), 1))
	for _, a := range l.ahead {
		if a.m.Seat == m.Seat {
			at, count = max(at, a.at), count+1
		}
	}
	if at <= now || count >= aheadCount {
		if count > 0 { // the order stays
			l.release(func(a ahead) bool { return a.m.Seat == m.Seat })
		}
		return false
	}
	l.ahead = append(l.ahead, ahead{at, c, m})
	return true
}

// due takes the intents whose tick has come.
func (l *playing) due() {
	if len(l.ahead) > 0 {
		now := l.clock()
		l.release(func(a ahead) bool { return a.at <= now })
	}
}

// release takes some of the intents that wait, in the order in which they came.
func (l *playing) release(which func(ahead) bool) {
	all := l.ahead
	l.ahead = slices.DeleteFunc(slices.Clone(all), which)
	for _, a := range all {
		if which(a) {
			a.m.Tick = released
			l.intent(a.c, a.m)
		}
	}
}

// next is the first tick for which an intent waits; 0 for none.
func (l *playing) next() (next sheet.Tick) {
	for _, a := range l.ahead {
		next = sheet.Sooner(next, a.at)
	}
	return next
}
