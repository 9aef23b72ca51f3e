package client

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex/internal/replica"
	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// Options say how to connect. Address, Token and Lobby must be given.
type Options struct {
	Address string // of the service, such as http://127.0.0.1:7420
	Token   string
	Lobby   string   // join code
	Watch   bool     // as a spectator, without a seat
	All     bool     // service keys: see everything
	As      uint32   // service keys: see exactly what this seat sees
	Team    string   // the team wished for
	Locals  []string // names of further players on this connection

	Password string // of the lobby, if it has one
	Version  string // of the rulebook; refused if the lobby runs another one
	Wait     bool   // stand in line if the lobby is full; see Waiting

	// Tokens gives the token for each new connection instead of Token, which may
	// have run out when a connection that was lost comes back: see KeepFresh.
	Tokens func(context.Context) (string, error)

	// OnChange is called for each change, in order, and OnNotice for each
	// notice; both from one goroutine, which they must not hold up. They may
	// call Send and Read, but not Do or Wait.
	OnChange func(Change)
	OnNotice func(Notice)

	// Patience is how long to try to come back after a lost connection; the
	// service's hold if it is 0, and never if it is negative.
	Patience time.Duration

	// Dial opens the connection to the service; an ordinary one if it is nil.
	Dial dialFunc
}

// Notice is something that happened.
type Notice = wire.Notice

// Conn is a live connection. Its methods may be called from any goroutine.
type Conn struct {
	opts Options
	ctx  context.Context
	stop context.CancelFunc
	done chan struct{}

	write sync.Mutex // held while writing to ws
	mu    sync.Mutex
	ws    *websocket.Conn          // guarded by mu; nil while away
	view  *Copy                    // guarded by mu
	seats atomic.Pointer[[]uint32] // so that Seat may be asked within Read and Wait
	next  map[uint32]uint64
	open  map[intentKey]*Pending // guarded by mu; unanswered intents
	turns chan struct{}          // guarded by mu; closed and replaced at each change
	key   string
	hold  time.Duration
	base  time.Time  // guarded by mu; when tick was read
	tick  sheet.Tick // guarded by mu
	err   error      // guarded by mu; why it ended

	leaving bool // guarded by mu
	waiting int  // guarded by mu; the place in line when it was joined, 0 with a seat
}

type intentKey struct {
	seat uint32
	n    uint64
}

// Connect joins a lobby and returns when the first complete copy is there. The
// context bounds only this; Close ends the connection.
func Connect(ctx context.Context, o Options) (*Conn, error) {
	c := &Conn{opts: o, done: make(chan struct{}), next: map[uint32]uint64{}, open: map[intentKey]*Pending{}, turns: make(chan struct{})}
	c.ctx, c.stop = context.WithCancel(context.Background())
	ws, err := c.dial(ctx)
	if err != nil {
		c.stop()
		return nil, err
	}
	go c.run(ws)
	if err := c.Wait(ctx, func(c *Copy) bool { return c.Lobby() != nil }); err != nil {
		c.Close()
		return nil, err
	}
	return c, nil
}

// dial makes a connection, says hello and takes the welcome.
func (c *Conn) dial(ctx context.Context) (*websocket.Conn, error) {
	token := c.opts.Token
	if c.opts.Tokens != nil {
		var err error
		if token, err = c.opts.Tokens(ctx); err != nil {
			return nil, err
		}
	}
	o := &c.opts
	ws, data, err := greet(ctx, o.Address, o.Dial, wire.Hello{Is: "hello", Token: token, Lobby: o.Lobby, Watch: o.Watch, All: o.All, As: o.As,
		Resume: c.key, Team: o.Team, Locals: o.Locals, Pass: o.Password, Book: o.Version, Wait: o.Wait})
	if err != nil {
		return nil, err
	}
	if err := c.welcomed(data); err != nil {
		ws.Close()
		return nil, err
	}
	return ws, nil
}

type dialFunc = func(ctx context.Context, network, address string) (net.Conn, error)

// greet opens a socket, says hello and returns the first message. A bye is
// returned as a *Refusal.
func greet(ctx context.Context, address string, dial dialFunc, hello wire.Hello) (*websocket.Conn, []byte, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	d := websocket.Dialer{Subprotocols: []string{wire.SubprotocolJSON}, Proxy: http.ProxyFromEnvironment, NetDialContext: dial}
	url := "ws" + strings.TrimPrefix(strings.TrimSuffix(address, "/"), "http") + "/v1/live"
	ws, res, err := d.DialContext(ctx, url, nil)
	if err != nil {
		if res != nil && res.StatusCode >= 400 {
			return nil, nil, fmt.Errorf("the service at %s answered %s", address, res.Status)
		}
		return nil, nil, fmt.Errorf("the service at %s does not answer: %w", address, err)
	}
	ws.SetWriteDeadline(time.Now().Add(10 * time.Second))
	ws.SetReadDeadline(time.Now().Add(10 * time.Second))
	var data []byte
	if err = ws.WriteJSON(hello); err == nil {
		_, data, err = ws.ReadMessage()
	}
	if err == nil {
		err = refusedBy(data)
	}
	if err != nil {
		ws.Close()
		return nil, nil, err
	}
	ws.SetReadDeadline(time.Time{})
	return ws, data, nil
}

// refusedBy turns a bye into an error: a *Refusal, or another one if trying again
// may help.
func refusedBy(data []byte) error {
	kind, err := wire.Kind(data)
	if err != nil || kind != "bye" {
		return err
	}
	var b wire.Bye
	if err := wire.ReadLoose(data, &b); err != nil {
		return err
	}
	if b.Again {
		return fmt.Errorf("the service ended the connection: %s", b.Reason)
	}
	return &Refusal{Code: b.Code, Reason: b.Reason}
}

