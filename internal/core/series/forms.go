package series

import (
	"cmp"
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
)

func (m *Machine) add(x Meeting) int {
	x.Stage = Waits
	m.s.Meetings = append(m.s.Meetings, x)
	return len(m.s.Meetings)
}

// bracket lays out a knock-out: the strongest two can meet in the last meeting only, and places without an entrant go
// to the strongest as byes.
func (m *Machine) bracket() {
	size := 2
	for size < len(m.s.Entrants) {
		size *= 2
	}
	order := []int{1}
	for n := 2; n <= size; n *= 2 { // each is joined by whom it should beat
		var next []int
		for _, e := range order {
			next = append(next, e, n+1-e)
		}
		order = next
	}
	var sides []Side
	for _, e := range order {
		s := Side{Entrant: e}
		if e > len(m.s.Entrants) {
			s = Side{Nobody: true}
		}
		sides = append(sides, s)
	}
	for round := 1; len(sides) > 1; round++ {
		var next []Side
		for i := 0; i < len(sides); i += 2 {
			if len(sides) == 2 && m.plan.Third && round > 1 {
				m.add(Meeting{Round: round, Third: true, Sides: [2]Side{{From: sides[0].From, Loser: true},
					{From: sides[1].From, Loser: true}}})
			}
			next = append(next, Side{From: m.add(Meeting{Round: round, Sides: [2]Side{sides[i], sides[i+1]}})})
		}
		sides = next
	}
}

// table lays out that each meets each, as often as the plan says: in rounds in which everybody has one meeting, or none
// where they are odd.
func (m *Machine) table() {
	n := len(m.s.Entrants) + len(m.s.Entrants)%2
	ring := make([]int, n)
	for i := range ring {
		ring[i] = i + 1
	}
	round := 0
	for turn := range m.plan.Rounds {
		for range n - 1 {
			round++
			for i := range n / 2 {
				a, b := ring[i], ring[n-1-i]
				if a > len(m.s.Entrants) || b > len(m.s.Entrants) {
					continue
				}
				if (turn+i+round)%2 == 1 {
					a, b = b, a
				}
				m.add(Meeting{Round: round, Sides: [2]Side{{Entrant: a}, {Entrant: b}}})
			}
			ring = append(append([]int{ring[0]}, ring[n-1]), ring[1:n-1]...)
		}
	}
}

// settle lets everything follow: who comes from decided meetings, byes, who is free to play, and the end.
func (m *Machine) settle() {
	for changed := true; changed; {
		changed = false
		for i := range m.s.Meetings {
			changed = m.arrive(i+1) || changed
		}
	}
	busy := map[int]bool{}
	for _, x := range m.s.Meetings {
		if x.Stage == Opens || x.Stage == Comes || x.Stage == Plays {
			busy[x.Sides[0].Entrant], busy[x.Sides[1].Entrant] = true, true
		}
	}
	open := false
	for i := range m.s.Meetings {
		x := &m.s.Meetings[i]
		a, b := x.Sides[0].Entrant, x.Sides[1].Entrant
		if x.Stage == Waits && a != 0 && b != 0 && !busy[a] && !busy[b] {
			x.Stage = Opens
			m.do = append(m.do, Effect{Open: i + 1})
		}
		if x.Stage == Waits {
			busy[a], busy[b] = a != 0, b != 0 // in their order
		} else if x.Stage == Opens {
			busy[a], busy[b] = true, true
		}
		open = open || x.Stage != Decided
	}
	if !open && !m.s.Over {
		m.s.Over, m.s.Winner = true, m.winner()
	}
}

// arrive fills the sides of a meeting that waits, and decides one that cannot be played. It tells whether anything
// changed.
func (m *Machine) arrive(no int) (changed bool) {
	x := &m.s.Meetings[no-1]
	if x.Stage != Waits {
		return false
	}
	for i := range x.Sides {
		s := &x.Sides[i]
		if s.Entrant != 0 || s.Nobody || s.From == 0 {
			continue
		}
		if from := &m.s.Meetings[s.From-1]; from.Stage == Decided {
			s.Entrant = from.Winner
			if s.Loser {
				s.Entrant = from.loser()
			}
			s.Nobody, changed = s.Entrant == 0, true
		}
	}
	there := [2]bool{}
	for i, s := range x.Sides {
		if s.Entrant == 0 && !s.Nobody {
			return changed // it is not known yet
		}
		there[i] = s.Entrant != 0 && !m.s.Entrants[s.Entrant-1].Out
	}
	if there[0] && there[1] {
		return changed
	}
	winner, why := 0, "bye"
	for i, s := range x.Sides {
		if there[i] {
			winner = s.Entrant
		}
		if s.Entrant != 0 && !there[i] {
			why = "withdrawn"
		}
	}
	m.decide(no, winner, why)
	return true
}

