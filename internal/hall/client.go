package hall

import (
	"sync"
	"sync/atomic"
	"time"

	"turnvex/internal/replica"
	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// The bounds of what waits for one connection.
const (
	maxFrames = 256
	maxQueued = 1 << 20 // bytes
)

// Client is one connection to a lobby. The lobby's loop puts frames in; the
// connection's writer takes them out.
type Client struct {
	lobby   *Lobby
	account string
	key     string // to come back with
	watch   bool
	waits   bool          // stands in line for a seat
	delay   time.Duration // how much later everything is shown
	first   atomic.Uint32 // the seat of the player who has signed in

	// Used by the lobby's loop alone.
	view  replica.View
	on    sheet.Tick // the tick that the client's copy stands at
	fresh bool       // it has no copy yet: send a snapshot

	mu     sync.Mutex
	frames [][]byte // guarded by mu
	bytes  int      // guarded by mu
	behind bool     // guarded by mu; too much waited, so deltas were dropped
	bye    *wire.Bye
	later  []delayed // guarded by mu
	wake   chan struct{}
}

func newClient(l *Lobby) *Client {
	return &Client{lobby: l, fresh: true, wake: make(chan struct{}, 1)}
}

// put adds a frame for the writer: at once, or after the delay with which
// spectators see everything.
func (c *Client) put(frame []byte) {
	if c.delay == 0 {
		c.putNow(frame)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.later = append(c.later, delayed{time.Now().Add(c.delay), frame})
	if len(c.later) == 1 {
		time.AfterFunc(c.delay, c.release)
	}
}

// release puts the frames whose time has come.
func (c *Client) release() {
	c.mu.Lock()
	var due [][]byte
	for len(c.later) > 0 && !c.later[0].due.After(time.Now()) {
		due = append(due, c.later[0].frame)
		c.later = c.later[1:]
	}
	if len(c.later) > 0 && c.bye == nil {
		time.AfterFunc(time.Until(c.later[0].due), c.release)
	}
	c.mu.Unlock()
	for _, f := range due {
		c.putNow(f)
	}
}

// delayed is a frame that a spectator sees later.
type delayed struct {
	due   time.Time
	frame []byte
}

// putNow adds a frame for the writer. When too much waits, the frame is dropped
// and the client falls behind: it will get a snapshot instead.
func (c *Client) putNow(frame []byte) {
	c.mu.Lock()
	if c.bye == nil && !c.behind {
		if len(c.frames) >= maxFrames || c.bytes+len(frame) > maxQueued {
			c.behind = true
		} else {
			c.frames = append(c.frames, frame)
			c.bytes += len(frame)
		}
	}
	c.mu.Unlock()
	c.signal()
}

// end makes the connection end after what waits, with a reason.
func (c *Client) end(b wire.Bye) {
	c.mu.Lock()
	if c.bye == nil {
		b.Is = "bye"
		c.bye = &b
	}
	c.mu.Unlock()
	c.signal()
}

func (c *Client) signal() {
	select {
	case c.wake <- struct{}{}:
	default:
	}
}

// Wake tells that there may be something to Take.
func (c *Client) Wake() <-chan struct{} { return c.wake }

// Take returns the frames to write now, and the last message if the connection
// is to end after them.
func (c *Client) Take() (frames [][]byte, bye *wire.Bye) {
	c.mu.Lock()
	defer c.mu.Unlock()
	frames, c.frames, c.bytes = c.frames, nil, 0
	return frames, c.bye
}

// caughtUp tells whether a client that fell behind has taken everything, and so
// may get a snapshot.
func (c *Client) caughtUp() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.behind && len(c.frames) == 0 {
		c.behind = false
		return true
	}
	return false
}

// First returns the seat of the player who has signed in, 0 for a spectator and
// for who stands in line.
func (c *Client) First() sheet.ID { return sheet.ID(c.first.Load()) }
