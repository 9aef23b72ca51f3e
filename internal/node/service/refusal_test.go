package service_test

import (
	"encoding/json"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/gorilla/websocket"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/api"
)

// TestRefusalsOverHTTP: each bad request gets its code, in a problem document, and changes nothing.
func TestRefusalsOverHTTP(t *testing.T) {
	in := player(t, "Odile")
	operator, err := client.SignInKey(soon(t), node.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		method, path, token, body string
		want                      code.Code
	}{
		{"GET", "/v1/nothing", "", "", code.NotFound},
		{"GET", "/v1/lobbies", "nonsense", "", code.BadToken}, // which makes nobody a guest
		{"GET", "/v1/me?token=" + in.Token, in.Token, "", code.UnknownField},
		{"GET", "/v1/lobbies?limit=1&limit=2", "", "", code.BadRequest},
		{"DELETE", "/v1/lobbies", "", "", code.Method},
		{"POST", "/v1/sign-in/device", "", `{"device":"short"}`, code.BadDevice},
		{"POST", "/v1/sign-in/device", "", `{"device":"0123456789abcdef01234567","name":"\u0007"}`, code.BadName},
		{"POST", "/v1/sign-in/device", "", `{"device":"0123456789abcdef01234567","name":"` + strings.Repeat("a",
			25) + `"}`, code.BadName},
		{"POST", "/v1/sign-in/device", "", `{"device":"0123456789abcdef01234567","name":"a` + strings.Repeat("\u0301",
			10000) + `"}`, code.BadName},
		{"POST", "/v1/sign-in/device", "", `{"device":"0123456789abcdef01234567","name":"a\u200db"}`, code.BadName},
		{"POST", "/v1/sign-in/device", "", `{"devise":"x"}`, code.UnknownField},
		{"POST", "/v1/sign-in/device", "", `{"device":7}`, code.BadRequest},
		{"POST", "/v1/sign-in/device", "", `{`, code.BadRequest},
		{"POST", "/v1/sign-in/device", "", ``, code.BadRequest},
		{"POST", "/v1/sign-in/device", "", `{"device":"` + strings.Repeat("x", 70000) + `"}`, code.TooLarge},
		{"POST", "/v1/sign-in/key", "", `{"key":"guess"}`, code.BadToken},
		{"POST", "/v1/lobbies", "", `{"rulebook":"duel"}`, code.NoToken},
		{"POST", "/v1/lobbies", "nonsense", `{"rulebook":"duel"}`, code.BadToken},
		{"POST", "/v1/lobbies", in.Token, `{"rulebook":"dual"}`, code.NoRulebook},
		{"POST", "/v1/lobbies", in.Token, `{"rulebook":"duel","capacity":99}`, code.OutOfRange},
		{"POST", "/v1/lobbies", in.Token, `{"rulebook":"duel","options":{"gaol":1}}`, code.BadOption},
		{"POST", "/v1/lobbies", in.Token, `{"rulebook":"duel","options":{"goal":1000}}`, code.BadOption},
		{"GET", "/v1/lobbies/XXXXXX", "", "", code.NoLobby},
		{"GET", "/v1/lobbies?limit=0", "", "", code.OutOfRange},
		{"GET", "/v1/lobbies?limt=5", "", "", code.UnknownField},
		{"GET", "/v1/lobbies?cursor=zzz", "", "", code.BadCursor},
		{"GET", "/v1/matches/not-a-match", "", "", code.NoMatch},
		{"GET", "/v1/players/nobody/records/duel", "", "", code.NoPlayer},
		{"GET", "/v1/boards/duel/nothing", "", "", code.NoBoard},
		{"POST", "/v1/boards/duel/points", in.Token, `{"value":5}`, code.BoardClosed},
		{"POST", "/v1/boards/duel/open", in.Token, `{"value":11}`, code.OutOfRange},
		{"POST", "/v1/boards/duel/open", operator.Token, `{"value":5}`, code.NoPlayer},
		{"GET", "/v1/live", "", "", code.NotUpgradeable},
	} {
		s := client.Service{Address: node.Address, Token: c.token}
		var body any
		if c.body != "" || c.method == "POST" {
			body = []byte(c.body)
		}
		err := s.Call(soon(t), c.method, c.path, body, nil)
		if got := client.CodeOf(err); got != string(c.want) {
			t.Errorf("%s %s %.60s: %v, not %s", c.method, c.path, c.body, err, c.want)
		}
	}
	if err := (client.Service{Address: node.Address, Token: in.Token}).Call(soon(t), "POST", "/v1/boards/duel/open",
		map[string]int{"value": 5}, nil); err != nil {
		t.Errorf("posting to the board that is open to clients: %v", err)
	}
}

