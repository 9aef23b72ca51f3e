package client

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// Conn is a live connection. Its methods may be called from any goroutine.
type Conn struct {
	opts Options
	ctx  context.Context
	stop context.CancelFunc
	done chan struct{}

	mu    sync.Mutex
	sock  *socket                  // guarded by mu; nil while away
	view  *Copy                    // guarded by mu
	seats atomic.Pointer[[]uint32] // so that Seat may be asked within Read and Wait
	asked map[uint32]*numbers      // guarded by mu; by seat
	open  map[intentKey]*Pending   // guarded by mu; unanswered intents
	turns chan struct{}            // guarded by mu; closed and replaced at each change
	key   string                   // guarded by mu

	branch string        // guarded by mu; of the lobby's history
	nodes  []string      // guarded by mu; addresses of nodes, that of the lobby's first
	hold   time.Duration // guarded by mu
	time   estimate
	draws  drawing // guarded by mu
	err    error   // guarded by mu; why it ended

	leaving bool          // guarded by mu
	waiting int           // guarded by mu; the place in line when it was joined, 0 with a seat
	whole   bool          // guarded by mu; the copy is not to be trusted: a snapshot is wanted
	frozen  *replica.Copy // guarded by mu; the copy at the last check
	last    *Refusal      // guarded by mu; why the service ended the connection before this one

	words    words
	seating  map[uint64]*uint32     // guarded by mu; where the seats of further players go
	deciding map[intentKey]*Pending // guarded by mu; expected until a referee has decided
	tells    tells
	watchers []*watcher // guarded by mu
}

// numbers are those of a seat's intents.
type numbers struct{ last, heard uint64 } // sent last, and answered last

// numbersLocked returns the numbers of a seat's intents.
func (c *Conn) numbersLocked(seat uint32) *numbers {
	n := c.asked[seat]
	if n == nil {
		n = &numbers{}
		c.asked[seat] = n
	}
	return n
}

type intentKey struct {
	seat uint32
	n    uint64
}

// Connect joins a lobby and returns when the first complete copy is there. The context bounds only this; Close ends the
// connection.
func Connect(ctx context.Context, o Options) (*Conn, error) {
	c := &Conn{opts: o, done: make(chan struct{}), nodes: []string{o.Address}, asked: map[uint32]*numbers{},
		open: map[intentKey]*Pending{}, turns: make(chan struct{})}
	c.ctx, c.stop = context.WithCancel(context.Background())
	sock, err := c.dial(ctx)
	if err != nil {
		c.stop()
		return nil, err
	}
	go c.run(sock)
	if err := c.Wait(ctx, func(c *Copy) bool { return c.Lobby() != nil }); err != nil {
		c.stop()
		c.Cut() // nobody waits for its end: what is called back may wait for what this returns
		return nil, err
	}
	return c, nil
}

// The most nodes that are tried at once, and the time for each where several are known.
const (
	maxHops   = 5
	hopWithin = 3 * time.Second
)

// dial makes a connection at the node where the lobby is. Where one does not answer, or says that it cannot just now,
// the others that are known may: each knows where the lobby is.
func (c *Conn) dial(ctx context.Context) (sock *socket, err error) {
	for range maxHops {
		at, known := c.node()
		hop, over := ctx, context.CancelFunc(func() {})
		if known > 1 { // another one may answer where this one hangs
			hop, over = context.WithTimeout(ctx, hopWithin)
		}
		sock, err = c.dialAt(hop, at)
		over()
		if err == nil || ctx.Err() != nil {
			return sock, err
		}
		if c.follow(err) {
			continue
		}
		var refused *Refusal
		if errors.As(err, &refused) || known == 1 {
			return nil, err
		}
		c.mu.Lock()
		c.nodes = append(c.nodes[1:], c.nodes[0])
		c.mu.Unlock()
		if errors.Is(err, errLater) {
			return nil, err
		}
	}
	return nil, err
}

// node is the address at which the lobby was last, and how many are known.
func (c *Conn) node() (at string, known int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.nodes[0], len(c.nodes)
}

