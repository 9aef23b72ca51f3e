package client

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/wire"
)

// Rough makes a connection bad on purpose, for practice and for tests. The zero value leaves it as it is. ParseRough
// reads one.
type Rough struct {
	Delay  time.Duration // each way
	Jitter time.Duration // up to so much more, at random

	StallEvery time.Duration // on average so long after the last stall …
	StallFor   time.Duration // … nothing arrives for this time

	CutEvery time.Duration // on average so long after it was opened it is cut; 0 for never

	Seed uint64 // of all chance; one of its own if 0
}

// ParseRough reads a network such as delay=80ms,jitter=20ms,stall=2s/30s,cut=1m: so late each way, so much more at
// random, nothing for 2 s every 30 s on average, cut after a minute on average. Each part may be left out.
func ParseRough(s string) (Rough, error) {
	n, err := rough.Parse(s)
	return Rough(n), err
}

type dialFunc = func(ctx context.Context, network, address string) (net.Conn, error)

// maxIncoming is the longest message that is taken from a service, in bytes.
const maxIncoming = 8 << 20

// silence is how long nothing may arrive before a connection counts as lost.
const silence = 15 * time.Second

// socket is one WebSocket with its encoding.
type socket struct {
	ws  *websocket.Conn
	enc replica.Encoding
	mu  sync.Mutex // held while writing
	buf bytes.Buffer
}

// dialling is how a socket is opened.
type dialling struct {
	address string
	enc     replica.Encoding
	dial    dialFunc
	rough   Rough
}

// greet opens a socket, says hello and returns the first message. A bye is returned as a *Refusal.
func greet(ctx context.Context, o dialling, hello wire.Hello) (*socket, []byte, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	dial := o.dial
	if dial == nil {
		dial = (&net.Dialer{}).DialContext
	}
	d := websocket.Dialer{Subprotocols: []string{wire.Subprotocols[o.enc]}, Proxy: http.ProxyFromEnvironment,
		NetDialContext: func(ctx context.Context, network, address string) (net.Conn, error) {
			c, err := dial(ctx, network, address)
			if err != nil {
				return nil, err
			}
			return rough.Network(o.rough).Wrap(c), nil
		}}
	url := "ws" + strings.TrimPrefix(strings.TrimSuffix(o.address, "/"), "http") + "/v1/live"
	ws, res, err := d.DialContext(ctx, url, nil)
	if err != nil {
		if res != nil && res.StatusCode >= 400 {
			return nil, nil, refusalOf(res)
		}
		return nil, nil, fmt.Errorf("the service at %s does not answer: %w", o.address, err)
	}
	ws.SetReadLimit(maxIncoming)
	s := &socket{ws: ws, enc: replica.Encoding(max(slices.Index(wire.Subprotocols[:], ws.Subprotocol()), 0))}
	var data []byte
	if err = s.say(hello); err == nil {
		data, err = s.read()
	}
	if err == nil {
		err = s.refusedBy(data)
	}
	if err != nil {
		ws.Close()
		return nil, nil, err
	}
	return s, data, nil
}

// refusedBy turns a bye into an error: a *Refusal, or another one if trying again may help.
func (s *socket) refusedBy(data []byte) error {
	kind, err := wire.Kind(s.enc, data)
	if err != nil || kind != "bye" {
		return err
	}
	var b wire.Bye
	if err := wire.ReadLoose(s.enc, data, &b); err != nil {
		return err
	}
	if b.At != "" {
		return &elsewhere{b.At}
	}
	if b.Again {
		return fmt.Errorf("%w: %s", errLater, b.Reason)
	}
	return &Refusal{Code: b.Code, Reason: b.Reason}
}

// errLater is that trying again may help.
var errLater = errors.New("the service ended the connection")

// elsewhere is that the lobby is at another node.
type elsewhere struct{ at string }

func (e *elsewhere) Error() string { return "the lobby is at " + e.at }

// read waits for the next message. It is good until the next call.
func (s *socket) read() ([]byte, error) {
	s.ws.SetReadDeadline(time.Now().Add(silence))
	_, r, err := s.ws.NextReader()
	if err != nil {
		return nil, err
	}
	s.buf.Reset()
	_, err = s.buf.ReadFrom(r)
	return s.buf.Bytes(), err
}

// say sends a message. It may be called from any goroutine.
func (s *socket) say(v any) error {
	data, kind := wire.Encode(s.enc, v), websocket.TextMessage
	if s.enc == replica.CBOR {
		kind = websocket.BinaryMessage
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.ws.SetWriteDeadline(time.Now().Add(10 * time.Second))
	return s.ws.WriteMessage(kind, data)
}
