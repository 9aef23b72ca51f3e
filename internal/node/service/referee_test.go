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
phases: {play: {lasts: 10m}}
`

const quizBook = `
turnvex: 1
name: quiz
players: {least: 1, most: 4}
start: {countdown: 0s}
sheets: {player: {points: {type: integer}}, match: {question: {type: text, max: 40}}}
actions:
  answer:
    takes: {n: {type: integer}}
    referee: {within: 20s, tell: {n: arg.n}, answers: {worth: {type: integer, min: 1, max: 5}}}
    do: [{add: me.points, by: arg.worth}]
referee:
  sets: [match.question, player.points]
  acts: {put: {phases: [play], takes: {text: {type: text, max: 40}}, do: [{set: match.question, to: arg.text}]}}
rules: [{on: start, do: [{notice: begins, to: referees}]}]
phases: {play: {lasts: 10m}}
`

// TestJudge: one referee for all lobbies of a rulebook, those opened later too, answers with values, puts questions and
// sets fields in each without joining any; what a player expects stays until it has decided.
func TestJudge(t *testing.T) {
	name := "quiz_" + fresh()
	if _, problems, err := node.Library.Load(soon(t), []byte(strings.Replace(quizBook, "name: quiz", "name: "+name,
		1))); err != nil {
		t.Fatal(err, problems)
	}
	key, err := operator(t).MakeKey(soon(t), "judge "+fresh(), "referee")
	if err != nil {
		t.Fatal(err)
	}
	in := player(t, "Mara")
	ref, err := client.SignInKey(soon(t), node.Address, key.Key)
	if err != nil {
		t.Fatal(err)
	}
	first := lobby(t, in, client.Opening{Rulebook: name})
	asked, told := make(chan client.Decision, 8), make(chan client.Notice, 8)
	j, err := as(ref).Judge(soon(t), client.Judging{Rulebook: name, OnDecision: func(d client.Decision) { asked <- d },
		OnNotice: func(n client.Notice) { told <- n }})
	if err != nil || len(j.Lobbies()) != 1 || j.Lobbies()[0] != first {
		t.Fatalf("lobbies %v, %v", j.Lobbies(), err)
	}
	for i, code := range []string{first, lobby(t, in, client.Opening{Rulebook: name})} {
		c := join(t, in, client.Options{Lobby: code})
		play(t, c)
		if n := <-told; n.Lobby != code || n.Name != "begins" {
			t.Errorf("told %+v", n)
		}
		wants(t, "a question", j.Act(soon(t), code, "put", map[string]any{"text": "Why?"}), "")
		until(t, c, "it is put", func(c *client.Copy) bool { return c.Match().Text("question") == "Why?" })
		wants(t, "no text", j.Act(soon(t), code, "put", nil), "bad-argument")
		wants(t, "another act", j.Act(soon(t), code, "leave", nil), "no-such-action")
		wants(t, "a lobby that is none", j.Act(soon(t), "AAAAAA", "put", nil), "no-such-lobby")
		wants(t, "points", j.Set(soon(t), code, "player.points", c.Seat(), 30), "")
		wants(t, "a field that is not a referee's", j.Set(soon(t), code, "match.round", 0, 3), "no-such-field")
		until(t, c, "they are there", func(c *client.Copy) bool { return c.Me().Int("points") == 30 })
		p := c.Send(client.Intent{Do: "act", Name: "answer", Args: map[string]any{"n": int64(i)},
			Expect: []client.Expected{client.Expect("points", client.Whole(99))}})
		if v, err := p.Verdict(soon(t)); err != nil || !v.OK || !v.Waits {
			t.Errorf("the verdict is %+v, %v", v, err)
		}
		d := <-asked
		if d.Lobby != code || d.Tell["n"] != int64(i) || d.Seat != c.Seat() {
			t.Errorf("asked %+v", d)
		}
		c.Read(func(c *client.Copy) {
			if c.Me().Int("points") != 99 {
				t.Errorf("before the decision %d points are shown", c.Me().Int("points"))
			}
		})
		wants(t, "a word without its value", j.Decide(soon(t), code, d.No, true), "bad-argument")
		wants(t, "a word", j.Decide(soon(t), code, d.No, true, map[string]any{"worth": 4}), "")
		until(t, c, "it counts", func(c *client.Copy) bool { return c.Me().Int("points") == 34 })
		c.Leave(soon(t))
	}
	if _, err := as(in).Judge(soon(t), client.Judging{Rulebook: name}); client.CodeOf(err) != "forbidden" {
		t.Errorf("a player as a referee: %v", err)
	}
	j.Close()
	third := lobby(t, in, client.Opening{Rulebook: name})
	c := join(t, in, client.Options{Lobby: third})
	play(t, c)
	wants(t, "without a referee", c.Do(soon(t), client.Intent{Do: "act", Name: "answer",
		Args: map[string]any{"n": 1}}), "no-referee")
}

// TestReferee: the example referee decides; what waits is offered again to one who comes back, the first word counts,
// and without one the rulebook decides.
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
	wants(t, "a guess without a referee",
		a.Do(soon(t), client.Intent{Do: "act", Name: "guess", Args: map[string]any{"what": 3}}), "no-referee")
	program(t, "go", "build", "-o", filepath.Join(folder, "referee"), "turnvex.example/turnvex/examples/referee")
	ctx, stop := context.WithCancel(soon(t))
	cmd := exec.CommandContext(ctx, filepath.Join(folder, "referee"), "-service", node.Address, "-key-file", file,
		"-lobby", code, "-right", "7")
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
		return join(t, ref,
			client.Options{Lobby: code, Referee: true, OnDecision: func(d client.Decision) { asked <- d }})
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
	until(t, a, "it is over",
		func(c *client.Copy) bool { return c.Match().Text("because") == "it is late" && c.Match().Flag("over") })
}
