package hall

import (
	"strconv"
	"strings"

	"github.com/mtibben/confusables"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/fault"
)

// lookAlike tells whether two names look alike: in upper or lower case, or by letters that Unicode Technical Standard
// 39 says can be taken for each other.
func lookAlike(a, b string) bool {
	return strings.EqualFold(confusables.Skeleton(a), confusables.Skeleton(b)) ||
		confusables.Skeleton(strings.ToLower(a)) == confusables.Skeleton(strings.ToLower(b))
}

// looksLike returns the name of somebody else in the lobby that looks like one but is not the same, or nothing. The
// same name the authority tells apart itself; what looks alike is decided here, so that a journal needs no table.
func (l *room) looksLike(name string, me sheet.ID) string {
	for _, r := range l.m.Store().Of(sheet.Player) {
		if other := r.Text(l.book.F.Player.Name); r.ID != me && other != name && lookAlike(other, name) {
			return other
		}
	}
	return ""
}

// mayBeCalled refuses a name that somebody in the lobby wants to take and that looks like another's.
func (l *room) mayBeCalled(name string, me sheet.ID) error {
	if like := l.looksLike(strings.TrimSpace(name), me); like != "" {
		return fault.New(code.BadName, "this name looks like that of %s, who is in the lobby; choose another", like)
	}
	return nil
}

// apart returns a name with the smallest number that tells it from those in the lobby that look like it.
func (l *room) apart(name string, me sheet.ID) string {
	try := name
	for n := 2; l.looksLike(try, me) != ""; n++ {
		try = name + " " + strconv.Itoa(n)
	}
	return try
}
