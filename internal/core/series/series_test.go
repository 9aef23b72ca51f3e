package series_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/series"
	"turnvex.example/turnvex/internal/tool/trial"
)

func plan(t testing.TB, text string) *rulebook.Series {
	t.Helper()
	p, problems := rulebook.CompileSeries([]byte("turnvex: 1\nseries: cup\nrulebook: duel\n" + text))
	if p == nil {
		t.Fatal(problems)
	}
	return p
}

func entrants(n int) (list []series.Entrant) {
	for i := range n {
		list = append(list, series.Entrant{Name: fmt.Sprint("E", i+1), Players: []string{fmt.Sprint("p", i+1)}})
	}
	return list
}

// stage plays a series with a driver that does what it is asked for.
type stage struct {
	t    *testing.T
	m    *series.Machine
	now  int64
	open map[int]string // the lobbies of meetings
	n    int64
}

func begin(t *testing.T, p *rulebook.Series, n int) *stage {
	m, do, err := series.New(p, entrants(n))
	if err != nil {
		t.Fatal(err)
	}
	s := &stage{t: t, m: m, open: map[int]string{}}
	s.carry(do)
	return s
}

func (s *stage) carry(do []series.Effect) {
	for _, e := range do {
		if e.Close != "" {
			delete(s.open, e.Meeting)
			continue
		}
		s.n++
		id := fmt.Sprint("L", s.n)
		s.open[e.Open] = id
		s.take(series.Input{Kind: series.Opened, Meeting: e.Open, Lobby: id, LobbyID: id})
	}
}

func (s *stage) take(in series.Input) error {
	s.now++
	in.At = s.now
	do, err := s.m.Step(in)
	s.carry(do)
	return err
}

// win lets an entrant win the next match of its meeting; 0 is a draw of meeting no.
func (s *stage) win(no, entrant int) {
	s.n++
	if err := s.take(series.Input{Kind: series.Result, Meeting: no, Entrant: entrant, LobbyID: s.open[no],
		Number: s.n}); err != nil {
		s.t.Helper()
		s.t.Errorf("meeting %d, entrant %d: %v", no, entrant, err)
	}
}

// TestBetweenMatches: who leaves, or never gets ready, between the matches of a meeting loses it when the time is over;
// where nobody is there the one that leads wins. In a table one match may be drawn.
func TestBetweenMatches(t *testing.T) {
	late := func(s *stage, after int64, here, ready [2]bool) series.Meeting {
		s.now += after
		s.take(series.Input{Kind: series.Late, Meeting: 1, Here: here, Ready: ready})
		return s.m.State().Meetings[0]
	}
	for name, c := range map[string]struct {
		wins        []int
		after       int64 // ms
		here, ready [2]bool
		winner      int // -1 for undecided
	}{
		"somebody has left":                 {[]int{2}, 60_000, [2]bool{true, false}, [2]bool{false, false}, 1},
		"somebody has left, too soon":       {[]int{2}, 59_000, [2]bool{true, false}, [2]bool{}, -1},
		"somebody is not ready":             {[]int{1}, 60_000, [2]bool{true, true}, [2]bool{false, true}, 2},
		"both are ready":                    {[]int{1}, 60_000, [2]bool{true, true}, [2]bool{true, true}, -1},
		"nobody is there":                   {[]int{0, 2}, 60_000, [2]bool{}, [2]bool{}, 2},
		"nobody is ready, at the beginning": {nil, 70_000, [2]bool{true, true}, [2]bool{true, false}, 1},
		"one is not ready, too soon":        {nil, 60_000, [2]bool{true, true}, [2]bool{true, false}, -1},
	} {
		s := begin(t, plan(t, "best_of: 3\ncome: 10s\nbetween: 60s\n"), 2)
		for _, winner := range c.wins {
			s.win(1, winner)
		}
		m := late(s, c.after, c.here, c.ready)
		if decided := m.Stage == series.Decided; decided != (c.winner >= 0) || decided && (m.Winner != c.winner ||
			m.Why != "walkover") {
			t.Errorf("%s: %+v", name, m)
		}
	}
	s := begin(t, plan(t, "form: table\n"), 2)
	if s.win(1, 0); s.m.State().Meetings[0].Stage != series.Decided || s.m.State().Meetings[0].Winner != 0 {
		t.Errorf("a draw in a table: %+v", s.m.State().Meetings[0])
	}
}

