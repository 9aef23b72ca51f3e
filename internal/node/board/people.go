package board

import (
	"bytes"
	"errors"
	"slices"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/node/store"
)

// people are those who stand on boards in memory, shared by all of them: a number each.
type people struct {
	index map[[16]byte]uint32
	list  []person
	free  []uint32
}

type person struct {
	id    [16]byte
	name  string // a player's, or "" for a team
	team  string // a team's name
	stand int    // on how many boards
}

// personBytes is about how much memory one takes, beside the name.
const personBytes = 96

// expect makes room for so many, if there is nobody yet.
func (p *people) expect(n int) {
	if len(p.index) == 0 && n > 0 {
		p.index, p.list = make(map[[16]byte]uint32, n), slices.Grow(p.list, n)
	}
}

// take returns the number of somebody, who stands on one board more.
func (p *people) take(id [16]byte, name, team string) uint32 {
	n, there := p.index[id]
	if !there {
		n = uint32(len(p.list))
		if k := len(p.free); k > 0 {
			n, p.free = p.free[k-1], p.free[:k-1]
		} else {
			p.list = append(p.list, person{})
		}
		p.index[id] = n
		p.list[n] = person{id: id, name: name, team: team}
	}
	if name != "" {
		p.list[n].name = name
	}
	p.list[n].stand++
	return n
}

// drop takes somebody from one board.
func (p *people) drop(n uint32) {
	who := &p.list[n]
	if who.stand--; who.stand == 0 {
		delete(p.index, who.id)
		*who = person{}
		p.free = append(p.free, n)
	}
}

func (p *people) compare(a, b uint32) int { return bytes.Compare(p.list[a].id[:], p.list[b].id[:]) }

// idOf reads the ID of somebody.
func idOf(text string) (id uuid.UUID, err error) {
	if !store.IsID(text) {
		return id, errNoID
	}
	return uuid.Parse(text)
}

var errNoID = errors.New("this is no ID")
