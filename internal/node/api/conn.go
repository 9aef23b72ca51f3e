package api

import (
	"bytes"
	"context"
	"errors"
	"net"
	"sync/atomic"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// The time limits of a live connection.
const (
	writeWithin = 10 * time.Second // for a message, or what waits, unless the node says otherwise
	pingEvery   = 2 * time.Second
	silentFor   = 15 * time.Second // without any message the connection counts as lost
)

// maxKept is the largest read buffer that a connection keeps between messages.
const maxKept = 4 << 10

// conn is one live connection.
type conn struct {
	s      *server
	ws     *websocket.Conn
	enc    replica.Encoding
	client *hall.Client
	who    *account.Who
	list   *wire.Filter // instead of a lobby: the listing
	pinged atomic.Int64 // when the last ping was sent, in nanoseconds since the epoch
	pings  atomic.Uint64
	buf    bytes.Buffer
}

// say writes a message of the connection's own.
func (c *conn) say(v any) error {
	c.ws.SetWriteDeadline(time.Now().Add(writeWithin))
	return c.ws.WriteMessage(messageType[c.enc], wire.Encode(c.enc, v))
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
	limit := newInputLimit(c.client.Count())
	if err := c.reader(limit, func(kind string, data []byte) error { return c.message(kind, data, limit) }); err != nil {
		c.client.EndFor(fault.CodeOf(err), err)
	} else {
		c.client.Lost()
		c.client.EndFor(code.OK, nil)
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
			if !c.writeWaiting() {
				return
			}
		case <-ping.C:
			tick, part := c.client.Now()
			c.pinged.Store(time.Now().UnixNano())
			if c.say(wire.Ping{Is: "ping", N: c.pings.Add(1), Tick: tick, Part: part}) != nil {
				return
			}
			ping.Reset(pingEvery)
		}
	}
}

// writeWaiting writes what waits, and tells whether the connection goes on.
func (c *conn) writeWaiting() bool {
	list, bye := c.client.Take()
	if err := WriteFrames(c.ws, list, c.s.Patience); err != nil {
		if late := net.Error(nil); errors.As(err, &late) && late.Timeout() {
			c.client.Stuck()
		}
		return false
	}
	if bye != nil {
		if bye.Code != "" {
			c.say(bye)
		}
		c.close(websocket.CloseNormalClosure, bye.Code)
		return false
	}
	if len(list) > 0 {
		c.client.Drained()
	}
	return true
}

// WriteFrames writes frames to a connection and frees them, within a time in all.
func WriteFrames(ws *websocket.Conn, list []*outbox.Frame, within time.Duration) (err error) {
	ws.SetWriteDeadline(time.Now().Add(within))
	for _, f := range list {
		if err == nil {
			err = ws.WriteMessage(messageType[f.Enc], f.Data)
		}
		f.Free()
	}
	return err
}

// messageType is the kind of WebSocket message of each encoding.
var messageType = [replica.Encodings]int{replica.JSON: websocket.TextMessage, replica.CBOR: websocket.BinaryMessage}

// read waits so long for one message; its data is good until the next one is read.
func (c *conn) read(within time.Duration) ([]byte, error) {
	c.ws.SetReadDeadline(time.Now().Add(within))
	_, r, err := c.ws.NextReader()
	if err != nil {
		return nil, err
	}
	if c.buf.Cap() > maxKept {
		c.buf = bytes.Buffer{}
	}
	c.buf.Reset()
	_, err = c.buf.ReadFrom(r)
	return c.buf.Bytes(), err
}

// reader hands on messages until the connection ends (nil) or one is bad.
func (c *conn) reader(limit *inputLimit, take func(kind string, data []byte) error) error {
	for {
		data, err := c.read(silentFor)
		if err != nil {
			return nil
		}
		if err := limit.message(); err != nil {
			return err
		}
		kind, err := c.kind(data)
		if err == nil {
			err = take(kind, data)
		}
		if err != nil {
			return err
		}
	}
}

// kind tells what a message is, if it is no larger and no deeper than it may be.
func (c *conn) kind(data []byte) (string, error) {
	if wire.TooDeep(c.enc, data) {
		return "", fault.New(code.BadMessage, "lists and maps stand inside each other more than %d deep", wire.MaxDepth)
	}
	kind, err := wire.Kind(c.enc, data)
	if err != nil {
		return "", fault.New(code.BadMessage, "%s", err)
	}
	if len(data) > wire.MaxMessage && kind != "shown" {
		return "", fault.New(code.TooLarge, "a message has at most %d bytes, not %d", wire.MaxMessage, len(data))
	}
	return kind, nil
}

// message does what a player's message asks for.
func (c *conn) message(kind string, data []byte, limit *inputLimit) error {
	switch kind {
	case "intent":
		return c.intent(data, limit)
	case "ping":
		return take(c, kind, data, func(p *wire.Ping) { c.client.Pong(p.N) })
	case "pong":
		return take(c, kind, data, c.pong)
	case "whole":
		c.client.Whole()
	case "leave":
		c.client.Leave()
	case "hash":
		return take(c, kind, data, func(h *wire.Hash) { c.client.Hashed(h.Tick, h.Hash) })
	case "shown":
		return take(c, kind, data, func(s *wire.Shown) { c.client.Shown(s.Tick, s.Parts) })
	case "decide":
		if !c.client.Referees() {
			return fault.New(code.Forbidden, "only a referee decides")
		}
		return take(c, kind, data, func(d *wire.Decide) { c.client.Decide(d.No, d.Yes) })
	default:
		return fault.New(code.BadMessage, "there is no message %q; a client sends %s", kind, wire.FromClient())
	}
	return nil
}

// take reads a message and does what is to be done with it.
func take[T any](c *conn, kind string, data []byte, do func(*T)) error {
	var m T
	if err := wire.Read(c.enc, data, &m); err != nil {
		return fault.New(code.BadMessage, "%s: %s", kind, err)
	}
	do(&m)
	return nil
}

// pong measures the round trip of the newest ping.
func (c *conn) pong(p *wire.Ping) {
	if at := c.pinged.Load(); at != 0 && p.N == c.pings.Load() {
		c.client.Ping(max(time.Since(time.Unix(0, at)).Milliseconds(), 0))
	}
}

func (c *conn) intent(data []byte, limit *inputLimit) error {
	var in wire.Intent
	if err := wire.Read(c.enc, data, &in); err != nil {
		return fault.New(code.BadMessage, "intent: %s", err)
	}
	if err := limit.intent(in.Seat); err != nil {
		return err
	}
	input, err := c.client.ReadIntent(&in)
	if err != nil {
		return err
	}
	if input.Verb == step.Rename {
		if err := c.rename(&input); err != nil {
			return err
		}
	}
	c.client.Intent(input)
	return nil
}

// rename checks a name before the authority sees it. The name of the player who
// has signed in is kept and brought to every lobby they are in; that of a further
// player on the connection lives as long as the seat.
func (c *conn) rename(in *step.Input) error {
	name, err := account.CleanName(in.Text)
	in.Text = name
	if err != nil || in.Seat != c.client.First() || c.client.Repeats(in) {
		return nil // a bad name is refused by verdict, and a number that comes again is only answered
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if _, err := c.s.Accounts.Rename(ctx, c.who.Player, name); err != nil {
		return err
	}
	c.s.Hall.Renamed(c.who.Player, name)
	return nil
}
