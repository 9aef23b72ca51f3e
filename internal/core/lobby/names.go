package lobby

import (
	"strconv"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// rename answers the wish to be called something else. The driver keeps the name of a player who has an account, and
// makes it known in their other lobbies.
func (l *seating) rename(s *seat, text string) step.Verdict {
	name, err := names.Clean(text)
	if err != nil {
		return step.Verdict{Code: code.BadName, Reason: err.Error()}
	}
	l.call(s, name)
	if account := s.Row.Text(l.book.F.Player.Account); account != "" {
		l.out.Do(step.Effect{Kind: step.KeepName, Seat: s.Row.ID, Account: account, Text: name})
	}
	return step.Verdict{}
}

// called gives a player a name that is kept already.
func (l *seating) called(id sheet.ID, name string) {
	if s := l.seat(id); s != nil {
		l.call(s, name)
	}
}

func (l *seating) call(s *seat, name string) {
	s.Name = name
	l.st.SetText(s.Row, l.book.F.Player.Name, l.distinctName(s, name))
}

// distinctName adds the smallest number that tells equal names apart.
func (l *seating) distinctName(me *seat, name string) string {
	for n, try := 1, name; ; n++ {
		if n > 1 {
			try = name + " " + strconv.Itoa(n)
		}
		taken := false
		for _, s := range l.seats {
			taken = taken || s != me && s.Row.Text(l.book.F.Player.Name) == try
		}
		if !taken {
			return try
		}
	}
}
