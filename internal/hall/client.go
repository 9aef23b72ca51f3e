package hall

import (
	"sync"
	"sync/atomic"
	"time"

	"turnvex/internal/code"
	"turnvex/internal/replica"
	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// The bounds of what waits for one connection. A client behind the first gets no
// notices that are only for show; one behind the second gets no deltas until it
// has caught up, and then one with all it has missed; one behind the third is
// sent away.
const (
	showFrames, showBytes   = 24, 64 << 10
	deltaFrames, deltaBytes = 48, 256 << 10
	mostFrames, mostBytes   = 1024, 1 << 20
)

// Client is one connection to a lobby. The lobby's loop puts frames in; the
// connection's writer takes them out.
type Client struct {
	lobby   *Lobby
	account string
	key     string // to come back with
	watch   bool
	referee bool
	waits   bool          // stands in line for a seat
	delay   time.Duration // how much later everything is shown
	first   atomic.Uint32 // the seat of the player who has signed in
	count   atomic.Int32  // seats at the beginning
	enc     replica.Encoding
	behind  atomic.Bool // deltas were left out: it gets what it missed when it has taken what waits

	// Used by the lobby's loop alone.
	replica.Viewer
	fresh  bool      // it has no copy: send a snapshot
	back   bool      // its copy is of before the connection was lost: send what it missed
	why    *wire.Bye // why the service ended the connection before this one
	missed int       // notices left out and not told of
	check  *check

	mu      sync.Mutex
	queue   []*Frame // guarded by mu
	bytes   int      // guarded by mu; of queue
	taken   []*Frame // guarded by mu; what Take gave last, to be reused
	bye     *wire.Bye
	later   []delayed // guarded by mu
	waiting int       // guarded by mu; bytes of later
	wake    chan struct{}
}

func newClient(l *Lobby, enc replica.Encoding) *Client {
	c := &Client{lobby: l, fresh: true, enc: enc, wake: make(chan struct{}, 1)}
	c.Viewer.Enc = enc
	return c
}

// put adds a frame for the writer, which takes over the caller's hold on it: at
// once, or after the delay with which spectators see everything.
func (c *Client) put(f *Frame) {
	if c.delay == 0 {
		c.putNow(f)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.later = append(c.later, delayed{time.Now().Add(c.delay), f})
	if c.waiting += len(f.Data); c.waiting > maxDelayed {
		c.endLocked(tooSlow)
	}
	if len(c.later) == 1 {
		time.AfterFunc(c.delay, c.release)
	}
}

// maxDelayed is how many bytes may wait for one spectator because of the delay.
const maxDelayed = 32 << 20

// release puts the frames whose time has come.
func (c *Client) release() {
	c.mu.Lock()
	var due []*Frame
	for len(c.later) > 0 && !c.later[0].due.After(time.Now()) {
		due = append(due, c.later[0].frame)
		c.waiting -= len(c.later[0].frame.Data)
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
	frame *Frame
}

var tooSlow = wire.Bye{Code: string(code.Slow), Reason: "the connection takes what is sent too slowly", Again: true}

// putNow adds a frame for the writer. When that is too much even for a client
// whose changes are merged, the connection ends.
func (c *Client) putNow(f *Frame) {
	c.mu.Lock()
	switch {
	case c.bye != nil:
		f.Free()
	case len(c.queue) >= mostFrames || c.bytes+len(f.Data) > mostBytes && c.bytes > 0:
		c.endLocked(tooSlow)
		f.Free()
	default:
		c.queue = append(c.queue, f)
		c.bytes += len(f.Data)
	}
	c.mu.Unlock()
	c.signal()
}

// say puts a message of the client's own.
func (c *Client) say(v any) {
	f := newFrame(c.enc)
	f.Data = append(f.Data, wire.Encode(c.enc, v)...)
	c.put(f)
}

// sayNow is say without the delay of spectators.
func (c *Client) sayNow(v any) {
	f := newFrame(c.enc)
	f.Data = append(f.Data, wire.Encode(c.enc, v)...)
	c.putNow(f)
}

// load tells whether what waits passes the bounds for notices, and for deltas.
func (c *Client) load() (noShow, noDelta bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.queue) >= showFrames || c.bytes >= showBytes, len(c.queue) >= deltaFrames || c.bytes >= deltaBytes
}

// end makes the connection end after what waits, with a reason.
func (c *Client) end(b wire.Bye) {
	c.mu.Lock()
	c.endLocked(b)
	c.mu.Unlock()
	c.signal()
}

func (c *Client) endLocked(b wire.Bye) {
	if c.bye == nil {
		b.Is = "bye"
		c.bye = &b
	}
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
// is to end after them. The caller frees each frame; the list is good until the
// next Take.
func (c *Client) Take() (list []*Frame, bye *wire.Bye) {
	c.mu.Lock()
	defer c.mu.Unlock()
	list = c.queue
	c.queue, c.taken, c.bytes = c.taken[:0], list, 0
	return list, c.bye
}

// Stuck notes that the connection took nothing for too long.
func (c *Client) Stuck() { c.end(tooSlow) }

// Drained tells the lobby that a client has taken what waited, if it has fallen
// behind and so waits for what it missed.
func (c *Client) Drained() {
	if c.behind.Load() {
		c.lobby.post(func() {})
	}
}

// caughtUp tells whether a client has taken everything.
func (c *Client) caughtUp() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.queue) == 0
}

// ended is why the service ends the connection, nil while it does not.
func (c *Client) ended() *wire.Bye {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.bye
}

// First returns the seat of the player who has signed in, 0 for a spectator and
// for who stands in line.
func (c *Client) First() sheet.ID { return sheet.ID(c.first.Load()) }

// Count is how many seats the connection had at its beginning, 1 for none.
func (c *Client) Count() int { return max(int(c.count.Load()), 1) }
