package service_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
)

// TestLimits: who sends too much, too often or what there is not is told once and the connection ends; the match goes
// on.
func TestLimits(t *testing.T) {
	code, a, _ := started(t, variant(t, "most: 6", "most: 40"), client.Options{})
	for name, c := range map[string]struct {
		send func(*bare, any)
		want string
	}{
		"too large": {func(b *bare, _ any) {
			b.WriteJSON(map[string]any{"is": "intent", "text": strings.Repeat("x", 17<<10)})
		}, "too-large"},
		"too deep": {func(b *bare, _ any) {
			b.WriteMessage(1, []byte(strings.Repeat("[", 20)+strings.Repeat("]", 20)))
		}, "bad-message"},
		"unknown": {func(b *bare, _ any) { b.WriteJSON(map[string]any{"is": "dance"}) }, "bad-message"},
		"an extra key": {func(b *bare, seat any) {
			b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 1, "do": "ready", "now": true})
		}, "bad-message"},
		"no number": {func(b *bare, seat any) {
			b.WriteJSON(map[string]any{"is": "intent", "seat": seat,
				"do": "ready"})
		}, "bad-message"},
		"not JSON": {func(b *bare, _ any) { b.WriteMessage(1, []byte("ready")) }, "bad-message"},
		"no referee": {func(b *bare, _ any) { b.WriteJSON(map[string]any{"is": "decide", "no": 1, "yes": true}) },
			"forbidden"},
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
		_, res, err := (&websocket.Dialer{}).DialContext(soon(t),
			"ws"+strings.TrimPrefix(node.Address, "http")+"/v1/live", c.header)
		if err == nil || res == nil || res.StatusCode != c.status {
			t.Errorf("%s: %v, %v, not %d", what, res, err, c.status)
		}
	}
}

// TestFirstMessage: before hello nothing is taken but a hello of ordinary size, and who watches the listing sends
// nothing but pongs, and not too many.
func TestFirstMessage(t *testing.T) {
	token := player(t, "Mara").Token
	deep := `{"is":"hello","list":` + strings.Repeat("[", 20) + strings.Repeat("]", 20) + `}`
	for what, c := range map[string]struct{ send, want string }{
		"nothing":           {"", "bad-message"},
		"a list":            {"[]", "bad-message"},
		"something else":    {`{"is":"whole"}`, "hello-first"},
		"too long":          {`{"is":"hello","token":"` + strings.Repeat("x", 17<<10) + `"}`, "too-large"},
		"too deep":          {deep, "bad-message"},
		"an unknown key":    {`{"is":"hello","colour":"teal"}`, "bad-message"},
		"no token":          {`{"is":"hello"}`, "no-token"},
		"no lobby":          {`{"is":"hello","token":"` + token + `"}`, "no-such-lobby"},
		"seeing all":        {`{"is":"hello","all":true,"lobby":"QQQQQQ","token":"` + token + `"}`, "no-such-lobby"},
		"a copy unasked":    {`{"is":"shown","parts":[["` + strings.Repeat("x", 20<<10) + `"]]}`, "hello-first"},
		"a copy too large":  {`{"is":"shown","parts":[["` + strings.Repeat("x", 40<<10) + `"]]}`, "too-large"},
		"a key in capitals": {`{"is":"hello","Token":"x"}`, "bad-message"},
		"a key twice":       {`{"is":"hello","token":"x","token":"x"}`, "bad-message"},
	} {
		b := bareTo(t, node.Address, nil, 0)
		b.WriteMessage(websocket.TextMessage, []byte(c.send))
		bye := map[string]any{}
		if err := b.ReadJSON(&bye); bye["code"] != c.want {
			t.Errorf("%s: %v, %v; not %s", what, bye, err, c.want)
		}
		if reason := fmt.Sprint(bye["reason"]); strings.Contains(reason, "json") || strings.Contains(reason, "wire.") {
			t.Errorf("%s: %s", what, reason)
		}
	}
	for what, c := range map[string]struct {
		send  string
		times int
		want  string
	}{
		"something else": {`{"is":"whole"}`, 1, "bad-message"},
		"too much":       {`{"is":"pong","n":1}`, 200, "too-many-requests"},
		"too long":       {`{"is":"pong","text":"` + strings.Repeat("x", 17<<10) + `"}`, 1, "too-large"},
	} {
		b := bareTo(t, node.Address, map[string]any{"token": token, "list": map[string]any{}}, 0)
		b.next("listing")
		for range c.times {
			b.WriteMessage(websocket.TextMessage, []byte(c.send))
		}
		if bye := b.next("bye"); bye["code"] != c.want {
			t.Errorf("the listing, %s: %v, not %s", what, bye, c.want)
		}
	}
}

