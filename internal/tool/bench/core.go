package bench

import (
	"fmt"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/rehearse"
)

func coreBenchmarks() []Benchmark {
	return []Benchmark{
		{"core-documents", "checking the rulebooks that take longest", checkDocuments},
		{"core-tick", "a tick of a 100-player match with 20 rules, all moving, two acting", coreTick},
		{"core-tall", "the same ticks on tall ground, beside those on flat ground", tallTicks},
		{"core-creatures", "a tick with 100 players, 200 creatures, 24 rules and 10 zones", creaturesTick},
		{"core-conditions", "conditions by our trees and by the CEL library's evaluator", conditions},
		{"core-rehearsal", "8-player matches of the clash, rehearsed", rehearsal},
		{"core-matches", "the cost of a match beside 1, 10, 100 and 1000 others", manyMatches},
		{"core-check", "checking a rulebook of nearly 1 MiB", checkLarge},
	}
}

func compile(src string) (*rulebook.Book, error) {
	book, problems := rulebook.Compile([]byte(src))
	if book == nil {
		return nil, problems.Errors()
	}
	return book, nil
}

// crowdBook is a wide ground with walls and pieces, two teams and 20 rules.
func crowdBook() string {
	var b strings.Builder
	b.WriteString(`turnvex: 1
name: crowd
players: {least: 1, most: 200}
start: {countdown: 0s}
teams: {list: {red: {}, blue: {}}, least: 0}
ground: {width: 200m, height: 200m, walls: [{box: [90m, 20m, 110m, 60m]}, {circle: [50m, 150m, 10m]}]}
movement: {speed: 6m/s}
spawn: {pick: random}
sheets:
  player:
    hull: {type: integer, start: 1000000, min: 0, max: 1000000}
    wind: {type: number, start: 50, min: 0, max: 50}
    points: {type: integer}
    low: {type: flag, is: "me.hull < 300000"}
  team: {points: {type: integer, is: "team.members.sum(p, p.points)"}}
actions: {ram: {cost: {wind: 0.5}, aim: {kind: target}, do: [{add: target.hull, by: -25}, {add: me.points, by: 1}]}}
pieces: {shell: {number: 10, touch: [{remove: piece}]}}
rules:
  - {every: 1s, for: players, do: [{add: me.wind, by: 10}]}
  - {when: "teams.exists(t, t.points > 100000000)", do: [{finish: much}]}
`)
	for i := range 9 {
		fmt.Fprintf(&b, "  - {when: \"me.hull < %d && me.alive\", for: players, do: [{add: me.points, by: 1}]}\n",
			i*1000)
		fmt.Fprintf(&b, "  - {when: \"me.points > %d && !me.low\", for: players, do: [{add: me.wind, by: 1}]}\n",
			1000000+i)
	}
	b.WriteString("phases: {play: {}}\nwin: {order: [{highest: team.points}]}\n")
	return b.String()
}

// crowd is a running match of that rulebook in which everybody moves.
func crowd(book *rulebook.Book, n int) (*lobby.Lobby, []sheet.ID) {
	m := lobby.New(book, lobby.Setup{Seed: 1})
	var seats []sheet.ID
	for i := range n {
		seat := m.Step(&step.Input{Kind: step.Enter, Acct: fmt.Sprint(i), Name: fmt.Sprint("P", i)}).Seat
		m.Step(&step.Input{Kind: step.Loaded, Seat: seat})
		seats = append(seats, seat)
	}
	for _, s := range seats {
		m.Step(&step.Input{Kind: step.Intent, Seat: s, Verb: step.Ready})
	}
	m.Step(&step.Input{At: m.Tick() + 1})
	turn(m, seats, 0)
	return m, seats
}

