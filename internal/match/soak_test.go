package match_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"turnvex/internal/match"
	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
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

// randomInput makes up something that might happen next.
func randomInput(r *rand.Rand, m *match.Machine, seats []sheet.ID) match.Input {
	in := match.Input{At: m.Tick() + sheet.Tick(r.IntN(4))}
	if len(seats) > 0 {
		in.Seat = seats[r.IntN(len(seats))]
		in.Target = seats[r.IntN(len(seats))]
	}
	in.Kind = match.Intent
	in.X, in.Y, in.Point = r.Int64N(2001)-1000, r.Int64N(2001)-1000, true
	actions := m.Book().Actions
	switch n := r.IntN(100); {
	case n < 3:
		in.Kind, in.Acct, in.Name = match.Enter, fmt.Sprint("acct", r.IntN(12)), "Mara"
	case n < 4:
		in.Kind = match.Leave
	case n < 6:
		in.Kind = match.Lost
	case n < 9:
		in.Kind = match.Back
	case n < 35:
		in.Verb = match.VerbReady
	case n < 55:
		in.Verb = match.VerbSteer
	case n < 56:
		in.Verb = match.VerbPause
	case n < 60:
		in.Verb = match.VerbResume
	case n < 62:
		in.Verb = match.Verbs[r.IntN(len(match.Verbs))]
	case n < 65:
		in.Kind = match.Tick
		in.At += sheet.Tick(r.IntN(400))
	default:
		in.Verb = match.VerbAct
		if len(actions) > 0 {
			in.Name = actions[r.IntN(len(actions))].Name
		}
	}
	return in
}

// TestRandomPlay lets anything happen in any order: no invariant may break, and
// the same inputs must give the same hash at every step.
func TestRandomPlay(t *testing.T) {
	files, _ := filepath.Glob("../../demo/rulebooks/*.yaml")
	seed := uint64(time.Now().UnixNano())
	t.Logf("seed %d", seed)
	for _, file := range files {
		book := load(t, file)
		r := rand.New(rand.NewPCG(seed, 1))
		a, b := match.New(book, match.Setup{Code: "ABCDEF", Seed: seed}), match.New(book, match.Setup{Code: "ABCDEF", Seed: seed})
		var seats []sheet.ID
		ended := 0
		for i := 0; i < 20000 && !a.Closed(); i++ {
			in := randomInput(r, a, seats)
			out := a.Step(&in)
			if out.Seat != 0 {
				seats = append(seats, out.Seat)
				loaded := match.Input{At: in.At, Kind: match.Loaded, Seat: out.Seat}
				b.Step(&in)
				out = a.Step(&loaded)
				in = loaded
			}
			for _, e := range out.Effects {
				ended += map[bool]int{true: 1}[e.Kind == match.SaveResult]
			}
			b.Step(&in)
			if err := a.Check(); err != nil {
				t.Fatalf("%s, seed %d, step %d, %s %s: %v", file, seed, i, in.Kind, in.Verb, err)
			}
			if a.Hash() != b.Hash() {
				t.Fatalf("%s, seed %d, step %d: the hashes differ", file, seed, i)
			}
			a.Store().ClearChanges()
		}
		t.Logf("%s: %d matches ended", filepath.Base(file), ended)
	}
}
