package service_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex/client"
	"turnvex/internal/rough"
	"turnvex/internal/service"
)

// another starts a second node beside the first, set otherwise. Its lobbies are its
// own; the players are the same.
func another(t *testing.T, cfg service.Config) *service.Service {
	t.Helper()
	cfg.Database, cfg.Node = database, "node-"+fresh()
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

// bare is a bare socket that has said hello, in JSON.
type bare struct {
	*websocket.Conn
	t *testing.T
}

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
	hello["is"] = "hello"
	ws.WriteJSON(hello)
	return &bare{ws, t}
}

// next returns the next message that is one of the given; pings are answered
// meanwhile. With none given it returns the next of any kind.
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
		until(t, c, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" && c.Me().Flag("alive") })
	}
}

// TestExpectations: what a client expects is shown at once and taken back when it
// is refused; a watcher is told of first values, expectations and undoing alike.
func TestExpectations(t *testing.T) {
	_, a, b := started(t, "duel", client.Options{JSON: true})
	for _, c := range []*client.Conn{a, b} {
		var mu sync.Mutex
		var told []string
		stop := c.Watch(client.On{Sheet: c.Seat(), Field: "plan"}, func(ch client.Change) {
			mu.Lock()
			told = append(told, fmt.Sprint(ch.Old.N[0], ch.New.N[0], ch.First, ch.Expected, ch.Undone))
			mu.Unlock()
		})
		right := c.Send(client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 4}, Expect: []client.Expected{client.Expect("plan", client.Whole(4))}})
		c.Read(func(c *client.Copy) {
			if c.Me().Int("plan") != 4 {
				t.Error("what is expected is not shown at once")
			}
		})
		if v, err := right.Verdict(soon(t)); err != nil || !v.OK {
			t.Fatal(v, err)
		}
		wrong := c.Send(client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 77}, Expect: []client.Expected{client.Expect("plan", client.Whole(77))}})
		if v, err := wrong.Verdict(soon(t)); err != nil || v.OK {
			t.Fatal(v, err)
		}
		until(t, c, "it is taken back", func(c *client.Copy) bool { return c.Me().Int("plan") == 4 })
		stop()
		mu.Lock()
		if want := "[0 0 true false false 0 4 false true false 4 77 false true false 77 4 false false true]"; fmt.Sprint(told) != want {
			t.Errorf("told of %v, not %s", told, want)
		}
		mu.Unlock()
		if p := c.Send(client.Intent{Do: "ready", Expect: []client.Expected{client.Expect("nothing", client.Whole(1))}}); p.Done() != nil {
			if _, err := p.Verdict(soon(t)); err == nil {
				t.Error("a field that there is not was expected")
			}
		}
	}
}

// TestComingBack (protocol, Falling behind, and coming back): a lost connection
// keeps its copy and gets what it missed as a delta; what was not answered is
// answered, and nothing is done twice; a second connection takes over.
func TestComingBack(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a := join(t, mara, client.Options{Lobby: code})
	b := bareTo(t, node.Address, map[string]any{"token": joss.Token, "lobby": code}, 0)
	welcome := b.next("welcome")
	seat := welcome["seats"].([]any)[0].(map[string]any)["seat"]
	tick := b.next("snapshot")["tick"]
	until(t, a, "loaded", func(c *client.Copy) bool { return len(c.Players()) == 2 && c.Players()[1].Flag("loaded") })
	intent := map[string]any{"is": "intent", "seat": seat, "n": 1, "do": "rename", "text": "Joss the First"}
	b.WriteJSON(intent)
	for d := b.next("delta", "verdict"); d["is"] == "delta"; d = b.next("delta", "verdict") {
		if d["on"] != tick {
			t.Errorf("a delta on %v for a copy of %v", d["on"], tick)
		}
		tick = d["tick"]
	}
	b.Close()
	until(t, a, "away", func(c *client.Copy) bool { return c.Players()[1].Flag("away") })
	do(t, a, client.Intent{Do: "settings", Args: map[string]any{"title": "While you were out"}})

	b = bareTo(t, node.Address, map[string]any{"token": joss.Token, "lobby": code, "resume": welcome["resume"], "tick": tick}, 0)
	again := b.next("welcome")
	if again["kept"] != true || again["schema"] != nil || again["seats"].([]any)[0].(map[string]any)["last"] != 1.0 {
		t.Errorf("coming back is welcomed with %v", again)
	}
	delta := b.next("snapshot", "delta")
	if delta["is"] != "delta" || delta["on"] != tick || !strings.Contains(fmt.Sprint(delta["parts"]), "While you were out") {
		t.Errorf("what was missed: %v", delta)
	}
	b.WriteJSON(intent)
	if v := b.next("verdict"); v["n"] != 1.0 || v["ok"] != true {
		t.Errorf("the intent that was sent again: %v", v)
	}
	do(t, a, client.Intent{Do: "rename", Text: "Joss the Second"})
	intent["n"], intent["text"] = 1, "Joss the Third"
	b.WriteJSON(intent)
	if v := b.next("verdict"); v["ok"] != true {
		t.Errorf("an old number again: %v", v)
	}
	a.Read(func(c *client.Copy) {
		if name := c.Players()[1].Text("name"); name != "Joss the First" {
			t.Errorf("a number that came again was done again: %s", name)
		}
	})
	old := bareTo(t, node.Address, map[string]any{"token": joss.Token, "lobby": code, "resume": again["resume"], "tick": 999999999}, 0)
	if w := old.next("welcome"); w["kept"] == true || w["schema"] == nil {
		t.Errorf("a tick that never was is kept: %v", w)
	}
	if bye := b.next("bye"); bye["code"] != "replaced" {
		t.Errorf("the connection that was taken over is told %v", bye)
	}
}

