package hall

import (
	"sync"

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
	first   sheet.ID // the seat of the player who has signed in; set before the client is handed out

	// Used by the lobby's loop alone.
	view  replica.View
	on    sheet.Tick // the tick that the client's copy stands at
	fresh bool       // it has no copy yet: send a snapshot

	mu     sync.Mutex
	frames [][]byte // guarded by mu
	bytes  int      // guarded by mu
	behind bool     // guarded by mu; too much waited, so deltas were dropped
	bye    *wire.Bye
	wake   chan struct{}
}

func newClient(l *Lobby) *Client {
	return &Client{lobby: l, fresh: true, wake: make(chan struct{}, 1)}
}

// put adds a frame for the writer. When too much waits, the frame is dropped
// and the client falls behind: it will get a snapshot instead.
func (c *Client) put(frame []byte) {
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

// First returns the seat of the player who has signed in, 0 for a spectator.
func (c *Client) First() sheet.ID { return c.first }
