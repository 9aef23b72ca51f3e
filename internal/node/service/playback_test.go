package service_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// played is a playback, and the copy that it leads to.
type played struct {
	copy    *replica.Copy
	kinds   map[string]int
	last    int64
	more    bool
	missing int64
	inputs  []string
}

func playback(t *testing.T, op client.Service, code string, p client.Playback) *played {
	t.Helper()
	var out bytes.Buffer
	if err := op.Playback(soon(t), code, p, &out); err != nil {
		t.Fatal(err)
	}
	got := &played{kinds: map[string]int{}}
	lines := bufio.NewScanner(&out)
	lines.Buffer(nil, 8<<20)
	for lines.Scan() {
		var head struct {
			Is      string
			Tick    int64
			Do      string
			More    bool
			Missing int64
			Schema  replica.Described
		}
		if err := json.Unmarshal(lines.Bytes(), &head); err != nil {
			t.Fatalf("%s: %v", lines.Text(), err)
		}
		got.kinds[head.Is]++
		switch head.Is {
		case "playback":
			schema, err := head.Schema.Schema()
			if err != nil {
				t.Fatal(err)
			}
			got.copy = replica.NewCopy(schema)
		case "snapshot", "delta":
			_, _, parts, err := wire.Parts(replica.JSON, lines.Bytes())
			if err != nil {
				t.Fatal(err)
			}
			if head.Is == "snapshot" {
				_, err = got.copy.Replace(parts)
			} else {
				_, err = got.copy.Apply(parts)
			}
			if err != nil {
				t.Fatalf("%s: %v", lines.Text(), err)
			}
		case "input":
			got.inputs = append(got.inputs, head.Do)
		case "end":
			got.last, got.more, got.missing = head.Tick, head.More, head.Missing
		}
	}
	return got
}

// TestPlayback: what is played back of a lobby leads, in a seat's view and from whatever tick, to the copy that this
// seat's client holds; everything is shown to who asks for everything, with what the lobby took in, and nobody else's
// fields to who asks as a seat.
func TestPlayback(t *testing.T) {
	mara, joss, op := player(t, "Mara"), player(t, "Joss"), operator(t)
	code := lobby(t, mara, client.Opening{Rulebook: "duel", Options: map[string]any{"goal": 9}})
	a, b := join(t, mara, client.Options{Lobby: code}), join(t, joss, client.Options{Lobby: code})
	play(t, a, b)
	var middle int64
	for i := range 6 {
		do(t, a, client.Intent{Do: "act", Name: "plot", Args: map[string]any{"what": i + 1}})
		do(t, b, client.Intent{Do: "act", Name: "hail"})
		if i == 3 {
			a.Read(func(c *client.Copy) { middle = c.Tick() })
		}
	}
	do(t, a, client.Intent{Do: "pause"})
	var tick int64
	var hash uint32
	a.Read(func(c *client.Copy) { tick, hash = c.Tick(), c.Hash() })
	if l, err := node.Hall.Find(code); err != nil || l.Kept(soon(t)) != nil {
		t.Fatal(err)
	}
	for _, from := range []int64{0, middle} {
		p := playback(t, op, code, client.Playback{From: from, To: tick, As: a.Seat()})
		if p.copy.Hash() != hash || p.kinds["snapshot"] != 1 || p.kinds["input"] != 0 || p.kinds["end"] != 1 {
			t.Errorf("from tick %d to %d: hash %d, the client has %d; %v", from, tick, p.copy.Hash(), hash, p.kinds)
		}
	}
	all := playback(t, op, code, client.Playback{To: tick})
	if n := strings.Count(strings.Join(all.inputs, " "), "act"); n != 12 || all.kinds["notice"] == 0 {
		t.Errorf("everything: %d acts, %v", n, all.kinds)
	}
	if v, _ := all.copy.Sheet(sheet.ID(a.Seat())).Get("plan"); v.N[0] != 6 {
		t.Errorf("everything: the plan is %v", v)
	}
	theirs := playback(t, op, code, client.Playback{To: tick, As: b.Seat()})
	if v, there := theirs.copy.Sheet(sheet.ID(a.Seat())).Get("plan"); there {
		t.Errorf("as another seat the plan is %v", v)
	}
	wants(t, "a tick that is none", op.Playback(soon(t), code, client.Playback{From: -1}, &bytes.Buffer{}),
		"out-of-range")
	wants(t, "no such lobby", op.Playback(soon(t), "QQQQQQ", client.Playback{}, &bytes.Buffer{}), "no-such-lobby")
	wants(t, "a player", as(mara).Playback(soon(t), code, client.Playback{}, &bytes.Buffer{}), "forbidden")
}
