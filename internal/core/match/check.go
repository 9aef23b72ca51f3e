package match

import "fmt"

// Check returns the first broken invariant (they are listed on the type), or nil. It is for tests.
func (m *Match) Check() error {
	if len(m.players) != len(m.st.Seated) {
		return fmt.Errorf("%d players, %d seated", len(m.players), len(m.st.Seated))
	}
	for i, p := range m.players {
		if m.st.Seated[i] != p.Row {
			return fmt.Errorf("player %d is not at its place among the seated", p.Row.ID)
		}
	}
	if m.play > m.wall {
		return fmt.Errorf("play tick %d after wall tick %d", m.play, m.wall)
	}
	if m.row != nil {
		if shown := m.row.Clock(m.book.F.Match.Play, m.wall); shown != int64(m.play) {
			return fmt.Errorf("the play clock shows %d at play tick %d", shown, m.play)
		}
	}
	if len(m.queue)+len(m.hits)+len(m.Ends.winners) > 0 {
		return fmt.Errorf("%d events, %d hits and %d winners wait after the step", len(m.queue), len(m.hits),
			len(m.Ends.winners))
	}
	return nil
}