func turn(m *lobby.Lobby, seats []sheet.ID, k int) {
	in := step.Input{Kind: step.Intent, Verb: step.Steer}
	for i, s := range seats {
		in.At, in.Seat, in.X, in.Y = m.Tick(), s, int64((k+i*37)%2001-1000), int64((k+i*91)%2001-1000)
		if m.Book().Parts > 2 { // every fourth jumps
			in.Z = int64(i % 4 / 3 * 1000)
		}
		m.Step(&in)
	}
	m.Store().ClearChanges()
}

func coreTick(t *Table) error {
	book, err := compile(crowdBook())
	if err != nil {
		return err
	}
	moving, acting := crowdTicks(book, 3)
	t.Row("all moving", micros(float64(moving.NsPerOp())), "")
	t.Row("all moving and two acting", micros(float64(acting.NsPerOp())), "at most 20 µs")
	t.Row("allocations", fmt.Sprint(acting.AllocsPerOp()), "0")
	return nil
}

// tallGround stands in place of the crowd's flat ground: the same walls, decks with ramps, and people who jump.
const tallGround = `ground:
  width: 200m
  height: 200m
  tall: 20m
  walls:
    - {box: [90m, 20m, 110m, 60m]}
    - {circle: [50m, 150m, 10m]}
    - {box: [100m, 100m, 160m, 160m], bottom: 3m, tall: 500mm}
    - {box: [93m, 120m, 100m, 130m], tall: 3500mm, rises: east}
    - {box: [20m, 20m, 60m, 60m], tall: 1m}
    - {box: [120m, 120m, 140m, 140m], bottom: 7m, tall: 500mm}
    - {box: [126m, 112m, 130m, 120m], bottom: 3500mm, tall: 4m, rises: south}
movement: {speed: 6m/s, jump: 5m/s}
`

// tall is a rulebook of the crowd's on tall ground.
func tall(book string) string {
	from := strings.Index(book, "ground:")
	to := strings.Index(book, "spawn:")
	return book[:from] + tallGround + strings.ReplaceAll(book[to:], "mm)\", radius", "mm, 0m)\", radius")
}

// tallTicks holds ticks on tall ground against the same on flat ground, in turns.
func tallTicks(t *Table) error {
	for _, x := range []struct{ what, flat string }{{"100 players, all moving", crowdBook()},
		{"with 200 creatures and 10 zones", populousBook()}} {
		var least [2]float64
		var books [2]*rulebook.Book
		for i, src := range []string{x.flat, tall(x.flat)} {
			var err error
			if books[i], err = compile(src); err != nil {
				return err
			}
		}
		for range t.Size(3, 1) {
			for i, book := range books {
				m, seats := crowd(book, 100)
				populate(m, seats, t.Size(400, 10))
				r := best(1, func(b *testing.B) {
					for b.Loop() {
						populate(m, seats, 1)
					}
				})
				if ns := float64(r.NsPerOp()); least[i] == 0 || ns < least[i] {
					least[i] = ns
				}
			}
		}
		t.Row(x.what+", flat", micros(least[0]), "")
		t.Row(x.what+", tall", fmt.Sprintf("%s, %.2f times", micros(least[1]), least[1]/least[0]), "at most 1.5 times")
	}
	return nil
}

// crowdTicks measures a tick of a crowd that moves, and one in which two act as well.
func crowdTicks(book *rulebook.Book, rounds int) (moving, acting testing.BenchmarkResult) {
	m, seats := crowd(book, 100)
	tick, act := step.Input{Kind: step.Tick}, step.Input{Kind: step.Intent, Verb: step.Act, Name: "ram"}
	i := 0
	one := func(acts int) func(b *testing.B) {
		return func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				tick.At = m.Tick() + 1
				m.Step(&tick)
				for range acts {
					i++
					act.At, act.Seat, act.Target = m.Tick(), seats[i%100], seats[(i+51)%100]
					m.Step(&act)
				}
				m.Store().ClearChanges()
				if m.Tick()%200 == 0 { // so that nobody stands at a wall for good
					turn(m, seats, int(m.Tick()))
				}
			}
		}
	}
	return best(rounds, one(0)), best(rounds, one(2))
}

