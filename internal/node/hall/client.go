package hall

import (
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/wire"
)

// A client for which more than this waits gets no notices that are only for show, or no deltas until it has caught up,
// and then one with all it has missed. Beyond the bounds of its box it is sent away.
const (
	showFrames, showBytes   = 24, 64 << 10
	deltaFrames, deltaBytes = 48, 256 << 10
)

// Client is one connection to a lobby. The lobby's loop puts frames into its box; the connection's writer takes them
// out.
type Client struct {
	*outbox.Box
	lobby    *room
	shows    *showing
	to       taker
	account  string
	key      string // to come back with
	watch    bool
	referee  bool
	waits    bool          // stands in line for a seat
	newcomer bool          // had no seat before
	delay    time.Duration // how much later everything is shown
	first    atomic.Uint32 // the seat of the player who has signed in
	count    atomic.Int32  // seats at the beginning
	behind   atomic.Bool   // deltas were left out: it gets what it missed when it has taken what waits

	// Used by the lobby's loop alone.
	replica.Viewer
	fresh  bool            // it has no copy: send a snapshot
	left   bool            // it has given up its seats, and is told nothing more than that
	back   bool            // its copy is of before the connection was lost: send what it missed
	why    *wire.Bye       // why the service ended the connection before this one
	missed int             // notices left out and not told of
	after  []*outbox.Frame // what must come behind the delta that it waits for
	checking

	mu      sync.Mutex
	later   []delayed // guarded by mu
	waiting int       // guarded by mu; bytes of later
}

var tooSlow = wire.Bye{Code: string(code.Slow), Reason: "the connection reads too slowly", Again: true}

func newClient(l *showing, to taker, enc replica.Encoding) *Client {
	return &Client{Box: outbox.NewBox(&tooSlow), lobby: l.room, shows: l, to: to, fresh: true,
		Viewer: replica.Viewer{Enc: enc}}
}

// Lobby is the join code of the lobby that the connection is to.
func (c *Client) Lobby() string { return c.lobby.Code }

// message makes a frame of a message of the client's own.
func (c *Client) message(v any) *outbox.Frame {
	f := outbox.New(c.Enc)
	f.Data = append(f.Data, wire.Encode(c.Enc, v)...)
	return f
}

// Say puts a message of the connection's own, which spectators too are told at once.
func (c *Client) Say(v any) { c.Put(c.message(v)) }

// sayAnyway is Say for what says nothing of play, and so may be told when nothing else may.
func (c *Client) sayAnyway(v any) {
	f := c.message(v)
	f.Anyway = true
	c.Put(f)
}

// AskPing puts a ping with the wall tick that the clock stands at.
func (c *Client) AskPing(n uint64) {
	tick, part := c.Now()
	c.sayAnyway(wire.Ping{Is: "ping", N: n, Tick: tick, Part: part})
}

// say puts a message of the client's own.
func (c *Client) say(v any) { c.put(c.message(v)) }

// put adds a frame for the writer, which takes over the caller's hold on it: at once, or after the delay with which
// spectators see everything.
func (c *Client) put(f *outbox.Frame) {
	switch l := c.lobby; {
	case l.hall.cfg.PublishKept && l.memory != nil || c.shows.pub.holds:
		c.shows.pub.held = append(c.shows.pub.held, heldFrame{c, f})
	case c.delay > 0:
		c.putLater(f)
	default:
		c.Put(f)
	}
}

// show adds a frame that was held and may be told: at once, or after the delay of spectators.
func (c *Client) show(f *outbox.Frame) {
	if c.delay > 0 {
		c.putLater(f)
		return
	}
	c.Put(f)
}

// load tells whether what waits passes the bounds for notices, and for deltas.
func (c *Client) load() (noShow, noDelta bool) {
	frames, bytes := c.Load()
	return frames >= showFrames || bytes >= showBytes, frames >= deltaFrames || bytes >= deltaBytes
}

// mostAfter is how many frames may wait for a client's delta.
const mostAfter = 256

// follow puts a frame that must not come before the delta of its tick: at once, or, for who has fallen behind, when it
// has caught up.
func (c *Client) follow(f *outbox.Frame) {
	switch {
	case !c.behind.Load():
		c.put(f)
	case len(c.after) == mostAfter:
		c.End(tooSlow)
	default:
		c.after = append(c.after, f)
	}
}

// followUp puts what has waited for the delta.
func (c *Client) followUp() {
	for _, f := range c.after {
		c.put(f)
	}
	c.after = nil
}

// caughtUp tells whether a client has taken everything.
func (c *Client) caughtUp() bool {
	frames, _ := c.Load()
	return frames == 0
}

// Stuck notes that the connection took nothing for too long.
func (c *Client) Stuck() { c.End(tooSlow) }

// Drained tells the lobby that a client has taken what waited, if it has fallen behind and so waits for what it missed.
func (c *Client) Drained() {
	if c.behind.Load() {
		c.lobby.post(func() {})
	}
}

// First returns the seat of the player who has signed in, 0 for a spectator and for who stands in line.
func (c *Client) First() sheet.ID { return sheet.ID(c.first.Load()) }

// Count is how many seats the connection had at its beginning, 1 for none.
func (c *Client) Count() int { return max(int(c.count.Load()), 1) }

// own are the seats for which the connection may ask; none for who watches.
func (c *Client) own() []sheet.ID {
	if c.watch {
		return nil
	}
	return c.Seats
}

// Now is the wall tick that the clock stands at, and how much of it has gone by in thousandths, for pings.
func (c *Client) Now() (tick, part int64) {
	l := c.lobby
	at := max(l.pace.played(l.hall.cfg.Now())-c.delay, 0) * time.Duration(l.book.Rate)
	return int64(at / time.Second), int64(at%time.Second) / int64(time.Millisecond)
}
