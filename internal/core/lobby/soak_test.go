package lobby_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/chance"
	"turnvex.example/turnvex/internal/tool/seed"
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

// TestRandomPlay lets anything happen in any order: no invariant may break, and
// the same inputs must give the same hash at every step.
func TestRandomPlay(t *testing.T) {
	files, _ := filepath.Glob("../../../demo/rulebooks/*.yaml")
	rounds := seed.Rounds(20000, 4000)
	seed := seed.Of(t)
	t.Logf("seed %d", seed)
	for _, file := range files {
		book := load(t, file)
		r := rand.New(rand.NewPCG(seed, 1))
		setup := lobby.Setup{Code: "ABCDEF", Seed: seed}
		a, b := lobby.New(book, setup), lobby.New(book, setup)
		ended := 0
		for i := 0; i < rounds && !a.Closed(); i++ {
			in := chance.Input(r, a)
			out := a.Step(&in)
			if out.Seat != 0 {
				loaded := step.Input{At: in.At, Kind: step.Loaded, Seat: out.Seat}
				b.Step(&in)
				out = a.Step(&loaded)
				in = loaded
			}
			for _, e := range out.Effects {
				ended += map[bool]int{true: 1}[e.Kind == step.SaveResult]
			}
			if b.Step(&in); r.IntN(20) == 0 {
				b = restored(t, b)
			}
			if err := a.Check(); err != nil {
				t.Fatalf("%s, seed %d, step %d, %s %s: %v", file, seed, i, in.Kind, in.Verb, err)
			}
			if why := misplaced(book, a); why != "" {
				t.Fatalf("%s, seed %d, step %d: %s", file, seed, i, why)
			}
			if a.Hash() != b.Hash() {
				t.Fatalf(
					"%s, seed %d, step %d: the hashes differ: %v",
					file,
					seed,
					i,
					state.Compare(a.Lines(), b.Lines(), 5),
				)
			}
			a.Store().ClearChanges()
		}
		t.Logf("%s: %d matches ended", filepath.Base(file), ended)
	}
}

// misplaced says what lies where it may not: a piece over another, a wall or the
// edge, a body in a wall; a player who has just come back anywhere but at the spawn
// point farthest from rivals.
func misplaced(book *rulebook.Book, m *lobby.Lobby) string {
	st, g := m.Store(), groundOf(book, m.Store())
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
		justBack := p.Flag(f.Alive) && p.Sent.Has(f.Alive.No) && !p.Fresh && p.Sent.Has(f.Pos.No)
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

// notFarthest is the slow twin of the choice of a spawn point: no open point has
// its nearest living rival farther away than where the player stands.
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
			return fmt.Sprintf(
				"player %d came back at (%d, %d), but (%d, %d) is farther from rivals",
				p.ID,
				x,
				y,
				s.X,
				s.Y,
			)
		}
	}
	return ""
}
