package socket

import (
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
)

// conns are the live connections of this node.
type conns struct {
	mu     sync.Mutex
	hall   *hall.Hall
	n      *atomic.Int64
	last   uint64         // guarded by mu; the number of the newest
	all    map[*conn]bool // guarded by mu
	recent []recent       // guarded by mu
	signed []signed       // guarded by mu; further players on connections of others
}

// recent is what was voided a short while ago: a connection may have been let in just before.
type recent struct {
	account.Void
	at time.Time
}

const recently = 15 * time.Second

func (all *conns) add(c *conn) {
	all.mu.Lock()
	all.last++
	c.no, all.all[c] = all.last, true
	all.n.Store(int64(len(all.all)))
	over := slices.ContainsFunc(all.recent, func(r recent) bool { return c.who.Voided(&r.Void) })
	all.mu.Unlock()
	if over {
		c.void()
	}
}

func (all *conns) count() float64 {
	all.mu.Lock()
	defer all.mu.Unlock()
	return float64(len(all.all))
}

func (all *conns) remove(c *conn) {
	all.mu.Lock()
	defer all.mu.Unlock()
	delete(all.all, c)
	all.n.Store(int64(len(all.all)))
}

// void ends the connections whose tokens are good no more.
func (all *conns) void(voids []account.Void) {
	var over []*conn
	all.mu.Lock()
	now := time.Now()
	all.recent = slices.DeleteFunc(all.recent, func(r recent) bool { return now.Sub(r.at) > recently })
	for _, v := range voids {
		all.recent = append(all.recent, recent{v, now})
	}
	for c := range all.all {
		for i := range voids {
			if c.who.Voided(&voids[i]) {
				over = append(over, c)
				break
			}
		}
	}
	for _, x := range all.signed {
		if slices.ContainsFunc(voids, func(v account.Void) bool { return x.who.Voided(&v) }) {
			defer x.at.TakeOff(x.who.Player)
		}
	}
	all.mu.Unlock()
	for _, c := range over {
		c.void()
	}
	for i := range voids { // also where nobody knows any more with which token they came
		for _, l := range all.hall.Where(voids[i].Player()) {
			l.TakeOff(voids[i].Player())
		}
	}
}

// void ends a connection whose token is good no more.
func (c *conn) void() {
	if c.client != nil {
		c.client.EndFor(fault.New(code.BadToken, "you have signed out, or your key was revoked: sign in again"))
		return
	}
	c.close(websocket.ClosePolicyViolation, string(code.BadToken))
	c.ws.Close()
}