// TestHTTPPage: the page that is made from the routes is the present one.
func TestHTTPPage(t *testing.T) {
	if page, err := os.ReadFile("../../../docs/http.md"); err != nil || string(page) != string(api.Page()) {
		t.Errorf("docs/http.md is not the present one; ./dev docs writes it (%v)", err)
	}
}

// dial opens a bare socket and says hello with the given fields.
func dial(t *testing.T, hello map[string]any, header http.Header) (*websocket.Conn, map[string]any) {
	t.Helper()
	url := "ws" + strings.TrimPrefix(node.Address, "http") + "/v1/live"
	ws, res, err := (&websocket.Dialer{Subprotocols: []string{"turnvex.v1+json"}}).DialContext(soon(t), url, header)
	if err != nil {
		return nil, map[string]any{"status": res.StatusCode}
	}
	t.Cleanup(func() { ws.Close() })
	if hello != nil {
		hello["is"] = "hello"
		ws.WriteJSON(hello)
	}
	return ws, read(t, ws, "")
}

// read returns the next message of a kind, or the next of any kind.
func read(t *testing.T, ws *websocket.Conn, is string) map[string]any {
	t.Helper()
	ws.SetReadDeadline(time.Now().Add(10 * time.Second))
	for {
		var m map[string]any
		if err := ws.ReadJSON(&m); err != nil {
			return map[string]any{"error": err.Error()}
		}
		if is == "" || m["is"] == is || m["is"] == "bye" {
			return m
		}
	}
}

// TestRefusalsOnTheSocket: what is wrong at hello or after it is told with a code.
func TestRefusalsOnTheSocket(t *testing.T) {
	in := player(t, "Pim")
	lob := lobby(t, in, client.Opening{Rulebook: "duel"})
	for name, c := range map[string]struct {
		hello map[string]any
		want  code.Code
	}{
		"no token":    {map[string]any{"lobby": lob}, code.NoToken},
		"bad token":   {map[string]any{"lobby": lob, "token": "x"}, code.BadToken},
		"no lobby":    {map[string]any{"lobby": "NOSUCH", "token": in.Token}, code.NoLobby},
		"unknown key": {map[string]any{"lobby": lob, "token": in.Token, "speed": 9}, code.BadMessage},
		"wrong type":  {map[string]any{"lobby": 5, "token": in.Token}, code.BadMessage},
		"see all":     {map[string]any{"lobby": lob, "token": in.Token, "all": true}, code.Forbidden},
		"see a seat":  {map[string]any{"lobby": lob, "token": in.Token, "as": 4}, code.Forbidden},
		"too many": {map[string]any{"lobby": lob, "token": in.Token, "locals": []string{"a", "b"}},
			code.TooManyLocals},
		"bad local":     {map[string]any{"lobby": lob, "token": in.Token, "locals": []string{""}}, code.BadName},
		"another first": {nil, code.HelloFirst},
	} {
		if c.hello == nil {
			if _, m := dial(t, map[string]any{}, nil); m["is"] != "bye" {
				t.Errorf("%s: %v", name, m)
			}
			continue
		}
		ws, m := dial(t, c.hello, nil)
		if m["is"] != "bye" || m["code"] != string(c.want) {
			t.Errorf("%s: %v, not %s", name, m, c.want)
		}
		ws.Close()
	}
	if _, m := dial(t, nil, http.Header{"Origin": {"https://elsewhere.example"}}); m["status"] != 403 {
		t.Errorf("a page from elsewhere: %v", m)
	}
	l, err := (client.Service{Address: node.Address}).Lobby(soon(t), lob)
	if err != nil || l.Seats != 0 {
		t.Errorf("refused helloes left seats: %+v, %v", l, err)
	}
	for name, c := range map[string]struct{ message, want string }{
		"no JSON":       {"hello there", "bad-message"},
		"not an object": {"[1]", "bad-message"},
		"unknown":       {`{"is":"teleport"}`, "bad-message"},
		"deep":          {`{"is":"intent","n":1,"do":"act","args":{"a":[[[[[[[[[[1]]]]]]]]]]}}`, "bad-message"},
		"large":         {`{"is":"intent","text":"` + strings.Repeat("x", 20000) + `"}`, "too-large"},
		"no number":     {`{"is":"intent","do":"ready","seat":3}`, "bad-message"},
	} {
		ws, m := dial(t, map[string]any{"token": player(t, "Wanda").Token, "lobby": lob}, nil)
		if m["is"] != "welcome" {
			t.Fatalf("%s: %v", name, m)
		}
		ws.WriteMessage(websocket.TextMessage, []byte(c.message))
		if m := read(t, ws, "bye"); m["code"] != c.want {
			t.Errorf("%s: %v, not %s", name, m, c.want)
		}
		ws.WriteJSON(map[string]any{"is": "leave"})
		ws.Close()
	}
}

