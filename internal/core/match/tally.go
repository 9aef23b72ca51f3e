package match

import (
	"turnvex.example/turnvex/internal/core/rulebook"
)

// Tally counts what happens in a lobby's matches, for rehearsals. It is no part of the state: nothing follows from it.
type Tally struct {
	Rules     []int       // by rule: how often it acted
	Pieces    []int       // by kind: how many were placed
	Creatures []int       // by kind: how many came
	Places    [][][]int   // by ground, kind and place: how many were placed there
	Spawns    [][]int     // by ground and spawn point: how many appeared there
	Arenas    []int       // by arena: how many matches or rounds were played there
	Kits      []int       // by kit: how often it was given, at the start or by an effect
	Acts      []int       // by referee's act: how often it was done
	Notices   []int       // by notice: how often it was told
	StandIns  []int       // by action: how often a stand-in took it
	Faults    map[int]int // by line: how often what stands there could not be computed
}

// NewTally returns an empty tally for a rulebook.
func NewTally(b *rulebook.Book) *Tally {
	t := &Tally{Rules: make([]int, len(b.Rules)), Pieces: make([]int, len(b.Pieces)),
		Creatures: make([]int, len(b.Creatures)), Kits: make([]int, len(b.Kits)), Notices: make([]int, len(b.Notices)),
		StandIns: make([]int, len(b.Actions)), Faults: map[int]int{}}
	t.Arenas = make([]int, len(b.Grounds))
	if b.Referee != nil {
		t.Acts = make([]int, len(b.Referee.Acts))
	}
	for _, g := range b.Grounds {
		t.Spawns = append(t.Spawns, make([]int, len(g.Spawns)))
		var places [][]int
		for _, at := range g.Pieces {
			places = append(places, make([]int, len(at)))
		}
		t.Places = append(t.Places, places)
	}
	return t
}

// Add adds what another tally of the same rulebook has counted.
func (t *Tally) Add(o *Tally) {
	for _, pair := range [][2][]int{{t.Rules, o.Rules}, {t.Pieces, o.Pieces}, {t.Arenas, o.Arenas}, {t.Acts, o.Acts},
		{t.Kits, o.Kits},
		{t.Notices, o.Notices}, {t.Creatures, o.Creatures}, {t.StandIns, o.StandIns}} {
		for n, count := range pair[1] {
			pair[0][n] += count
		}
	}
	for no, ground := range o.Places {
		for kind, places := range ground {
			for n, count := range places {
				t.Places[no][kind][n] += count
			}
		}
		for n, count := range o.Spawns[no] {
			t.Spawns[no][n] += count
		}
	}
	for line, count := range o.Faults {
		t.Faults[line] += count
	}
}

// Count makes a tally count what happens from now on; nil ends it.
func (m *Match) Count(t *Tally) { m.tally = t }

// Plainly makes the match look at every derived field and every condition each time that it settles, whether anything
// that they read has changed or not. It must come to the same, only more slowly: benchmarks and tests hold the one
// against the other.
func (m *Match) Plainly(on bool) { m.plainly = on }
