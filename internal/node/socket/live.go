package socket

import (
	"bufio"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
	"turnvex.example/turnvex/internal/wire/spec"
)

// helloWithin is the time from the handshake to hello.
const helloWithin = 10 * time.Second

// sendBuffer is how many bytes the system may hold for a connection that does not take them; beyond that the service
// itself sees that it is slow.
const sendBuffer = 64 << 10

// readBuffer is how many bytes are read at once; most messages are shorter.
const readBuffer = 1 << 10

var bufferPool = websocket.BufferPool(&pool{})

// ServeHTTP is the live socket: docs/protocol.md says what goes over it. Whoever asks is checked before anything is set
// aside for the connection.
func (s *Socket) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	came, err := s.Guard.Take(guard.Turned, s.Doors.AddressOf(r))
	if err != nil {
		s.Doors.Fail(w, r, err)
		return
	}
	enc, who, err := s.handshake(r)
	if err != nil {
		s.Doors.Fail(w, r, err)
		return
	}
	came()
	if _, err := s.Guard.Take(guard.Shakes, s.Doors.AddressOf(r)); err != nil {
		s.Doors.Fail(w, r, err)
		return
	}
	arrived, err := s.Guard.Take(guard.Arriving, s.Doors.AddressOf(r))
	if err != nil {
		s.Doors.Fail(w, r, err)
		return
	}
	defer arrived()
	gone, err := s.Guard.Take(guard.Live, s.Doors.AddressOf(r))
	if err != nil {
		s.Doors.Fail(w, r, err)
		return
	}
	goesOn := false
	defer func() {
		if !goesOn {
			gone()
		}
	}()
	up := websocket.Upgrader{
		Subprotocols:    []string{wire.Subprotocols[enc]},
		WriteBufferPool: bufferPool,
		WriteBufferSize: 4096,
		ReadBufferSize:  readBuffer,
		CheckOrigin:     func(*http.Request) bool { return true },
	}
	var raw *line
	ws, err := up.Upgrade(roughWriter{w, s.Rough, &raw}, r, nil)
	if err != nil {
		return // the library has answered
	}
	c := &conn{s: s, ws: ws, line: raw, enc: enc, who: who, most: 2 * wire.MaxMessage,
		from: s.Doors.AddressOf(r), since: time.Now()}
	c.countControls()
	err = c.hello(r)
	arrived() // however long it takes to say goodbye
	if err != nil {
		if fault.CodeOf(err) == code.BadToken {
			s.Guard.Take(guard.Turned, c.from)
		}
		c.refuse(err)
		return
	}
	c.most = wire.MaxCopy + 1<<10
	s.conns.add(c)
	if c.list != nil || c.board != nil || c.judge != nil || c.topic != nil {
		switch {
		case c.list != nil:
			c.serveListing(r)
		case c.board != nil:
			c.serveBoard(r)
		case c.topic != nil:
			c.serveTopic(r)
		default:
			c.serveJudge()
		}
		s.conns.remove(c)
		if c.watched != nil {
			c.watched()
		}
		ws.Close()
		return
	}
	goesOn = true
	c.gone = gone
	safe.Go("serve a connection", c.serve) // on a small stack of its own, which this one no longer is
}

// seldom counts what is logged once a minute at most.
type seldom struct {
	mu   sync.Mutex
	n    int       // guarded by mu; since the last line
	last time.Time // guarded by mu
}

// say counts one more, and returns how many there were since the last line if it is time for the next; otherwise 0.
func (x *seldom) say(now time.Time) (n int) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.n++; now.Sub(x.last) < time.Minute {
		return 0
	}
	n, x.n, x.last = x.n, 0, now
	return n
}

// handshake checks a request for the live socket: its form, its origin, its subprotocol, and its token if it carries
// one (a browser's cannot; it comes with hello).
func (s *Socket) handshake(r *http.Request) (enc replica.Encoding, who *account.Who, err error) {
	if !websocket.IsWebSocketUpgrade(r) {
		return 0, nil, fault.New(code.NotUpgradeable, "this address speaks WebSocket with the subprotocols %s",
			strings.Join(wire.Subprotocols[:], " and "))
	}
	if !s.originAllowed(r) {
		if n := s.strangers.say(time.Now()); n > 0 {
			s.Log.Warn("pages of origins that are not allowed asked to connect; -origins allows them", "times", n,
				"origin", fmt.Sprintf("%.100q", r.Header.Get("Origin")), "address", s.Doors.AddressOf(r))
		}
		return 0, nil, fault.New(code.NoSuchHost, "pages from %.100q may not connect here; the service's "+
			"-origins says which may", r.Header.Get("Origin"))
	}
	offered := websocket.Subprotocols(r)
	i := slices.IndexFunc(offered, func(o string) bool { return slices.Contains(wire.Subprotocols[:], o) })
	switch {
	case i >= 0:
		enc = replica.Encoding(slices.Index(wire.Subprotocols[:], offered[i]))
	case len(offered) > 0:
		return 0, nil, fault.New(code.BadRequest, "the subprotocols %s are spoken here",
			strings.Join(wire.Subprotocols[:], " and "))
	}
	if token, has := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); has {
		if who, err = s.Accounts.Check(r.Context(), token); err != nil {
			return 0, nil, err
		}
	}
	return enc, who, nil
}

// roughWriter hands out the connection made as bad as the node is set to.
type roughWriter struct {
	http.ResponseWriter
	network rough.Network
	line    **line
}

