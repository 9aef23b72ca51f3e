package service_test

import (
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// withTexts replaces an action of the duel with one that tells what a player writes, in the lobby too.
var withTexts = []string{"  plot:\n", "  say:\n    also: [lobby]\n    takes: {line: {type: text, max: 200}}\n" +
	"    do: [{notice: said, with: {line: arg.line}}]\n" +
	"  oust:\n    also: [lobby]\n    takes: {line: {type: text}, who: {type: player}}\n" +
	"    do: [{kick: arg.who}, {notice: said, with: {line: arg.line}}]\n  plot:\n"}

func say(t *testing.T, c *client.Conn, line string) error {
	t.Helper()
	until(t, c, "the record is there", func(c *client.Copy) bool { return c.Me().Flag("loaded") })
	return c.Do(soon(t), client.Intent{Do: "act", Name: "say", Args: map[string]any{"line": line}})
}

// TestTexts: what a player writes is told in its normal form, but to nobody who has muted them, also when they come
// back; too much of it is refused, and so is that of a player whom an operator has muted, on every node.
func TestTexts(t *testing.T) {
	second := another(t, service.Config{})
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: variant(t, withTexts...)})
	told := make(chan string, 64)
	a := join(t, mara, client.Options{Lobby: code,
		OnNotice: func(n client.Notice) { told <- n.With["line"].(string) }})
	b := join(t, joss, client.Options{Lobby: code})
	hears := func(c *client.Conn, line string) {
		t.Helper()
		if err := say(t, c, line); err != nil {
			t.Fatal(err)
		}
		select {
		case got := <-told:
			if got != line {
				t.Errorf("%q comes, not %q", got, line)
			}
		case <-soon(t).Done():
			t.Errorf("%q does not come", line)
		}
	}
	wants(t, "turned around", say(t, b, "mind \u202eyouB"), "bad-argument")
	if err := say(t, b, " Bonne  soire\u0301e "); err != nil {
		t.Fatal(err)
	} else if got := <-told; got != "Bonne soir\u00e9e" {
		t.Errorf("%q comes", got)
	}

	do(t, a, client.Intent{Do: "mute", Target: b.Seats()[0]})
	if err := say(t, b, "Can you hear me?"); err != nil {
		t.Fatal(err)
	}
	hears(a, "I hear nothing")
	if err := b.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	b = join(t, joss, client.Options{Lobby: code})
	if err := say(t, b, "And now?"); err != nil {
		t.Fatal(err)
	}
	hears(a, "Nothing")
	do(t, a, client.Intent{Do: "unmute", Target: b.Seats()[0]})
	hears(b, "There you are")

	refused := func(c string) func() bool {
		return func() bool {
			err := say(t, b, "Hey")
			return client.CodeOf(err) == c
		}
	}
	tries := refused("too-many-requests")
	for ctx := soon(t); !tries(); {
		if ctx.Err() != nil {
			t.Fatal("no text is one too many")
		}
	}
	op := client.Service{Address: second.Address, Token: operator(t).Token}
	mute := client.Ban{Texts: true, Until: time.Now().Add(time.Hour), Why: "he shouts", Tell: "lower your voice"}
	if err := op.BanPlayer(soon(t), joss.Player, mute); err != nil {
		t.Fatal(err)
	}
	for muted, ctx := refused("muted"), soon(t); !muted(); {
		if ctx.Err() != nil {
			t.Fatal("the other node does not mute him")
		}
	}
	if err := say(t, b, "Hey"); err == nil || !strings.Contains(err.Error(), ": lower your voice") {
		t.Errorf("who is muted reads %v", err)
	}
	if err := op.UnbanPlayer(soon(t), joss.Player, "he whispers"); err != nil {
		t.Fatal(err)
	}
	for heard, ctx := refused(""), soon(t); !heard(); {
		if ctx.Err() != nil {
			t.Fatal("he stays muted")
		}
	}

	do(t, a, client.Intent{Do: "act", Name: "oust", Args: map[string]any{"line": "Off you go", "who": b.Seats()[0]}})
	for got := ""; got != "Off you go"; { // who goes in the same moment is asked for nothing
		select {
		case got = <-told:
		case <-soon(t).Done():
			t.Fatal("what is said in the moment of a removal does not come")
		}
	}
	hears(a, "Peace")
}
