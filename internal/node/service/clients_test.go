package service_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/trial"
)

// program runs a program and returns what it wrote.
func program(t *testing.T, name string, args ...string) string {
	t.Helper()
	return programIn(t, "", name, args...)
}

// programIn runs a program in a folder.
func programIn(t *testing.T, dir, name string, args ...string) string {
	t.Helper()
	cmd := exec.CommandContext(soon(t), name, args...)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s: %v\n%s", strings.Join(cmd.Args, " "), err, out)
	}
	return string(out)
}

// partner is a player in a new lobby at a node who is ready, and plays along until the other one has left.
func partner(t *testing.T, s *service.Service, title string) (code string, a *client.Conn) {
	in := player(t, "Mara")
	l, err := at(s, in).Open(soon(t), client.Opening{Rulebook: "duel", Title: title})
	if err != nil {
		t.Fatal(err)
	}
	a, err = client.Connect(soon(t), client.Options{Address: s.Address, Token: in.Token, Lobby: l.Code})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(a.Close)
	do(t, a, client.Intent{Do: "ready"})
	return l.Code, a
}

// TestConsoleUnits: what the console reckons without a page: bars, scoreboards, recordings, the comparison of copies,
// the graph of phases, and help in the editor.
func TestConsoleUnits(t *testing.T) {
	const console = "../../../console/"
	dir, err := os.MkdirTemp(console+"node_modules", ".units")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	built, err := filepath.Abs(dir)
	if err != nil {
		t.Fatal(err)
	}
	programIn(t, console, "node", "node_modules/vite/bin/vite.js", "build", "--ssr", "test/units.mjs",
		"--outDir", built, "--logLevel", "error")
	out := programIn(t, console, "node", "--test", "--test-reporter=spec", "--test-timeout=200000",
		filepath.Join(built, "units.js"))
	if !strings.Contains(out, "fail 0") || !strings.Contains(out, "help comes from the reference") {
		t.Error(out)
	}
}

// TestTypeScriptClient: vectors, broken messages, and a match from Node in both encodings, the second one over a bad
// network. Its copies are checked all the time.
func TestTypeScriptClient(t *testing.T) {
	const tests = "../../../clients/typescript/test/"
	seed := fmt.Sprint(trial.Seed(t))
	t.Log("seed", seed)
	if out := program(t, "node", tests+"vectors.mjs", "../../../docs/protocol-vectors.json",
		seed); !strings.Contains(out, "agree") {
		t.Error(out)
	}
	if out := program(t, "node", "--no-warnings", "--test", "--test-reporter=spec", "--test-timeout=200000",
		tests+"link.mjs"); !strings.Contains(out, "fail 0") {
		t.Error(out)
	}
	checked, beside := pairOf(t, service.Config{Check: 50 * time.Millisecond})
	for _, c := range [][2]string{{"json", ""}, {"cbor", `{"delay":20,"jitter":20,"stallEvery":500,"stallFor":100}`}} {
		code, a := partner(t, checked, "From Node")
		out := program(
			t,
			"node",
			"--experimental-websocket",
			"--no-warnings",
			tests+"live.mjs",
			beside.Address, // which sends it on
			player(t, "Nod").Token,
			code,
			c[0],
			c[1],
		)
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
	const folder = "../../../examples/python/"
	if out := program(t, "python3", "-B", folder+"vectors.py",
		"../../../docs/protocol-vectors.json"); !strings.Contains(out, "agree") {
		t.Error(out)
	}
	checked, beside := pairOf(t, service.Config{Check: 50 * time.Millisecond})
	code, a := partner(t, checked, "From Python")
	out := program(t, "python3", "-B", folder+"play.py", beside.Address, code) // which sends it on
	for _, want := range []string{"refused: not-now", "rammed", "the match is over: the goal was reached",
		"times, differed in []"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is missing in what it wrote:\n%s", want, out)
		}
	}
	if strings.Contains(out, "checked 0 times") {
		t.Error("the copy was never checked")
	}
	until(t, a, "it has left", func(c *client.Copy) bool { return len(c.Players()) == 1 })
}