func conditions(t *Table) error {
	s := &sheet.Schema{}
	for _, f := range []sheet.Field{{Name: "hull", Type: sheet.Integer}, {Name: "wind", Type: sheet.Integer},
		{Name: "alive", Type: sheet.Flag}} {
		if _, err := s.Add(sheet.Player, f); err != nil {
			return err
		}
	}
	st := sheet.NewStore(s)
	env := &expr.Env{Store: st, Lobby: st.Add(sheet.Lobby), Match: st.Add(sheet.Match), Rate: 20}
	var native []map[string]any
	for i := range 8 {
		p := st.Add(sheet.Player)
		st.Seated = append(st.Seated, p)
		st.SetInt(p, s.Field(sheet.Player, "hull"), int64(i*10))
		st.SetInt(p, s.Field(sheet.Player, "alive"), 1)
		native = append(native, map[string]any{"hull": int64(i * 10), "wind": int64(0), "alive": true})
	}
	env.Me = st.Seated[3]
	vars := map[string]any{"me": native[3], "players": native}
	checker, err := expr.NewChecker(s)
	if err != nil {
		return err
	}
	scope := expr.Scope{Vars: expr.Me}
	for _, src := range []string{"me.hull > 20 && me.alive", "me.hull * 2 + me.wind < 100 || !me.alive",
		"players.exists(p, p.hull == 70 && p.alive)", "players.count(p, p.hull > 30) >= 3"} {
		ours, issues := checker.Compile(src, scope, expr.Want{Type: sheet.Flag})
		if ours == nil {
			return fmt.Errorf("%s: %v", src, issues)
		}
		lib, err := checker.Library(scope)
		if err != nil {
			return err
		}
		checked, iss := lib.Compile(src)
		if iss.Err() != nil {
			return iss.Err()
		}
		theirs, err := lib.Program(checked)
		if err != nil {
			return err
		}
		a := best(2, func(b *testing.B) {
			for b.Loop() {
				ours.Bool(env)
			}
		})
		c := best(2, func(b *testing.B) {
			for b.Loop() {
				if _, _, err := theirs.Eval(vars); err != nil {
					b.Fatal(err)
				}
			}
		})
		ratio := float64(c.T.Nanoseconds()) / float64(c.N) / (float64(a.T.Nanoseconds()) / float64(a.N))
		t.Row(src, fmt.Sprintf("%s, %s", micros(float64(a.T.Nanoseconds())/float64(a.N)), times(ratio)),
			"at least 5 × the library")
	}
	return nil
}

func rehearsal(t *Table) error {
	src, err := os.ReadFile("demo/rulebooks/clash.yaml")
	if err != nil {
		return err
	}
	book, err := compile(string(src))
	if err != nil {
		return err
	}
	for _, workers := range []int{1, runtime.GOMAXPROCS(0)} {
		var r *rehearse.Report
		o := rehearse.Options{Matches: t.Size(200, 8), Seed: 1, Players: 8, Workers: workers}
		best := time.Hour
		for range t.Size(5, 1) { // the least, as the other benchmarks take it
			began := time.Now()
			if r, err = rehearse.Run(book, o); err != nil {
				return err
			}
			best = min(best, time.Since(began))
		}
		t.Row(fmt.Sprintf("%d matches on %d cores, against real time", r.Matches, workers),
			times(float64(r.PlayTicks)/float64(r.Rate)/best.Seconds()), "at least 20000 ×")
	}
	return nil
}

