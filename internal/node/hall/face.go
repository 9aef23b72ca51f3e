package hall

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// face is how a rulebook looks from outside: what its lobbies share.
type face struct {
	*replica.Face
	info wire.BookInfo
}

// Face is how the lobbies of a rulebook look from outside.
func Face(b *rulebook.Book) (*replica.Face, wire.BookInfo) {
	f := newFace(b)
	return f.Face, f.info
}

// faceOf returns the face of a rulebook, which its first lobby makes.
func (h *Hall) faceOf(b *rulebook.Book) *face {
	if f, ok := h.faces.Load(b); ok {
		return f.(*face)
	}
	f, _ := h.faces.LoadOrStore(b, newFace(b))
	return f.(*face)
}

func newFace(b *rulebook.Book) *face {
	var sight *replica.Sight
	if b.Ground != nil && b.Ground.Sight != nil {
		sight = sightOf(b, b.Ground.Sight)
	}
	return &face{replica.NewFace(b.Schema, sight), describe(b)}
}

func sightOf(b *rulebook.Book, s *rulebook.Sight) *replica.Sight {
	sight := &replica.Sight{Near: s.Near, Far: s.Far, Every: s.Every, Player: b.F.Player.Pos,
		Facing: b.SeenFacing(), Piece: b.F.Piece.Pos, Creature: b.F.Creature.Pos}
	if s.Cone != nil {
		sight.Cos, sight.Keep, sight.Looks = s.Cone.Cos, s.Cone.Keep, b.Looks
	}
	if b.Ground.Tall > 0 {
		sight.Tall = func(r *sheet.Row) int64 { return b.Body(r).Tall }
	}
	return sight
}
