package service_test

import (
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"turnvex/client"
)

// program runs a client in another language and returns what it wrote.
func program(t *testing.T, name string, args ...string) string {
	t.Helper()
	cmd := exec.CommandContext(soon(t), name, args...)
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s: %v\n%s", strings.Join(cmd.Args, " "), err, out)
	}
	return string(out)
}

// partner is a player in a new lobby who is ready, and plays along until the
// other one has left.
func partner(t *testing.T, title string) (code string, a *client.Conn) {
	in := player(t, "Mara")
	code = lobby(t, in, client.Opening{Rulebook: "duel", Title: title})
	a = join(t, in, client.Options{Lobby: code})
	do(t, a, client.Intent{Do: "ready"})
	return code, a
}

// TestTypeScriptClient: vectors, broken messages, and a match from Node in both
// encodings, the second one over a bad network.
func TestTypeScriptClient(t *testing.T) {
	const tests = "../../clients/typescript/test/"
	seed := fmt.Sprint(time.Now().UnixNano())
	t.Log("seed", seed)
	if out := program(t, "node", tests+"vectors.mjs", "../../docs/protocol-vectors.json", seed); !strings.Contains(out, "agree") {
		t.Error(out)
	}
	for _, c := range [][2]string{{"json", ""}, {"cbor", `{"delay":20,"jitter":20,"stallEvery":500,"stallFor":100}`}} {
		code, a := partner(t, "From Node")
		out := program(t, "node", "--experimental-websocket", "--no-warnings", tests+"live.mjs", node.Address, player(t, "Nod").Token, code, c[0], c[1])
		if !strings.HasSuffix(out, "left\n") {
			t.Errorf("%s: %s", c[0], out)
		}
		until(t, a, "it has left", func(c *client.Copy) bool { return len(c.Players()) == 1 })
	}
}

// TestPythonClient: the example in Python agrees with the vectors and plays.
func TestPythonClient(t *testing.T) {
	if _, err := exec.LookPath("python3"); err != nil {
		t.Skip("there is no python3 here")
	}
	const folder = "../../examples/python/"
	if out := program(t, "python3", "-B", folder+"vectors.py", "../../docs/protocol-vectors.json"); !strings.Contains(out, "agree") {
		t.Error(out)
	}
	code, a := partner(t, "From Python")
	out := program(t, "python3", "-B", folder+"play.py", node.Address, code)
	for _, want := range []string{"refused: not-now", "rammed", "the match is over: the goal was reached"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is missing in what it wrote:\n%s", want, out)
		}
	}
	until(t, a, "it has left", func(c *client.Copy) bool { return len(c.Players()) == 1 })
}
