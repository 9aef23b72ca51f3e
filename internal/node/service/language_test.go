package service_test

import (
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
)

// denBook has what only a socket shows: lists that others may not see, choices in secret, a vote, and creatures and
// zones that every client holds.
const denBook = `
turnvex: 1
name: den
players: {least: 2, most: 4, late: seat, below: go-on}
start: {countdown: 0s}
teams: {list: {amber: {least: 0}, teal: {least: 0}}, newcomers: choice}
ground: {width: 30m, height: 20m, spawns: [{at: [5m, 10m]}, {at: [25m, 10m]}]}
movement: {speed: 5m/s}
facing: {}
sheets:
  player: {hull: {type: integer, start: 50, min: 0}, hand: {type: list, of: integer, see: owner}, marks: {type: list, of: choice, words: [star, moon]}}
  match: {deck: {type: list, of: integer, start: 1..20, see: referees}}
creatures:
  rat:
    number: 3
    every: 0s
    at: [[15m, 3m], [15m, 17m]]
    fields: {hull: {type: integer, start: 20, min: 0}}
    update: 200ms
    moves: [{to: "creature.rivals.nearest(creature.pos).pos", gap: 2m}]
zones:
  quay: {circle: [5m, 10m, 3m], capture: {time: 500ms}}
sealed:
  guess: {type: integer, min: 1, max: 9, reset: match}
votes:
  level: {passed: [{sides: balance}]}
actions:
  draw: {do: [{take: match.deck, many: 3, into: me.hand}, {put: me.marks, item: moon}]}
  hit: {aim: {kind: area, radius: 30m, hits: [creatures], walls: ignore}, do: [{add: target.hull, by: -5}, {notice: seen, with: {what: target, from: aim.from}}]}
phases: {play: {lasts: 10m}}
win: {order: [{highest: team.size}]}
`

// TestNewThingsOnTheSocket: who sees the items of a list sees them and the others only how many there are; what is
// chosen in secret is told to nobody until it is revealed; a vote is opened and answered; where players look is told;
// and every copy is equal with creatures walking and a zone being taken.
func TestNewThingsOnTheSocket(t *testing.T) {
	book := "den_" + fresh()
	if _, problems, err := node.Library.Load(soon(t), []byte(strings.Replace(denBook, "name: den", "name: "+book,
		1))); err != nil {
		t.Fatal(err, problems)
	}
	mara, joss := player(t, "Mara"), player(t, "Joss")
	code := lobby(t, mara, client.Opening{Rulebook: book})
	seen := make(chan client.Notice, 64)
	a := join(t, mara, client.Options{Lobby: code, Team: "amber", OnNotice: func(n client.Notice) {
		if n.Name == "seen" {
			seen <- n
		}
	}})
	b := join(t, joss, client.Options{Lobby: code, Team: "amber"})
	play(t, a, b)
	do(t, a, client.Intent{Do: "act", Name: "draw"})
	until(t, a, "Mara holds her cards", func(c *client.Copy) bool {
		v, _ := c.Me().Get("hand")
		marks, _ := c.Me().Get("marks")
		return slices.Equal(v.Items(), []int64{1, 2, 3}) && slices.Equal(marks.Items(), []int64{1})
	})
	until(t, b, "Joss sees how many Mara holds", func(c *client.Copy) bool {
		other := c.Seat(a.Seat())
		if _, told := other.Get("hand"); told {
			t.Error("Joss is told what Mara holds")
		}
		_, told := c.Match().Get("deck")
		return other.Int("hand_size") == 3 && c.Match().Int("deck_size") == 17 && !told
	})
	do(t, a, client.Intent{Do: "act", Name: "guess", Args: map[string]any{"value": 4}})
	until(t, b, "Joss sees that Mara has chosen", func(c *client.Copy) bool {
		other := c.Seat(a.Seat())
		if _, told := other.Get("guess_sealed"); told || other.Int("guess") != 0 {
			t.Errorf("Joss is told what Mara has chosen: %v %d", told, other.Int("guess"))
		}
		return other.Flag("guess_made")
	})
	do(t, b, client.Intent{Do: "act", Name: "guess", Args: map[string]any{"value": 7}})
	until(t, b, "both are revealed", func(c *client.Copy) bool {
		return c.Seat(a.Seat()).Int("guess") == 4 && c.Me().Int("guess") == 7
	})
	do(t, a, client.Intent{Do: "vote", Name: "level"})
	until(t, b, "Joss sees the vote", func(c *client.Copy) bool {
		return c.Lobby().Text("vote") == "level" && c.Lobby().Int("vote_yes") == 1
	})
	do(t, b, client.Intent{Do: "vote", Name: "level"})
	until(t, b, "the crews are even", func(c *client.Copy) bool {
		return c.Me().Int("team") != c.Seat(a.Seat()).Int("team") && c.Lobby().Text("vote") == "none"
	})
	south, north, past := int64(16384), int64(49152), int64(65536)
	looks := func(yaw int64) {
		t.Helper()
		until(t, b, "Joss sees where Mara looks", func(c *client.Copy) bool {
			return c.Seat(a.Seat()).Int("yaw") == yaw
		})
	}
	do(t, a, client.Intent{Do: "steer", At: []int64{0, 0}, Yaw: &south})
	looks(south)
	wants(t, "no yaw", a.Do(soon(t), client.Intent{Do: "face"}), "bad-argument")
	wants(t, "more than a turn", a.Do(soon(t), client.Intent{Do: "face", Yaw: &past}), "bad-argument")
	over := client.Service{Address: node.Address, Token: mara.Token}
	if err := over.Ask(soon(t), code, client.Intent{Do: "face", Yaw: &north}); err != nil {
		t.Error(err)
	}
	looks(north)
	do(t, a, client.Intent{Do: "act", Name: "hit"})
	if n := <-seen; n.With["what"] == nil || n.With["from"] == nil {
		t.Errorf("the notice says %v", n.With)
	}
	until(t, b, "the quay is taken and the rats are hit", func(c *client.Copy) bool {
		zones := c.Of(client.KindZone)
		rats := c.Of(client.KindCreature)
		return len(zones) == 1 && zones[0].Int("holder") != 0 && len(rats) == 3 &&
			!slices.ContainsFunc(rats, func(r *client.Sheet) bool { return r.Int("hull") != 15 })
	})
	a.Read(func(c *client.Copy) {
		if b := c.Book; len(b.Creatures) != 1 || len(b.Zones) != 1 || len(b.Votes) != 1 ||
			!slices.Equal(b.Actions[1].Hits, []string{"rat"}) {
			t.Errorf("the client knows %+v", b)
		}
	})
}
