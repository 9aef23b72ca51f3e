package service_test

import (
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
)

const fullBook = `
turnvex: 1
name: full
players: {least: 4, most: 4, late: seat, below: go-on}
start: {countdown: 0s}
host: {remove: [public, match]}
stand_ins: {fill: 4, every: 100ms, names: [Barnacle]}
sheets: {player: {points: {type: integer}}}
actions: {score: {do: [{add: me.points, by: 1}]}}
phases: {play: {lasts: 10m}}
win: {order: [{highest: me.points}, {lowest: me.points}]}
`

// TestStandInsAreReplaced: one player begins a match for four with three whom the service plays; who comes takes the
// place of one as it is, the listing counts their seats as free, and every copy says who is one.
func TestStandInsAreReplaced(t *testing.T) {
	book := "full_" + fresh()
	if _, problems, err := node.Library.Load(soon(t), []byte(strings.Replace(fullBook, "name: full", "name: "+book,
		1))); err != nil {
		t.Fatal(err, problems)
	}
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: book})
	a := join(t, mara, client.Options{Lobby: code})
	play(t, a)
	stood := uint32(0)
	until(t, a, "a stand-in has scored", func(c *client.Copy) bool {
		for _, p := range c.Players() {
			if p.Flag("stand_in") && p.Int("points") > 2 && stood == 0 {
				stood = p.ID
			}
		}
		return stood != 0 && c.Lobby().Int("stand_ins") == 3 && !c.Me().Flag("stand_in")
	})
	page, err := as(mara).Lobbies(soon(t), client.Filter{Rulebook: book}, "", 10, "")
	if err != nil || len(page.Lobbies) != 1 || page.Lobbies[0].Seats != 1 || page.Lobbies[0].Free != 3 {
		t.Errorf("listed %+v, %v", page, err)
	}
	found, err := as(joss).QuickJoin(soon(t), client.Quick{Rulebook: book})
	if err != nil || found.Code != code {
		t.Fatalf("quick join finds %+v, %v", found, err)
	}
	b := join(t, joss, client.Options{Lobby: code})
	until(t, a, "Joss has the place of one", func(c *client.Copy) bool {
		p := c.Seat(b.Seat())
		return p.Text("name") == "Joss" && !p.Flag("stand_in") && p.Flag("alive") && c.Lobby().Int("stand_ins") == 2 &&
			c.Lobby().Int("seats") == 4
	})
	wants(t, "kicking a stand-in", a.Do(soon(t), client.Intent{Do: "kick", Target: standInOf(a)}), "wrong-target")
	b.Leave(soon(t))
	until(t, a, "another stands in", func(c *client.Copy) bool { return c.Lobby().Int("stand_ins") == 3 })
}

// standInOf is the seat of a stand-in in a copy.
func standInOf(c *client.Conn) (seat uint32) {
	c.Read(func(v *client.Copy) {
		for _, p := range v.Players() {
			if p.Flag("stand_in") {
				seat = p.ID
			}
		}
	})
	return seat
}
