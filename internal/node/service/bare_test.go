package service_test

import (
	"context"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// another starts a second node beside the first, set otherwise. Its lobbies are its own; the players are the same.
func another(t *testing.T, cfg service.Config) *service.Service {
	t.Helper()
	if cfg.Node = "node-" + fresh(); cfg.Database == "" {
		cfg.Database = database
	}
	if cfg.Region == "" { // so that it takes over nothing of the others, and they nothing of it
		cfg.Region = cfg.Node
	}
	s, err := service.Start(soon(t), cfg)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	return s
}

// at is a player's service at a node.
func at(s *service.Service, in *client.Signed) client.Service {
	return client.Service{Address: s.Address, Token: in.Token}
}

// bare is a bare socket that speaks JSON.
type bare struct {
	*websocket.Conn
	t *testing.T
}

// bareTo opens one and says hello, unless that is nil; with a buffer the system holds no more bytes than that for it.
func bareTo(t *testing.T, address string, hello map[string]any, buffer int) *bare {
	t.Helper()
	d := websocket.Dialer{Subprotocols: []string{"turnvex.v1+json"}}
	if buffer > 0 {
		d.NetDialContext = func(ctx context.Context, network, addr string) (net.Conn, error) {
			c, err := (&net.Dialer{}).DialContext(ctx, network, addr)
			if err == nil {
				err = c.(*net.TCPConn).SetReadBuffer(buffer)
			}
			return c, err
		}
	}
	ws, _, err := d.DialContext(soon(t), "ws"+strings.TrimPrefix(address, "http")+"/v1/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { ws.Close() })
	if hello != nil {
		hello["is"] = "hello"
		ws.WriteJSON(hello)
	}
	return &bare{ws, t}
}

// next returns the next message that is one of the given; pings are answered meanwhile. With none given it returns the
// next of any kind.
func (b *bare) next(is ...string) map[string]any {
	b.t.Helper()
	b.SetReadDeadline(time.Now().Add(20 * time.Second))
	for {
		m := map[string]any{}
		if err := b.ReadJSON(&m); err != nil {
			b.t.Fatalf("waiting for %v: %v", is, err)
		}
		for _, want := range is {
			if m["is"] == want {
				return m
			}
		}
		if m["is"] == "ping" {
			b.WriteJSON(map[string]any{"is": "pong", "n": m["n"]})
		}
		if m["is"] == "bye" {
			b.t.Fatalf("waiting for %v: %v", is, m)
		}
	}
}

// noDifferences checks the copies of all clients in a lobby.
func noDifferences(t *testing.T, s *service.Service, code string, clients int) {
	t.Helper()
	op, err := client.SignInKey(soon(t), s.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	r, err := at(s, op).CheckCopies(soon(t), code)
	if err != nil || r.Asked != clients || r.Answered != clients || len(r.Differs) != 0 {
		t.Errorf("the copies: %+v, %v; %d clients should be the same", r, err, clients)
	}
}

// started brings two players into a running match of a rulebook.
func started(t *testing.T, book string, o client.Options) (code string, a, b *client.Conn) {
	t.Helper()
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code = lobby(t, mara, client.Opening{Rulebook: book})
	o.Lobby = code
	a, b = join(t, mara, client.Options{Lobby: code}), join(t, joss, o)
	play(t, a, b)
	return code, a, b
}

func play(t *testing.T, all ...*client.Conn) {
	t.Helper()
	for _, c := range all {
		do(t, c, client.Intent{Do: "ready"})
	}
	for _, c := range all {
		until(t, c, "play",
			func(c *client.Copy) bool { return c.Match().Text("phase") == "play" && c.Me().Flag("alive") })
	}
}

func away(c *client.Copy, name string) bool {
	for _, p := range c.Players() {
		if p.Text("name") == name {
			return p.Flag("away")
		}
	}
	return false
}
