package service_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/live/rough"
	"turnvex.example/turnvex/internal/node/service"
)

// lie answers checks with a wrong hash and shows a snapshot's parts, but with another title of the lobby.
func (b *bare) lie(parts []any, asked map[any]bool) {
	for _, p := range parts {
		if part := p.([]any); part[2] == 0.0 {
			part[7] = "A wrong title"
		}
	}
	for { // an answer that comes after the next check counts no more
		m := b.next("check", "show")
		if m["is"] == "show" {
			if !asked[m["tick"]] {
				b.t.Errorf("asked to show %v, which no check was about", m["tick"])
			}
			b.WriteJSON(map[string]any{"is": "shown", "tick": m["tick"], "parts": parts})
			return
		}
		asked[m["tick"]] = true
		b.WriteJSON(map[string]any{"is": "hash", "tick": m["tick"], "hash": 12345})
	}
}

// TestDivergence (protocol, How a copy is hashed): a client that is wrong on purpose is found out, and the field is
// named, in practice by itself and for an operator.
func TestDivergence(t *testing.T) {
	checked := another(t, service.Config{Check: 100 * time.Millisecond})
	mara, joss := player(t, "Mara"), player(t, "Joss")
	l, err := at(checked, mara).Open(soon(t), client.Opening{Rulebook: "duel"})
	if err != nil {
		t.Fatal(err)
	}
	good, err := client.Connect(soon(t), client.Options{Address: checked.Address, Token: mara.Token, Lobby: l.Code,
		OnDiffers: func(d []client.Difference) { t.Errorf("a client that is right is told %v", d) }})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(good.Close)
	b := bareTo(t, checked.Address, map[string]any{"token": joss.Token, "lobby": l.Code}, 0)
	parts := b.next("snapshot")["parts"].([]any)
	asked := map[any]bool{} // the ticks of checks so far
	b.lie(parts, asked)
	found := false
	for _, f := range b.next("differs")["fields"].([]any) {
		d := f.(map[string]any)
		found = found ||
			d["field"] == "title" && d["kind"] == "lobby" && d["want"] == "duel" && d["found"] == "A wrong title"
	}
	if !found {
		t.Error("the wrong title was not found")
	}
	if again := b.next("snapshot"); again["tick"] == nil {
		t.Error("no snapshot follows")
	}
	done := make(chan *client.CopyReport, 1)
	op, err := client.SignInKey(soon(t), checked.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		r, err := at(checked, op).CheckCopies(context.Background(), l.Code)
		if err != nil {
			t.Error(err)
		}
		done <- r
	}()
	for {
		select {
		case r := <-done:
			if r.Asked != 2 || r.Answered != 2 || len(r.Differs) == 0 ||
				!strings.Contains(fmt.Sprint(r.Differs), "A wrong title") {
				t.Errorf("the operator is told %+v", r)
			}
			_, list, err := at(checked, op).CheckedCopies(soon(t), l.Code)
			same := map[uint32]bool{}
			for _, c := range list {
				same[c.Seat] = same[c.Seat] || c.Same
				if c.Same == (len(c.Differs) > 0) || c.Same && c.Seat != good.Seat() {
					t.Errorf("remembered is %+v", c)
				}
			}
			if err != nil || len(same) != 2 || !same[good.Seat()] {
				t.Errorf("of whose copies it is remembered that they were right: %v, %v", same, err)
			}
			return
		default:
			b.lie(parts, asked)
		}
	}
}

// TestRoughNetworks: whole matches are played over connections that are late, stalled and cut, on both sides, and in
// the end every copy is true.
func TestRoughNetworks(t *testing.T) {
	bad := another(t,
		service.Config{Practice: true, Rough: rough.Network{Delay: 10 * time.Millisecond, Jitter: 30 * time.Millisecond,
			StallEvery: time.Second, StallFor: 200 * time.Millisecond}})
	var all []*client.Conn
	code := ""
	for i := range 4 {
		in := player(t, fmt.Sprint("Skiff ", i))
		if code == "" {
			l, err := at(bad, in).Open(soon(t), client.Opening{Rulebook: "duel"})
			if err != nil || !l.Practice {
				t.Fatal(l, err)
			}
			code = l.Code
		}
		o := client.Options{Address: bad.Address, Token: in.Token, Lobby: code, JSON: i%2 == 0, Patience: time.Minute,
			Rough: client.Rough{Delay: 5 * time.Millisecond, CutEvery: 1500 * time.Millisecond, Seed: uint64(i + 1)}}
		c, err := client.Connect(soon(t), o)
		for tries := 0; err != nil && tries < 10; tries++ { // it may be cut off before it is there
			o.Rough.Seed += 100
			c, err = client.Connect(soon(t), o)
		}
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(c.Close)
		all = append(all, c)
	}
	for range 2 {
		play(t, all...)
		ctx, over := context.WithCancel(soon(t))
		var acting sync.WaitGroup
		for _, c := range all {
			acting.Go(func() {
				for ctx.Err() == nil {
					var target uint32
					c.Read(func(v *client.Copy) {
						for _, p := range v.Players() {
							if v.Me() != nil && p.Int("team") != v.Me().Int("team") {
								target = uint32(p.ID)
							}
						}
					})
					c.Send(client.Intent{Do: "act", Name: "ram", Target: target}).Verdict(ctx)
				}
			})
		}
		// Who was cut off meanwhile may find the match gone.
		until(t, all[0], "the match is over", func(c *client.Copy) bool {
			return c.Match() == nil || c.Match().Flag("over")
		})
		over()
		acting.Wait()
		until(t, all[0], "the lobby again", func(c *client.Copy) bool { return c.Match() == nil })
	}
	if err := all[0].Wait(soon(t), func(c *client.Copy) bool {
		return len(c.Players()) == 4 && !away(c, "Skiff 1") && !away(c, "Skiff 2") && !away(c, "Skiff 3")
	}); err != nil {
		t.Fatal(err)
	}
	op, err := client.SignInKey(soon(t), bad.Address, operatorKey)
	if err != nil {
		t.Fatal(err)
	}
	for ctx := soon(t); ; { // all may just be away
		r, err := at(bad, op).CheckCopies(ctx, code)
		if err != nil || len(r.Differs) > 0 {
			t.Fatalf("the copies: %+v, %v", r, err)
		}
		if r.Answered > 0 {
			return
		}
	}
}
