package lobby_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/chance"
	"turnvex.example/turnvex/internal/tool/script"
	"turnvex.example/turnvex/internal/tool/trial"
)

func load(t testing.TB, file string) *rulebook.Book {
	t.Helper()
	src, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.Compile(src)
	if book == nil {
		t.Fatalf("%s:\n%s", file, problems.Error())
	}
	return book
}

// failedOnce are seeds of random play that a run once failed with, and why.
var failedOnce = []uint64{
	1795991319987326598, // rivals moved on in the ticks of one step after somebody came back
}

// TestRandomPlay lets anything happen in any order: no invariant may break, and the same inputs must give the same hash
// at every step.
func TestRandomPlay(t *testing.T) {
	files, _ := filepath.Glob("../../../demo/rulebooks/*.yaml")
	for _, seed := range append([]uint64{trial.Seed(t)}, failedOnce...) {
		for _, file := range files {
			book := load(t, file)
			setup := lobby.Setup{Code: "ABCDEF", Seed: seed}
			inputs, why := randomPlay(t, book, setup)
			if why == "" {
				continue
			}
			shortest := chance.Shrink(inputs, 2000, func(in []step.Input) bool {
				return replay(t, book, setup, in) != ""
			})
			t.Fatalf("%s, seed %d: %s\nThe shortest script that was found; keep it in testdata:\n%s", file, seed, why,
				strings.Join(script.FromInputs(book, setup, shortest), "\n"))
		}
	}
}

// randomPlay plays a lobby by chance and returns its inputs, and what was wrong after the last.
func randomPlay(t *testing.T, book *rulebook.Book, setup lobby.Setup) (inputs []step.Input, why string) {
	r := rand.New(rand.NewPCG(setup.Seed, 1))
	p := newPair(book, setup)
	for range trial.Rounds(20000, 4000) {
		if p.a.Closed() {
			break
		}
		in := chance.Input(r, p.a)
		out := p.step(&in)
		inputs = append(inputs, in)
		if why = p.wrong(t); out.Seat != 0 && why == "" {
			in = step.Input{At: in.At, Kind: step.Loaded, Seat: out.Seat}
			p.step(&in)
			inputs = append(inputs, in)
			why = p.wrong(t)
		}
		if why != "" {
			return inputs, why
		}
	}
	t.Logf("%s, seed %d: %d matches ended", book.Name, setup.Seed, p.ended)
	return nil, ""
}

// replay plays inputs again and returns what was wrong, if anything was.
func replay(t *testing.T, book *rulebook.Book, setup lobby.Setup, inputs []step.Input) string {
	p := newPair(book, setup)
	for i := range inputs {
		p.step(&inputs[i])
		if why := p.wrong(t); why != "" {
			return why
		}
	}
	return ""
}

// pair is a lobby and its twin, which is restored from a checkpoint now and then.
type pair struct {
	book   *rulebook.Book
	a, b   *lobby.Lobby
	steps  int
	ended  int
	passed sheet.Tick // play ticks in the last step
	twice  string     // who counts twice in a result
}

func newPair(book *rulebook.Book, setup lobby.Setup) *pair {
	return &pair{book: book, a: lobby.New(book, setup), b: lobby.New(book, setup)}
}

func (p *pair) step(in *step.Input) *step.Output {
	p.a.Store().ClearChanges()
	before := p.a.PlayTick()
	out := p.a.Step(in)
	p.b.Step(in)
	if p.passed = p.a.PlayTick(); p.passed >= before { // otherwise a match has begun
		p.passed -= before
	}
	for _, e := range out.Effects {
		if e.Kind == step.SaveResult {
			p.ended++
			p.counts(e.Result)
		}
	}
	return out
}

// counts notes who counts twice.
func (p *pair) counts(r *step.Result) {
	seen := map[string]bool{}
	for _, x := range r.Players {
		if seen[x.Account] && x.Account != "" {
			p.twice = x.Account
		}
		seen[x.Account] = true
	}
}

// wrong says which invariant does not hold.
func (p *pair) wrong(t *testing.T) string {
	if p.steps++; p.steps%20 == 0 {
		p.b = restored(t, p.b)
	}
	if p.twice != "" {
		return p.twice + " counts twice in a match"
	}
	if err := p.a.Check(); err != nil {
		return err.Error()
	}
	if why := misplaced(p.book, p.a, p.passed <= 1); why != "" {
		return why
	}
	if p.a.Hash() != p.b.Hash() {
		return fmt.Sprintf("the hashes differ: %v", state.Compare(p.a.Lines(), p.b.Lines(), 5))
	}
	return ""
}

