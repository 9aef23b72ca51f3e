package client

import (
	"time"

	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// estimate is what a client knows of the service's wall tick. A pong tells the tick
// at about the middle of its round trip, so the sample with the shortest round trip
// of the last few is the best: at a steady delay it is good to a fraction of a tick.
// Until the first pong has come, ticks that are merely heard of serve.
type estimate struct {
	rate    int
	heardAt time.Time
	ticks   sheet.Tick
	samples [maxSamples]sample
	count   int
}

// maxSamples is how many round trips are looked at: with a ping each 2 s those of
// the last 16 s, so that a drifting clock does not go unnoticed.
const maxSamples = 8

// sample is one round trip.
type sample struct {
	trip time.Duration
	at   time.Time // when the service's tick was …
	tick float64   // … this
}

// heard takes a tick that was read. It is only moved forward by what arrives sooner
// than expected, so that one slow message does not make clocks run late.
func (e *estimate) heard(t sheet.Tick, rate int) {
	e.rate = rate
	if e.heardAt.IsZero() || t >= e.heardNow() || e.heardNow()-t > sheet.Tick(rate) {
		e.ticks, e.heardAt = t, time.Now()
	}
}

func (e *estimate) heardNow() sheet.Tick {
	return e.ticks + sheet.Tick(time.Since(e.heardAt)*time.Duration(e.rate)/time.Second)
}

// measured takes a round trip that ends now.
func (e *estimate) measured(sent time.Time, p *wire.Ping) {
	now := time.Now()
	trip := now.Sub(sent)
	e.samples[e.count%maxSamples] = sample{trip, now.Add(-trip / 2), float64(p.Tick) + float64(p.Part)/1000}
	e.count++
}

// exact is the present tick with its fraction.
func (e *estimate) exact() float64 {
	if e.count == 0 {
		return float64(e.heardNow())
	}
	best := &e.samples[0]
	for i := range e.samples[:min(e.count, maxSamples)] {
		if e.samples[i].trip < best.trip {
			best = &e.samples[i]
		}
	}
	return best.tick + time.Since(best.at).Seconds()*float64(e.rate)
}

func (e *estimate) tick() sheet.Tick { return sheet.Tick(e.exact()) }

// reset forgets round trips, as after a connection was lost: the next node's clock
// may be another one.
func (e *estimate) reset() { e.count = 0 }

// pingEvery is the time between a client's own pings, firstPings how many come
// quickly at first.
const (
	pingEvery  = 2 * time.Second
	firstPings = 4
)

// ping measures the round trip until the connection is away.
func (c *Conn) ping(s *socket, away <-chan struct{}) {
	c.mu.Lock()
	c.time.reset()
	c.pings = map[uint64]time.Time{}
	c.mu.Unlock()
	wait := time.NewTimer(0)
	defer wait.Stop()
	for n := uint64(1); ; n++ {
		select {
		case <-wait.C:
		case <-away:
			return
		}
		c.mu.Lock()
		c.pings[n] = time.Now()
		delete(c.pings, n-maxSamples)
		c.mu.Unlock()
		if s.say(wire.Ping{Is: "ping", N: n}) != nil {
			return
		}
		if wait.Reset(pingEvery); n < firstPings {
			wait.Reset(pingEvery / 20)
		}
	}
}

// pong takes the answer to one of the client's own pings.
func (c *Conn) pong(p *wire.Ping) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if sent, ok := c.pings[p.N]; ok {
		delete(c.pings, p.N)
		c.time.measured(sent, p)
	}
}

// Tick returns the service's present wall tick, as far as can be known here: at a
// steady delay it is right to one tick.
func (c *Conn) Tick() int64 { return int64(c.ExactTick()) }

// ExactTick returns the service's present wall tick with its fraction, for showing
// what moves between ticks: see Copy.Place.
func (c *Conn) ExactTick() float64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.time.exact()
}

// Trip returns the shortest of the last round trips to the service and back, 0
// before the first.
func (c *Conn) Trip() time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	best := time.Duration(0)
	for _, s := range c.time.samples[:min(c.time.count, maxSamples)] {
		if best == 0 || s.trip < best {
			best = s.trip
		}
	}
	return best
}
