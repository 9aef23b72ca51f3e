package account

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
)

// try reserves a try at an account, or at a key where account is "", before anything is looked up or hashed. A try that
// works gives it back.
func (s *Service) try(account, address string) (worked func(), err error) {
	uses := []guard.Use{{Limit: guard.AddressTries, Who: address}}
	if account != "" {
		uses = append(uses, guard.Use{Limit: guard.AccountTries, Who: account + " " + address},
			guard.Use{Limit: guard.AccountAll, Who: account})
	}
	return s.guard.TakeAll(uses...)
}

// comeAgain is the seconds after which the queue for hashing is likely shorter.
const comeAgain = 2

// hasher hashes passwords and keys, no more at once than there is memory for.
type hasher struct {
	guard  *guard.Guard
	places chan struct{}
}

// hashing takes a place in the queue for hashing, and returns when it is its turn.
func (h *hasher) hashing() (done func(), err error) {
	back, err := h.guard.Take(guard.Hashing, "")
	if err != nil {
		f := fault.New(code.TooMany, "many people are signing in with passwords; try again in %d s", comeAgain)
		f.Left = comeAgain
		return nil, f
	}
	h.places <- struct{}{} // each takes memory: no more at once than there is room for
	return func() { <-h.places; back() }, nil
}
