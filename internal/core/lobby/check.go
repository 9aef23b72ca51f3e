package lobby

import (
	"errors"
	"fmt"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Check returns the first broken invariant of the lobby or its match (they are listed on the types), or nil. It is for
// tests and costs a walk over everything.
func (l *Lobby) Check() error {
	if err := l.st.Check(); err != nil {
		return err
	}
	if err := l.match.Check(); err != nil {
		return err
	}
	if l.st.AnyTouched() && !l.closed {
		return errors.New("something is left to settle after the step")
	}
	if err := l.checkSeats(); err != nil {
		return err
	}
	f := &l.book.F
	if int(l.row.Int(f.Lobby.Seats)) != len(l.seats) {
		return fmt.Errorf("%d seats counted as %d", len(l.seats), l.row.Int(f.Lobby.Seats))
	}
	for _, t := range l.teams {
		if int(t.Int(f.Team.Size)) != l.teamSize(t) {
			return fmt.Errorf("team %s counts %d, has %d", t.Text(f.Team.Name), t.Int(f.Team.Size), l.teamSize(t))
		}
	}
	if host := l.host(); !l.closed && (host == nil) != (l.hostless || l.present() == 0) {
		return fmt.Errorf("host %v among %d seats", host, len(l.seats))
	}
	if state := l.State(); l.match.Under() != (state == rulebook.Playing || state == rulebook.Results) && !l.closed {
		return fmt.Errorf("lobby state %d with a match %v", state, l.match.Under())
	}
	return nil
}

func (l *Lobby) checkSeats() error {
	f := &l.book.F.Player
	players, records := l.st.Of(sheet.Player), l.st.Of(sheet.Record)
	if len(players) != len(l.seats) || len(records) != len(l.seats) {
		return fmt.Errorf("%d seats, %d player and %d record sheets", len(l.seats), len(players), len(records))
	}
	for i, s := range l.seats {
		if players[i] != s.Row || records[i] != s.Record {
			return fmt.Errorf("seat %d is not at its place", s.Row.ID)
		}
		if s.Row.Int(f.Team) != int64(s.Row.Team) {
			return fmt.Errorf("seat %d: team field %d, audience %d", s.Row.ID, s.Row.Int(f.Team), s.Row.Team)
		}
		if s.Row.Flag(f.Playing) != l.match.Plays(s.Player) {
			return fmt.Errorf("seat %d: playing %v, but in the match %v", s.Row.ID, s.Row.Flag(f.Playing),
				l.match.Plays(s.Player))
		}
	}
	return nil
}

// present counts the seats that are not merely kept until the match ends.
func (l *Lobby) present() int {
	n := 0
	for _, s := range l.seats {
		n += int(sheet.Bit(!s.gone))
	}
	return n
}
