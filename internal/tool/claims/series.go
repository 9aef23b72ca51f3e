package claims

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/series"
)

// The plays of series: who has the lower number wins, but for every other match of every other meeting.
var seriesPlays = []play{
	{name: "a table", src: []byte("turnvex: 1\nseries: cup\ntitle: The cup\nabout: Everybody meets twice.\n" +
		"rulebook: duel\nform: table\nrounds: 2\nmatches: 2\npoints: {won: 2, drawn: 3, lost: 1}\n" +
		"options: {goal: 20}\n")},
	{name: "a bracket", src: []byte("turnvex: 1\nseries: cup\nrulebook: duel\nform: bracket\nbest_of: 3\n" +
		"third: true\ncome: 1m\nbetween: 30s\n")},
}

// aGame is what several rulebooks share.
var aGame = play{name: "a game", src: []byte("turnvex: 1\ngame: port\ntitle: The port\n" +
	"record: {coins: {type: integer}}\nboards: {best: {title: Best of the port}}\n")}

// refusedFor is what becomes of what does not compile.
func refusedFor(problems rulebook.Problems) []moment {
	return []moment{{checking, []string{problems.Errors()[0].Message}}}
}

func toldOfGame(src []byte) []moment {
	book, problems := rulebook.CompileGame(src)
	if book == nil {
		return refusedFor(problems)
	}
	return []moment{{checking, nil}, {"the game is loaded", described(book)}}
}

// cup is a series that is played.
type cup struct {
	m   *series.Machine
	out []moment
}

// note notes a step, what it led to, and what is due.
func (c *cup) note(step string, lines ...string) {
	at, meeting := c.m.Next()
	c.out = append(c.out, moment{step, append(lines, fmt.Sprintf("meeting %d is due at %d", meeting, at))})
}

// toldOfSeries is what becomes of a series of four.
func toldOfSeries(src []byte) []moment {
	plan, problems := rulebook.CompileSeries(src)
	if plan == nil {
		return refusedFor(problems)
	}
	c := &cup{out: []moment{{checking, nil}, {"the plan is loaded", []string{fmt.Sprintf(
		"%s, %s: %s, matches of %s with %v", plan.Name, plan.Title, plan.About, plan.Rulebook, plan.Options)}}}}
	var crews []series.Entrant
	for n := range 4 {
		crews = append(crews, series.Entrant{Name: fmt.Sprint("crew ", n+1), Players: []string{fmt.Sprint("p", n)}})
	}
	m, do, err := series.New(plan, crews)
	if err != nil {
		return append(c.out, moment{"four crews enter", []string{err.Error()}})
	}
	c.m = m
	for n, step := int64(1), "four crews enter"; len(do) > 0 && n < 99; n++ {
		var lines []string
		for _, e := range do {
			lines = append(lines, fmt.Sprintf("%+v", e))
		}
		for _, s := range m.Standings() {
			lines = append(lines, fmt.Sprintf("%+v", s))
		}
		c.note(step, lines...)
		var next []series.Effect
		for _, e := range do {
			if e.Open != 0 {
				next = append(next, c.meeting(n, e.Open)...)
			}
		}
		do, step = next, "the meetings are over"
	}
	return c.out
}

// meeting plays a meeting to its end.
func (c *cup) meeting(at int64, no int) (do []series.Effect) {
	lobby := fmt.Sprint("L", no)
	c.m.Step(series.Input{Kind: series.Opened, At: at, Meeting: no, Lobby: lobby, LobbyID: lobby})
	c.note(fmt.Sprintf("the lobby of meeting %d opens", no))
	for k := int64(1); c.m.State().Meetings[no-1].Stage != series.Decided && k < 9; k++ {
		x := &c.m.State().Meetings[no-1]
		winner := min(x.Sides[0].Entrant, x.Sides[1].Entrant)
		if k%2 == 0 && no%2 == 0 {
			winner = max(x.Sides[0].Entrant, x.Sides[1].Entrant)
		}
		more, _ := c.m.Step(series.Input{Kind: series.Result, At: at, Meeting: no, Entrant: winner, LobbyID: lobby,
			Number: k})
		do = append(do, more...)
		c.note(fmt.Sprintf("match %d of meeting %d", k, no))
	}
	return do
}