const floodBook = `
turnvex: 1
name: flood
tick: 60
players: {least: 1, most: 4}
start: {by: host, countdown: 0s}
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
phases: {play: {length: 10m}}
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

// flood opens a lobby of the flood at a node and brings its host in. The time from
// one delta to the next is watched.
func flood(t *testing.T, s *service.Service) (code string, a *client.Conn, late func() time.Duration) {
	t.Helper()
	loaded, problems, err := s.Library.Load(soon(t), []byte(strings.Replace(floodBook, "name: flood", "name: flood_"+fresh(), 1)))
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
	a, err = client.Connect(soon(t), client.Options{Address: s.Address, Token: in.Token, Lobby: l.Code, OnChange: func(ch client.Change) {
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

// TestSlowClient (protocol, Falling behind, and coming back): one that stops reading
// delays nobody. When it reads on, what was only for show is left out and counted,
// what is needed is not, and a merged delta makes its copy true again.
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

// TestStuckClient: one that takes nothing for too long is sent away, and told so
// when it comes back.
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

func away(c *client.Copy, name string) bool {
	for _, p := range c.Players() {
		if p.Text("name") == name {
			return p.Flag("away")
		}
	}
	return false
}

// wrongTitle changes the lobby's title in a snapshot's parts.
func wrongTitle(parts []any) {
	for _, p := range parts {
		if part := p.([]any); part[2] == 0.0 {
			part[7] = "A wrong title"
		}
	}
}

// lieOnce answers a check with a wrong hash and shows a copy.
func (b *bare) lieOnce(parts []any) {
	k := b.next("check")
	b.WriteJSON(map[string]any{"is": "hash", "tick": k["tick"], "hash": 12345})
	if show := b.next("show"); show["tick"] != k["tick"] {
		b.t.Errorf("asked to show %v, not %v", show["tick"], k["tick"])
	}
	b.WriteJSON(map[string]any{"is": "shown", "tick": k["tick"], "parts": parts})
}

// lie answers one check with a copy whose title is wrong.
func (b *bare) lie(parts []any) {
	wrongTitle(parts)
	b.lieOnce(parts)
}

// TestDivergence (protocol, How a copy is hashed): a client that is wrong on purpose
// is found out, and the field is named, in practice by itself and for an operator.
func TestDivergence(t *testing.T) {
	checked := another(t, service.Config{Check: 100 * time.Millisecond})
	mara, joss := player(t, "Mara"), player(t, "Joss")
	l, err := at(checked, mara).Open(soon(t), client.Opening{Rulebook: "duel"})
	if err != nil {
		t.Fatal(err)
	}
	good, err := client.Connect(soon(t), client.Options{Address: checked.Address, Token: mara.Token, Lobby: l.Code,
		OnDiffers: func(d []client.Difference) { t.Errorf("a client that is right is told %v", d) }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(good.Close)
	b := bareTo(t, checked.Address, map[string]any{"token": joss.Token, "lobby": l.Code}, 0)
	snapshot := b.next("snapshot")
	parts := snapshot["parts"].([]any)
	wrongTitle(parts)
	lie := func() { b.lieOnce(parts) }
	lie()
	found := false
	for _, f := range b.next("differs")["fields"].([]any) {
		d := f.(map[string]any)
		found = found || d["field"] == "title" && d["kind"] == "lobby" && d["want"] == "duel" && d["found"] == "A wrong title"
	}
	if !found {
		t.Error("the wrong title was not found")
	}
	if again := b.next("snapshot"); again["tick"] == nil {
		t.Error("no snapshot follows")
	}
	done := make(chan *client.CopyReport, 1)
	op, err := client.SignInKey(soon(t), checked.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		r, err := at(checked, op).CheckCopies(context.Background(), l.Code)
		if err != nil {
			t.Error(err)
		}
		done <- r
	}()
	for {
		select {
		case r := <-done:
			if r.Asked != 2 || r.Answered != 2 || len(r.Differs) == 0 || !strings.Contains(fmt.Sprint(r.Differs), "A wrong title") {
				t.Errorf("the operator is told %+v", r)
			}
			return
		default:
			lie()
		}
	}
}

// TestLimits: who sends too much, too often or what there is not is told once and
// the connection ends; the match goes on.
func TestLimits(t *testing.T) {
	code, a, _ := started(t, variant(t, "most: 6", "most: 40"), client.Options{})
	for name, c := range map[string]struct {
		send func(*bare, any)
		want string
	}{
		"too large": {func(b *bare, _ any) { b.WriteJSON(map[string]any{"is": "intent", "text": strings.Repeat("x", 17<<10)}) }, "too-large"},
		"too deep":  {func(b *bare, _ any) { b.WriteMessage(1, []byte(strings.Repeat("[", 20)+strings.Repeat("]", 20))) }, "bad-message"},
		"unknown":   {func(b *bare, _ any) { b.WriteJSON(map[string]any{"is": "dance"}) }, "bad-message"},
		"an extra key": {func(b *bare, seat any) {
			b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 1, "do": "ready", "now": true})
		}, "bad-message"},
		"no number":  {func(b *bare, seat any) { b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "do": "ready"}) }, "bad-message"},
		"not JSON":   {func(b *bare, _ any) { b.WriteMessage(1, []byte("ready")) }, "bad-message"},
		"no referee": {func(b *bare, _ any) { b.WriteJSON(map[string]any{"is": "decide", "no": 1, "yes": true}) }, "forbidden"},
		"one seat too often": {func(b *bare, seat any) {
			for n := range 200 {
				b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": n + 1, "do": "ready"})
			}
		}, "too-many-requests"},
		"too often": {func(b *bare, _ any) {
			for n := range 400 {
				b.WriteJSON(map[string]any{"is": "pong", "n": n})
			}
		}, "too-many-requests"},
	} {
		b := bareTo(t, node.Address, map[string]any{"token": player(t, "Ines").Token, "lobby": code}, 0)
		seat := b.next("welcome")["seats"].([]any)[0].(map[string]any)["seat"]
		b.next("snapshot")
		c.send(b, seat)
		if bye := b.next("bye"); bye["code"] != c.want {
			t.Errorf("%s: %v, not %s", name, bye, c.want)
		}
		b.Close()
	}
	do(t, a, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 1}})
	for what, c := range map[string]struct {
		header http.Header
		status int
	}{
		"a foreign origin":    {http.Header{"Origin": {"http://elsewhere.example"}}, 403},
		"another subprotocol": {http.Header{"Sec-Websocket-Protocol": {"chess.v2"}}, 400},
		"a bad token":         {http.Header{"Authorization": {"Bearer nonsense"}}, 401},
	} {
		_, res, err := (&websocket.Dialer{}).DialContext(soon(t), "ws"+strings.TrimPrefix(node.Address, "http")+"/v1/live", c.header)
		if err == nil || res == nil || res.StatusCode != c.status {
			t.Errorf("%s: %v, %v, not %d", what, res, err, c.status)
		}
	}
}

// TestTickEstimate: at a steady delay a client's tick is right to one tick.
func TestTickEstimate(t *testing.T) {
	in, far := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, in, client.Opening{Rulebook: "duel"})
	a := join(t, in, client.Options{Lobby: code})
	b := join(t, far, client.Options{Lobby: code, Rough: client.Rough{Delay: 90 * time.Millisecond, Seed: 1}})
	until(t, b, "round trips are measured", func(*client.Copy) bool { return a.Trip() > 0 && b.Trip() >= 180*time.Millisecond })
	for range 20 {
		if one, two := a.ExactTick(), b.ExactTick(); two < one-1 || two > one+1 {
			t.Fatalf("near by it is tick %.2f, far away %.2f", one, two)
		}
		at := a.Tick()
		until(t, a, "the next tick", func(*client.Copy) bool { return a.Tick() > at })
	}
	until(t, a, "the roster shows the ping", func(c *client.Copy) bool { ms := c.Seat(b.Seat()).Int("ping"); return ms >= 180 && ms < 2000 })
}

// TestRoughNetworks: whole matches are played over connections that are late,
// stalled and cut, on both sides, and in the end every copy is true.
func TestRoughNetworks(t *testing.T) {
	bad := another(t, service.Config{Practice: true, Rough: rough.Network{Delay: 10 * time.Millisecond, Jitter: 30 * time.Millisecond,
		StallEvery: time.Second, StallFor: 200 * time.Millisecond}})
	var all []*client.Conn
	code := ""
	for i := range 4 {
		in := player(t, fmt.Sprint("Skiff ", i))
		if code == "" {
			l, err := at(bad, in).Open(soon(t), client.Opening{Rulebook: "duel"})
			if err != nil || !l.Practice {
				t.Fatal(l, err)
			}
			code = l.Code
		}
		o := client.Options{Address: bad.Address, Token: in.Token, Lobby: code, JSON: i%2 == 0,
			Rough: client.Rough{Delay: 5 * time.Millisecond, CutEvery: 1500 * time.Millisecond, Seed: uint64(i + 1)}}
		c, err := client.Connect(soon(t), o)
		for tries := 0; err != nil && tries < 10; tries++ { // it may be cut off before it is there
			o.Rough.Seed += 100
			c, err = client.Connect(soon(t), o)
		}
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Close)
		all = append(all, c)
	}
	for range 2 {
		play(t, all...)
		ctx, over := context.WithCancel(soon(t))
		var acting sync.WaitGroup
		for _, c := range all {
			acting.Go(func() {
				for ctx.Err() == nil {
					var target uint32
					c.Read(func(v *client.Copy) {
						for _, p := range v.Players() {
							if v.Me() != nil && p.Int("team") != v.Me().Int("team") {
								target = uint32(p.ID)
							}
						}
					})
					c.Send(client.Intent{Do: "act", Name: "ram", Target: target}).Verdict(ctx)
				}
			})
		}
		until(t, all[0], "the match is over", func(c *client.Copy) bool { return c.Match().Flag("over") })
		over()
		acting.Wait()
		until(t, all[0], "the lobby again", func(c *client.Copy) bool { return c.Match() == nil })
	}
	if err := all[0].Wait(soon(t), func(c *client.Copy) bool {
		return len(c.Players()) == 4 && !away(c, "Skiff 1") && !away(c, "Skiff 2") && !away(c, "Skiff 3")
	}); err != nil {
		t.Fatal(err)
	}
	op, err := client.SignInKey(soon(t), bad.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	if r, err := at(bad, op).CheckCopies(soon(t), code); err != nil || r.Answered == 0 || len(r.Differs) > 0 { // some may just be away
		t.Errorf("the copies: %+v, %v", r, err)
	}
}

// TestSightOnTheSocket: positions beyond sight never reach a player, and are
// withdrawn from who moves away; a spectator sees them.
func TestSightOnTheSocket(t *testing.T) {
	book := variant(t, "height: 20m", "height: 20m\n  sight: {near: 3m, far: 4m, every: 100ms}")
	code, a, b := started(t, book, client.Options{})
	w := join(t, player(t, "Ines"), client.Options{Lobby: code, Watch: true})
	sees := func(c *client.Copy, seat uint32) bool { _, ok := c.Seat(seat).Get("pos"); return ok }
	a.Read(func(c *client.Copy) {
		if !sees(c, a.Seat()) || sees(c, b.Seat()) {
			t.Error("a player should see its own place, and nobody's 8 m away")
		}
	})
	until(t, w, "a spectator sees both", func(c *client.Copy) bool { return sees(c, a.Seat()) && sees(c, b.Seat()) })
	do(t, a, client.Intent{Do: "steer", At: &[2]int64{1000, 0}})
	until(t, a, "the other comes into sight", func(c *client.Copy) bool { return sees(c, b.Seat()) })
	until(t, b, "on both sides", func(c *client.Copy) bool { return sees(c, a.Seat()) })
	do(t, a, client.Intent{Do: "steer", At: &[2]int64{-1000, 0}})
	until(t, a, "and goes out of it", func(c *client.Copy) bool { return !sees(c, b.Seat()) })
	until(t, b, "on both sides", func(c *client.Copy) bool { return !sees(c, a.Seat()) })
	noDifferences(t, node, code, 3)
}

const guessBook = `
turnvex: 1
name: guess
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}}
actions:
  guess:
    takes: {what: {type: integer, min: 1, max: 9}}
    referee: {within: 10s, otherwise: refuse, tell: {guess: arg.what}}
    do: [{add: me.points, by: arg.what}]
