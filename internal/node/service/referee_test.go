package service_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
)

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
	if _, problems, err := node.Library.Load(soon(t), []byte(strings.Replace(guessBook, "name: guess", "name: "+book,
		1))); err != nil {
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
	wants(
		t,
		"a guess without a referee",
		a.Do(soon(t), client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 3}}),
		"no-referee",
	)
	program(t, "go", "build", "-o", filepath.Join(folder, "referee"), "turnvex.example/turnvex/examples/referee")
	ctx, stop := context.WithCancel(soon(t))
	cmd := exec.CommandContext(
		ctx,
		filepath.Join(folder, "referee"),
		"-service",
		node.Address,
		"-key-file",
		file,
		"-lobby",
		code,
		"-right",
		"7",
	)
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
		return join(
			t,
			ref,
			client.Options{Lobby: code, Referee: true, OnDecision: func(d client.Decision) { asked <- d }},
		)
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
	until(
		t,
		a,
		"it is over",
		func(c *client.Copy) bool { return c.Match().Text("because") == "it is late" && c.Match().Flag("over") },
	)
}
