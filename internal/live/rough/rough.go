// Package rough makes connections bad on purpose, for practice and for tests: it delays, jitters, stalls and cuts them.
// Bytes arrive late, but whole and in order, as over TCP.
package rough

import (
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
)

// Network says how bad connections are. The zero value leaves them as they are.
type Network struct {
	Delay  time.Duration // each way
	Jitter time.Duration // up to so much more, at random

	StallEvery time.Duration // on average so long after the last stall …
	StallFor   time.Duration // … nothing arrives for this time

	CutEvery time.Duration // on average so long after it was opened a connection is cut; 0 for never

	Seed uint64 // of all chance; one of its own if 0
}

// The limits of what may be asked for.
const (
	maxDelay = 10 * time.Second
	maxEvery = time.Hour
)

// Forms is how a network is written, for help texts.
const Forms = "delay=80ms,jitter=20ms,stall=2s/30s,cut=1m: a delay each way, up to this much more at random, a " +
	"stall of 2 s every 30 s on average, cut off after a minute on average"

// Parse reads a network such as delay=80ms,jitter=20ms,stall=2s/30s,cut=1m. Each part may be left out; "" is the zero
// value.
func Parse(s string) (Network, error) {
	var n Network
	for _, part := range strings.Split(s, ",") {
		if s == "" {
			break
		}
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		lasts, every, isPair := strings.Cut(value, "/")
		one, err := time.ParseDuration(lasts)
		most := maxDelay
		switch {
		case name == "delay":
			n.Delay = one
		case name == "jitter":
			n.Jitter = one
		case name == "cut":
			n.CutEvery, most = one, maxEvery
		case name == "stall" && isPair:
			n.StallFor = one
			if n.StallEvery, err = time.ParseDuration(every); err == nil && (n.StallEvery <= 0 ||
				n.StallEvery > maxEvery) {
				err = fmt.Errorf("stalls come every 1 ns to %s", maxEvery)
			}
		default:
			err = fmt.Errorf("unknown")
		}
		if err != nil || one < 0 || one > most {
			return n, fmt.Errorf("%q is not understood; write it as %s", part, Forms)
		}
	}
	return n, nil
}

// Zero tells whether connections are left as they are.
func (n Network) Zero() bool {
	return n.Delay == 0 && n.Jitter == 0 && n.StallEvery == 0 && n.CutEvery == 0
}

// Wrap returns the connection made bad. Closing it closes the other. It may be used as any net.Conn, but by one reader
// at a time.
func (n Network) Wrap(inner net.Conn) net.Conn {
	if n.Zero() {
		return inner
	}
	if n.Seed == 0 {
		n.Seed = rand.Uint64()
	}
	c := &conn{Conn: inner, n: n, rng: rand.New(rand.NewPCG(n.Seed, 0)), done: make(chan struct{}),
		in: make(chan chunk, 256), out: make(chan chunk, 256)}
	c.stall = time.Now().Add(c.about(n.StallEvery))
	if n.CutEvery > 0 {
		c.cut = safe.After(c.about(n.CutEvery), "cut a rough network", func() { c.Close() })
	}
	safe.Go("read a rough network", c.readPump)
	safe.Go("write to a rough network", c.writePump)
	return c
}

// chunk is what was read or written at once, with when it arrives.
type chunk struct {
	data []byte
	due  time.Time
	err  error
}

type conn struct {
	net.Conn
	n    Network
	cut  *time.Timer
	done chan struct{}
	once sync.Once

	mu    sync.Mutex
	rng   *rand.Rand // guarded by mu
	stall time.Time  // guarded by mu; when the next stall begins
	last  [2]time.Time

	in, out  chan chunk
	ahead    *chunk    // taken from in, but not due yet
	left     []byte    // of a chunk that is being read
	readBy   time.Time // guarded by mu
	writeErr error     // guarded by mu
}

// about is a random time with the given mean.
func (c *conn) about(mean time.Duration) time.Duration {
	return time.Duration(c.rng.ExpFloat64() * float64(mean))
}

