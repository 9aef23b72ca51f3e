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
}
