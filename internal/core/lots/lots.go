// Package lots draws what is left to chance. Each draw has a stream of its own, which follows from the seed, the
// moment, the place in the rules and whom it is about, and from nothing else: what happens elsewhere, or to somebody
// else, shifts no draw. So nobody can tell from chance that something was drawn which they do not see.
package lots

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"math/rand/v2"
	"slices"

	"turnvex.example/turnvex/internal/core/state"
)

// Place is where something is drawn.
type Place uint32

// The places. Those of expressions come after them, each with a number of its own.
const (
	Deal Place = iota + 1
	Tie
	Filler
	Ballot
	Turns
	FirstArena
	NextArena
	Spawn
	Bearer
	Put
	Take
	Shuffle
	Piece
	Creature
	Stroll
	Whim
	NextWhim
	Expression Place = 1 << 16
)

// Lots draws. It is not safe for use by several goroutines.
type Lots struct {
	seed  uint64
	at    int64   // the moment of the latest draws
	drawn []drawn // at that moment, by key

	source *rand.ChaCha8
	rand   *rand.Rand
}

// drawn is how often something was drawn at one moment.
type drawn struct{ key, times uint64 }

// New returns the lots of a seed.
func New(seed uint64) *Lots {
	l := &Lots{seed: seed, source: rand.NewChaCha8([32]byte{})}
	l.rand = rand.New(l.source)
	return l
}

// Draw returns the chance of a place at a moment, for somebody or something; good until the next Draw. A second time at
// the same moment gives another one.
func (l *Lots) Draw(at int64, p Place, of ...uint32) *rand.Rand {
	if at != l.at {
		l.at, l.drawn = at, l.drawn[:0]
	}
	text := make([]byte, 0, 64)
	text = binary.LittleEndian.AppendUint64(text, l.seed)
	text = binary.LittleEndian.AppendUint64(text, uint64(at))
	text = binary.LittleEndian.AppendUint32(text, uint32(p))
	for _, id := range of {
		text = binary.LittleEndian.AppendUint32(text, id)
	}
	sum := sha256.Sum256(text)
	key := binary.LittleEndian.Uint64(sum[:])
	binary.LittleEndian.PutUint64(sum[:], key^l.again(key))
	l.source.Seed(sum)
	return l.rand
}

// again counts a draw, and returns how many there were before it.
func (l *Lots) again(key uint64) uint64 {
	i, found := slices.BinarySearchFunc(l.drawn, key, func(d drawn, k uint64) int { return cmp.Compare(d.key, k) })
	if !found {
		l.drawn = slices.Insert(l.drawn, i, drawn{key: key})
	}
	l.drawn[i].times++
	return l.drawn[i].times - 1
}

// NotWalked lists the fields of this package that are not part of the state, and why.
var NotWalked = map[string]string{
	"Lots.source": "seeded anew for each draw",
	"Lots.rand":   "draws from the source",
}

// Walk walks over the seed and what was drawn at this moment.
func (l *Lots) Walk(w *state.Walk) {
	state.Int(w, "seed", &l.seed)
	state.Int(w, "at", &l.at)
	state.List(w, "drawn", &l.drawn, func(d *drawn) {
		state.Int(w, "key", &d.key)
		state.Int(w, "times", &d.times)
	})
}