func (s *stage) table() string {
	var b strings.Builder
	for _, r := range s.m.Standings() {
		fmt.Fprintf(&b, "%d:E%d ", r.Place, r.Entrant)
	}
	return strings.TrimSpace(b.String())
}

// TestBracketOfSix: the strongest two have byes and can only meet at the end, best of three counts, the losers of the
// last four play for the third place, and who withdraws or does not come is out.
func TestBracketOfSix(t *testing.T) {
	s := begin(t, plan(t, "form: bracket\nbest_of: 3\nthird: true\ncome: 10s\n"), 6)
	if len(s.open) != 2 { // 4 against 5, 3 against 6
		t.Fatalf("%d meetings are open: %+v", len(s.open), s.m.State().Meetings)
	}
	x := s.m.State().Meetings
	if x[1].Sides[0].Entrant != 4 || x[1].Sides[1].Entrant != 5 || x[0].Why != "bye" || x[0].Winner != 1 {
		t.Fatalf("%+v", x)
	}
	s.win(2, 4)
	s.win(2, 0) // a draw counts for nobody
	s.win(2, 5)
	s.win(2, 4)
	if err := s.take(series.Input{Kind: series.Late, Meeting: 4, Here: [2]bool{true, false}}); err == nil {
		t.Error("late before the time to come is over")
	}
	s.now += 10_000
	if err := s.take(series.Input{Kind: series.Late, Meeting: 4, Here: [2]bool{true, false}}); err != nil {
		t.Error(err)
	}
	if len(s.open) != 2 || s.m.Due("p4")[0] != 5 || s.m.Due("p5") != nil {
		t.Fatalf("open %v, due %v", s.open, s.m.Due("p4"))
	}
	s.win(5, 4)
	s.win(5, 4) // beats the first
	if err := s.take(series.Input{Kind: series.Withdraw, Entrant: 2}); err != nil {
		t.Error(err)
	}
	if err := s.take(series.Input{Kind: series.Withdraw, Entrant: 2}); err == nil {
		t.Error("withdrawn twice")
	}
	third, last := len(x)-1, len(x) // 2 is out, so 1 is third by walkover
	if m := s.m.State().Meetings[third-1]; !m.Third || m.Stage != series.Decided || m.Winner != 1 {
		t.Errorf("the third place: %+v", m)
	}
	s.win(last, 3)
	s.win(last, 3)
	if st := s.m.State(); !st.Over || st.Winner != 3 || s.table() != "1:E3 2:E4 3:E1 4:E2 5:E6 6:E5" ||
		len(s.open) != 0 {
		t.Errorf("over %v, won by %d, %s, open %v", st.Over, st.Winner, s.table(), s.open)
	}
	if _, err := s.m.Step(series.Input{Kind: series.Result, Meeting: 1}); err == nil {
		t.Error("a result after the end")
	}
}

// TestTableOfFive: each meets each twice, draws count, and those who are equal are told apart by the matches and then
// by their own meetings.
func TestTableOfFive(t *testing.T) {
	s := begin(t, plan(t, "form: table\nrounds: 2\nmatches: 2\npoints: {won: 2, drawn: 1, lost: 0}\n"), 5)
	met := map[[2]int]int{}
	for _, x := range s.m.State().Meetings {
		a, b := x.Sides[0].Entrant, x.Sides[1].Entrant
		met[[2]int{min(a, b), max(a, b)}]++
	}
	if len(met) != 10 {
		t.Errorf("%d pairs meet", len(met))
	}
	for pair, n := range met {
		if n != 2 {
			t.Errorf("%v meet %d times", pair, n)
		}
	}
	for !s.m.State().Over {
		for no := range s.open {
			x := s.m.State().Meetings[no-1]
			a, b := x.Sides[0].Entrant, x.Sides[1].Entrant
			switch { // 5 beats 1, and otherwise the stronger wins; 2 and 3 draw
			case a+b == 6 && a*b == 5:
				s.win(no, 5)
			case a+b == 5 && a*b == 6:
				s.win(no, x.Sides[len(x.Played)].Entrant)
			default:
				s.win(no, min(a, b))
			}
			break
		}
	}
	if got := s.table(); got != "1:E1 2:E2 3:E3 4:E4 5:E5" {
		t.Errorf("%s: %+v", got, s.m.Standings())
	}
	if r := s.m.Standings()[1]; r.Points != 10 || r.Drawn != 2 || r.Won != 4 || r.Lost != 2 || r.Played != 8 {
		t.Errorf("the second: %+v", r)
	}
}

