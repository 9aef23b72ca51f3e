package match

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/sheet"
)

// Check returns the first broken invariant of the machine (they are listed on
// the type), or nil. It is for tests and costs a walk over everything.
func (m *Machine) Check() error {
	if err := m.st.Check(); err != nil {
		return err
	}
	f := &m.book.F
	players, records := m.st.Of(sheet.Player), m.st.Of(sheet.Record)
	if len(players) != len(m.seats) || len(records) != len(m.seats) {
		return fmt.Errorf("%d seats, %d player and %d record sheets", len(m.seats), len(players), len(records))
	}
	playing := 0
	for i, s := range m.seats {
		if players[i] != s.row || records[i] != s.record {
			return fmt.Errorf("seat %d is not at its place", s.row.ID)
		}
		playing += int(b2i(s.row.Flag(f.Player.Playing)))
		if s.row.Int(f.Player.Team) != int64(s.row.Team) {
			return fmt.Errorf("seat %d: team field %d, audience %d", s.row.ID, s.row.Int(f.Player.Team), s.row.Team)
		}
	}
	if int(m.lobby.Int(f.Lobby.Seats)) != len(m.seats) || playing != len(m.st.Seated) {
		return fmt.Errorf("%d seats counted as %d, %d playing, %d seated", len(m.seats), m.lobby.Int(f.Lobby.Seats), playing, len(m.st.Seated))
	}
	for _, t := range m.teams {
		if int(t.Int(f.Team.Size)) != m.teamSize(t) {
			return fmt.Errorf("team %s counts %d, has %d", t.Text(f.Team.Name), t.Int(f.Team.Size), m.teamSize(t))
		}
	}
	if host := m.host(); !m.closed && (host == nil) != (m.present() == 0) {
		return fmt.Errorf("host %v among %d seats", host, len(m.seats))
	}
	if st := m.State(); (m.match != nil) != (st == 2 || st == 3) && !m.closed {
		return fmt.Errorf("lobby state %d with match %v", st, m.match != nil)
	}
	if m.match != nil {
		if shown := m.match.Clock(f.Match.Play, m.tick); shown != int64(m.play) {
			return fmt.Errorf("the play clock shows %d at play tick %d", shown, m.play)
		}
	}
	if m.play > m.tick {
		return fmt.Errorf("play tick %d after wall tick %d", m.play, m.tick)
	}
	return nil
}

// present counts the seats that are not merely kept until the match ends.
func (m *Machine) present() int {
	n := 0
	for _, s := range m.seats {
		n += int(b2i(!s.gone))
	}
	return n
}
