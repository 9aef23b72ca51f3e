package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex/internal/account"
	"turnvex/internal/code"
	"turnvex/internal/fault"
	"turnvex/internal/hall"
	"turnvex/internal/match"
	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// The time limits of a live connection.
const (
	helloWithin = 10 * time.Second // from the handshake to hello
	writeWithin = 10 * time.Second // for one batch of frames
	pingEvery   = 2 * time.Second
	silentFor   = 15 * time.Second // without any message the connection counts as lost
)

var bufferPool = websocket.BufferPool(&pool{})

// live is the live socket: docs/protocol.md says what goes over it.
func (s *server) live(w http.ResponseWriter, r *http.Request) {
	if !websocket.IsWebSocketUpgrade(r) {
		s.fail(w, r, fault.New(code.NotUpgradeable, "this address speaks WebSocket with the subprotocol %s", wire.SubprotocolJSON))
		return
	}
	if !s.originAllowed(r) {
		s.fail(w, r, fault.New(code.NoSuchHost, "pages from %s may not connect here", r.Header.Get("Origin")))
		return
	}
	if offered := websocket.Subprotocols(r); len(offered) > 0 && !slices.Contains(offered, wire.SubprotocolJSON) {
		s.fail(w, r, fault.New(code.BadRequest, "the subprotocol %s is spoken here", wire.SubprotocolJSON))
		return
	}
	up := websocket.Upgrader{Subprotocols: []string{wire.SubprotocolJSON}, WriteBufferPool: bufferPool, WriteBufferSize: 4096,
		CheckOrigin: func(*http.Request) bool { return true }}
	ws, err := up.Upgrade(w, r, nil)
	if err != nil {
		return // the library has answered
	}
	defer ws.Close()
	ws.SetReadLimit(4 * wire.MaxMessage) // beyond that the library ends the connection without a word
	c := &conn{s: s, ws: ws}
	if err := c.hello(r); err != nil {
		c.refuse(err)
		return
	}
	if c.list != nil {
		c.serveListing(r)
		return
	}
	c.serve()
}

// originAllowed lets programs in, which send no origin, the console, and what
// the operator allows.
func (s *server) originAllowed(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" || slices.Contains(s.Origins, origin) {
		return true
	}
	u, err := url.Parse(origin)
	return err == nil && u.Host == r.Host
}

// conn is one live connection.
type conn struct {
	s      *server
	ws     *websocket.Conn
	client *hall.Client
	who    *account.Who
	list   *wire.Filter // instead of a lobby: the listing
	pinged atomic.Int64 // when the last ping was sent, in nanoseconds since the epoch
	pings  uint64
}

// hello reads the first message and joins the lobby it names.
func (c *conn) hello(r *http.Request) error {
	c.ws.SetReadDeadline(time.Now().Add(helloWithin))
	_, data, err := c.ws.ReadMessage()
	if err != nil {
		return fault.New(code.HelloFirst, "no hello came in time")
	}
	var h wire.Hello
	if kind, err := wire.Kind(data); err != nil || kind != "hello" {
		return fault.New(code.HelloFirst, "the first message must be hello")
	}
	if err := wire.Read(data, &h); err != nil {
		return fault.New(code.BadMessage, "hello: %s", err)
	}
	if c.who, err = c.s.Accounts.Check(r.Context(), h.Token); err != nil {
		return err
	}
	if h.List != nil {
		c.list = h.List
		return nil
	}
	l, err := c.s.find(r, h.Lobby)
	if err != nil {
		return err
	}
	j := hall.Joining{Account: c.who.Player, Name: c.who.Name, Team: h.Team, Resume: h.Resume, Pass: h.Pass, Version: h.Book, Wait: h.Wait,
		Watch: h.Watch || !c.who.IsPlayer()}
	if h.All || h.As != 0 {
		if !c.who.Can(account.Read) && !c.who.Can(account.Referee) {
			return fault.New(code.Forbidden, "only service keys see everything, or what another seat sees")
		}
		j.All, j.As = h.All, sheet.ID(h.As)
	}
	for _, raw := range h.Locals {
		name, err := account.CleanName(raw)
		if err != nil {
			return err
		}
		j.Locals = append(j.Locals, name)
	}
	c.client, err = l.Join(r.Context(), j)
	return err
}

// refuse tells why a connection ends before it has begun.
func (c *conn) refuse(err error) {
	var f *fault.Fault
	if !errors.As(err, &f) {
		c.s.Log.Error("a connection failed", "error", err)
		f = fault.New(code.Internal, "something went wrong inside; it was logged")
	}
	c.write(mustJSON(wire.Bye{Is: "bye", Code: string(f.Code), Reason: f.Reason, Again: f.Code == code.Stopping}))
	c.close(websocket.ClosePolicyViolation, string(f.Code))
}

