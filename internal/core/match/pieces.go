package match

import (
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// pieces keeps pieces on the ground, and what is carried.
type pieces struct {
	*stage
	values *values

	pieceNext  []sheet.Tick // play ticks, by kind of piece
	pieceCount []int        // on the ground, by kind of piece
}

// tries is how many places are tried for a piece before it is not placed this time.
const tries = 24

// removePiece takes a piece off the ground.
func (m *pieces) removePiece(r *sheet.Row) {
	m.pieceCount[r.Int(m.book.F.Piece.Kind)]--
	m.st.Remove(r)
}

// clearPieces takes every piece off the ground.
func (m *pieces) clearPieces() {
	for list := m.st.Of(sheet.Piece); len(list) > 0; list = m.st.Of(sheet.Piece) {
		m.removePiece(list[len(list)-1])
	}
}

// pieceDue returns the play tick at which something happens to a kind of piece.
func (m *pieces) pieceDue(no int, p *rulebook.Piece) sheet.Tick {
	due := sheet.Tick(0)
	if p.Keep > 0 && m.pieceCount[no] < p.Keep && !m.book.Phases[m.phase].Frozen {
		due = max(m.pieceNext[no], m.play+1)
	}
	if p.Lasts > 0 {
		for _, r := range m.st.Of(sheet.Piece) {
			if t := sheet.Tick(r.Int(m.book.F.Piece.Born)) + p.Lasts; r.Int(m.book.F.Piece.Kind) == int64(no) &&
				(due == 0 || t < due) {
				due = t
			}
		}
	}
	return due
}

// keepPieces takes away what has lasted its time and places what is missing, one at an interval.
func (m *pieces) keepPieces() {
	f := &m.book.F.Piece
	for no, p := range m.book.Pieces {
		if p.Lasts > 0 {
			list := m.st.Of(sheet.Piece)
			for i := len(list) - 1; i >= 0; i-- {
				if r := list[i]; r.Int(f.Kind) == int64(no) && sheet.Tick(r.Int(f.Born))+p.Lasts <= m.play {
					m.removePiece(r)
					list = m.st.Of(sheet.Piece)
				}
			}
		}
		if m.book.Phases[m.phase].Frozen {
			continue
		}
		for n := m.pieceCount[no]; n < p.Keep && m.pieceNext[no] <= m.play; n++ {
			m.pieceNext[no] = m.play + p.Every
			if m.placeAnywhere(no, p) == nil {
				m.pieceNext[no] = m.play + max(p.Every, 1)
			}
		}
	}
}

// placeAnywhere places a piece where it fits, or not this time.
func (m *pieces) placeAnywhere(no int, p *rulebook.Piece) *sheet.Row {
	g, chance := m.ground(), draw(m.stage, lots.Piece, uint32(no))
	for try := 0; try < tries; try++ {
		var x, y int64
		place := -1
		if at := g.Pieces[no]; len(at) > 0 {
			place = chance.IntN(len(at))
			x, y = at[place][0], at[place][1]
		} else {
			w, h := g.Width-2*p.Radius, g.Height-2*p.Radius
			if w < 0 || h < 0 {
				return nil
			}
			x, y = p.Radius+chance.Int64N(w+1), p.Radius+chance.Int64N(h+1)
		}
		if m.roomFor(p, x, y) {
			r := m.placeAt(no, x, y)
			m.tallied(func(t *Tally) {
				if place >= 0 {
					t.Places[m.arena()][no][place]++
				}
			})
			return r
		}
	}
	return nil
}

// roomFor tells whether a piece at a point overlaps no wall, no other piece and no player.
func (m *pieces) roomFor(p *rulebook.Piece, x, y int64) bool {
	if !m.ground().Free(x, y, p.Radius) {
		return false
	}
	f := &m.book.F.Piece
	for _, r := range m.st.Of(sheet.Piece) {
		qx, qy := r.Pos(f.Pos)
		q := m.book.Pieces[r.Int(f.Kind)]
		if d := p.Radius + q.Radius + max(p.Apart, q.Apart); closer(x, y, qx, qy, d) {
			return false
		}
	}
	for _, r := range m.st.Seated {
		qx, qy := r.Pos(m.book.F.Player.Pos)
		if d := p.Radius + m.radius(); r.Flag(m.book.F.Player.Alive) && d > 0 && closer(x, y, qx, qy, d) {
			return false
		}
	}
	return true
}

// closer tells whether two points are less than d apart.
func closer(ax, ay, bx, by, d int64) bool {
	dx, dy := ax-bx, ay-by
	return dx*dx+dy*dy < d*d
}

func (m *pieces) placeAt(no int, x, y int64) *sheet.Row {
	f := &m.book.F.Piece
	r := m.st.Add(sheet.Piece)
	m.begins(r, m.book.Pieces[no].Starts)
	m.st.SetInt(r, f.Kind, int64(no))
	m.st.SetPos(r, f.Pos, x, y)
	m.st.SetInt(r, f.Born, int64(m.play))
	m.pieceCount[no]++
	m.tallied(func(t *Tally) { t.Pieces[no]++ })
	m.startFrom(r)
	m.values.begin(r, sheet.ResetMatch)
	return r
}

// movePiece takes a piece to a point of the ground, or as far as walls let it where they stop it.
func (m *pieces) movePiece(r *sheet.Row, x, y int64) {
	f, g := &m.book.F.Piece, m.ground()
	p := m.book.Pieces[r.Int(f.Kind)]
	x, y = min(max(x, 0), g.Width), min(max(y, 0), g.Height)
	if p.Stops {
		ox, oy := r.Pos(f.Pos)
		x, y = g.Move(ox, oy, x-ox, y-oy, p.Radius)
	}
	if m.st.SetPos(r, f.Pos, x, y) {
		m.stirred = true
	}
}

// maxPieces is the most pieces on a ground.
const maxPieces = 1000

func (m *pieces) setTouching(piece, body *sheet.Row, on bool) {
	f, bit := m.touchBit(body)
	bits := piece.Int(f) &^ bit
	if on {
		bits |= bit
	}
	m.st.SetInt(piece, f, bits)
}

// touchBit is where a piece notes a body that is on it.
func (m *pieces) touchBit(body *sheet.Row) (*sheet.Field, int64) {
	slot := body.Int(m.book.F.Player.Slot)
	return m.book.F.Piece.Touching[slot/60], 1 << (slot % 60)
}
