package client

import (
	"context"
	"errors"
	"sync"

	"turnvex.example/turnvex/internal/wire"
)

// words are a referee's words and acts that are not answered yet.
type words struct {
	mu   sync.Mutex
	next uint64                       // guarded by mu
	said map[saidKey]chan *wire.Ruled // guarded by mu
}

// saidKey names a decision, by lobby and number, or an act, by number alone.
type saidKey struct {
	lobby string
	no    int64
	act   bool
}

// hand sends a message and waits for its answer. A refusal is a *Refusal.
func (w *words) hand(ctx context.Context, k saidKey, send func() error, done <-chan struct{}, why func() error) error {
	answer := make(chan *wire.Ruled, 1)
	w.mu.Lock()
	if w.said == nil {
		w.said = map[saidKey]chan *wire.Ruled{}
	}
	w.said[k] = answer
	w.mu.Unlock()
	defer func() {
		w.mu.Lock()
		delete(w.said, k)
		w.mu.Unlock()
	}()
	if err := send(); err != nil {
		return err
	}
	select {
	case d := <-answer:
		if d == nil {
			return errLost
		}
		if !d.OK {
			return &Refusal{Code: d.Code, Reason: d.Reason}
		}
		return nil
	case <-done:
		return why()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// errLost says that the connection was lost before an answer came.
var errLost = errors.New("the connection was lost; nobody knows whether it counted")

// lost ends the waiting for answers that will not come.
func (w *words) lost() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for k, answer := range w.said {
		delete(w.said, k)
		close(answer)
	}
}

func (w *words) number() uint64 {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.next++
	return w.next
}

func (w *words) answered(k saidKey, d *wire.Ruled) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if answer := w.said[k]; answer != nil {
		select {
		case answer <- d:
		default: // it was answered twice; the first one told how it went
		}
	}
}

func (w *words) decided(d *wire.Decided) error {
	w.answered(saidKey{lobby: d.Lobby, no: d.No}, &wire.Ruled{OK: d.OK, Code: d.Code, Reason: d.Reason})
	return nil
}

func (w *words) ruled(d *wire.Ruled) error {
	w.answered(saidKey{no: int64(d.N), act: true}, d)
	return nil
}

// Decide answers a decision, with the values that the rulebook's answers ask for, and waits until the service has taken
// the answer. That it came too late, or after another referee's, is a *Refusal with the code no-such-decision. If the
// connection is lost meanwhile nobody knows whether the answer counted; the decision is offered again if it still
// waits.
func (c *Conn) Decide(ctx context.Context, no int64, yes bool, with ...map[string]any) error {
	m := wire.Decide{Is: "decide", No: no, Yes: yes}
	for _, w := range with {
		m.With = w
	}
	return c.words.hand(ctx, saidKey{no: no}, func() error { return c.sendNow(m) }, c.done, c.Err)
}

// RefereeAct does what the rulebook lets referees do. What is not taken is a *Refusal.
func (c *Conn) RefereeAct(ctx context.Context, act string, args map[string]any) error {
	return c.rule(ctx, wire.Rule{Act: act, Args: args})
}

// RefereeSet sets a field that the rulebook leaves to referees, such as match.question; of a player or a team, whose
// sheet is named.
func (c *Conn) RefereeSet(ctx context.Context, field string, sheet uint32, value any) error {
	return c.rule(ctx, wire.Rule{Set: field, Target: sheet, Value: value})
}

func (c *Conn) rule(ctx context.Context, m wire.Rule) error {
	m.Is, m.N = "rule", c.words.number()
	return c.words.hand(ctx, saidKey{no: int64(m.N), act: true}, func() error { return c.sendNow(m) }, c.done, c.Err)
}

// Judging is what a referee of all lobbies of a rulebook needs.
type Judging struct {
	Address    string         // of the service
	Token      string         // of a service key that has the scope referee
	Rulebook   string         // whose lobbies
	OnDecision func(Decision) // called for each decision that waits; it must not wait itself
	OnNotice   func(Notice)   // called for each notice that is for referees; it must not wait itself
}

// Judge referees every lobby of a rulebook, those that are opened later too, without joining any. Its methods may be
// called from any goroutine.
type Judge struct {
	o     Judging
	sock  *socket
	words words
	done  chan struct{}
	first []string
	mu    sync.Mutex
	err   error // guarded by mu
}

