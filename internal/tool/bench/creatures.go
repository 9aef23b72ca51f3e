package bench

import (
	"fmt"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// populousBook is the crowd's rulebook with 200 creatures and 10 zones beside: all steer, half of them round walls, a
// quarter shoots, half of the zones move.
func populousBook() string {
	book := crowdBook()
	var b strings.Builder
	for i := range 5 {
		fmt.Fprintf(&b,
			"  still%d: {circle: [%dm, %dm, 12m], capture: {time: 20s, crowd: 3}, enter: [{add: me.points, by: 1}]}\n",
			i, 20+i*35, 30+i*30)
		fmt.Fprintf(&b, "  moving%d: {circle: [0m, 0m, 15m], at: \"point(%dmm + match.play %% 50s / 1ms * 1mm, "+
			"%dmm)\", radius: \"8m + match.play %% 9s / 1ms * 1mm\", update: 500ms, if: me.hull > 0}\n", i,
			i*25000, 20000+i*35000)
	}
	creature := func(name string, keep int, more string) string {
		return fmt.Sprintf(`  %s:
    number: %d
    every: 0s
    fields: {hull: {type: integer, start: 1000000}, prey: {type: player}}
    speed: 4m/s
    update: 200ms
    moves:
      - {if: "creature.prey != nobody && creature.hull > 0", to: creature.prey.pos, gap: 3m}
      - {wander: 20m}
%s`, name, keep, more)
	}
	spit := "    acts: {spit: {cooldown: 900ms, aim: {kind: target, walls: ignore}, " +
		"do: [{place: bolt, at: creature.pos, to: target.pos}]}}\n"
	creatures := "creatures:\n" + creature("walker", 100, "") + creature("climber", 50, "    walls: round\n") +
		creature("archer", 50, "    walls: round\n"+spit)
	book = strings.Replace(book, "pieces: {shell: {number: 10, touch: [{remove: piece}]}}\n", `pieces:
  shell: {number: 10, touch: [{remove: piece}]}
  bolt:
    number: 0
    radius: 200mm
    lasts: 1s
    shot: {speed: 20m/s, hits: [players, walker], who: rivals, update: 1s}
    touch: [{add: me.hull, by: -1}]
    creature: [{add: creature.hull, by: -1}]
`+creatures+"zones:\n"+b.String(), 1)
	return strings.Replace(book, "rules:\n", `rules:
  - {every: 2s, for: creatures, do: [{set: creature.prey, to: creature.rivals.nearest(creature.pos)}]}
  - {every: 1s, for: archer, do: [{use: spit, target: creature.prey}]}
  - {when: creature.hull < 500000, for: creatures, do: [{out: creature}]}
  - {when: "creatures.exists(c, c.hull < 0)", do: [{finish: none}]}
`, 1)
}

// creaturesTick measures a tick of a populous match, and holds it against a twin that looks at everything at every
// tick.
func creaturesTick(t *Table) error {
	book, err := compile(populousBook())
	if err != nil {
		return err
	}
	ticks := t.Size(1200, 40)
	var hashes [2]uint64
	var lobbies [2]*lobby.Lobby
	for i := range lobbies {
		m, seats := crowd(book, 100)
		m.Plainly(i == 1)
		populate(m, seats, ticks)
		hashes[i], lobbies[i] = m.Hash(), m
	}
	m := lobbies[0]
	st := m.Store()
	t.Row("players, creatures, pieces, zones", fmt.Sprint(len(st.Of(sheet.Player)), len(st.Of(sheet.Creature)),
		len(st.Of(sheet.Piece)), len(st.Of(sheet.Zone))), "")
	var seats []sheet.ID
	for _, p := range st.Of(sheet.Player) {
		seats = append(seats, p.ID)
	}
	r := best(3, func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			populate(m, seats, 1)
		}
	})
	t.Row("a tick", micros(float64(r.NsPerOp())), "at most 60 µs")
	t.Row("allocations", fmt.Sprint(r.AllocsPerOp()), "0")
	plain := best(1, func(b *testing.B) {
		for b.Loop() {
			populate(lobbies[1], seats, 1)
		}
	})
	t.Row("a tick of the twin that looks at everything", micros(float64(plain.NsPerOp())), "")
	t.Row(fmt.Sprintf("both after %d ticks", ticks), fmt.Sprintf("%016x %016x", hashes[0], hashes[1]), "the same")
	if hashes[0] != hashes[1] {
		return fmt.Errorf("the twin came to another state")
	}
	return nil
}

// populate lets ticks pass in which all move.
func populate(m *lobby.Lobby, seats []sheet.ID, ticks int) {
	in := step.Input{Kind: step.Tick}
	for range ticks {
		in.At = m.Tick() + 1
		m.Step(&in)
		m.Store().ClearChanges()
		if m.Tick()%200 == 0 {
			turn(m, seats, int(m.Tick()))
		}
	}
}