// TestSeatsAreTheirOwners: a seat acts only through its own connection, numbers that come again are answered again, and
// a cut connection comes back to its seat.
func TestSeatsAreTheirOwners(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	if err := a.Do(soon(t), client.Intent{Seat: b.Seat(), Do: "ready"}); client.CodeOf(err) != "not-your-seat" {
		t.Errorf("readying another's seat: %v", err)
	}
	if err := a.Do(soon(t), client.Intent{Do: "dance"}); client.CodeOf(err) != "no-such-intent" {
		t.Errorf("an unknown intent: %v", err)
	}
	ws, m := dial(t, map[string]any{"token": player(t, "Lotte").Token, "lobby": lob}, nil)
	seat := m["seats"].([]any)[0].(map[string]any)["seat"]
	for range 2 {
		ws.WriteJSON(map[string]any{"is": "intent", "seat": seat, "n": 1, "do": "act", "name": "ram"})
		if v := read(t, ws, "verdict"); v["n"] != 1.0 || v["code"] != "not-now" {
			t.Errorf("the verdict of intent 1: %v", v)
		}
	}
	ws.WriteJSON(map[string]any{"is": "leave"})
	if bye := read(t, ws, "bye"); bye["code"] != "left" {
		t.Errorf("leaving: %v", bye)
	}
	before := b.Seat()
	b.Cut()
	until(t, a, "Joss is shown as away", func(c *client.Copy) bool { return c.Seat(before).Flag("away") })
	until(t, b, "Joss is back", func(c *client.Copy) bool { return c.Me() != nil && !c.Me().Flag("away") })
	if err := b.Do(soon(t), client.Intent{Do: "rename", Text: "  Jossy   Fen "}); err != nil || b.Seat() != before {
		t.Errorf("after coming back: %v, seat %d, before %d", err, b.Seat(), before)
	}
	until(t, a, "the new name is everywhere",
		func(c *client.Copy) bool { return c.Seat(before).Text("name") == "Jossy Fen" })
	var me struct{ Name string }
	var err error
	for ctx := soon(t); me.Name != "Jossy Fen" && err == nil; { // it is kept a moment later
		err = client.Service{Address: node.Address, Token: joss.Token}.Call(ctx, "GET", "/v1/me", nil, &me)
	}
	if err != nil {
		t.Errorf("the account is called %q, %v", me.Name, err)
	}
	again := join(t, joss, client.Options{Lobby: lob})
	select {
	case <-b.Done():
		if client.CodeOf(b.Err()) != "replaced" || again.Seat() != before {
			t.Errorf("the older connection ended with %v; seat %d", b.Err(), again.Seat())
		}
	case <-soon(t).Done():
		t.Error("the older connection was not told")
	}
	if err := a.Leave(soon(t)); err != nil {
		t.Error(err)
	}
	until(t, again, "the lobby is handed on",
		func(c *client.Copy) bool { return len(c.Players()) == 1 && c.Lobby().Int("host") == int64(before) })
}

