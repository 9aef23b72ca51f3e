package hall

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/wire"
)

// face is how a rulebook looks from outside: what its lobbies share.
type face struct {
	*replica.Face
	info wire.BookInfo
}

// faceOf returns the face of a rulebook, which its first lobby makes.
func (h *Hall) faceOf(b *rulebook.Book) *face {
	if f, ok := h.faces.Load(b); ok {
		return f.(*face)
	}
	var sight *replica.Sight
	if b.Ground != nil && b.Ground.Sight != nil {
		s := b.Ground.Sight
		sight = &replica.Sight{Near: s.Near, Far: s.Far, Every: s.Every, Player: b.F.Player.Pos, Piece: b.F.Piece.Pos,
			Creature: b.F.Creature.Pos}
	}
	f, _ := h.faces.LoadOrStore(b, &face{replica.NewFace(b.Schema, sight), describe(b)})
	return f.(*face)
}
