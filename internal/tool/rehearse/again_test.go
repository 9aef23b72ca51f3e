package rehearse_test

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestEveryMatchIsTheFirst plays every rulebook of the cookbook three times in one lobby. In each later match
// everything happens at the same moments as in the first one of a lobby of its own, in which the same people do the
// same: the phases, the clocks, every field, the answers and the result. What chance decides, which differs between
// first matches with other seeds too, is left out.
func TestEveryMatchIsTheFirst(t *testing.T) {
	page, err := os.ReadFile("../../../docs/cookbook.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, src := range trial.Rulebooks(string(page)) {
		book, problems := rulebook.Compile(src)
		if book == nil {
			t.Fatal(problems)
		}
		t.Run(book.Name, func(t *testing.T) {
			long := enter(t, book, 1, nil)
			for n := range 3 {
				if n > 0 {
					long.again()
				}
				var firsts []map[string]string
				for seed := range uint64(4) {
					firsts = append(firsts, enter(t, book, seed+2, long).match())
				}
				long.compare(n+1, long.match(), firsts)
			}
		})
	}
}

// evening is a lobby in which matches are played.
type evening struct {
	t     *testing.T
	book  *rulebook.Book
	m     *lobby.Lobby
	seats []sheet.ID
	saved *step.Result
}

// enter opens a lobby as another one is at present, and lets the same people in.
func enter(t *testing.T, book *rulebook.Book, seed uint64, like *evening) *evening {
	setup := lobby.Setup{Code: "AGAIN2", Seed: seed, Hidden: true}
	if like != nil && book.Arenas != nil {
		next := like.m.Row().Get(book.Arenas.Next)
		if list := like.m.Store().Of(sheet.Match); len(list) > 0 { // it has begun by itself
			next = list[0].Get(book.Arenas.Field)
		}
		setup.Options = []step.Named{{Name: book.Arenas.Next.Name, Value: next}}
	}
	e := &evening{t: t, book: book, m: lobby.New(book, setup)}
	for i := range max(book.Players.Least, min(book.Players.Most, 4)) {
		name := fmt.Sprint("Player ", i+1)
		in := step.Input{Kind: step.Enter, Acct: name, Name: name, Conn: name}
		loaded := step.Input{Kind: step.Loaded}
		if like != nil {
			st := like.m.Store()
			if team := st.Get(st.Get(like.seats[i]).Team); team != nil {
				in.Team = team.Text(book.F.Team.Name)
			}
			for _, row := range st.Of(sheet.Record) {
				for _, f := range book.Schema.Fields(sheet.Record) {
					if row.Owner == like.seats[i] && !f.BuiltIn && !f.Derived {
						loaded.Record = append(loaded.Record, step.Named{Name: f.Name, Value: row.Get(f)})
					}
				}
			}
		}
		seat := e.take(in).Seat
		loaded.Seat = seat
		e.take(loaded)
		e.seats = append(e.seats, seat)
	}
	return e
}

func (e *evening) take(in step.Input) *step.Output {
	in.At = max(in.At, e.m.Tick())
	out := e.m.Step(&in)
	for _, x := range out.Effects {
		if x.Kind == step.SaveResult {
			e.saved = x.Result
		}
	}
	e.m.Store().ClearChanges()
	return out
}

// again lets the lobby come to where the next match may begin.
func (e *evening) again() {
	e.take(step.Input{Kind: step.Saved, N: e.saved.Match})
	over := func() bool {
		list := e.m.Store().Of(sheet.Match)
		return len(list) > 0 && list[0].Flag(e.book.F.Match.Over)
	}
	for end := e.m.Tick() + sheet.Tick(120*e.book.Rate); over() && e.m.Tick() < end; {
		e.take(step.Input{At: e.m.Tick() + 1, Kind: step.Tick})
	}
}