// manyMatches lets matches tick in turn: at full speed, where few matches profit from being in the processor's caches,
// and with other memory read between two ticks, as a node reads it that ticks each match twenty times a second.
func manyMatches(t *Table) error {
	book, err := compile(crowdBook())
	if err != nil {
		return err
	}
	counts := []int{1, 10, 100, t.Size(1000, 100)}
	sets := make([][]*lobby.Lobby, len(counts))
	for i, n := range counts {
		for range n {
			m, _ := crowd(book, 8)
			sets[i] = append(sets[i], m)
		}
	}
	cold := withOtherWork(sets, t.Size(200, 3))
	for i, n := range counts {
		t.Row(fmt.Sprintf("a tick of one of %d matches of 8, at full speed", n),
			micros(inTurn(sets[i], t.Size(20000, 200)/n)), "")
		goal := ""
		if i > 0 {
			goal = "at most 1.10 ×"
		}
		t.Row("  with other work between two ticks", fmt.Sprintf("%s, %s", micros(cold[i]), times(cold[i]/cold[0])),
			goal)
	}
	return nil
}

func tickOnce(m *lobby.Lobby) {
	m.Step(&step.Input{Kind: step.Tick, At: m.Tick() + 1})
	m.Store().ClearChanges()
}

// inTurn returns the nanoseconds of a tick in the fastest of some runs.
func inTurn(all []*lobby.Lobby, rounds int) (fastest float64) {
	for range 5 {
		began := time.Now()
		for range rounds {
			for _, m := range all {
				tickOnce(m)
			}
		}
		if per := float64(time.Since(began).Nanoseconds()) / float64(rounds*len(all)); fastest == 0 || per < fastest {
			fastest = per
		}
	}
	return fastest
}

// withOtherWork returns the middle ones of the nanoseconds of single ticks. The sets take turns, so that what else the
// machine does concerns all.
func withOtherWork(sets [][]*lobby.Lobby, samples int) []float64 {
	other := make([]byte, 256<<20)
	took := make([][]time.Duration, len(sets))
	for i := range samples {
		for k := range sets {
			k = (i + k) % len(sets)
			for j := 0; j < len(other); j += 64 {
				other[j]++
			}
			began := time.Now()
			tickOnce(sets[k][i%len(sets[k])])
			took[k] = append(took[k], time.Since(began))
		}
	}
	middle := make([]float64, len(sets))
	for k := range sets {
		middle[k] = float64(field.Percentile(took[k], 0.5).Nanoseconds())
	}
	return middle
}

func checkLarge(t *Table) error {
	var b strings.Builder
	b.WriteString(crowdBook())
	for b.Len() < rulebook.MaxBytes-2000 {
		b.WriteString("# What is written here is for people; it is read past.\n")
	}
	large := b.String()
	small := crowdBook()
	for name, src := range map[string]string{"20 rules": small, "20 rules and much to read past": large} {
		r := best(2, func(b *testing.B) {
			for b.Loop() {
				rulebook.Compile([]byte(src))
			}
		})
		t.Row(fmt.Sprintf("%s, %d KiB", name, len(src)/1024), micros(float64(r.NsPerOp())), "within a second")
	}
	dense := denseBook()
	began := time.Now()
	_, problems := rulebook.Compile([]byte(dense))
	t.Row(fmt.Sprintf("as much as the limits allow, %d KiB, %d findings", len(dense)/1024, len(problems)),
		time.Since(began).Round(time.Millisecond).String(), "within a second")
	return nil
}

// denseBook is a rulebook with as many rules, fields and effects as are allowed.
func denseBook() string {
	var b strings.Builder
	b.WriteString("turnvex: 1\nname: dense\nsheets:\n  player:\n")
	for i := range 64 {
		fmt.Fprintf(&b, "    f%d: {type: integer}\n", i)
	}
	b.WriteString("rules:\n")
	for i := range 64 {
		fmt.Fprintf(&b, "  - when: players.exists(p, p.f%d > %d && p.alive) || me.f%d < 3\n    for: players\n    do:\n",
			i, i, i)
		for j := range 64 {
			fmt.Fprintf(&b,
				"      - if: me.f%d > %d && match.round < 3\n        then: [{add: me.f%d, by: me.f%d + 1}]\n", j, i, j,
				i)
		}
	}
	b.WriteString("phases: {play: {lasts: 5s}}\n")
	return b.String()
}