// TestAudiences watches everything that arrives at each connection: what a field's audience does not include never
// leaves the service.
func TestAudiences(t *testing.T) {
	mara, joss, ines := player(t, "Mara"), player(t, "Joss"), player(t, "Ines")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 50}})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	rival, m := dial(t, map[string]any{"token": ines.Token, "lobby": lob, "watch": true}, nil)
	if m["is"] != "welcome" {
		t.Fatal(m)
	}
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	until(t, a, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	do(t, a, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": 7}})
	do(t, a, client.Intent{Do: "act", Name: "ram", Target: b.Seat()})
	do(t, a, client.Intent{Do: "act", Name: "hail"})
	until(t, b, "the hit arrives", func(c *client.Copy) bool { return c.Me().Int("hull") == 40 })
	var seen []string
	a.Read(func(c *client.Copy) {
		if c.Me().Int("plan") != 7 || c.Me().Int("wind") != 47_500 {
			t.Errorf("Mara sees plan %d and wind %d of herself", c.Me().Int("plan"), c.Me().Int("wind"))
		}
	})
	b.Read(func(c *client.Copy) {
		for _, name := range []string{"plan", "wind"} {
			if _, ok := c.Seat(a.Seat()).Get(name); ok {
				seen = append(seen, name)
			}
		}
	})
	if len(seen) > 0 {
		t.Errorf("a rival sees %v", seen)
	}
	var all strings.Builder
	for !strings.Contains(all.String(), `"rammed"`) || strings.Contains(all.String(), `"hailed","tick"`) {
		msg := read(t, rival, "")
		data, _ := json.Marshal(msg)
		all.Write(data)
		if msg["error"] != nil {
			t.Fatal(msg)
		}
	}
	if got := all.String(); strings.Contains(got, `"name":"hailed","of"`) || strings.Contains(got, "47500") {
		t.Errorf("a spectator was sent what only a team may see: %s", got)
	}
}

// TestPause: play time stops, names and leaving go on.
func TestPause(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel"})
	a, b := join(t, mara, client.Options{Lobby: lob}), join(t, joss, client.Options{Lobby: lob})
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	until(t, a, "play", func(c *client.Copy) bool { return c.Match().Text("phase") == "play" })
	do(t, b, client.Intent{Do: "steer", At: []int64{1000, 0}})
	if err := b.Do(soon(t), client.Intent{Do: "pause"}); client.CodeOf(err) != "pause-not-allowed" {
		t.Errorf("a pause by who is not the host: %v", err)
	}
	do(t, a, client.Intent{Do: "pause"})
	until(t, b, "paused", func(c *client.Copy) bool { return c.Match().Text("paused") == "yes" })
	var at [2]int64
	var clock int64
	look := func(c *client.Copy) ([2]int64, int64) {
		v, _ := c.Me().Get("pos")
		return [2]int64{v.N[0], v.N[1]}, c.Clock(c.Match(), "clock")
	}
	b.Read(func(c *client.Copy) { at, clock = look(c) })
	began := b.Tick()
	do(t, b, client.Intent{Do: "rename", Text: "Jossy"})
	until(t, b, "time has passed",
		func(c *client.Copy) bool { return c.Me().Text("name") == "Jossy" && tenTicks(began, c) })
	b.Read(func(c *client.Copy) {
		if p, ms := look(c); p != at || ms != clock {
			t.Errorf("while paused it went from %v, %d ms to %v, %d ms", at, clock, p, ms)
		}
	})
	do(t, a, client.Intent{Do: "resume"})
	until(t, b, "play goes on", func(c *client.Copy) bool { p, ms := look(c); return p != at && ms < clock })
}

// tenTicks tells whether ten ticks have passed since began.
func tenTicks(began int64, c *client.Copy) bool { return c.Wall() >= began+10 }