// loser is who has not won a decided meeting; 0 where both have not, or there is none.
func (x *Meeting) loser() int {
	switch x.Winner {
	case 0:
		return 0
	case x.Sides[0].Entrant:
		return x.Sides[1].Entrant
	}
	return x.Sides[0].Entrant
}

func (m *Machine) winner() int {
	if m.plan.Form == rulebook.SeriesTable {
		if rows := m.Standings(); len(rows) > 0 && m.s.Because == "" {
			return rows[0].Entrant
		}
		return 0
	}
	return m.s.Meetings[len(m.s.Meetings)-1].Winner
}

// Standing is how an entrant stands.
type Standing struct {
	Entrant int   `json:"entrant"` // its place among the entrants, from 1
	Place   int   `json:"place"`   // in a bracket who is still in it has none
	Played  int   `json:"played"`  // meetings
	Won     int   `json:"won"`
	Drawn   int   `json:"drawn"`
	Lost    int   `json:"lost"`
	For     int   `json:"for"` // matches won
	Against int   `json:"against"`
	Points  int64 `json:"points"`

	round int // of a bracket: the last one in which it was
}

// Standings are the entrants in the order in which they stand: in a table by points, then by the matches won less those
// lost, then by the meetings among those who are equal, then by their strength; in a bracket by how far they have come.
func (m *Machine) Standings() []Standing {
	rows := make([]Standing, len(m.s.Entrants))
	for i := range rows {
		rows[i].Entrant = i + 1
	}
	for i := range m.s.Meetings {
		m.reckon(rows, &m.s.Meetings[i])
	}
	slices.SortStableFunc(rows, func(a, b Standing) int {
		return cmp.Or(cmp.Compare(b.round, a.round), cmp.Compare(b.Points, a.Points),
			cmp.Compare(b.For-b.Against, a.For-a.Against), m.between(a.Entrant, b.Entrant))
	})
	for i := range rows {
		if m.plan.Form == rulebook.SeriesTable || m.s.Over {
			rows[i].Place = i + 1
		}
	}
	return rows
}

// reckon counts a meeting for those who met.
func (m *Machine) reckon(rows []Standing, x *Meeting) {
	for k, s := range x.Sides {
		if s.Entrant == 0 {
			continue
		}
		r := &rows[s.Entrant-1]
		r.For, r.Against = r.For+s.Wins, r.Against+x.Sides[1-k].Wins
		if m.plan.Form == rulebook.SeriesBracket && x.Stage == Decided {
			r.round = max(r.round, 4*x.Round)
			if x.Third { // behind those who played for the first place
				r.round = 4*x.Round - 2
			}
			if x.Winner == s.Entrant {
				r.round++
			}
		}
		if x.Stage != Decided || x.Why == "bye" || x.Why == "ended" {
			continue
		}
		r.Played++
		switch {
		case x.Winner == s.Entrant:
			r.Won, r.Points = r.Won+1, r.Points+m.plan.Won
		case x.Winner == 0 && x.Why == "played":
			r.Drawn, r.Points = r.Drawn+1, r.Points+m.plan.Drawn
		default:
			r.Lost, r.Points = r.Lost+1, r.Points+m.plan.Lost
		}
	}
}

// between compares two entrants by the meetings that they had with each other.
func (m *Machine) between(a, b int) int {
	n := 0
	for _, x := range m.s.Meetings {
		if one, two := x.Sides[0].Entrant, x.Sides[1].Entrant; one == a && two == b || one == b && two == a {
			switch x.Winner {
			case a:
				n--
			case b:
				n++
			}
		}
	}
	return n
}

// Next returns when the next meeting has waited long enough for who is to come or to begin, in milliseconds of the
// epoch, and which it is; 0 for none.
func (m *Machine) Next() (at int64, meeting int) {
	for i, x := range m.s.Meetings {
		if (x.Stage == Comes || x.Stage == Plays) && (at == 0 || x.Until < at) {
			at, meeting = x.Until, i+1
		}
	}
	return at, meeting
}

// Due are the meetings that a player is to be at now: their numbers.
func (m *Machine) Due(account string) (list []int) {
	for i, x := range m.s.Meetings {
		if x.Stage != Comes && x.Stage != Plays {
			continue
		}
		for _, s := range x.Sides {
			if slices.Contains(m.s.Entrants[s.Entrant-1].Players, account) {
				list = append(list, i+1)
			}
		}
	}
	return list
}