// Hijack gives the connection out of the HTTP server's hands.
func (w roughWriter) Hijack() (net.Conn, *bufio.ReadWriter, error) {
	c, rw, err := http.NewResponseController(w.ResponseWriter).Hijack()
	if err != nil {
		return nil, nil, err
	}
	if tcp, ok := c.(interface{ SetWriteBuffer(int) error }); ok {
		tcp.SetWriteBuffer(sendBuffer)
	}
	*w.line = newLine(w.network.Wrap(c))
	return *w.line, rw, nil
}

// originAllowed lets programs in, which send no origin, the console, what the operator allows, and pages of who
// develops on this machine.
func (s *Socket) originAllowed(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" || slices.Contains(s.Origins, origin) || LoopbackPage(r) {
		return true
	}
	u, err := url.Parse(origin)
	return err == nil && (u.Host == r.Host || s.isNode(origin))
}

// isNode tells whether an origin is that of another node, whose console leads here.
func (s *Socket) isNode(origin string) bool {
	return s.Cluster != nil && slices.ContainsFunc(s.Cluster.Members(), func(m cluster.Member) bool {
		return m.Alive && m.Address == origin
	})
}

// hello reads the first message and joins the lobby it names.
func (c *conn) hello(r *http.Request) error {
	m, err := c.read(helloWithin)
	if err != nil {
		return err
	}
	h, is := m.(*wire.Hello)
	switch {
	case m == nil:
		return fault.New(code.HelloFirst, "no hello came in time")
	case !is:
		return fault.New(code.HelloFirst, "the first message must be hello")
	}
	if c.who == nil || h.Token != "" {
		if c.who, err = c.s.Accounts.Check(r.Context(), h.Token); err != nil {
			return err
		}
	}
	if c.list, c.board, c.topic = h.List, h.Board, h.Topic; c.list != nil || c.board != nil || c.topic != nil {
		if err := c.mayWatch(); err != nil {
			return err
		}
		c.watched, err = c.s.Guard.Take(guard.Watches, c.who.Player+c.who.Name)
		return err
	}
	if h.Judge != "" && h.Lobby == "" {
		if err := c.judging(h); err != nil {
			return err
		}
		return c.noteReferee(r, "rulebook "+c.judge.Rulebook())
	}
	if to, err := c.s.Doors.Elsewhere(r, c.who, h.Lobby); err != nil {
		return err
	} else if to != nil {
		return &moved{to.Address}
	}
	l, err := c.s.Doors.Find(r, c.who, h.Lobby)
	if err != nil {
		return err
	}
	j, err := c.joining(h, c.s.Doors.AddressOf(r))
	if err != nil {
		return err
	}
	if h.Referee {
		if err := c.noteReferee(r, l.Code); err != nil {
			return err
		}
	}
	c.at = l
	return c.s.Doors.Enter(r.Context(), l, &j, func() (err error) {
		c.client, err = l.Join(r.Context(), j)
		return err
	})
}

// joining turns hello into what the lobby is asked for.
func (c *conn) joining(h *wire.Hello, from string) (hall.Joining, error) {
	j := hall.Joining{Account: c.who.Player, Name: c.who.Name, Team: h.Team, Resume: h.Resume, Tick: h.Tick,
		Branch: h.Branch,
		Pass:   h.Pass, Version: h.Book, Wait: h.Wait, Watch: h.Watch || !c.who.IsPlayer(), Enc: c.enc,
		Referee: h.Referee, From: guard.Counted(from)}
	if (h.All || h.As != 0) && !c.who.Can(account.Read) && !c.who.Can(account.Referee) {
		return j, fault.New(code.Forbidden, "only service keys see everything, or what another seat sees")
	}
	if h.Referee && !c.who.Can(account.Referee) {
		return j, fault.New(code.Forbidden, "a referee signs in with a service key that has the scope referee")
	}
	j.All, j.As = h.All, sheet.ID(h.As)
	for _, raw := range h.Locals {
		name, err := account.CleanName(raw)
		if err != nil {
			return j, err
		}
		j.Locals = append(j.Locals, name)
	}
	return j, nil
}

// moved is that a lobby is alive at another node.
type moved struct{ at string }

func (m *moved) Error() string { return "the lobby is alive at " + m.at }

// refuse tells why a connection ends before it has begun.
func (c *conn) refuse(err error) {
	var m *moved
	if errors.As(err, &m) {
		c.say(wire.Bye{Is: "bye", Code: string(code.Moved), Reason: m.Error(), Again: true, At: m.at})
		c.close(websocket.CloseNormalClosure, string(code.Moved))
		c.linger()
		return
	}
	f := c.s.Doors.FaultOf(err, "path", "/v1/live")
	c.say(wire.Bye{Is: "bye", Code: string(f.Code), Reason: f.Reason,
		Again: f.Code == code.Stopping || f.Code == code.NotKept})
	status := websocket.ClosePolicyViolation
	if c.status != 0 {
		status = c.status
	}
	c.close(status, string(f.Code))
	c.linger()
}

// theSchema is made once.
var theSchema = sync.OnceValues(spec.Schema)

// Schema serves the JSON Schema of the protocol's messages.
func Schema(w http.ResponseWriter, r *http.Request) {
	data, err := theSchema()
	if err != nil {
		panic(err) // the types are fixed, and a test reads them
	}
	w.Header().Set("Content-Type", "application/schema+json")
	w.Write(data)
}
