package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Ground is a playing area.
type Ground struct {
	ground.Ground
	Name, Title string // of an arena
	Spawns      []SpawnPoint
	Sight       *Sight // nil where positions are seen from anywhere

	Pieces, Creatures [][]ground.Point // by kind: where they appear; none for anywhere
	Zones             []Shape          // by zone: where it lies
	Gates             []Gate           // walls that are not always there
	Grids             []*ground.Grid   // by kind of creature: where it finds its ways; nil for who needs none
}

// Gate is a wall that is there while a flag of the match holds.
type Gate struct {
	Wall  int // which of the ground's walls
	While *sheet.Field
}

// maxGates is how many gates a ground has at most.
const maxGates = 16

// Shut tells which gates are there, by bit; none without a match.
func (g *Ground) Shut(match *sheet.Row) (gates uint16) {
	for i := range g.Gates {
		if match != nil && match.Flag(g.Gates[i].While) {
			gates |= 1 << i
		}
	}
	return gates
}

// With is the ground with only some of its gates there.
func (g *Ground) With(gates uint16) *Ground {
	now := *g
	now.Walls = nil
	for i, w := range g.Walls {
		gate := slices.IndexFunc(g.Gates, func(x Gate) bool { return x.Wall == i })
		if gate < 0 || gates&(1<<gate) != 0 {
			now.Walls = append(now.Walls, w)
		}
	}
	now.Index()
	return &now
}

// Shape is where a zone lies, in millimetres.
type Shape struct {
	X, Y int64 // its middle
	W, H int64 // half its sides; of a circle the radius and 0

	Low, Tall int64 // where it begins above 0, and how tall it is
}

// Sight says how far positions are told, in millimetres.
type Sight struct {
	Near, Far int64
	Every     sheet.Tick // between the two
	Cone      *Cone      // in which players see, around where they look; nil for all around
}

// Cone is an angle around a direction.
type Cone struct {
	Angle int64 // in degrees
	Cos   int64 // of half of it, in millionths
	Keep  int64 // the same of an angle a tenth wider: what is seen is seen as far as that
}

// Keeps tells whether what is at a place may still be seen by somebody who looks somewhere, both as ways from their
// middle: sight ends a tenth behind where it begins.
func (s *Sight) Keeps(way, looks ground.Point) bool {
	far := s.Far + s.Far/10
	return way.X*way.X+way.Y*way.Y+way.Z*way.Z <= far*far && (s.Cone == nil || ground.InCone(way, looks, s.Cone.Keep))
}

// Body is the body of a player, a creature or a piece.
func (b *Book) Body(r *sheet.Row) ground.Body {
	switch r.Kind {
	case sheet.Creature:
		return b.Creatures[r.Int(b.F.Creature.Kind)].Body
	case sheet.Piece:
		return b.Pieces[r.Int(b.F.Piece.Kind)].Body
	}
	if b.Movement == nil {
		return ground.Body{}
	}
	return b.Movement.Body
}

// Looks is the direction in which a player or a creature looks, of length ground.DirUnit; east where nobody looks
// anywhere.
func (b *Book) Looks(r *sheet.Row) ground.Point {
	yaw, pitch := b.F.Player.Yaw, b.F.Player.Pitch
	if r.Kind == sheet.Creature {
		yaw, pitch = b.F.Creature.Yaw, b.F.Creature.Pitch
	}
	var at, up int64
	if yaw != nil {
		at = r.Int(yaw)
	}
	if pitch != nil {
		up = r.Int(pitch)
	}
	return ground.DirOf(at, up)
}