func (c *Conn) welcomed(data []byte) error {
	var w wire.Welcome
	if err := wire.ReadLoose(data, &w); err != nil || w.Is != "welcome" {
		return fmt.Errorf("the service answered hello with %q: %v", w.Is, err)
	}
	schema, err := w.Schema.Schema()
	if err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.key, c.hold = w.Resume, time.Duration(w.Hold)*time.Millisecond
	if c.view == nil {
		c.view = &Copy{Copy: replica.NewCopy(schema)}
	}
	c.view.Copy.Schema, c.view.Book, c.view.Rate = schema, &w.Book, w.Rate
	var seats []uint32
	for _, s := range w.Seats {
		seats = append(seats, s.Seat)
		c.next[s.Seat] = max(c.next[s.Seat], s.Last)
	}
	c.seats.Store(&seats)
	c.view.seats, c.waiting = seats, w.Waiting
	c.setTickLocked(sheet.Tick(w.Tick))
	return nil
}

// run reads until the connection is lost, comes back, and so on.
func (c *Conn) run(ws *websocket.Conn) {
	defer close(c.done)
	for {
		c.mu.Lock()
		c.ws = ws
		if c.ctx.Err() != nil { // closed while it came back
			ws.Close()
		}
		c.resendLocked()
		c.mu.Unlock()
		err := c.read(ws)
		ws.Close()
		c.mu.Lock()
		c.ws = nil
		c.mu.Unlock()
		if c.ctx.Err() == nil && !final(err) {
			if ws, err = c.comeBack(err); err == nil {
				continue
			}
		}
		c.end(err)
		return
	}
}

// final tells whether coming back would not help.
func final(err error) bool {
	var r *Refusal
	return errors.As(err, &r)
}

// comeBack tries to connect again, less and less often, with some chance in the
// intervals so that clients that were cut off together do not return together.
func (c *Conn) comeBack(why error) (*websocket.Conn, error) {
	patience := c.opts.Patience
	if patience == 0 {
		patience = c.hold
	}
	deadline := time.Now().Add(patience)
	for wait := 100 * time.Millisecond; time.Now().Before(deadline); wait = min(wait*2, 5*time.Second) {
		timer := time.NewTimer(wait/2 + rand.N(wait))
		select {
		case <-timer.C:
		case <-c.ctx.Done():
			timer.Stop()
			return nil, c.ctx.Err()
		}
		ws, err := c.dial(c.ctx)
		if err == nil || final(err) {
			return ws, err
		}
	}
	return nil, fmt.Errorf("the connection was lost: %w", why)
}

func (c *Conn) end(err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.err == nil {
		c.err = err
		if c.ctx.Err() != nil {
			c.err = ErrClosed
		}
	}
	for k, p := range c.open {
		delete(c.open, k)
		p.err = c.err
		close(p.done)
	}
	close(c.turns)
	c.stop()
}

// ErrClosed is what a connection that was closed with Close returns.
var ErrClosed = errors.New("the connection is closed")

// Close ends the connection. The seats are held for a while; see Leave.
func (c *Conn) Close() {
	c.stop()
	c.mu.Lock()
	if c.ws != nil {
		c.ws.Close()
	}
	c.mu.Unlock()
	<-c.done
}

// Leave gives the seats up and ends the connection. While the connection is away
// it leaves when it is back.
func (c *Conn) Leave(ctx context.Context) error {
	c.mu.Lock()
	c.leaving = true
	c.mu.Unlock()
	c.sendNow(wire.Plain{Is: "leave"}) // if it fails, it is sent after coming back
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

// Cut breaks the connection as a bad network would; it comes back by itself.
func (c *Conn) Cut() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.ws != nil {
		c.ws.Close()
	}
}

// Seats returns the connection's seats, its own player's first; none for a
// spectator.
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

// Waiting tells whether the connection stands in line for a seat. Until it has
// one it sees what a spectator sees; Wait for Copy.Me to be there.
func (c *Conn) Waiting() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.waiting > 0
}

// Read calls f with the copy as it is now. The copy does not change meanwhile.
func (c *Conn) Read(f func(*Copy)) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.view.wall = c.tickLocked()
	f(c.view)
}

// Wait returns when f holds for the copy: at once, after a change, or when a
// running clock has reached what f asks for. It returns an error when the
// context or the connection ends first.
func (c *Conn) Wait(ctx context.Context, f func(*Copy) bool) error {
	tick := time.NewTicker(time.Second / time.Duration(max(c.rate(), 1)))
	defer tick.Stop()
	for {
		c.mu.Lock()
		c.view.wall = c.tickLocked()
		ok, err, turn := f(c.view), c.err, c.turns
		c.mu.Unlock()
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

func (c *Conn) rate() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.view.Rate
}

// Tick returns the service's present wall tick, as far as can be known here.
func (c *Conn) Tick() int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return int64(c.tickLocked())
}

func (c *Conn) tickLocked() sheet.Tick {
	return c.tick + sheet.Tick(time.Since(c.base)*time.Duration(c.view.Rate)/time.Second)
}

// setTickLocked takes a tick that was read. The estimate is only moved forward
// by what arrives sooner than expected, so that one slow message does not make
// clocks run late.
func (c *Conn) setTickLocked(t sheet.Tick) {
	if c.base.IsZero() || t >= c.tickLocked() || c.tickLocked()-t > sheet.Tick(c.view.Rate) {
		c.tick, c.base = t, time.Now()
	}
}