// follow puts the node first at which the lobby is, if an error says so.
func (c *Conn) follow(err error) bool {
	var e *elsewhere
	if !errors.As(err, &e) {
		return false
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.nodes = slices.DeleteFunc(c.nodes, func(n string) bool { return n == e.at })
	c.nodes = append([]string{e.at}, c.nodes...)
	return true
}

// dialAt makes a connection at an address, says hello and takes the welcome.
func (c *Conn) dialAt(ctx context.Context, address string) (*socket, error) {
	token := c.opts.Token
	if c.opts.Tokens != nil {
		var err error
		if token, err = c.opts.Tokens(ctx); err != nil {
			return nil, err
		}
	}
	o := &c.opts
	hello := wire.Hello{Is: "hello", Token: token, Lobby: o.Lobby, Watch: o.Watch, All: o.All, As: o.As,
		Referee: o.Referee, Team: o.Team, Locals: o.Locals, Pass: o.Password, Book: o.Version, Wait: o.Wait}
	c.mu.Lock()
	if hello.Resume = c.key; c.key != "" && c.view != nil && !c.whole {
		at := c.view.Tick()
		hello.Tick, hello.Branch = &at, c.branch
	}
	c.mu.Unlock()
	sock, data, err := greet(ctx, dialling{address, o.encoding(), o.Dial, o.Rough}, hello)
	if err != nil {
		return nil, err
	}
	if err := c.welcomed(sock, data); err != nil {
		sock.ws.Close()
		return nil, err
	}
	return sock, nil
}

func (c *Conn) welcomed(sock *socket, data []byte) error {
	var w wire.Welcome
	if err := wire.ReadLoose(sock.enc, data, &w); err != nil || w.Is != "welcome" {
		return fmt.Errorf("the service answered hello with %q: %v", w.Is, err)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if w.Schema != nil && w.Book != nil {
		schema, err := w.Schema.Schema()
		if err != nil {
			return err
		}
		if c.view == nil {
			c.view = newCopy(schema)
		}
		c.view.describe(schema)
		c.view.Book = bookOf(w.Book)
	}
	if c.view == nil {
		return errors.New("the service left the schema out of its first welcome")
	}
	c.view.Rate = w.Rate
	c.key, c.hold = w.Resume, time.Duration(w.Hold)*time.Millisecond
	for _, n := range w.Nodes {
		if !slices.Contains(c.nodes, n) {
			c.nodes = append(c.nodes, n)
		}
	}
	c.last = nil
	if w.Ended != nil {
		c.last = &Refusal{Code: w.Ended.Code, Reason: w.Ended.Reason}
	}
	var seats []uint32
	for _, s := range w.Seats {
		seats = append(seats, s.Seat)
		n := c.numbersLocked(s.Seat)
		if n.last = max(n.last, s.Last); c.branch != "" && w.Branch != c.branch && n.heard > s.Last {
			u := Undone{s.Seat, s.Last, n.heard}
			if told := c.opts.OnUndone; told != nil {
				c.tells.add(func() { told(u) })
			}
		}
		n.heard = s.Last
	}
	if c.branch != w.Branch {
		for _, b := range c.draws.own {
			b.Forget()
		}
	}
	c.branch = w.Branch
	c.seats.Store(&seats)
	c.view.seats, c.waiting = seats, w.Waiting
	c.unjudgedLocked() // what was decided meanwhile may have been missed
	c.time.heard(sheet.Tick(w.Tick), w.Rate)
	return nil
}

// run reads until the connection is lost, comes back, and so on.
func (c *Conn) run(sock *socket) {
	defer close(c.done)
	for {
		c.mu.Lock()
		c.sock = sock
		if c.ctx.Err() != nil { // closed while it came back
			sock.ws.Close()
		}
		c.resendLocked()
		c.mu.Unlock()
		away := make(chan struct{})
		go c.ping(sock, away)
		err := c.read(sock)
		close(away)
		sock.ws.Close()
		c.mu.Lock()
		c.sock = nil
		c.mu.Unlock()
		c.words.lost()
		if c.ctx.Err() == nil && !final(err) {
			if sock, err = c.comeBack(err); err == nil {
				continue
			}
		}
		c.end(err)
		return
	}
}

// final tells whether coming back would not help: it may where the service, or what stands before it, has too much to
// do.
func final(err error) bool {
	var r *Refusal
	return errors.As(err, &r) && r.Status != http.StatusTooManyRequests && r.Status < http.StatusInternalServerError
}

// leastPatience is how long it is tried at least: while a node is replaced no seat's time runs.
const leastPatience = 30 * time.Second

// comeBack tries to connect again, less and less often, with some chance in the intervals so that clients that were cut
// off together do not return together.
func (c *Conn) comeBack(why error) (*socket, error) {
	patience := c.opts.Patience
	if patience == 0 {
		patience = max(c.hold, leastPatience)
	}
	deadline := time.Now().Add(patience)
	if c.follow(why) { // nothing is wrong
		if sock, err := c.dial(c.ctx); err == nil || final(err) {
			return sock, err
		}
	}
	for wait := 100 * time.Millisecond; time.Now().Before(deadline); wait = min(wait*2, 5*time.Second) {
		timer := time.NewTimer(wait/2 + rand.N(wait))
		select {
		case <-timer.C:
		case <-c.ctx.Done():
			timer.Stop()
			return nil, c.ctx.Err()
		}
		sock, err := c.dial(c.ctx)
		if err == nil || final(err) {
			return sock, err
		}
		why = err
	}
	return nil, fmt.Errorf("the connection was lost, and could not be made again in %v: %w", patience, why)
}

func (c *Conn) end(err error) {
	c.mu.Lock()
	if c.err == nil {
		c.err = err
		if c.ctx.Err() != nil {
			c.err = ErrClosed
		}
	}
	for k, p := range c.open {
		delete(c.open, k)
		p.err = c.err
		c.undoLocked(p)
		close(p.done)
	}
	close(c.turns)
	c.stop()
	c.mu.Unlock()
	c.tells.drain()
}

// ErrClosed is what a connection that was closed with Close returns.
var ErrClosed = errors.New("the connection is closed")

// Close ends the connection. The seats are held for a while; see Leave.
func (c *Conn) Close() {
	c.stop()
	c.Cut()
	<-c.done
}

// Leave gives the seats up and ends the connection. While the connection is away it leaves when it is back.
func (c *Conn) Leave(ctx context.Context) error {
	c.mu.Lock()
	c.leaving = true
	c.mu.Unlock()
	c.sendNow(wire.Leave{Is: "leave"}) // if it fails, it is sent after coming back
	select {
	case <-c.done:
	case <-ctx.Done():
		c.Close()
		return ctx.Err()
	}
	if c.Err() != nil && CodeOf(c.Err()) != "left" {
		return c.Err()
	}
	return nil
}

// Done is closed when the connection has ended for good; Err says why.
func (c *Conn) Done() <-chan struct{} { return c.done }

// Err returns why the connection has ended, nil while it has not.
func (c *Conn) Err() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.err
}

// Lost returns why the service ended the connection before this one, such as too-slow, and nil if it did not: the
// network may have.
func (c *Conn) Lost() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.last == nil {
		return nil
	}
	return c.last
}

