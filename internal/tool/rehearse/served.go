package rehearse

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// servedLimit is the most play time of a match that is played for the console.
const servedLimit = 10 * time.Minute

// Served rehearses for the rulebook editor of the console: on one core, and no match begins once the context is done.
func Served(ctx context.Context, b *rulebook.Book, matches int) (any, error) {
	return Run(b, Options{Matches: matches, Seed: 1, Limit: servedLimit, Workers: 1, Stop: ctx.Done()})
}