// match plays one, and returns what was at each moment of it.
func (e *evening) match() map[string]string {
	told := map[string]string{}
	e.saved = nil
	for _, seat := range e.seats {
		e.take(step.Input{Kind: step.Intent, Seat: seat, Verb: step.Ready})
	}
	e.take(step.Input{Kind: step.Intent, Seat: e.seats[0], Verb: step.Start})
	for range 60 * e.book.Rate {
		if e.m.State() == rulebook.Playing {
			break
		}
		e.take(step.Input{At: e.m.Tick() + 1, Kind: step.Tick})
	}
	began, acts := e.m.Tick(), e.book.Actions
	every := max(e.book.Rate/2, 1)
	for n := 0; e.saved == nil && n < 40*e.book.Rate; n++ {
		if n%every == 0 {
			e.look(told, n)
		}
		if n%every == 0 && len(acts) > 0 {
			who := n / every % len(e.seats)
			v := e.take(step.Input{Kind: step.Intent, Seat: e.seats[who], Verb: step.Act,
				Name: acts[n/every/len(e.seats)%len(acts)].Name, Target: e.seats[(who+1)%len(e.seats)]}).Verdict
			told[fmt.Sprintf("%06d verdict", n)] = fmt.Sprint(v.Code)
		}
		if at := began + sheet.Tick(n+1); (n+1)%every == 0 || e.m.Next() != 0 && e.m.Next() <= at {
			e.take(step.Input{At: at, Kind: step.Tick})
		}
	}
	if e.saved == nil {
		e.take(step.Input{Kind: step.Finish, Text: "it is late"})
	}
	told["result"] = fmt.Sprint(e.saved.Because, e.saved.Millis, e.saved.Rounds)
	for _, p := range e.saved.Players {
		told["result of "+p.Name] = fmt.Sprint(p.Outcome, p.Place, p.Team)
	}
	return told
}

// look notes every field of the match: sheets by their kind and order, and references by those.
func (e *evening) look(told map[string]string, n int) {
	st, number := e.m.Store(), map[int64]string{}
	for k := range sheet.Kind(sheet.Kinds) {
		for i, row := range st.Of(k) {
			number[int64(row.ID)] = fmt.Sprint(k, " ", i)
		}
	}
	for _, k := range []sheet.Kind{sheet.Match, sheet.Team, sheet.Player, sheet.Piece, sheet.Creature, sheet.Zone} {
		for i, row := range st.Of(k) {
			for _, f := range e.book.Schema.Fields(k) {
				if f == e.book.F.Match.Number || f.Reset == sheet.ResetNever && !f.BuiltIn && !f.Derived {
					continue
				}
				v, now := row.Get(f), e.m.Tick()
				if !f.Wall {
					now = e.m.PlayTick()
				}
				shown := fmt.Sprint(v.N, v.S)
				switch {
				case f.Type == sheet.Clock:
					shown = fmt.Sprint(row.Clock(f, now), v.N[1])
				case f.Type == sheet.Ref, k == sheet.Player && f.Name == "record":
					shown = number[v.N[0]]
				case f.Type == sheet.List && f.Item == sheet.Ref:
					continue
				}
				told[fmt.Sprintf("%06d %v %d %s", n, k, i, f.Name)] = shown
			}
		}
	}
}

// compare holds a match against first ones, but for what chance decides: fields in which those differ; and where that
// is so of anybody, what is not the match's or a zone's.
func (e *evening) compare(no int, got map[string]string, firsts []map[string]string) {
	chance, all := map[string]bool{}, firsts[0]
	for _, m := range firsts[1:] {
		for _, k := range append(slices.Collect(maps.Keys(all)), slices.Collect(maps.Keys(m))...) {
			if all[k] != m[k] {
				chance[field(k)] = true
				chance["anybody"] = chance["anybody"] || !strings.HasPrefix(field(k), "match")
			}
		}
	}
	same := 0
	for _, k := range slices.Sorted(maps.Keys(all)) {
		f := field(k)
		own := strings.HasPrefix(f, "match") || strings.HasPrefix(f, "zone")
		if chance[f] || chance["anybody"] && !own {
			continue
		}
		if same++; got[k] != all[k] {
			e.t.Fatalf("match %d, %s: %q, in a first one %q", no, k, got[k], all[k])
		}
	}
	if same < 40 {
		e.t.Errorf("match %d: only %d values were compared, of %d", no, same, len(all))
	}
}

// field is which field of which kind a key is of.
func field(key string) string {
	if parts := strings.Fields(key); len(parts) == 4 {
		return parts[1] + " " + parts[3]
	}
	return key
}
