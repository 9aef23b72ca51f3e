package api

import (
	"context"
	"runtime/debug"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
)

// Rulebooks are checked one at a time, and after each the service rests for so many times as long as it took: matches
// go first. A large one is checked with memory given back sooner.
const (
	restAfter = 3
	large     = 64 << 10
)

// compile checks a rulebook when it is its turn. Only some may wait for theirs.
func (s *server) compile(ctx context.Context, src []byte) (*rulebook.Book, rulebook.Problems, error) {
	back, err := s.Guard.Take(guard.Checking, "")
	if err != nil {
		f := fault.New(code.TooMany, "many rulebooks are being checked; try again in a moment")
		f.Left = 1
		return nil, nil, f
	}
	defer back()
	select {
	case s.checking <- struct{}{}:
	case <-ctx.Done():
		return nil, nil, ctx.Err()
	}
	began := time.Now()
	defer func() { safe.After(restAfter*time.Since(began), "rest after a check", func() { <-s.checking }) }()
	if len(src) > large {
		defer debug.SetGCPercent(debug.SetGCPercent(50))
	}
	book, problems := s.Library.Compile(src)
	return book, problems, nil
}