// due is when what is sent now arrives, never before what was sent earlier in the same direction.
func (c *conn) due(direction int) time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	at := time.Now().Add(c.n.Delay)
	if c.n.Jitter > 0 {
		at = at.Add(time.Duration(c.rng.Int64N(int64(c.n.Jitter) + 1)))
	}
	if c.n.StallEvery > 0 && at.After(c.stall) {
		end := c.stall.Add(c.n.StallFor)
		if at.Before(end) {
			at = end
		} else {
			c.stall = at.Add(c.about(c.n.StallEvery))
		}
	}
	if at.Before(c.last[direction]) {
		at = c.last[direction]
	}
	c.last[direction] = at
	return at
}

func (c *conn) readPump() {
	for {
		buf := make([]byte, 4096)
		n, err := c.Conn.Read(buf)
		if n > 0 && !c.arrives(chunk{data: buf[:n]}) || err != nil && !c.arrives(chunk{err: err}) || err != nil {
			return
		}
	}
}

// arrives hands a chunk to whoever reads, and tells whether anybody may.
func (c *conn) arrives(k chunk) bool {
	k.due = c.due(0)
	select {
	case c.in <- k:
		return true
	case <-c.done:
		return false
	}
}

func (c *conn) writePump() {
	for {
		select {
		case k := <-c.out:
			if c.wait(k.due, time.Time{}) != nil {
				return
			}
			if _, err := c.Conn.Write(k.data); err != nil {
				c.mu.Lock()
				c.writeErr = err
				c.mu.Unlock()
				return
			}
		case <-c.done:
			return
		}
	}
}

// wait waits until due, but not past by unless that is zero.
func (c *conn) wait(due, by time.Time) (late error) {
	if !by.IsZero() && by.Before(due) {
		due, late = by, errLate
	}
	t := time.NewTimer(time.Until(due))
	defer t.Stop()
	select {
	case <-t.C:
		return late
	case <-c.done:
		return net.ErrClosed
	}
}

func (c *conn) Read(p []byte) (int, error) {
	c.mu.Lock()
	by := c.readBy
	c.mu.Unlock()
	if len(c.left) == 0 {
		k, err := c.next(by)
		if err != nil {
			return 0, err
		}
		c.left = k.data
	}
	n := copy(p, c.left)
	c.left = c.left[n:]
	return n, nil
}

// next waits for the next chunk, not past by. One that is not due by then is there for the next call, and so is the
// error that the connection ended with.
func (c *conn) next(by time.Time) (chunk, error) {
	if c.ahead == nil {
		var late <-chan time.Time
		if !by.IsZero() {
			t := time.NewTimer(time.Until(by))
			defer t.Stop()
			late = t.C
		}
		select {
		case k := <-c.in:
			c.ahead = &k
		case <-late:
			return chunk{}, errLate
		case <-c.done:
			return chunk{}, net.ErrClosed
		}
	}
	k := *c.ahead
	if err := c.wait(k.due, by); err != nil {
		return chunk{}, err
	}
	if k.err == nil {
		c.ahead = nil
	}
	return k, k.err
}

// errLate is what a read past its deadline returns.
var errLate = &net.OpError{Op: "read", Net: "tcp", Err: os.ErrDeadlineExceeded}

func (c *conn) Write(p []byte) (int, error) {
	c.mu.Lock()
	err := c.writeErr
	c.mu.Unlock()
	if err != nil {
		return 0, err
	}
	select { // which of the cases below would be chosen is chance
	case <-c.done:
		return 0, net.ErrClosed
	default:
	}
	select {
	case c.out <- chunk{data: append([]byte(nil), p...), due: c.due(1)}:
		return len(p), nil
	case <-c.done:
		return 0, net.ErrClosed
	}
}

func (c *conn) Close() error {
	c.once.Do(func() {
		close(c.done)
		if c.cut != nil {
			c.cut.Stop()
		}
	})
	return c.Conn.Close()
}

// SetReadDeadline holds for reads that begin afterwards.
func (c *conn) SetReadDeadline(t time.Time) error {
	c.mu.Lock()
	c.readBy = t
	c.mu.Unlock()
	return nil
}

func (c *conn) SetDeadline(t time.Time) error {
	c.SetReadDeadline(t)
	return c.Conn.SetWriteDeadline(t)
}
