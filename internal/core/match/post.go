package match

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// posts are what the boards' own expressions give for a player or a team now.
func (m *kept) posts(of *sheet.Row) []step.Post {
	var out []step.Post
	if of.Kind == sheet.Player && !m.keeps(of) {
		return nil
	}
	for _, b := range m.book.Boards {
		if b.Of == nil || b.Team != (of.Kind == sheet.Team) || b.Arena > 0 && b.Arena != 1+m.arena() {
			continue
		}
		m.subject(of.Kind, of)
		if b.If != nil && !m.yes(b.If, b.Line) {
			continue
		}
		n := b.Of.Int(&m.env)
		m.faulty(b.Line)
		if m.env.Fault == 0 {
			out = append(out, m.postOf(b, of, n))
		}
	}
	return out
}

// postOf is a value for a board, of a player or a team.
func (m *kept) postOf(b *rulebook.Board, of *sheet.Row, n int64) step.Post {
	p := step.Post{Board: b.Name, Value: n, At: m.wall}
	if b.Team {
		p.Team = of.Text(m.book.F.Team.Name)
	} else {
		p.Account = of.Text(m.book.F.Player.Account)
	}
	return p
}

// postNow posts to a board at once. Practice posts nothing, and nobody posts who has no account of their own.
func (m *kept) postNow(e *rulebook.Effect) {
	b := m.book.Boards[e.No]
	if b.Arena > 0 {
		b = m.book.Boards[e.No+m.arena()]
	}
	m.env.Fault = expr.OK
	of := m.st.Get(sheet.ID(e.Of.Int(&m.env)))
	n, ok := m.toPost(b, e, of)
	if !ok || m.practice() || of.Kind == sheet.Player && !m.keeps(of) {
		return
	}
	p := m.postOf(b, of, n)
	if p.Account == "" && p.Team == "" {
		return
	}
	if m.full {
		m.out.Do(step.Effect{Kind: step.Refused, Text: b.Name})
		return
	}
	m.saves++
	out := step.Effect{Kind: step.SavePost, Account: p.Account, Post: &p, N: m.saves}
	if m.row != nil {
		out.Match = m.count
	}
	m.out.Do(out)
}

// toPost is the number that an effect posts: its own value, or what the board's says of whose entry it is.
func (m *kept) toPost(b *rulebook.Board, e *rulebook.Effect, of *sheet.Row) (n int64, ok bool) {
	switch {
	case of == nil || m.env.Fault != expr.OK:
		return 0, false
	case e.Value != nil:
		n = e.Value.Int(&m.env)
	case b.Of != nil:
		was := m.env
		m.subject(of.Kind, of)
		n = b.Of.Int(&m.env)
		fault := m.env.Fault
		m.env = was
		m.env.Fault = fault
	}
	m.faulty(e.Line)
	return n, m.env.Fault == expr.OK
}
