package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Wish is what rules want of the lobby: seats and sides are its own. It carries wishes out
// when everything of the step has settled.
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

func (m *Match) wish(w Wish) {
	if len(m.wishes) < maxWishes {
		m.wishes = append(m.wishes, w)
	}
}

// TakeWishes returns what rules want of the lobby, and forgets it.
func (m *Match) TakeWishes() []Wish {
	w := m.wishes
	m.wishes = nil
	return w
}

func (m *Match) join(e *rulebook.Effect) {
	of, to := sheet.ID(e.Value.Int(&m.env)), sheet.ID(e.Team.Int(&m.env))
	if of != 0 && to != 0 {
		m.wish(Wish{Kind: WishJoin, Of: of, To: to})
	}
}

func (m *Match) changeSides(e *rulebook.Effect) { m.wish(Wish{Kind: WishSides, No: e.No}) }

func (m *Match) kickOut(e *rulebook.Effect) {
	if of := sheet.ID(e.Value.Int(&m.env)); of != 0 {
		m.wish(Wish{Kind: WishKick, Of: of})
	}
}

func (m *Match) startNext(*rulebook.Effect) { m.wish(Wish{Kind: WishStart}) }

// bench takes a player off the ground, without being out: the player does not come back
// until the rules say so.
func (m *Match) bench(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s == nil || !m.st.SetFlag(s.Row, m.book.F.Player.Benched, true) {
		return
	}
	s.respawnAt = 0
	m.st.SetClock(s.Row, m.book.F.Player.Respawn, 0, 0, m.play)
	if s.Row.Flag(m.book.F.Player.Alive) {
		m.st.SetFlag(s.Row, m.book.F.Player.Alive, false)
		m.stirred = true
		m.StopSteering(s)
		m.endAllActions(s)
	}
}

// unbench lets a player play again who was on the bench.
func (m *Match) unbench(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s != nil && m.st.SetFlag(s.Row, m.book.F.Player.Benched, false) {
		m.spawn(s)
	}
}

// benched tells whether a player is on the bench.
func (m *Match) benched(p *sheet.Row) bool {
	return m.book.F.Player.Benched != nil && p.Flag(m.book.F.Player.Benched)
}

// freeze takes no inputs of a player for a time.
func (m *Match) freeze(e *rulebook.Effect) {
	s := m.playerIn(e.Value)
	if s == nil {
		return
	}
	m.st.SetClock(s.Row, m.book.F.Player.Frozen, int64(e.Lasts), -int64(sheet.Bit(e.Lasts > 0)), m.play)
	m.StopSteering(s)
}

// frozen is how long a player's inputs are still not taken, in ticks.
func (m *Match) frozen(p *sheet.Row) int64 {
	if f := m.book.F.Player.Frozen; f != nil {
		return p.Clock(f, m.play)
	}
	return 0
}

// endAllActions ends what a player has going on, whatever is at hand.
func (m *Match) endAllActions(s *Player) {
	was := m.env
	for _, a := range m.book.Actions {
		if a.Active != nil && m.isActive(s.Row, a) {
			m.endAction(s, a)
		}
	}
	m.env.Me, m.env.Team, m.env.Target, m.env.It = was.Me, was.Team, was.Target, was.It
	m.env.Piece, m.env.Being, m.env.Zone = was.Piece, was.Being, was.Zone
}

// Holds evaluates a condition on a player, which stands in a line.
func (m *Match) Holds(s *Player, p *expr.Prog, line int) bool {
	m.subject(sheet.Player, s.Row)
	return m.yes(p, line)
}

// Carry does what follows from a vote: for who opened it as me, with whom it was on as
// target, and the chosen word as the first argument.
func (m *Match) Carry(list []rulebook.Effect, by, on sheet.ID, choice int64) {
	m.subject(sheet.Player, m.st.GetOr(by, sheet.Player))
	m.env.Target = m.st.GetOr(on, sheet.Player)
	m.clearArgs()
	m.env.Arg.N[0] = choice
	m.do(list)
	m.env.Target = nil
}