func mustJSON(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return data
}

func (c *conn) write(frame []byte) error {
	c.ws.SetWriteDeadline(time.Now().Add(writeWithin))
	return c.ws.WriteMessage(websocket.TextMessage, frame)
}

func (c *conn) close(status int, why string) {
	c.ws.WriteControl(websocket.CloseMessage, websocket.FormatCloseMessage(status, why), time.Now().Add(time.Second))
}

// serve reads in this goroutine and writes in another, until either ends.
func (c *conn) serve() {
	done := make(chan struct{})
	go func() {
		defer close(done)
		c.writer()
		c.ws.Close()
	}()
	if err := c.reader(); err != nil {
		c.client.End(fault.CodeOf(err), err)
	} else {
		c.client.Lost()
		c.client.End(code.OK, nil)
	}
	<-done
	c.client.Lost()
}

// writer sends what the lobby has for the connection, and pings.
func (c *conn) writer() {
	ping := time.NewTimer(100 * time.Millisecond)
	defer ping.Stop()
	for {
		select {
		case <-c.client.Wake():
			frames, bye := c.client.Take()
			for _, f := range frames {
				if c.write(f) != nil {
					return
				}
			}
			if bye != nil {
				if bye.Code != "" {
					c.write(mustJSON(bye))
				}
				c.close(websocket.CloseNormalClosure, bye.Code)
				return
			}
			if len(frames) > 0 {
				c.client.Drained()
			}
		case <-ping.C:
			c.pings++
			c.pinged.Store(time.Now().UnixNano())
			if c.write(mustJSON(wire.Ping{Is: "ping", N: c.pings, Tick: int64(c.client.Tick())})) != nil {
				return
			}
			ping.Reset(pingEvery)
		}
	}
}

// reader takes messages until the connection ends (nil) or one is bad.
func (c *conn) reader() error {
	limit := newIntentLimit()
	for {
		c.ws.SetReadDeadline(time.Now().Add(silentFor))
		_, data, err := c.ws.ReadMessage()
		if err != nil {
			return nil
		}
		if len(data) > wire.MaxMessage {
			return fault.New(code.TooLarge, "a message has at most %d bytes, not %d", wire.MaxMessage, len(data))
		}
		if !limit.Allow() {
			return fault.New(code.TooMany, "more than %d messages a second", intentRate)
		}
		if err := c.message(data); err != nil {
			return err
		}
	}
}

func (c *conn) message(data []byte) error {
	if wire.Depth(data) {
		return fault.New(code.BadMessage, "lists and maps stand inside each other more than %d deep", wire.MaxDepth)
	}
	kind, err := wire.Kind(data)
	if err != nil {
		return fault.New(code.BadMessage, "%s", err)
	}
	switch kind {
	case "intent":
		var in wire.Intent
		if err := wire.Read(data, &in); err != nil {
			return fault.New(code.BadMessage, "intent: %s", err)
		}
		input, err := c.client.ReadIntent(&in)
		if err != nil {
			return err
		}
		if input.Verb == match.VerbRename {
			if err := c.rename(&input); err != nil {
				return err
			}
		}
		c.client.Intent(input)
	case "ping":
		var p wire.Ping
		if err := wire.Read(data, &p); err != nil {
			return fault.New(code.BadMessage, "ping: %s", err)
		}
		c.client.Pong(p.N)
	case "pong":
		var p wire.Ping
		if err := wire.Read(data, &p); err != nil {
			return fault.New(code.BadMessage, "pong: %s", err)
		}
		if at := c.pinged.Load(); at != 0 {
			c.client.Ping(max(time.Since(time.Unix(0, at)).Milliseconds(), 0))
		}
	case "whole":
		c.client.Whole()
	case "leave":
		c.client.Leave()
	default:
		return fault.New(code.BadMessage, "there is no message %q; a client sends intent, ping, pong, whole and leave", kind)
	}
	return nil
}

// rename checks a name before the authority sees it. The name of the player who
// has signed in is kept and brought to every lobby they are in; that of a further
// player on the connection lives as long as the seat.
func (c *conn) rename(in *match.Input) error {
	name, err := account.CleanName(in.Text)
	in.Text = name
	if err != nil || in.Seat != c.client.First() {
		return nil // a bad name is refused by verdict
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if _, err := c.s.Accounts.Rename(ctx, c.who.Player, name); err != nil {
		return err
	}
	c.s.Hall.Renamed(c.who.Player, name)
	return nil
}