// stuck says who or what is in a wall of tall ground, or below its floor: there a wall may hold no more than the middle
// of a body, and pieces fall where they fit.
func stuck(book *rulebook.Book, st *sheet.Store, g *rulebook.Ground) string {
	for _, r := range slices.Concat(st.Seated, st.Of(sheet.Piece), st.Of(sheet.Creature)) {
		pos := map[sheet.Kind]*sheet.Field{sheet.Player: book.F.Player.Pos, sheet.Piece: book.F.Piece.Pos,
			sheet.Creature: book.F.Creature.Pos}[r.Kind]
		x, y := r.Pos(pos)
		p := ground.Point{X: x, Y: y, Z: r.Height(pos)}
		if p.Z < 0 && g.Open {
			continue
		}
		if !g.Room(p, ground.Body{Tall: 1}) {
			return fmt.Sprintf("the %s %d at %+v is in a wall, or outside", r.Kind, r.ID, p)
		}
	}
	return ""
}

// misplaced says what lies where it may not: a piece over another, a wall or the edge, a body in a wall; a player who
// has just come back anywhere but at the spawn point farthest from rivals, if nobody can have moved since. Who comes
// back to a match that they had left is where they were.
func misplaced(book *rulebook.Book, m *lobby.Lobby, oneTick bool) string {
	st, g := m.Store(), groundOf(book, m.Store())
	if g.Tall > 0 {
		return stuck(book, st, g.With(0))
	}
	pieces := st.Of(sheet.Piece)
	for i, p := range pieces {
		x, y := p.Pos(book.F.Piece.Pos)
		kind := book.Pieces[p.Int(book.F.Piece.Kind)]
		if kind.Shot != nil {
			continue // it flies wherever it can
		}
		if !g.Free(x, y, kind.Radius) {
			return fmt.Sprintf("the %s at (%d, %d) is not free", kind.Name, x, y)
		}
		for _, q := range pieces[:i] {
			qx, qy := q.Pos(book.F.Piece.Pos)
			room := kind.Radius + book.Pieces[q.Int(book.F.Piece.Kind)].Radius + kind.Apart
			if (x-qx)*(x-qx)+(y-qy)*(y-qy) < room*room {
				return fmt.Sprintf("pieces at (%d, %d) and (%d, %d) overlap", x, y, qx, qy)
			}
		}
	}
	f := &book.F.Player
	for _, p := range st.Seated {
		x, y := p.Pos(f.Pos)
		if !g.Free(x, y, book.Movement.Radius) {
			return fmt.Sprintf("player %d at (%d, %d) is not free", p.ID, x, y)
		}
		justBack := oneTick && p.Flag(f.Alive) && p.Sent.Has(f.Alive.No) && !p.Fresh && p.Sent.Has(f.Pos.No) &&
			!p.Sent.Has(f.Playing.No)
		if why := notFarthest(book, g, st, p, x, y); justBack && book.Spawn.Pick == rulebook.PickFar &&
			m.PlayTick() > 100 && why != "" {
			return why
		}
	}
	return ""
}

// groundOf is what the present match is played on.
func groundOf(book *rulebook.Book, st *sheet.Store) *rulebook.Ground {
	if m := st.Of(sheet.Match); book.Arenas != nil && len(m) > 0 {
		return book.Grounds[m[0].Int(book.Arenas.Field)]
	}
	return book.Ground
}

// notFarthest is the slow twin of the choice of a spawn point: no open point has its nearest living rival farther away
// than where the player stands.
func notFarthest(book *rulebook.Book, g *rulebook.Ground, st *sheet.Store, p *sheet.Row, x, y int64) string {
	f := &book.F.Player
	nearest := func(x, y int64) int64 {
		best := int64(1) << 62
		for _, q := range st.Seated {
			if q == p || !q.Flag(f.Alive) || q.Team == p.Team || q.Sent.Has(f.Alive.No) {
				continue
			}
			qx, qy := q.Pos(f.Pos)
			best = min(best, (x-qx)*(x-qx)+(y-qy)*(y-qy))
		}
		return best
	}
	others := 0
	for _, q := range st.Seated {
		if q != p && q.Sent.Has(f.Alive.No) {
			others++ // they came or went in the same step: who was there then is not known here
		}
	}
	for _, s := range g.Spawns {
		if open := s.Team < 0 ||
			st.Of(sheet.Team)[s.Team].ID == p.Team; open && others == 0 &&
			nearest(s.X, s.Y) > nearest(x, y) {
			return fmt.Sprintf("player %d came back at (%d, %d), but (%d, %d) is farther from rivals", p.ID, x, y, s.X,
				s.Y)
		}
	}
	return ""
}