// TestAnySeries: whatever happens in series of any form and size, restored after each input, nobody is in two places,
// what is decided stays, each result counts once, and all of them end.
func TestAnySeries(t *testing.T) {
	sd := trial.Seed(t)
	r := rand.New(rand.NewPCG(sd, 0))
	for round := range 40 {
		forms := []string{"form: bracket\nbest_of: 3\nthird: true\n", "form: table\nmatches: 2\n", "form: bracket\n",
			"best_of: 5\n", "form: table\nbest_of: 1\nrounds: 2\n", "form: bracket\nmatches: 2\n"}
		form := forms[r.IntN(len(forms))]
		p, n := plan(t, form+"come: 10s\n"), 2+r.IntN(12)
		if strings.HasPrefix(form, "best_of") {
			n = 2
		}
		s := begin(t, p, n)
		decided := map[int]string{}
		for steps := 0; !s.m.State().Over; steps++ {
			if steps > 5000 {
				t.Fatalf("seed %d, round %d: no end: %+v", sd, round, s.m.State())
			}
			before, _ := s.m.Save()
			if err := s.take(anything(r, s)); err != nil {
				if after, _ := s.m.Save(); !bytes.Equal(before, after) {
					t.Fatalf("seed %d: what was refused (%v) has changed something", sd, err)
				}
			}
			kept, _ := s.m.Save()
			again, do, err := series.Restore(p, kept)
			if err != nil || len(do) != 0 {
				t.Fatalf("seed %d: %v, %v to do", sd, err, do)
			}
			s.m = again
			check(t, sd, s, decided)
		}
	}
}

// anything makes up an input.
func anything(r *rand.Rand, s *stage) series.Input {
	st := s.m.State()
	no := 1 + r.IntN(len(st.Meetings))
	x := st.Meetings[no-1]
	in := series.Input{Kind: series.Result, Meeting: no, LobbyID: s.open[no], Number: r.Int64N(1000),
		Here: [2]bool{r.IntN(2) == 0, r.IntN(2) == 0}}
	switch n := r.IntN(20); {
	case n == 0:
		in.Kind, in.Entrant = series.Withdraw, r.IntN(len(st.Entrants)+2)
	case n == 1:
		in.Kind = series.Gone
	case n < 5:
		in.Kind = series.Late
		s.now += 3000
	case n < 7:
		in.LobbyID = "elsewhere"
	case n < 10:
		in.Entrant = 0
	default:
		in.Entrant = x.Sides[r.IntN(2)].Entrant
	}
	return in
}

func check(t *testing.T, sd uint64, s *stage, decided map[int]string) {
	t.Helper()
	busy := map[int]bool{}
	for i, x := range s.m.State().Meetings {
		switch x.Stage {
		case series.Decided:
			now := fmt.Sprintf("%+v", x)
			if was, known := decided[i]; known && was != now {
				t.Fatalf("seed %d: meeting %d was decided: %s, now %s", sd, i+1, was, now)
			}
			decided[i] = now
		case series.Waits:
		default:
			for _, side := range x.Sides {
				if side.Entrant == 0 || busy[side.Entrant] {
					t.Fatalf("seed %d: meeting %d: entrant %d is nobody or elsewhere", sd, i+1, side.Entrant)
				}
				busy[side.Entrant] = true
			}
		}
		if !slices.Contains([]int{0, x.Sides[0].Entrant, x.Sides[1].Entrant}, x.Winner) {
			t.Fatalf("seed %d: meeting %d is won by %d", sd, i+1, x.Winner)
		}
	}
}

// TestEntrants: what cannot take part is refused.
func TestEntrants(t *testing.T) {
	twice := entrants(3)
	twice[2].Players = []string{"p1"}
	named := func(name string) []series.Entrant {
		list := entrants(3)
		list[1].Name = name
		return list
	}
	for want, list := range map[string][]series.Entrant{"2 to 64": entrants(1), "twice": twice, "1 to 16": {{Name: "a"},
		{Name: "b"}}, "U+001B": named("red \x1b[31m"), "no name": named("  "),
		"at most 28": named(strings.Repeat("x", 29)), "two entrants are called": named(entrants(3)[0].Name + " ")} {
		if _, _, err := series.New(plan(t, "form: bracket\n"), list); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%v, wanted %s", err, want)
		}
	}
	if _, _, err := series.New(plan(t, ""), entrants(3)); err == nil {
		t.Error("three in a meeting of two")
	}
}
