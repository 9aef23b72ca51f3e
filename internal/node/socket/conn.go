package socket

import (
	"bytes"
	"errors"
	"io"
	"net"
	"slices"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"github.com/gorilla/websocket"
	"golang.org/x/time/rate"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/live/point"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

// The time limits of a live connection.
const (
	writeWithin = 10 * time.Second // for a message, or what waits, unless the node says otherwise
	firstPing   = 100 * time.Millisecond
	pingEvery   = 2 * time.Second
	silentFor   = 15 * time.Second // without any message the connection counts as lost
)

// maxKept is the largest read buffer that is kept for the next message.
const maxKept = 64 << 10

// buffers are lent to connections while they read a message.
var buffers = sync.Pool{New: func() any { return new(bytes.Buffer) }}

// conn is one live connection. Between messages only its reader is there: the writer comes when something waits, and
// goes when it is written.
type conn struct {
	gone    func() // gives back what is counted for its address
	watched func() // and for who watches, or nil
	s       *Socket
	ws      *websocket.Conn
	line    *line
	enc     replica.Encoding
	client  *hall.Client
	at      *hall.Lobby // that it is to
	who     *account.Who
	list    *wire.Filter     // instead of a lobby: the listing
	board   *wire.BoardWatch // instead of a lobby: a part of a board
	topic   *wire.TopicWatch // instead of a lobby: a topic
	from    string           // the address
	since   time.Time
	no      uint64      // tells it from the node's others, in the order in which they came
	judge   *hall.Judge // instead of a lobby: all of a rulebook's
	limit   *inputLimit
	most    int64 // bytes of a message
	status  int   // with which the connection closes when it is refused, unless 0
	moves   moves
	timer   *time.Timer  // of the next ping
	pinged  atomic.Int64 // when the last ping was put, in nanoseconds since the epoch
	pings   atomic.Uint64
}

// say writes a message of the connection's own, before the box is served. Without a lease that is only why it ends.
func (c *conn) say(v any) error {
	if _, bye := v.(wire.Bye); !bye && !c.s.lease.Holds() {
		return errUnheld
	}
	data := wire.Encode(c.enc, v)
	c.s.Meter.Out(1, len(data))
	c.ws.SetWriteDeadline(time.Now().Add(writeWithin))
	return c.ws.WriteMessage(messageType[c.enc], data)
}

// errUnheld is why a node says nothing whose lease has run out.
var errUnheld = errors.New("the node's lease has run out")

// The WebSocket pings and pongs that a connection may send a second, and at once. No client needs them: the protocol
// has its own.
const (
	controlRate  = 10
	controlsOnce = 60
)

// errControls ends a connection that sends too many of them.
var errControls = errors.New("too many pings and pongs")

// countControls counts them, and answers pings as RFC 6455, section 5.5.2, asks for.
func (c *conn) countControls() {
	controls := rate.NewLimiter(controlRate, controlsOnce)
	answer := c.ws.PingHandler()
	c.ws.SetPingHandler(func(data string) error {
		if !controls.Allow() {
			return errControls
		}
		return answer(data)
	})
	c.ws.SetPongHandler(func(string) error {
		if !controls.Allow() {
			return errControls
		}
		return nil
	})
}

// How long, and for how many bytes, a connection that the service ends is still read, so that what it was told last is
// not lost to what it sends (RFC 1122, section 4.2.2.13).
const (
	lingerFor  = time.Second
	lingerMost = 1 << 20
)

// linger closes a connection whose reading side may still send.
func (c *conn) linger() {
	raw := c.ws.NetConn()
	if half, is := raw.(interface{ CloseWrite() error }); is && half.CloseWrite() == nil {
		raw.SetReadDeadline(time.Now().Add(lingerFor))
		io.CopyN(io.Discard, raw, lingerMost)
	}
	c.ws.Close()
}

func (c *conn) close(status int, why string) {
	c.ws.WriteControl(websocket.CloseMessage, websocket.FormatCloseMessage(status, why), time.Now().Add(time.Second))
}

// serve reads until the connection ends. What is to be written is written meanwhile.
func (c *conn) serve() {
	defer c.gone()
	defer c.s.conns.remove(c)
	c.limit = newInputLimit(c.client.Count())
	c.moves.to = c.client
	c.timer = safe.After(firstPing, "ping a connection", c.ping)
	try := c.try
	if c.line.raw == nil {
		try = nil
	}
	c.client.Serve(c.write, try)
	err := c.reader(c.message)
	c.timer.Stop()
	if err == nil { // first, so that why it ended is not taken for a word of the service
		c.client.Lost()
	}
	c.client.EndFor(err)
	c.client.Lost()
}

// try writes a frame at once, if the system takes it. Asking the lease's clock takes the system as long as a tenth of a
// write, so that what was seen of the lease within the last millisecond counts.
func (c *conn) try(f *outbox.Frame) outbox.Took {
	now := int64(time.Since(c.s.began))
	if at := c.s.heldAt.Load(); !f.Anyway && (at == 0 || now-at > int64(time.Millisecond)) {
		if !c.s.lease.Holds() {
			return outbox.Nothing // the writer sees to it
		}
		c.s.heldAt.Store(now)
	}
	took := c.line.try(f)
	if took != outbox.Nothing {
		c.s.Meter.Out(1, len(f.Data))
		point.Pass(point.Sent)
	}
	return took
}

// write writes what waits, and tells whether the connection goes on.
func (c *conn) write(list []*outbox.Frame, bye *wire.Bye) bool {
	if !c.s.lease.Holds() && slices.ContainsFunc(list, func(f *outbox.Frame) bool { return !f.Anyway }) {
		// whatever it says may not be true any more
		for _, f := range list {
			f.Free()
		}
		c.ws.Close()
		return false
	}
	size := 0
	for _, f := range list {
		size += len(f.Data)
	}
	c.s.Meter.Out(len(list), size)
	err := c.line.writeAll(list, c.s.Patience)
	for _, f := range list {
		f.Free()
	}
	point.Pass(point.Sent)
	if err != nil {
		if late := net.Error(nil); errors.As(err, &late) && late.Timeout() {
			c.s.Meter.Slow()
			c.client.Stuck()
		}
		c.ws.Close()
		return false
	}
	if bye != nil {
		if bye.Code != "" {
			c.say(*bye)
		}
		status := websocket.CloseNormalClosure
		if c.status != 0 {
			status = c.status
		}
		c.close(status, bye.Code)
		c.linger()
		return false
	}
	c.client.Drained()
	return true
}

// ping puts a ping behind what waits. Who has not taken the last one yet gets none.
func (c *conn) ping() {
	if frames, _ := c.client.Load(); frames == 0 {
		c.pinged.Store(time.Now().UnixNano())
		c.client.AskPing(c.pings.Add(1))
	}
	if c.client.Ended() == nil {
		c.timer.Reset(pingEvery)
	}
}

// messageType is the kind of WebSocket message of each encoding.
var messageType = [replica.Encodings]int{replica.JSON: websocket.TextMessage, replica.CBOR: websocket.BinaryMessage}

// read waits so long for one message and decodes it. An ended connection gives no message and no error.
func (c *conn) read(within time.Duration) (any, error) {
	c.ws.SetReadDeadline(time.Now().Add(within))
	kind, r, err := c.ws.NextReader()
	if err != nil {
		if errors.Is(err, errControls) {
			return nil, fault.New(code.TooMany, "more than %d WebSocket pings and pongs a second", controlRate)
		}
		return nil, nil
	}
	if kind != messageType[c.enc] {
		return nil, fault.New(code.BadMessage, "JSON is sent in text messages and CBOR in binary ones; this "+
			"connection uses %s",
			wire.Subprotocols[c.enc])
	}
	buf := buffers.Get().(*bytes.Buffer)
	defer func() {
		if buf.Cap() <= maxKept {
			buffers.Put(buf)
		}
	}()
	buf.Reset()
	n, err := buf.ReadFrom(io.LimitReader(r, c.most+1))
	if err != nil {
		return nil, nil
	}
	if n > c.most {
		return nil, fault.New(code.TooLarge, "%s: it has at most %d bytes", wire.ErrTooLarge, c.most)
	}
	c.s.Meter.In(buf.Len())
	m, err := wire.FromClient(c.enc, buf.Bytes())
	if c.limit != nil && !isMove(m) {
		if err := c.limit.message(); err != nil {
			return nil, err
		}
	}
	if err != nil {
		why := code.BadMessage
		if errors.Is(err, wire.ErrTooLarge) {
			why = code.TooLarge
		}
		if errors.Is(err, wire.ErrNoText) || c.enc == replica.JSON && !utf8.Valid(buf.Bytes()) {
			c.status = websocket.CloseInvalidFramePayloadData
		}
		return nil, fault.New(why, "%s", err)
	}
	return m, nil
}

// reader hands on messages until the connection ends (nil) or one is bad.
func (c *conn) reader(take func(any) error) error {
	for {
		m, err := c.read(silentFor)
		if m == nil || err != nil {
			return err
		}
		if err := take(m); err != nil {
			return err
		}
	}
}

// message hands a message to the lobby, unless it is about the connection itself.
func (c *conn) message(m any) error {
	switch m := m.(type) {
	case *wire.Intent:
		if isMove(m) {
			return c.moves.take(m)
		}
		if err := c.limit.intent(m.Seat); err != nil {
			return err
		}
		if m.Do == string(step.Rename) {
			if _, err := c.s.Guard.Take(guard.Renames, c.who.Player); err != nil {
				c.client.Refuse(m, err)
				return nil
			}
		}
		if len(c.moves.seats) > 0 { // only the reader adds any
			c.moves.before(m.Seat)
		}
	case *wire.Local:
		c.limit.grow()
		if m.Token != "" {
			c.seat(m)
			return nil
		}
	case *wire.Ping:
		if m.Is == "pong" {
			if at := c.pinged.Load(); at != 0 && m.N == c.pings.Load() { // the newest ping's
				c.client.Ping(max(time.Since(time.Unix(0, at)).Milliseconds(), 0))
			}
			return nil
		}
	}
	return c.client.Receive(m)
}
