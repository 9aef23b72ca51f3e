// Package chance makes up what might happen next in a lobby, for tests that let anything happen.
package chance

import (
	"fmt"
	"math/rand/v2"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Input makes up something that might happen next in a lobby: mostly to those who are there, now and then to somebody
// who is not.
func Input(r *rand.Rand, m *lobby.Lobby) step.Input {
	in := step.Input{At: m.Tick() + sheet.Tick(r.IntN(4))}
	in.Seat, in.Target = someone(r, m), someone(r, m)
	in.Kind = step.Intent
	in.X, in.Y, in.Point = r.Int64N(2001)-1000, r.Int64N(2001)-1000, true
	if m.Book().Parts > 2 {
		in.Z = r.Int64N(2001) - 1000
	}
	if m.Book().Facing != nil && r.IntN(3) == 0 {
		in.Yaw, in.Faces = r.Int64N(ground.FullTurn), true
		if m.Book().Parts > 2 {
			in.Pitch = r.Int64N(ground.FullTurn/2) - ground.FullTurn/4
		}
	}
	actions := m.Book().Actions
	switch n := r.IntN(100); {
	case n < 3:
		in.Kind, in.Acct, in.Name = step.Enter, fmt.Sprint("acct", r.IntN(12)), "Mara"
	case n < 4:
		in.Kind = step.Leave
	case n < 6:
		in.Kind = step.Lost
	case n < 9:
		in.Kind = step.Back
	case n < 35:
		in.Verb = step.Ready
	case n < 55:
		in.Verb = step.Steer
	case n < 57:
		in.Verb = step.Pause
	case n < 60:
		in.Verb = step.Resume
	case n < 62:
		in.Verb = step.Verbs[r.IntN(len(step.Verbs))]
	case n < 63 && len(m.Book().Votes) > 0:
		in.Verb, in.Name = step.Vote, m.Book().Votes[r.IntN(len(m.Book().Votes))].Name
	case n < 64 && m.Book().Referee != nil && len(m.Book().Referee.Acts) > 0:
		in.Kind, in.Name = step.RefereeAct, m.Book().Referee.Acts[r.IntN(len(m.Book().Referee.Acts))].Name
	case n < 65:
		in.Kind = step.Tick
		in.At += sheet.Tick(r.IntN(400))
	default:
		in.Verb = step.Act
		if len(actions) > 0 {
			in.Name = actions[r.IntN(len(actions))].Name
		}
	}
	return in
}

func someone(r *rand.Rand, m *lobby.Lobby) sheet.ID {
	list := m.Store().Of(sheet.Player)
	if len(list) == 0 || r.IntN(40) == 0 {
		return sheet.ID(r.IntN(200))
	}
	return list[r.IntN(len(list))].ID
}
