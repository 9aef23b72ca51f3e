package service_test

import (
	"context"
	"fmt"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

const dashBook = `
turnvex: 1
name: dash
players: {least: 2, most: 2, late: seat}
start: {countdown: 0s}
options: {goal: {type: integer, start: 1, min: 1, max: 9}}
sheets: {player: {steps: {type: integer}}}
actions: {go: {do: [{add: me.steps, by: 1}]}}
phases: {play: {lasts: 10m}}
win: {order: [{highest: me.steps}, {lowest: me.steps}], ends: [{if: "players.exists(p, p.steps >= lobby.goal)"}]}
end: {lasts: 0s}
`

// cup is a bracket of four that real clients play.
type cup struct {
	t    *testing.T
	node *service.Service
	op   client.Service
	in   map[string]*client.Signed
	told map[string]chan client.DueMeeting
	id   string
}

func (c *cup) as(name string) client.Service {
	return client.Service{Address: c.node.Address, Token: c.in[name].Token}
}

// due waits until a player is to be in a lobby, and returns the meeting.
func (c *cup) due(name string) client.DueMeeting {
	c.t.Helper()
	var list []client.DueMeeting
	asked(c.t, name+" is due somewhere", func(ctx context.Context) bool {
		var err error
		if list, err = c.as(name).MySeries(ctx); err != nil {
			c.t.Fatal(err)
		}
		return len(list) == 1 && list[0].Lobby != ""
	})
	return list[0]
}

func (c *cup) join(name, code string) *client.Conn {
	c.t.Helper()
	told := make(chan client.DueMeeting, 64)
	conn, err := client.Connect(soon(c.t), client.Options{Address: c.node.Address, Token: c.in[name].Token, Lobby: code,
		OnSeries: func(d client.DueMeeting) { told <- d }})
	if err != nil {
		c.t.Fatalf("%s into %s: %v", name, code, err)
	}
	c.t.Cleanup(conn.Close)
	c.told[name] = told
	return conn
}

// play lets one win a match against another in the lobby in which both are due.
func (c *cup) play(winner, loser string) {
	c.t.Helper()
	code := c.due(winner).Lobby
	if other := c.due(loser).Lobby; other != code {
		c.t.Fatalf("%s is due in %s, %s in %s", winner, code, loser, other)
	}
	a, b := c.join(winner, code), c.join(loser, code)
	defer a.Close()
	defer b.Close()
	for _, conn := range []*client.Conn{a, b} {
		do(c.t, conn, client.Intent{Do: "ready"})
	}
	until(c.t, a, "the match runs, and nobody is its host", func(v *client.Copy) bool {
		return v.Match() != nil && v.Me().Flag("alive") && v.Lobby().Int("host") == 0
	})
	for range 2 {
		do(c.t, a, client.Intent{Do: "act", Name: "go"})
	}
	for d := range c.told[winner] { // it is counted when that is told
		if d.Wins > 0 || d.Stage == "decided" {
			return
		}
	}
}

func (c *cup) stands(want string) *client.WholeSeries {
	c.t.Helper()
	x, err := c.op.GetSeries(soon(c.t), c.id)
	if err != nil {
		c.t.Fatal(err)
	}
	got := ""
	for _, m := range x.Meetings {
		got += fmt.Sprintf("%s-%s %d:%d %s; ", m.Sides[0].Name, m.Sides[1].Name, m.Sides[0].Wins, m.Sides[1].Wins,
			m.Winner)
	}
	if got != want {
		c.t.Errorf("it stands %s\nwanted %s", got, want)
	}
	return x
}

// TestSeries: a bracket of four is played by real clients in lobbies that the service opens, with places held for them
// and for nobody else; a restart of the node in the midst loses nothing; and who reads how it stands reads the same
// everywhere.
func TestSeries(t *testing.T) {
	address := emptyDatabase(t)
	start := func() *service.Service {
		s, err := service.Start(soon(t), service.Config{Database: address, Node: "cup",
			OperatorKey: "the-key-of-this-cup-alone"})
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	c := &cup{t: t, node: start(), in: map[string]*client.Signed{}, told: map[string]chan client.DueMeeting{}}
	signIn := func() {
		key, err := client.SignInKey(soon(t), c.node.Address, "the-key-of-this-cup-alone")
		if err != nil {
			t.Fatal(err)
		}
		c.op = client.Service{Address: c.node.Address, Token: key.Token}
		for _, name := range []string{"Mara", "Joss", "Kit", "Ada", "Ines"} {
			device := "a-device-key-for-this-cup-" + name
			if c.in[name], err = client.SignIn(soon(t), c.node.Address, device, name); err != nil {
				t.Fatal(err)
			}
		}
	}
	signIn()
	if _, problems, err := c.node.Library.Load(soon(t), []byte(dashBook)); err != nil {
		t.Fatal(err, problems)
	}
	var entrants []client.Entrant
	for _, name := range []string{"Mara", "Joss", "Kit", "Ada"} {
		entrants = append(entrants, client.Entrant{Name: name, Players: []string{c.in[name].Player}})
	}
	plan := "turnvex: 1\nseries: cup\ntitle: The cup\nrulebook: dash\nform: bracket\nbest_of: 3\noptions: {goal: 2}\n"
	_, err := c.as("Mara").OpenSeries(soon(t), plan, entrants)
	wants(t, "opened by a player", err, "forbidden")
	_, err = c.op.OpenSeries(soon(t), plan, entrants[:1])
	wants(t, "with one entrant", err, "bad-series")
	_, err = c.op.OpenSeries(soon(t), plan+"third: maybe\n", entrants)
	wants(t, "a plan with a mistake", err, "bad-rulebook")
	_, err = c.op.OpenSeries(soon(t), plan+"come: 1m\noptions: {goal: 99}\n", entrants)
	wants(t, "a plan with a key twice", err, "bad-rulebook")
	if c.id, err = c.op.OpenSeries(soon(t), plan, entrants); err != nil {
		t.Fatal(err)
	}
	_, err = client.Connect(soon(t), client.Options{Address: c.node.Address, Token: c.in["Ines"].Token,
		Lobby: c.due("Mara").Lobby})
	wants(t, "somebody else in the lobby of a meeting", err, "wrong-password")
	c.play("Mara", "Ada")
	before := c.due("Mara").Lobby
	c.stands("Mara-Ada 1:0 ; Joss-Kit 0:0 ; - 0:0 ; ")

	c.node.Stop()
	c.node = start()
	signIn()
	if after := c.due("Mara").Lobby; after != before {
		t.Errorf("after the restart Mara is due in %s, not in %s", after, before)
	}
	c.play("Mara", "Ada")
	c.play("Kit", "Joss")
	c.play("Joss", "Kit")
	c.play("Kit", "Joss")
	c.play("Mara", "Kit")
	wants(t, "a withdrawal", c.op.Withdraw(soon(t), c.id, "Mara"), "")
	x := c.stands("Mara-Ada 2:0 Mara; Joss-Kit 1:2 Kit; Mara-Kit 1:0 Kit; ")
	if !x.Over || x.Winner != "Kit" || x.Standings[0].Name != "Kit" || x.Standings[1].Name != "Mara" {
		t.Errorf("over %v, won by %s: %+v", x.Over, x.Winner, x.Standings)
	}
	wants(t, "an end after the end", c.op.EndSeries(soon(t), c.id, "late"), "bad-series")
	if list, err := c.as("Kit").MySeries(soon(t)); err != nil || len(list) != 0 {
		t.Errorf("due after the end: %v, %v", list, err)
	}
	if list, _, err := c.op.ListSeries(soon(t), 10, ""); err != nil || len(list) != 1 || list[0].Winner != "Kit" {
		t.Errorf("listed %+v, %v", list, err)
	}
	id, err := c.op.OpenSeries(soon(t), plan, entrants)
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "an end before the end", c.op.EndSeries(soon(t), id, "the quay is closed"), "")
	newest, more, err := c.op.ListSeries(soon(t), 1, "")
	if err != nil || len(newest) != 1 || newest[0].ID != id {
		t.Fatalf("the newest is %+v, %v", newest, err)
	}
	older, more, err := c.op.ListSeries(soon(t), 1, more)
	if err != nil || len(older) != 1 || older[0].ID != c.id || more != "" {
		t.Errorf("the next page is %+v, then %q: %v", older, more, err)
	}
	c.node.Stop()
}