// Judge signs a referee in to all lobbies of a rulebook. A connection that is lost does not come back by itself: see
// Done.
func (s Service) Judge(ctx context.Context, o Judging) (*Judge, error) {
	o.Address, o.Token = s.Address, s.Token
	sock, data, err := greet(ctx, dialling{address: o.Address}, wire.Hello{Is: "hello", Token: o.Token, Referee: true,
		Judge: o.Rulebook})
	if err != nil {
		return nil, err
	}
	var first wire.Judging
	if err := wire.ReadLoose(sock.enc, data, &first); err != nil {
		sock.ws.Close()
		return nil, err
	}
	j := &Judge{o: o, sock: sock, done: make(chan struct{}), first: first.Lobbies}
	go j.run()
	return j, nil
}

// Lobbies are the codes of the lobbies that were open when the referee signed in.
func (j *Judge) Lobbies() []string { return j.first }

func (j *Judge) run() {
	defer close(j.done)
	defer j.sock.ws.Close()
	for {
		data, err := j.sock.read()
		if err == nil {
			err = j.message(data)
		}
		if err != nil {
			j.mu.Lock()
			j.err = err
			j.mu.Unlock()
			return
		}
	}
}

// message takes one message. Those of later versions are passed over.
func (j *Judge) message(data []byte) error {
	kind, err := wire.Kind(j.sock.enc, data)
	if err != nil {
		return err
	}
	switch kind {
	case "ping":
		return take(j.sock, data, func(p *wire.Ping) error { return j.sock.say(wire.Ping{Is: "pong", N: p.N}) })
	case "decision":
		return take(j.sock, data, func(d *Decision) error { wholes(d.Tell); return call(j.o.OnDecision, *d) })
	case "notice":
		return take(j.sock, data, func(n *Notice) error { wholes(n.With); return call(j.o.OnNotice, *n) })
	case "decided":
		return take(j.sock, data, j.words.decided)
	case "ruled":
		return take(j.sock, data, j.words.ruled)
	case "bye":
		return j.sock.refusedBy(data)
	}
	return nil
}

func call[T any](f func(T), v T) error {
	if f != nil {
		f(v)
	}
	return nil
}

// Decide answers a decision of a lobby: see Conn.Decide.
func (j *Judge) Decide(ctx context.Context, lobby string, no int64, yes bool, with ...map[string]any) error {
	m := wire.Decide{Is: "decide", Lobby: lobby, No: no, Yes: yes}
	for _, w := range with {
		m.With = w
	}
	return j.words.hand(ctx, saidKey{lobby: lobby, no: no}, func() error { return j.sock.say(m) }, j.done, j.Err)
}

// Act does in a lobby what the rulebook lets referees do.
func (j *Judge) Act(ctx context.Context, lobby, act string, args map[string]any) error {
	return j.rule(ctx, wire.Rule{Lobby: lobby, Act: act, Args: args})
}

// Set sets a field of a lobby that the rulebook leaves to referees: see Conn.RefereeSet.
func (j *Judge) Set(ctx context.Context, lobby, field string, sheet uint32, value any) error {
	return j.rule(ctx, wire.Rule{Lobby: lobby, Set: field, Target: sheet, Value: value})
}

func (j *Judge) rule(ctx context.Context, m wire.Rule) error {
	m.Is, m.N = "rule", j.words.number()
	return j.words.hand(ctx, saidKey{no: int64(m.N), act: true}, func() error { return j.sock.say(m) }, j.done, j.Err)
}

// Done is closed when the connection has ended; Err says why.
func (j *Judge) Done() <-chan struct{} { return j.done }

// Err returns why the connection has ended, nil while it has not.
func (j *Judge) Err() error {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.err
}

// Close signs the referee out.
func (j *Judge) Close() {
	j.sock.ws.Close()
	<-j.done
}

// awaitLocked keeps what an intent was expected to do until a referee has decided on it.
func (c *Conn) awaitLocked(k intentKey, p *Pending) {
	if c.deciding == nil {
		c.deciding = map[intentKey]*Pending{}
	}
	c.deciding[k] = p
}

// judgedLocked ends what was expected of an intent on which a referee has decided.
func (c *Conn) judgedLocked(n *Notice) {
	no, _ := n.With["intent"].(int64)
	k := intentKey{n.Of, uint64(no)}
	if p := c.deciding[k]; n.Name == "decided" && p != nil {
		delete(c.deciding, k)
		c.undoLocked(p)
	}
}

// unjudgedLocked ends what was expected of intents on which nobody will decide any more, or of which it may have been
// missed.
func (c *Conn) unjudgedLocked() {
	for k, p := range c.deciding {
		delete(c.deciding, k)
		c.undoLocked(p)
	}
}
