package lobby

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// ban removes a player for good.
func (l *seating) ban(s *seat, id sheet.ID) step.Verdict {
	if v := may(l.room, s, rulebook.PowerBan); !v.OK() {
		return v
	}
	t := l.seat(id)
	account := ""
	if t != nil {
		account = t.Row.Text(l.book.F.Player.Account)
	}
	if v := l.expel(s, id); !v.OK() {
		return v
	}
	if account != "" && !slices.Contains(l.banned, account) {
		l.banned = append(l.banned, account)
		l.banned = l.banned[max(len(l.banned)-maxBanned, 0):]
	}
	l.held = slices.DeleteFunc(l.held, func(r reservation) bool { return r.account == account })
	return step.Verdict{}
}

func (l *seating) unban(s *seat, account string) step.Verdict {
	if v := may(l.room, s, rulebook.PowerBan); !v.OK() {
		return v
	}
	l.banned = slices.DeleteFunc(l.banned, func(b string) bool { return b == account })
	return step.Verdict{}
}
