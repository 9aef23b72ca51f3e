package match

import (
	"turnvex.example/turnvex/internal/core/ground"
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
				if i >= len(list) {
					continue // a fuse has removed several
				}
				if r := list[i]; r.Int(f.Kind) == int64(no) && sheet.Tick(r.Int(f.Born))+p.Lasts <= m.play {
					if m.burnsDown(r, p); m.st.Get(r.ID) == r {
						m.removePiece(r)
					}
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

// burnsDown does what happens when a shot has lasted its time.
func (m *pieces) burnsDown(r *sheet.Row, p *rulebook.Piece) {
	if p.Shot != nil && len(p.Shot.Fuse) > 0 {
		m.subject(sheet.Piece, r)
		m.do(p.Shot.Fuse)
	}
}

// placeAnywhere places a piece where it fits, or not this time.
func (m *pieces) placeAnywhere(no int, p *rulebook.Piece) *sheet.Row {
	g, chance := m.ground(), draw(m.stage, lots.Piece, uint32(no))
	for try := 0; try < tries; try++ {
		var at ground.Point
		place := -1
		if points := g.Pieces[no]; len(points) > 0 {
			place = chance.IntN(len(points))
			at = points[place]
		} else {
			w, h := g.Width-2*p.Radius, g.Height-2*p.Radius
			if w < 0 || h < 0 {
				return nil
			}
			at.X, at.Y = p.Radius+chance.Int64N(w+1), p.Radius+chance.Int64N(h+1)
			if g.Tall > 0 {
				at.Z = chance.Int64N(g.Tall + 1)
			}
		}
		if at = m.laid(p, at); m.roomFor(p, at) {
			r := m.placeAt(no, at)
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
func (m *pieces) roomFor(p *rulebook.Piece, at ground.Point) bool {
	if !isRoom(m.ground(), at, p.Body) {
		return false
	}
	f := &m.book.F.Piece
	for _, r := range m.st.Of(sheet.Piece) {
		q := m.book.Pieces[r.Int(f.Kind)]
		if d := p.Radius + q.Radius + max(p.Apart, q.Apart); closer(at, placeIn(r, f.Pos), d) {
			return false
		}
	}
	for _, r := range m.st.Seated {
		if d := p.Radius + m.radius(); r.Flag(m.book.F.Player.Alive) && d > 0 &&
			closer(at, placeIn(r, m.book.F.Player.Pos), d) {
			return false
		}
	}
	return true
}

// closer tells whether two points are less than d apart.
func closer(a, b ground.Point, d int64) bool { return square(from(a, b)) < d*d }

// laid is where a piece comes to lie: on tall ground on the floor under a point. What flies, and what has no floor
// under it, stays there.
func (m *pieces) laid(p *rulebook.Piece, at ground.Point) ground.Point {
	if g := m.ground(); g.Tall > 0 && p.Shot == nil {
		if floor, is := g.Floor(at.X, at.Y, at.Z); is {
			at.Z = floor
		}
	}
	return at
}

// isRoom tells whether a body fits at a place.
func isRoom(g *rulebook.Ground, p ground.Point, b ground.Body) bool {
	if g.Tall == 0 {
		return g.Free(p.X, p.Y, b.Radius)
	}
	return g.Room(p, b)
}

func (m *pieces) placeAt(no int, at ground.Point) *sheet.Row {
	f := &m.book.F.Piece
	r := m.st.Add(sheet.Piece)
	m.begins(r, m.book.Pieces[no].Starts)
	m.st.SetInt(r, f.Kind, int64(no))
	putAt(m.st, r, f.Pos, at)
	m.st.SetInt(r, f.Born, int64(m.play))
	m.pieceCount[no]++
	m.tallied(func(t *Tally) { t.Pieces[no]++ })
	m.startFrom(r)
	m.values.begin(r, sheet.ResetMatch)
	return r
}

// movePiece takes a piece to a point of the ground, or as far as walls let it where they stop it.
func (m *pieces) movePiece(r *sheet.Row, to ground.Point) {
	f, g := &m.book.F.Piece, m.ground()
	p := m.book.Pieces[r.Int(f.Kind)]
	to = heldIn(g, to, ground.Body{})
	if was := placeIn(r, f.Pos); p.Stops && g.Tall == 0 {
		to.X, to.Y = g.Move(was.X, was.Y, to.X-was.X, to.Y-was.Y, p.Radius)
	} else if p.Stops {
		to = g.Fly(was, from(to, was), p.Body)
	}
	if putAt(m.st, r, f.Pos, m.laid(p, to)) {
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
