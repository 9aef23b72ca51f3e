package match_test

import (
	"fmt"
	"testing"

	"turnvex/internal/match"
	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
)

// crowd is a match of n players on a wide ground with 20 rules.
func crowd(t testing.TB, n int) (*match.Machine, []sheet.ID) {
	t.Helper()
	src := `
turnvex: 1
name: crowd
players: {least: 2, most: 200}
start: {countdown: 0s}
teams: {list: {red: {}, blue: {}}}
ground: {width: 200m, height: 200m, walls: [{box: [90m, 20m, 110m, 60m]}, {circle: [50m, 150m, 10m]}]}
movement: {speed: 6m}
spawn: {pick: random}
sheets:
  player: {hull: {type: integer, start: 1000000, min: 0, max: 1000000}, wind: {type: number, start: 50, min: 0, max: 50}, points: {type: integer}, low: {type: flag, is: "me.hull < 300000"}}
  team: {points: {type: integer, is: "team.members.sum(p, p.points)"}}
actions: {ram: {cost: {wind: 0.5}, aim: {at: target}, do: [{add: target.hull, by: -25}, {add: me.points, by: 1}]}}
pieces: {shell: {keep: 10, touch: [{remove: piece}]}}
rules:
  - {every: 1s, for: players, do: [{add: me.wind, by: 10}]}
`
	for i := range 9 {
		src += fmt.Sprintf("  - {when: \"me.hull < %d && me.alive\", for: players, do: [{add: me.points, by: 1}]}\n", i*1000)
		src += fmt.Sprintf("  - {when: \"me.points > %d && !me.low\", for: players, do: [{add: me.wind, by: 1}]}\n", 1000000+i)
	}
	src += "  - {when: \"teams.exists(t, t.points > 100000000)\", do: [{finish: much}]}\nphases: {play: {}}\nwin: {last: false}\n"
	book, problems := rulebook.Compile([]byte(src))
	if book == nil {
		t.Fatal(problems.Error())
	}
	m := match.New(book, match.Setup{Seed: 1})
	var seats []sheet.ID
	for i := range n {
		seat := m.Step(&match.Input{Kind: match.Enter, Acct: fmt.Sprint(i), Name: fmt.Sprint("P", i)}).Seat
		m.Step(&match.Input{Kind: match.Loaded, Seat: seat})
		seats = append(seats, seat)
	}
	for _, s := range seats {
		m.Step(&match.Input{Kind: match.Intent, Seat: s, Verb: match.VerbReady})
	}
	for i, s := range seats {
		m.Step(&match.Input{At: 1, Kind: match.Intent, Seat: s, Verb: match.VerbSteer, X: int64(i*37%2001 - 1000), Y: int64(i*91%2001 - 1000)})
	}
	return m, seats
}

// BenchmarkTick: one tick in which all of 100 move and four act.
func BenchmarkTick(b *testing.B) {
	m, seats := crowd(b, 100)
	b.ReportAllocs()
	in := match.Input{Kind: match.Intent, Verb: match.VerbAct, Name: "ram"}
	i := 0
	for b.Loop() {
		m.Step(&match.Input{At: m.Tick() + 1})
		for range 4 {
			i++
			in.At, in.Seat, in.Target = m.Tick(), seats[i%100], seats[(i+51)%100]
			m.Step(&in)
		}
		m.Store().ClearChanges()
		if i%400 == 0 { // turn round, so that nobody stands at a wall for good
			for j, s := range seats {
				m.Step(&match.Input{At: m.Tick(), Kind: match.Intent, Seat: s, Verb: match.VerbSteer, X: int64((i+j*37)%2001 - 1000), Y: int64((i+j*91)%2001 - 1000)})
			}
		}
	}
}
