package lobby_test

import (
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// openField is where people run: 5 m a second, slowed or rooted at will, with an allowance of 500 ms.
const openField = `turnvex: 1
name: field
tick: 20
players: {least: 1}
start: {countdown: 0s}
ground: {width: 900m, height: 900m, spawns: [{at: [450m, 450m]}]}
movement: {speed: me.pace, radius: 0m, claims: check}
sheets: {player: {pace: {type: speed, start: 5m/s}}}
actions:
  slow: {do: [{set: me.pace, to: 1m/s}]}
  root: {do: [{set: me.pace, to: 0m/s}]}
  run: {do: [{set: me.pace, to: 5m/s}]}
phases: {play: {lasts: 1h}}
`

// runner is somebody in a field of their own.
type runner struct {
	t    *testing.T
	book *rulebook.Book
	m    *lobby.Lobby
	seat sheet.ID
	n    uint64
}

func newRunner(t *testing.T) *runner {
	book, problems := rulebook.Compile([]byte(openField))
	if book == nil {
		t.Fatal(problems)
	}
	r := &runner{t: t, book: book, m: lobby.New(book, lobby.Setup{Code: "FIELD", Seed: 1})}
	r.seat = r.m.Step(&step.Input{Kind: step.Enter, Acct: "a", Name: "Mara"}).Seat
	r.m.Step(&step.Input{Kind: step.Loaded, Seat: r.seat})
	r.ask(0, step.Ready, step.Input{})
	return r
}

func (r *runner) ask(at sheet.Tick, do step.Verb, in step.Input) step.Verdict {
	r.n++
	in.At, in.Kind, in.Seat, in.Seq, in.Verb = max(at, r.m.Tick()), step.Intent, r.seat, r.n, do
	return r.m.Step(&in).Verdict
}

func (r *runner) at() (x, y int64) { return r.m.Store().Get(r.seat).Pos(r.book.F.Player.Pos) }

// TestHonestRunners: clients that run at nine tenths of the top speed have no claim refused: at 20 and 60 claims a
// second, and over a network that is 80 to 140 ms late and stalls for 300 ms after one claim in twenty.
func TestHonestRunners(t *testing.T) {
	for _, c := range []struct {
		rate       int64
		late, more int64 // ms
		stalls     float64
	}{{rate: 20}, {rate: 60}, {rate: 20, late: 80, more: 60, stalls: 0.05},
		{rate: 60, late: 80, more: 60, stalls: 0.05}} {
		for i := range 25 {
			r, chance := newRunner(t), rand.New(rand.NewPCG(uint64(i), 7))
			free := int64(0) // ms; the line is in order
			for n := range 5 * c.rate {
				sent := 1000 * n / c.rate
				arrives := sent + c.late
				if c.more > 0 {
					arrives += chance.Int64N(c.more)
				}
				if chance.Float64() < c.stalls {
					arrives += 300
				}
				free = max(free, arrives)
				x := 450_000 + 4500*sent/1000
				if v := r.ask(sheet.Tick(free/50), step.Claim, step.Input{X: x, Y: 450_000, Point: true}); !v.OK() {
					t.Fatalf("%+v, runner %d: the claim of %d ms is refused: %s", c, i, sent, v.Reason)
				}
			}
		}
	}
}

// TestRunners: whatever somebody claims and steers, slowed, rooted and let go at moments of their choice, over no time
// do they get farther than at the top speed in that time and half a second more; rooted they do not move at all.
func TestRunners(t *testing.T) {
	const speed, ticks = 5000, 20 // a second
	for round := range trial.Rounds(200, 30) {
		chance, r := rand.New(rand.NewPCG(trial.Seed(t), uint64(round))), newRunner(t)
		way := []int64{0} // up to each tick
		rooted := false
		for at := sheet.Tick(1); at < 400; at++ {
			x0, y0 := r.at()
			gone := int64(0)
			step1 := func() {
				x, y := r.at()
				now := ground.Root((x-x0)*(x-x0) + (y-y0)*(y-y0))
				if gone += now; rooted && now > 0 {
					t.Fatalf("round %d, tick %d: a rooted player moves", round, at)
				}
				x0, y0 = x, y
			}
			r.m.Step(&step.Input{At: at})
			step1()
			for range chance.IntN(4) {
				switch n := chance.IntN(10); {
				case n < 6:
					far := chance.Int64N(1 << (chance.IntN(12) + 1))
					r.ask(at, step.Claim, step.Input{X: x0 + far, Y: y0 + chance.Int64N(far+1), Point: true})
				case n < 8:
					r.ask(at, step.Steer, step.Input{X: chance.Int64N(2001) - 1000, Y: chance.Int64N(2001) - 1000})
				default:
					do := []string{"slow", "root", "run", "run"}[chance.IntN(4)]
					if v := r.ask(at, step.Act, step.Input{Name: do}); v.OK() {
						rooted = do == "root"
					}
				}
				step1()
			}
			way = append(way, way[len(way)-1]+gone)
		}
		for from := range way {
			for to := from + 1; to < len(way); to++ {
				most := int64(speed*(to-from)/ticks + speed/2)
				if got := way[to] - way[from]; got > most+1 {
					t.Fatalf("round %d: %d mm in ticks %d to %d, at most %d", round, got, from, to, most)
				}
			}
		}
		if total := way[len(way)-1]; total < 2*speed {
			t.Errorf("round %d: nobody gets anywhere: %d mm", round, total)
		}
	}
}
