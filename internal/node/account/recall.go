package account

import (
	"context"
	"errors"
	"time"

	"turnvex.example/turnvex/internal/node/fault"
)

// What a token that is still good stands for is asked of the database each time that somebody comes with it. While the
// database is away, what it said within the life of a token counts: who has signed in here goes on.

// The most players and keys that are remembered, how long the database may take for one that is, and for how long it is
// not asked again when it did not answer.
const (
	mostRecalled = 200_000
	recallWithin = time.Second
	recallPause  = 2 * time.Second
)

// recalled returns what load says, or, where the database does not answer, what it said last.
func recalled[T any](ctx context.Context, s *Service, subject string, load func(context.Context) (T, error)) (T,
	error) {
	last, known := s.known.Get(subject)
	if known && time.Now().UnixNano() < s.away.Load() {
		return last.(T), nil
	}
	within := ctx
	if known {
		var over context.CancelFunc
		within, over = context.WithTimeout(ctx, recallWithin)
		defer over()
	}
	now, err := load(within)
	var refused *fault.Fault
	switch {
	case err == nil:
		s.known.Add(subject, now)
	case errors.As(err, &refused):
		s.known.Remove(subject)
	case known && ctx.Err() == nil:
		s.away.Store(time.Now().Add(recallPause).UnixNano())
		return last.(T), nil
	}
	return now, err
}
