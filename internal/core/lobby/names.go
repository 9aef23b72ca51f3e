package lobby

import (
	"strconv"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
)

func (l *Lobby) rename(s *seat, name string) step.Verdict {
	if name == "" || len(name) > 64 {
		return step.Verdict{Code: code.BadName, Reason: "a name has 1 to 24 characters"}
	}
	s.Name = name
	l.st.SetText(s.Row, l.book.F.Player.Name, l.distinctName(s, name))
	return step.Verdict{}
}

// distinctName adds the smallest number that tells equal names apart.
func (l *Lobby) distinctName(me *seat, name string) string {
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