// TestWhatIsNoMessage: bytes that are no text, JSON in a binary message, numbers beyond what clients can write, and
// WebSocket's own pings beyond count are told, and end the connection with the close code that stands for it, however
// much is on its way.
func TestWhatIsNoMessage(t *testing.T) {
	code, _, _ := started(t, "duel", client.Options{})
	for what, c := range map[string]struct {
		send  func(*bare, any)
		want  string
		close int
	}{
		"no text": {func(b *bare, _ any) { b.WriteMessage(websocket.TextMessage, []byte("{\"is\":\"\xff\"}")) },
			"bad-message", websocket.CloseInvalidFramePayloadData},
		"binary": {func(b *bare, _ any) { b.WriteMessage(websocket.BinaryMessage, []byte(`{"is":"whole"}`)) },
			"bad-message", websocket.CloseNormalClosure},
		"n of 0": {func(b *bare, seat any) {
			b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 0, "do": "ready"})
		}, "bad-message", websocket.CloseNormalClosure},
		"n too large": {func(b *bare, seat any) {
			b.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 1 << 53, "do": "ready"})
		}, "bad-message", websocket.CloseNormalClosure},
		"pings": {func(b *bare, _ any) {
			for range 200 {
				b.WriteMessage(websocket.PingMessage, nil)
			}
		}, "too-many-requests", websocket.CloseNormalClosure},
		"pongs": {func(b *bare, _ any) {
			for range 200 {
				b.WriteMessage(websocket.PongMessage, nil)
			}
		}, "too-many-requests", websocket.CloseNormalClosure},
		"much on its way": {func(b *bare, _ any) {
			big := []byte(`{"is":"whole","x":"` + strings.Repeat("y", 300<<10) + `"}`)
			b.WriteMessage(websocket.TextMessage, big)
			b.WriteMessage(websocket.TextMessage, big)
		}, "too-large", websocket.CloseNormalClosure},
	} {
		b := bareTo(t, node.Address, map[string]any{"token": player(t, "Ines").Token, "lobby": code, "watch": true}, 0)
		b.next("snapshot")
		c.send(b, 1)
		if bye := b.next("bye"); bye["code"] != c.want {
			t.Errorf("%s: %v, not %s", what, bye, c.want)
		}
		if _, _, err := b.ReadMessage(); !websocket.IsCloseError(err, c.close) {
			t.Errorf("%s: it ends with %v, not %d", what, err, c.close)
		}
		b.Close()
	}
}

// TestChecksWaitTheirTurn: of many who want large rulebooks checked at once a few wait for their turn, and the others
// are told to come again; a match goes on beside it.
func TestChecksWaitTheirTurn(t *testing.T) {
	var b strings.Builder
	b.WriteString("turnvex: 1\nname: long\nphases: {play: {}}\nsheets: {player: {n: {type: " +
		"integer}}}\nactions:\n  a:\n    do:\n")
	for n := 0; b.Len() < 200<<10; n++ {
		fmt.Fprintf(&b, "      - {set: me.n, to: \"(me.n * %d + %d) %% 7\"}\n", n, n)
	}
	answers := make(chan error)
	for range 12 {
		in := player(t, "Mara")
		go func() {
			answers <- as(in).Call(soon(t), http.MethodPost, "/v1/rulebooks/check", []byte(b.String()), nil)
		}()
	}
	got := map[string]int{}
	for range 12 {
		got[client.CodeOf(<-answers)]++
	}
	if got[""] < 1 || got["too-many-requests"] < 1 || got[""]+got["too-many-requests"] != 12 {
		t.Errorf("twelve at once: %v", got)
	}
}
