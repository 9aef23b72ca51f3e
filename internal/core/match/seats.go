package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// sides is what rules do to people's seats: benches, freezes, and what they wish of the lobby.
type sides struct {
	*stage
	acts   *acts
	motion *motion
	wishes []Wish // of the step, for the lobby
}

// Wish is what rules want of the lobby: seats and sides are its own. It carries wishes out when everything of the step
// has settled.
type Wish struct {
	Kind WishKind
	Of   sheet.ID // the player
	To   sheet.ID // the team
	No   int      // of WishSides: how
}

// WishKind says what is wanted.
type WishKind uint8

// The wishes.
const (
	WishJoin  WishKind = iota // Of changes to the team To
	WishSides                 // all change sides, as No says
	WishKick                  // Of leaves the lobby
	WishStart                 // the next match begins, where that is possible
)

// maxWishes is the most wishes of one step.
const maxWishes = 200

func (m *sides) wish(w Wish) {
	if len(m.wishes) < maxWishes {
		m.wishes = append(m.wishes, w)
	}
}

// TakeWishes returns what rules want of the lobby, and forgets it.
func (m *sides) TakeWishes() []Wish {
	w := m.wishes
	m.wishes = nil
	return w
}

func (m *sides) join(e *rulebook.Effect) {
	of, to := sheet.ID(e.Value.Int(&m.env)), sheet.ID(e.Team.Int(&m.env))
	if of != 0 && to != 0 {
		m.wish(Wish{Kind: WishJoin, Of: of, To: to})
	}
}

func (m *sides) changeSides(e *rulebook.Effect) { m.wish(Wish{Kind: WishSides, No: e.No}) }

func (m *sides) kickOut(e *rulebook.Effect) {
	if of := sheet.ID(e.Value.Int(&m.env)); of != 0 {
		m.wish(Wish{Kind: WishKick, Of: of})
	}
}

func (m *sides) startNext(*rulebook.Effect) { m.wish(Wish{Kind: WishStart}) }

// bench takes a player off the ground, without being out: the player does not come back until the rules say so.
func (m *sides) bench(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s == nil || !m.st.SetFlag(s.Row, m.book.F.Player.Benched, true) {
		return
	}
	s.respawnAt = 0
	m.st.SetClock(s.Row, m.book.F.Player.Respawn, 0, 0, m.play)
	if s.Row.Flag(m.book.F.Player.Alive) {
		m.st.SetFlag(s.Row, m.book.F.Player.Alive, false)
		m.stirred = true
		m.motion.StopSteering(s)
		m.acts.endAllActions(s)
	}
}

// unbench lets a player play again who was on the bench.
func (m *sides) unbench(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s != nil && m.st.SetFlag(s.Row, m.book.F.Player.Benched, false) {
		m.motion.spawn(s)
	}
}

// freeze takes no inputs of a player for a time.
func (m *sides) freeze(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s == nil {
		return
	}
	lasts := ticksOf(m.stage, e.Lasts, e.Line)
	m.st.SetClock(s.Row, m.book.F.Player.Frozen, lasts, -int64(sheet.Bit(lasts > 0)), m.play)
	m.motion.StopSteering(s)
}
