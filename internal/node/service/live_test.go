package service_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
)

// TestExpectations: what a client expects is shown at once and taken back when it is refused; a watcher is told of
// first values, expectations and undoing alike.
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
		right := c.Send(client.Intent{
			Do:     "act",
			Name:   "plot",
			Args:   map[string]any{"what": 4},
			Expect: []client.Expected{client.Expect("plan", client.Whole(4))},
		})
		c.Read(func(c *client.Copy) {
			if c.Me().Int("plan") != 4 {
				t.Error("what is expected is not shown at once")
			}
		})
		if v, err := right.Verdict(soon(t)); err != nil || !v.OK {
			t.Fatal(v, err)
		}
		wrong := c.Send(client.Intent{
			Do:     "act",
			Name:   "plot",
			Args:   map[string]any{"what": 77},
			Expect: []client.Expected{client.Expect("plan", client.Whole(77))},
		})
		if v, err := wrong.Verdict(soon(t)); err != nil || v.OK {
			t.Fatal(v, err)
		}
		until(t, c, "it is taken back", func(c *client.Copy) bool { return c.Me().Int("plan") == 4 })
		stop()
		mu.Lock()
		want := "[0 0 true false false 0 4 false true false 4 77 false true false 77 4 false false true]"
		if fmt.Sprint(told) != want {
			t.Errorf("told of %v, not %s", told, want)
		}
		mu.Unlock()
		both := []client.Expected{client.Expect("plan", client.Whole(9)), client.Expect("nothing", client.Whole(1))}
		if _, err := c.Send(client.Intent{Do: "ready", Expect: both}).
			Verdict(soon(t)); err == nil ||
			!strings.Contains(err.Error(), `"nothing"`) {
			t.Errorf("a field that there is not was expected: %v", err)
		}
		c.Read(func(c *client.Copy) {
			if c.Me().Int("plan") != 4 {
				t.Error("what was expected beside it is left shown")
			}
		})
	}
}

// TestComingBack (protocol, Falling behind, and coming back): a lost connection keeps its copy and gets what it missed
// as a delta; what was not answered is answered, and nothing is done twice; a second connection takes over.
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

	b = bareTo(t, node.Address,
		map[string]any{"token": joss.Token, "lobby": code, "resume": welcome["resume"], "tick": tick,
			"branch": welcome["branch"]}, 0)
	again := b.next("welcome")
	if again["kept"] != true || again["schema"] != nil || again["seats"].([]any)[0].(map[string]any)["last"] != 1.0 {
		t.Errorf("coming back is welcomed with %v", again)
	}
	delta := b.next("snapshot", "delta")
	if delta["is"] != "delta" || delta["on"] != tick ||
		!strings.Contains(fmt.Sprint(delta["parts"]), "While you were out") {
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
	old := bareTo(t, node.Address,
		map[string]any{"token": joss.Token, "lobby": code, "resume": again["resume"], "tick": 999999999}, 0)
	if w := old.next("welcome"); w["kept"] == true || w["schema"] == nil {
		t.Errorf("a tick that never was is kept: %v", w)
	}
	if bye := b.next("bye"); bye["code"] != "replaced" {
		t.Errorf("the connection that was taken over is told %v", bye)
	}
}

// TestTickEstimate: at a steady delay a client's tick is right to one tick.
func TestTickEstimate(t *testing.T) {
	in, far := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, in, client.Opening{Rulebook: "duel"})
	a := join(t, in, client.Options{Lobby: code})
	b := join(t, far, client.Options{Lobby: code, Rough: client.Rough{Delay: 90 * time.Millisecond, Seed: 1}})
	until(t, b, "round trips are measured",
		func(*client.Copy) bool { return a.Trip() > 0 && b.Trip() >= 180*time.Millisecond })
	for range 20 {
		if one, two := a.ExactTick(), b.ExactTick(); two < one-1 || two > one+1 {
			t.Fatalf("near by it is tick %.2f, far away %.2f", one, two)
		}
		at := a.Tick()
		until(t, a, "the next tick", func(*client.Copy) bool { return a.Tick() > at })
	}
	until(t, a, "the roster shows the ping",
		func(c *client.Copy) bool { ms := c.Seat(b.Seat()).Int("ping"); return ms >= 180 && ms < 2000 })
}

