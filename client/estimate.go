package client

import (
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// estimate is what a client knows of the service's wall tick. A pong tells the tick at about the middle of its round
// trip, so the sample with the shortest round trip of the last few is the best: at a steady delay it is good to a
// fraction of a tick. Until the first pong has come, ticks that are merely heard of serve.
type estimate struct {
	mu      sync.Mutex // so that it may be asked while the copy is read
	rate    int
	heardAt time.Time
	ticks   sheet.Tick
	samples [maxSamples]sample
	count   int
	pings   map[uint64]time.Time // when each was sent
}

// maxSamples is how many round trips are looked at: with a ping each 2 s those of the last 16 s, so that a drifting
// clock does not go unnoticed.
const maxSamples = 8

// sample is one round trip.
type sample struct {
	trip time.Duration
	at   time.Time // when the service's tick was …
	tick float64   // … this
}

// heard takes a tick that was read. It is only moved forward by what arrives sooner than expected, so that one slow
// message does not make clocks run late.
func (e *estimate) heard(t sheet.Tick, rate int) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.rate = rate
	if e.heardAt.IsZero() || t >= e.heardNow() || e.heardNow()-t > sheet.Tick(rate) {
		e.ticks, e.heardAt = t, time.Now()
	}
}

func (e *estimate) heardNow() sheet.Tick {
	return e.ticks + sheet.Tick(time.Since(e.heardAt)*time.Duration(e.rate)/time.Second)
}

// sent notes that a ping goes out.
func (e *estimate) sent(n uint64) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.pings[n] = time.Now()
	delete(e.pings, n-maxSamples)
}

// measured takes the answer to one of the client's own pings.
func (e *estimate) measured(p *wire.Ping) {
	now := time.Now()
	e.mu.Lock()
	defer e.mu.Unlock()
	sent, ok := e.pings[p.N]
	if !ok {
		return
	}
	delete(e.pings, p.N)
	trip := now.Sub(sent)
	e.samples[e.count%maxSamples] = sample{trip, now.Add(-trip / 2), float64(p.Tick) + float64(p.Part)/1000}
	e.count++
}

// best is the sample with the shortest round trip, nil before the first.
func (e *estimate) best() *sample {
	var best *sample
	for i := range e.samples[:min(e.count, maxSamples)] {
		if best == nil || e.samples[i].trip < best.trip {
			best = &e.samples[i]
		}
	}
	return best
}

// exact is the present tick with its fraction.
func (e *estimate) exact() float64 {
	e.mu.Lock()
	defer e.mu.Unlock()
	if best := e.best(); best != nil {
		return best.tick + time.Since(best.at).Seconds()*float64(e.rate)
	}
	return float64(e.heardNow())
}

// up is how many ticks what is sent takes to the service, of the last round trips the longest, up to mostUp more than
// the shortest.
func (e *estimate) up() float64 {
	e.mu.Lock()
	defer e.mu.Unlock()
	best := e.best()
	if best == nil {
		return 1
	}
	least := best.trip.Seconds() / 2
	most := least
	for _, s := range e.samples[:min(e.count, maxSamples)] {
		sent := best.tick + s.at.Add(-s.trip/2).Sub(best.at).Seconds()*float64(e.rate)
		most = max(most, (s.tick-sent)/float64(e.rate))
	}
	return (min(most, least+mostUp.Seconds()) + spare.Seconds()) * float64(e.rate)
}

// mostUp is how much later than others what is sent is expected to come, and spare what is added to that.
const mostUp, spare = 60 * time.Millisecond, 10 * time.Millisecond

func (e *estimate) tick() sheet.Tick { return sheet.Tick(e.exact()) }

// reset forgets round trips, as after a connection was lost: the next node's clock may be another one.
func (e *estimate) reset() {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.count, e.pings = 0, map[uint64]time.Time{}
}

// pingEvery is the time between a client's own pings, firstPings how many come quickly at first.
const (
	pingEvery  = 2 * time.Second
	firstPings = 4
)

// ping measures the round trip until the connection is away.
func (c *Conn) ping(s *socket, away <-chan struct{}) {
	c.time.reset()
	wait := time.NewTimer(0)
	defer wait.Stop()
	for n := uint64(1); ; n++ {
		select {
		case <-wait.C:
		case <-away:
			return
		}
		c.time.sent(n)
		if s.say(wire.Ping{Is: "ping", N: n}) != nil {
			return
		}
		if wait.Reset(pingEvery); n < firstPings {
			wait.Reset(pingEvery / 20)
		}
	}
}

// Tick returns the service's present wall tick, as far as can be known here: at a steady delay it is right to one tick.
func (c *Conn) Tick() int64 { return int64(c.ExactTick()) }

// ExactTick returns the service's present wall tick with its fraction, for showing what moves between ticks: see
// Copy.Place.
func (c *Conn) ExactTick() float64 { return c.time.exact() }

// Trip returns the shortest of the last round trips to the service and back, 0 before the first.
func (c *Conn) Trip() time.Duration {
	c.time.mu.Lock()
	defer c.time.mu.Unlock()
	if best := c.time.best(); best != nil {
		return best.trip
	}
	return 0
}