// Cut breaks the connection as a bad network would; it comes back by itself.
func (c *Conn) Cut() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.sock != nil {
		c.sock.ws.Close()
	}
}

// Seats returns the connection's seats, its own player's first; none for a spectator.
func (c *Conn) Seats() []uint32 {
	if p := c.seats.Load(); p != nil {
		return slices.Clone(*p)
	}
	return nil
}

// Seat returns the first seat, 0 for a spectator.
func (c *Conn) Seat() uint32 {
	if s := c.Seats(); len(s) > 0 {
		return s[0]
	}
	return 0
}

// Waiting tells whether the connection stands in line for a seat. Until it has one it sees what a spectator sees; Wait
// for Copy.Me to be there.
func (c *Conn) Waiting() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.waiting > 0
}

// Read calls f with the copy as it is now. The copy does not change meanwhile.
func (c *Conn) Read(f func(*Copy)) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.view.wall = c.time.tick()
	f(c.view)
}

// look tells whether f holds for the copy, and what is closed at the next change.
func (c *Conn) look(f func(*Copy) bool) (ok bool, turn chan struct{}, err error) {
	c.mu.Lock()
	defer c.mu.Unlock() // f may panic
	c.view.wall = c.time.tick()
	return f(c.view), c.turns, c.err
}

// Wait returns when f holds for the copy: at once, after a change, or when a running clock has reached what f asks for.
// It returns an error when the context or the connection ends first.
func (c *Conn) Wait(ctx context.Context, f func(*Copy) bool) error {
	c.mu.Lock()
	tick := time.NewTicker(time.Second / time.Duration(max(c.view.Rate, 1)))
	c.mu.Unlock()
	defer tick.Stop()
	for {
		ok, turn, err := c.look(f)
		switch {
		case ok:
			return nil
		case err != nil:
			return err
		}
		select {
		case <-turn:
		case <-tick.C:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}
