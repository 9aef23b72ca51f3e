package handover_test

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// person is a client, as the live protocol has it: it numbers its intents, sends those again of which it knows nothing
// when it comes back, and counts what it was told.
type person struct {
	w     *world
	name  string
	code  string
	at    *node
	to    *run
	conn  *hall.Client
	asked uint64        // the number of its last intent
	lag   time.Duration // before its connection takes something

	mu      sync.Mutex
	key     string          // guarded by mu; to come back with
	branch  string          // guarded by mu; of the copy
	seat    sheet.ID        // guarded by mu
	gone    bool            // guarded by mu; the connection has ended
	in      bool            // guarded by mu; it has been welcomed
	open    map[uint64]bool // guarded by mu; intents of which it knows nothing yet
	refused int             // guarded by mu
	unsure  int             // guarded by mu; told to be done while the database was away, which may yet be lost
	sure    uint64          // guarded by mu; the number of the last intent that it was told was taken
	lost    int             // guarded by mu; intents that it was told were taken, and then that they were not
	shown   time.Time       // guarded by mu; when its copy changed last
	still   string          // guarded by mu; why play stands still, as it was told; empty while it does not
	copy    *replica.Copy   // guarded by mu
}

// come joins, or comes back, wherever the lobby is.
func (p *person) come() bool {
	p.mu.Lock()
	here, key := p.conn != nil && !p.gone && p.at.run == p.to, p.key
	p.mu.Unlock()
	if here {
		return true
	}
	for _, e := range p.w.db.Entries() {
		if e.Code != p.code || e.State == directory.Closed {
			continue
		}
		for _, n := range p.w.nodes {
			if n.name != e.Node || !n.alive() {
				continue
			}
			l, err := n.hall.Find(p.code)
			if err != nil {
				return false
			}
			c, err := l.Join(context.Background(), hall.Joining{Account: p.name, Name: p.name, Resume: key})
			if err != nil {
				return false
			}
			p.mu.Lock()
			p.at, p.to, p.conn, p.gone, p.in = n, n.run, c, false, false
			p.mu.Unlock()
			c.Serve(func(list []*outbox.Frame, bye *wire.Bye) bool { return p.take(c, list, bye) }, nil)
			return true
		}
	}
	return false
}

// take takes what the connection is sent. What a node would say without a lease ends the connection.
func (p *person) take(c *hall.Client, list []*outbox.Frame, bye *wire.Bye) bool {
	time.Sleep(p.lag)
	p.mu.Lock()
	defer p.mu.Unlock()
	silent := !p.to.cluster.Lease.Holds()
	for _, f := range list {
		silent = silent && !f.Anyway
	}
	for _, f := range list {
		if c == p.conn && !silent {
			p.hear(f.Data)
		}
		f.Free()
	}
	over := bye != nil || silent && len(list) > 0
	if c == p.conn && over {
		p.gone = true
	}
	return !over
}

func (p *person) hear(data []byte) {
	var m struct {
		Is   string
		N    uint64
		OK   bool
		Code string
		Over bool
		Why  string
	}
	json.Unmarshal(data, &m)
	switch m.Is {
	case "welcome":
		var w wire.Welcome
		json.Unmarshal(data, &w)
		if len(w.Seats) != 1 || p.seat != 0 && p.seat != sheet.ID(w.Seats[0].Seat) {
			p.w.t.Errorf("%s had seat %d and has now %+v", p.name, p.seat, w.Seats)
			return
		}
		p.key, p.seat, p.in = w.Resume, sheet.ID(w.Seats[0].Seat), true
		p.branch = w.Branch
		p.lost += int(max(p.sure, w.Seats[0].Last) - w.Seats[0].Last)
		p.sure = w.Seats[0].Last
		if schema, err := w.Schema.Schema(); err == nil {
			p.copy = replica.NewCopy(schema)
		}
		p.w.notef("WELCOME %s last %d by %s open %v", p.name, w.Seats[0].Last, p.at.name, p.open)
		for _, n := range slices.Sorted(maps.Keys(p.open)) {
			if n > w.Seats[0].Last {
				p.conn.Receive(p.intent(n))
				continue
			}
			if delete(p.open, n); !p.to.firm() { // it was taken, and told to a connection that is no more
				p.unsure++
			}
		}
	case "still":
		p.still = m.Why
	case "snapshot", "delta":
		p.shown = time.Now()
		_, _, parts, err := wire.Parts(replica.JSON, data)
		if err == nil && m.Is == "snapshot" {
			_, err = p.copy.Replace(parts)
		} else if err == nil {
			_, err = p.copy.Apply(parts)
		}
		if err != nil {
			p.w.t.Errorf("%s: %s does not fit the copy: %v", p.name, data, err)
		}
	case "verdict":
		if !p.open[m.N] {
			return
		}
		if delete(p.open, m.N); m.OK {
			p.sure = max(p.sure, m.N)
		}
		if !m.OK {
			p.refused++
			p.w.notef("%s: intent %d is refused: %s", p.name, m.N, m.Code)
		} else if !p.to.firm() {
			p.unsure++
			p.w.notef("ACK %s %d by %s unsure", p.name, m.N, p.at.name)
		} else {
			p.w.notef("ACK %s %d by %s", p.name, m.N, p.at.name)
		}
	}
}

// intent is an intent by its number: the first says that the person is ready, all others count.
func (p *person) intent(n uint64) *wire.Intent {
	in := &wire.Intent{Is: "intent", N: n, Seat: uint32(p.seat), Do: "act", Name: "add"}
	if n == 1 {
		in.Do, in.Name = "ready", ""
	} else if n%4 == 0 && p.w.book.Name == "relay" {
		in.Name = "buy"
	}
	return in
}

// ask sends the next intent, if the person is there and has a seat.
func (p *person) ask() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.conn == nil || p.gone || !p.in {
		return
	}
	p.asked++
	p.open[p.asked] = true
	p.conn.Receive(p.intent(p.asked))
}

// sees is how many points somebody has in the person's copy.
func (p *person) sees(who *person) int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.copy.Sheet(who.seat).Int("points")
}

// settled tells whether the person knows what became of everything that it asked for.
func (p *person) settled() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.conn != nil && !p.gone && len(p.open) == 0
}
