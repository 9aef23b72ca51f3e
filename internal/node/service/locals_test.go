package service_test

import (
	"errors"
	"testing"

	"turnvex.example/turnvex/client"
)

// TestLocalsComeAndGo: players who share a screen come and go one at a time on a live connection, see what is theirs,
// and are held with it when it is lost.
func TestLocalsComeAndGo(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, joss, client.Opening{Rulebook: "duel"})
	b := join(t, joss, client.Options{Lobby: lob})
	a := join(t, mara, client.Options{Lobby: lob})
	_, err := a.AddLocal(soon(t), client.Local{Name: "\x07"})
	wants(t, "a name that is none", err, "bad-name")
	a.Cut() // what comes back shares a connection of another key
	seat := uint32(0)
	for err = errors.New("away"); err != nil && client.CodeOf(err) == ""; {
		seat, err = a.AddLocal(soon(t), client.Local{Name: "Little Mara"})
	}
	if err != nil || len(a.Seats()) != 2 || a.Seats()[1] != seat {
		t.Fatalf("seat %d of %v: %v", seat, a.Seats(), err)
	}
	a.Read(func(c *client.Copy) {
		if _, ok := c.Seat(seat).Get("plan"); !ok {
			t.Error("the further player does not see its own private field")
		}
	})
	do(t, a, client.Intent{Seat: seat, Do: "ready"})
	until(t, b, "it is ready", func(c *client.Copy) bool { return c.Seat(seat).Flag("ready") })
	_, err = a.AddLocal(soon(t), client.Local{Name: "Tiny Mara"})
	wants(t, "one too many", err, "too-many-locals")
	a.Cut()
	until(t, b, "it is back with both seats", func(c *client.Copy) bool {
		return c.Seat(seat) != nil && !c.Seat(seat).Flag("away") && c.Lobby().Int("seats") == 3
	})
	for err = errors.New("away"); err != nil && client.CodeOf(err) == ""; {
		err = a.LeaveSeat(soon(t), seat)
	}
	if err != nil || len(a.Seats()) != 1 {
		t.Errorf("seats %v, %v", a.Seats(), err)
	}
	until(t, b, "it has left alone", func(c *client.Copy) bool {
		return c.Seat(seat) == nil && c.Seat(a.Seat()) != nil && c.Lobby().Int("seats") == 2
	})
	if again, err := a.AddLocal(soon(t), client.Local{Name: "Tiny Mara"}); err != nil || again == seat {
		t.Errorf("again seat %d, %v", again, err)
	}
	w := join(t, player(t, "Ines"), client.Options{Lobby: lob, Watch: true})
	_, err = w.AddLocal(soon(t), client.Local{Name: "Nobody"})
	wants(t, "beside who watches", err, "no-such-seat")
}

// TestFurtherPlayersSignIn: who shares a screen may play as themselves, comes back with the connection, goes on alone
// on one of their own, and leaves the others alone when they leave or sign out.
func TestFurtherPlayersSignIn(t *testing.T) {
	mara, ines := player(t, "Mara"), player(t, "Ines")
	lob := lobby(t, mara, client.Opening{Rulebook: "duel", Password: "quay"})
	a := join(t, mara, client.Options{Lobby: lob, Password: "quay"})
	_, err := a.AddLocal(soon(t), client.Local{Token: ines.Token + "x"})
	wants(t, "a token that is not good", err, "bad-token")
	_, err = a.AddLocal(soon(t), client.Local{Token: mara.Token})
	wants(t, "twice", err, "already-in")
	seat, err := a.AddLocal(soon(t), client.Local{Token: ines.Token})
	if err != nil {
		t.Fatal(err)
	}
	until(t, a, "the record of Ines is here", func(c *client.Copy) bool {
		return c.Seat(seat).Text("name") == "Ines" && c.Seat(seat).Flag("loaded")
	})
	a.Cut()
	until(t, a, "both are back", func(c *client.Copy) bool {
		return len(a.Seats()) == 2 && !c.Seat(seat).Flag("away") && !c.Seat(a.Seat()).Flag("away")
	})

	b := join(t, ines, client.Options{Lobby: lob})
	if b.Seat() != seat || len(b.Seats()) != 1 {
		t.Errorf("by herself Ines has %v, not %d", b.Seats(), seat)
	}
	until(t, a, "Mara goes on without her", func(*client.Copy) bool { return len(a.Seats()) == 1 })
	do(t, a, client.Intent{Do: "ready"})
	b.Leave(soon(t))
	if seat, err = a.AddLocal(soon(t), client.Local{Token: ines.Token}); err != nil {
		t.Fatal(err)
	}
	her := client.Service{Address: node.Address, Token: ines.Token}
	if err := her.LeaveSeat(soon(t), lob); err != nil {
		t.Fatal(err)
	}
	until(t, a, "she has left, and Mara has not", func(c *client.Copy) bool {
		return c.Seat(seat) == nil && c.Seat(a.Seat()) != nil && len(a.Seats()) == 1
	})
	if seat, err = a.AddLocal(soon(t), client.Local{Token: ines.Token}); err != nil {
		t.Fatal(err)
	}
	if err := her.SignOut(soon(t), ines.Refresh); err != nil {
		t.Fatal(err)
	}
	until(t, a, "her seat waits for her", func(c *client.Copy) bool {
		return len(a.Seats()) == 1 && c.Seat(seat).Flag("away") && !c.Seat(a.Seat()).Flag("away")
	})
}

// TestLocalPlayers: two seats on one connection, each with its own name, team, readiness and private fields, and both
// held and given up together.
func TestLocalPlayers(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	lob := lobby(t, joss, client.Opening{Rulebook: "duel"})
	b := join(t, joss, client.Options{Lobby: lob})
	a := join(t, mara, client.Options{Lobby: lob, Locals: []string{"Little Mara"}})
	seats := a.Seats()
	if len(seats) != 2 {
		t.Fatalf("seats %v", seats)
	}
	do(t, a, client.Intent{Seat: seats[1], Do: "ready"})
	do(t, a, client.Intent{Seat: seats[1], Do: "rename", Text: "Tiny Mara"})
	until(t, b, "the second is ready and renamed, the first not", func(c *client.Copy) bool {
		one, two := c.Seat(seats[0]), c.Seat(seats[1])
		return !one.Flag("ready") && two.Flag("ready") && one.Text("name") == "Mara" &&
			two.Text("name") == "Tiny Mara" &&
			one.Int("team") != two.Int("team")
	})
	a.Read(func(c *client.Copy) {
		for _, s := range seats {
			if _, ok := c.Seat(s).Get("plan"); !ok {
				t.Errorf("seat %d does not see its own private field", s)
			}
		}
		if _, ok := c.Seat(b.Seat()).Get("plan"); ok {
			t.Error("another's private field is seen")
		}
	})
	a.Cut()
	until(t, b, "both are away",
		func(c *client.Copy) bool { return c.Seat(seats[0]).Flag("away") && c.Seat(seats[1]).Flag("away") })
	until(t, b, "both are back",
		func(c *client.Copy) bool { return !c.Seat(seats[0]).Flag("away") && !c.Seat(seats[1]).Flag("away") })
	if err := a.Leave(soon(t)); err != nil {
		t.Fatal(err)
	}
	until(t, b, "both have left",
		func(c *client.Copy) bool { return len(c.Players()) == 1 && c.Lobby().Int("seats") == 1 })
}