phases: {play: {length: 10m}}
`

// TestReferee: the example referee decides; what waits is offered again to one who
// comes back, the first word counts, and without one the rulebook decides.
func TestReferee(t *testing.T) {
	book := "guess_" + fresh()
	if _, problems, err := node.Library.Load(soon(t), []byte(strings.Replace(guessBook, "name: guess", "name: "+book, 1))); err != nil {
		t.Fatal(err, problems)
	}
	key, err := operator(t).MakeKey(soon(t), "referee "+fresh(), "referee")
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	file := filepath.Join(folder, "key")
	if err := os.WriteFile(file, []byte(key.Key), 0o600); err != nil {
		t.Fatal(err)
	}
	in := player(t, "Mara")
	code := lobby(t, in, client.Opening{Rulebook: book})
	notices := make(chan client.Notice, 16)
	a := join(t, in, client.Options{Lobby: code, OnNotice: func(n client.Notice) { notices <- n }})
	play(t, a)
	wants(t, "a guess without a referee", a.Do(soon(t), client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 3}}), "no-referee")
	program(t, "go", "build", "-o", filepath.Join(folder, "referee"), "turnvex/examples/referee")
	ctx, stop := context.WithCancel(soon(t))
	cmd := exec.CommandContext(ctx, filepath.Join(folder, "referee"), "-service", node.Address, "-key-file", file, "-lobby", code, "-right", "7")
	out, _ := cmd.StdoutPipe()
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	line := make([]byte, 512)
	if n, err := out.Read(line); err != nil || !strings.Contains(string(line[:n]), "ready") {
		t.Fatalf("the example says %q, %v", line[:n], err)
	}
	decided := func(want bool) {
		t.Helper()
		for n := range notices {
			if n.Name == "decided" {
				if n.With["yes"] != want {
					t.Errorf("decided: %v, not %v", n.With, want)
				}
				return
			}
		}
	}
	do(t, a, client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 3}})
	decided(false)
	do(t, a, client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 7}})
	decided(true)
	until(t, a, "the right guess counts", func(c *client.Copy) bool { return c.Me().Int("points") == 7 })
	stop()
	cmd.Wait()

	ref, err := client.SignInKey(soon(t), node.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	asked := make(chan client.Decision, 4)
	sit := func() *client.Conn {
		return join(t, ref, client.Options{Lobby: code, Referee: true, OnDecision: func(d client.Decision) { asked <- d }})
	}
	one := sit()
	do(t, a, client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 5}})
	first := <-asked
	one.Close()
	two := sit()
	again := <-asked
	if again.No != first.No || again.Tell["guess"] != int64(5) || again.Left <= 0 || again.Seat != a.Seat() {
		t.Errorf("first %+v, then %+v", first, again)
	}
	wants(t, "the word on it", two.Decide(soon(t), again.No, true), "")
	decided(true)
	wants(t, "a second word", two.Decide(soon(t), again.No, false), "no-such-decision")
	until(t, a, "it counts once", func(c *client.Copy) bool { return c.Me().Int("points") == 12 })
	_, err = client.Connect(soon(t), client.Options{Address: node.Address, Token: in.Token, Lobby: code, Referee: true})
	wants(t, "a player as a referee", err, "forbidden")
	wants(t, "ending the match as an operator", operator(t).EndMatch(soon(t), code, "it is late"), "")
	until(t, a, "it is over", func(c *client.Copy) bool { return c.Match().Text("because") == "it is late" && c.Match().Flag("over") })
}

// TestSchemaIsServed: the service serves the JSON Schema of the protocol.
func TestSchemaIsServed(t *testing.T) {
	res, err := http.Get(node.Address + "/v1/live/schema")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var served, written any
	file, err := os.ReadFile("../../docs/protocol.schema.json")
	if err == nil {
		err = json.Unmarshal(file, &written)
	}
	if err == nil {
		err = json.NewDecoder(res.Body).Decode(&served)
	}
	if err != nil || fmt.Sprint(served) != fmt.Sprint(written) {
		t.Errorf("docs/protocol.schema.json is not what is served; ./dev docs writes it (%v)", err)
	}
}
