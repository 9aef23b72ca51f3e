package service_test

import (
	"context"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

const floodBook = `
turnvex: 1
name: flood
tick: 60
players: {least: 1, most: 4}
host: {start: [private, public], pause: [private, public]}
start: {ready: false, countdown: 0s}
sheets:
  match: {count: {type: integer}, a: {type: text, max: 500}, b: {type: text, max: 500}, c: {type: text, max: 500}, d: {type: text, max: 500},
    e: {type: text, max: 500}, f: {type: text, max: 500}, g: {type: text, max: 500}, h: {type: text, max: 500}}
rules:
  - every: 50ms
    do:
      - {add: match.count, by: 1}
      - {set: match.a, to: "match.a.size() > 400 ? '🌊' : match.a + match.a + '🌊'"}
      - {set: match.b, to: "match.a + string(match.count)"}
      - {set: match.c, to: "match.b + match.b"}
      - {set: match.d, to: "match.c + match.c"}
      - {set: match.e, to: match.b + match.d}
      - {set: match.f, to: match.c + match.d}
      - {set: match.g, to: match.b + match.e}
      - {set: match.h, to: match.b + match.f}
      - {notice: wave, with: {n: match.count}}
      - {notice: bell, with: {n: match.count}, needed: true}
phases: {play: {lasts: 10m}}
`

// gate is a connection that reads only while it is open.
type gate struct {
	net.Conn
	open atomic.Pointer[chan struct{}] // closed while it is
}

func (g *gate) Read(p []byte) (int, error) {
	<-*g.open.Load()
	return g.Conn.Read(p)
}

// shut shuts the gate until the function that it returns is called.
func (g *gate) shut() func() {
	until := make(chan struct{})
	g.open.Store(&until)
	return func() { close(until) }
}

// gated connects through a gate that is still open, with little room on the way.
func gated(t *testing.T, address string, o client.Options) (*client.Conn, *gate) {
	t.Helper()
	var g *gate
	o.Address, o.Patience = address, -1
	o.Dial = func(ctx context.Context, network, addr string) (net.Conn, error) {
		c, err := (&net.Dialer{}).DialContext(ctx, network, addr)
		if err == nil {
			err = c.(*net.TCPConn).SetReadBuffer(32 << 10)
		}
		g = &gate{Conn: c}
		g.shut()()
		return g, err
	}
	c, err := client.Connect(soon(t), o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	return c, g
}

// flood opens a lobby of the flood at a node and brings its host in. The time from one delta to the next is watched.
func flood(t *testing.T, s *service.Service) (code string, a *client.Conn, late func() time.Duration) {
	t.Helper()
	loaded, problems, err := s.Library.Load(soon(t),
		[]byte(strings.Replace(floodBook, "name: flood", "name: flood_"+fresh(), 1)))
	if err != nil {
		t.Fatal(err, problems)
	}
	in := player(t, "Mara")
	l, err := at(s, in).Open(soon(t), client.Opening{Rulebook: loaded.Name})
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	longest, last := time.Duration(0), time.Time{}
	a, err = client.Connect(soon(t),
		client.Options{Address: s.Address, Token: in.Token, Lobby: l.Code, OnChange: func(ch client.Change) {
			if ch.Field == nil || ch.Field.Name != "count" {
				return
			}
			mu.Lock()
			if now := time.Now(); !last.IsZero() {
				longest = max(longest, now.Sub(last))
			}
			last = time.Now()
			mu.Unlock()
		}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(a.Close)
	return l.Code, a, func() time.Duration { mu.Lock(); defer mu.Unlock(); return longest }
}

// TestSlowClient (protocol, Falling behind, and coming back): one that stops reading delays nobody. When it reads on,
// what was only for show is left out and counted, what is needed is not, and a merged delta makes its copy true again.
func TestSlowClient(t *testing.T) {
	code, a, late := flood(t, node)
	var mu sync.Mutex
	missed, waves, bells := 0, int64(0), []int64{}
	var own atomic.Pointer[client.Conn]
	b, g := gated(t, node.Address, client.Options{Token: player(t, "Joss").Token, Lobby: code,
		OnMissed: func(n int) { mu.Lock(); missed += n; mu.Unlock() },
		OnNotice: func(n client.Notice) {
			mu.Lock()
			defer mu.Unlock()
			if n.Name == "bell" {
				bells = append(bells, n.With["n"].(int64))
				own.Load().Read(func(c *client.Copy) {
					if count := c.Match().Int("count"); count < n.With["n"].(int64) {
						t.Errorf("bell %v comes before its delta: the copy counts %d", n.With["n"], count)
					}
				})
			} else if n.Name == "wave" {
				waves++
			}
		}})
	own.Store(b)
	do(t, a, client.Intent{Do: "start"})
	until(t, b, "play", func(c *client.Copy) bool { return c.Match().Int("count") > 2 })
	open := g.shut()
	until(t, a, "much has happened", func(c *client.Copy) bool { return c.Match().Int("count") > 60 })
	open()
	until(t, b, "the newest values arrive", func(c *client.Copy) bool { return c.Match().Int("count") > 60 })
	do(t, a, client.Intent{Do: "pause"})
	until(t, b, "the pause is seen", func(c *client.Copy) bool { return c.Match().Text("paused") == "yes" })
	noDifferences(t, node, code, 2)
	mu.Lock()
	defer mu.Unlock()
	for i := range bells {
		if bells[i] != int64(i)+bells[0] {
			t.Fatalf("a bell is missing: %v", bells)
		}
	}
	if missed == 0 || bells[0] > 3 || int64(missed)+waves < int64(len(bells)) {
		t.Errorf("%d notices were left out, %d waves and %d bells came", missed, waves, len(bells))
	}
	if late() > time.Second {
		t.Errorf("who reads waited %s for a delta, though there is one each 50 ms", late())
	}
}

// TestStuckClient: one that takes nothing for too long is sent away, and told so when it comes back.
func TestStuckClient(t *testing.T) {
	impatient := another(t, service.Config{Patience: 300 * time.Millisecond})
	code, a, _ := flood(t, impatient)
	in := player(t, "Odile")
	b, g := gated(t, impatient.Address, client.Options{Token: in.Token, Lobby: code})
	open := g.shut()
	do(t, a, client.Intent{Do: "start"})
	until(t, a, "it is sent away", func(c *client.Copy) bool { return away(c, "Odile") })
	open()
	<-b.Done()
	back, err := client.Connect(soon(t), client.Options{Address: impatient.Address, Token: in.Token, Lobby: code})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(back.Close)
	wants(t, "why the last connection ended", back.Lost(), "too-slow")
}
