package hall

import (
	"crypto/rand"
	"math/big"
)

// codeLetters leaves out what looks alike: 0 and O, 1, I and L, U and V.
const codeLetters = "ABCDEFGHJKMNPQRSTWXYZ23456789"

// CodeLength is the length of a join code.
const CodeLength = 6

// NewCode makes a join code at random.
func NewCode() string {
	b := make([]byte, CodeLength)
	for i := range b {
		b[i] = codeLetters[chance(big.NewInt(int64(len(codeLetters)))).Int64()]
	}
	return string(b)
}

func seed() uint64 { return chance(new(big.Int).Lsh(big.NewInt(1), 64)).Uint64() }

func chance(below *big.Int) *big.Int {
	n, err := rand.Int(rand.Reader, below)
	if err != nil {
		panic(err) // the system has no randomness; nothing can go on
	}
	return n
}