// TestSightOnTheSocket: positions beyond sight never reach a player, and are withdrawn from who moves away; a spectator
// sees them.
func TestSightOnTheSocket(t *testing.T) {
	book := variant(t, "height: 20m", "height: 20m\n  sight: {near: 3m, far: 4m, update: 100ms}")
	code, a, b := started(t, book, client.Options{})
	w := join(t, player(t, "Ines"), client.Options{Lobby: code, Watch: true})
	sees := func(c *client.Copy, seat uint32) bool { _, ok := c.Seat(seat).Get("pos"); return ok }
	a.Read(func(c *client.Copy) {
		if !sees(c, a.Seat()) || sees(c, b.Seat()) {
			t.Error("a player should see its own place, and nobody's 8 m away")
		}
	})
	until(t, w, "a spectator sees both", func(c *client.Copy) bool { return sees(c, a.Seat()) && sees(c, b.Seat()) })
	do(t, a, client.Intent{Do: "steer", At: []int64{1000, 0}})
	until(t, a, "the other comes into sight", func(c *client.Copy) bool { return sees(c, b.Seat()) })
	until(t, b, "on both sides", func(c *client.Copy) bool { return sees(c, a.Seat()) })
	do(t, a, client.Intent{Do: "steer", At: []int64{-1000, 0}})
	until(t, a, "and goes out of it", func(c *client.Copy) bool { return !sees(c, b.Seat()) })
	until(t, b, "on both sides", func(c *client.Copy) bool { return !sees(c, a.Seat()) })
	noDifferences(t, node, code, 3)
}

// TestSchemaIsServed: the service serves the JSON Schema of the protocol.
func TestSchemaIsServed(t *testing.T) {
	res, err := http.Get(node.Address + "/v1/live/schema")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var served, written any
	file, err := os.ReadFile("../../../docs/protocol.schema.json")
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

// TestTallGround: on tall ground copies of both encodings hold three lengths; points of two, a pitch without a yaw and
// one beyond its bounds are refused, and nothing moves.
func TestTallGround(t *testing.T) {
	book := variant(t, "height: 20m", "height: 20m\n  tall: 8m\n  walls: [{box: [0m, 0m, 20m, 4m], tall: 2m}]",
		"{at: [6m, 10m], team: amber}", "{at: [6m, 10m, 0m], team: amber}",
		"{at: [14m, 10m], team: teal}", "{at: [14m, 10m, 0m], team: teal}",
		"movement: {", "facing: {}\nmovement: {jump: 5m/s, ")
	code, a, b := started(t, book, client.Options{JSON: true})
	level, down := int64(0), int64(-3000)
	for what, in := range map[string]client.Intent{
		"two parts":             {Do: "steer", At: []int64{1000, 0}},
		"four parts":            {Do: "steer", At: []int64{1000, 0, 0, 0}},
		"a pitch without a yaw": {Do: "face", Pitch: &down},
		"a pitch out of bounds": {Do: "face", Yaw: &level, Pitch: new(int64(20_000))},
	} {
		if err := a.Do(soon(t), in); client.CodeOf(err) != "bad-argument" {
			t.Errorf("%s: %v", what, err)
		}
	}
	place := func(c *client.Copy) [3]int64 { pos, _ := c.Seat(a.Seat()).Get("pos"); return pos.N }
	b.Read(func(c *client.Copy) {
		if g := c.Ground(); place(c) != [3]int64{6000, 10_000, 0} || g.Tall != 8000 || len(g.Walls) != 1 ||
			g.Walls[0].High != 2000 || c.Book.Walk.Jump != 5000 || c.Parts() != 3 {
			t.Errorf("at first %v, on %+v, walking as %+v", place(c), g, c.Book.Walk)
		}
	})
	do(t, a, client.Intent{Do: "face", Yaw: &level, Pitch: &down})
	do(t, a, client.Intent{Do: "steer", At: []int64{0, 0, 1000}})
	until(t, b, "a jump", func(c *client.Copy) bool {
		return place(c)[2] > 300 && c.Seat(a.Seat()).Int("pitch") == -3000
	})
	do(t, a, client.Intent{Do: "steer", At: []int64{0, 0, 0}})
	until(t, a, "the landing", func(c *client.Copy) bool { return place(c)[2] == 0 && c.Me().Int("landed") > 3000 })
	noDifferences(t, node, code, 2)
}
