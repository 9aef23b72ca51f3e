package service_test

import (
	"net/http"
	"net/url"
	"testing"

	"turnvex.example/turnvex/client"
)

// TestMatchFromLobbyToBoard plays a whole match through the real doors and looks at everything that is kept of it.
func TestMatchFromLobbyToBoard(t *testing.T) {
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: "duel", Title: "Evening round"})
	var old, now int64
	a := join(t, mara, client.Options{Lobby: code, OnChange: func(c client.Change) {
		if c.Field != nil && c.Field.Name == "hull" && c.Old.N[0] == 100 {
			old, now = c.Old.N[0], c.New.N[0]
		}
	}})
	b := join(t, joss, client.Options{Lobby: code})
	until(t, a, "both are seen with their teams", func(c *client.Copy) bool {
		ps := c.Players()
		return len(ps) == 2 && ps[0].Text("name") == "Mara" && ps[1].Text("name") == "Joss" &&
			ps[0].Int("team") != ps[1].Int("team") &&
			ps[0].Flag("loaded") &&
			ps[1].Flag("loaded")
	})
	b.Read(func(c *client.Copy) {
		if r := c.Record(b.Seat()); r == nil || r.Int("matches") != 0 {
			t.Errorf("the first record is %+v", r)
		}
	})
	playRound(t, a, b)
	if old != 100 || now != 40 {
		t.Errorf("the hull was told to go from %d to %d, not from 100 to 40", old, now)
	}
	untilSaved(t, a)
	s := client.Service{Address: node.Address}
	ms, err := s.Matches(soon(t), url.Values{"lobby": {code}})
	if err != nil || len(ms) != 1 {
		t.Fatalf("%v, %v", ms, err)
	}
	r := ms[0].Result
	if r.Because != "the goal was reached" || r.Players[0].Outcome != "won" || r.Players[1].Outcome != "lost" ||
		r.Teams[0].Place != 1 ||
		r.Players[0].Fields["points"] != 2.0 ||
		r.Players[1].Fields["plan"] != nil {
		t.Errorf("the result is %+v", r)
	}
	page, err := s.Board(soon(t), "duel", "points", client.Part{Rows: 100})
	if err != nil || len(page.Rows) == 0 || page.Rows[0].Value != 2 || page.Rows[0].Place != 1 {
		t.Errorf("the board is %+v, %v", page, err)
	}
	until(t, a, "everyone is back in the lobby",
		func(c *client.Copy) bool { return c.Match() == nil && c.Lobby().Text("state") == "gathering" })
	playRound(t, a, b)
	until(t, a, "the record counts two matches", func(c *client.Copy) bool {
		return c.Record(a.Seat()).Int("matches") == 2 && c.Record(a.Seat()).Int("wins") == 2 &&
			c.Record(b.Seat()).Int("wins") == 0
	})
	var kept struct{ Fields map[string]int64 }
	if err := s.Call(soon(t), http.MethodGet, "/v1/players/"+joss.Player+"/records/duel", nil, &kept); err != nil ||
		kept.Fields["best"] != 0 {
		t.Errorf("a stranger sees of Joss's record: %v, %v", kept, err)
	}
}

// playRound lets a beat b twice.
func playRound(t *testing.T, a, b *client.Conn) {
	t.Helper()
	do(t, a, client.Intent{Do: "ready"})
	do(t, b, client.Intent{Do: "ready"})
	for goal := int64(1); goal <= 2; goal++ {
		for hit := 0; hit < 2; hit++ {
			until(t, a, "a may ram", func(c *client.Copy) bool {
				me, you := c.Me(), c.Seat(b.Seat())
				return c.Match().Text("phase") == "play" && you.Flag("alive") && c.Clock(me, "cool_ram") == 0 &&
					(hit == 0) == (you.Int("hull") == 100)
			})
			v, err := a.Send(client.Intent{Do: "act", Name: "ram", Target: b.Seat()}).Verdict(soon(t))
			for err == nil && v.Code == "cooldown" {
				v, err = a.Send(client.Intent{Do: "act", Name: "ram", Target: b.Seat()}).Verdict(soon(t))
			}
			if err != nil || !v.OK {
				t.Fatalf("ram: %+v, %v", v, err)
			}
		}
	}
	until(t, b, "the match is over", func(c *client.Copy) bool { return c.Match().Flag("over") })
}
