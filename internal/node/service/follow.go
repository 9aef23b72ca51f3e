package service

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/node/keep"
)

// followEvery is how often a node looks at what others did to the records that its lobbies
// hold.
const followEvery = 500 * time.Millisecond

// maxFollowed is the most players that are asked for in one statement.
const maxFollowed = 5000

// followRecords tells this node's lobbies how the records that they hold stand, when other
// nodes have changed them since a mark from before the first lobby, until the node stops.
func (s *Service) followRecords(since keep.Mark) {
	next := time.NewTicker(followEvery)
	defer next.Stop()
	for {
		select {
		case <-next.C:
			ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
			mark, err := s.lookAtRecords(ctx, since)
			if err != nil {
				s.log.Warn("could not look at what other nodes did to records", "error", err)
			} else {
				since = mark
			}
			cancel()
		case <-s.sweep:
			return
		}
	}
}

func (s *Service) lookAtRecords(ctx context.Context, since keep.Mark) (next keep.Mark, err error) {
	held := s.Hall.Holding()
	if len(held) == 0 {
		next, err := s.Keeper.Mark(ctx)
		if err != nil || len(s.Hall.Holding()) > 0 {
			return since, err
		}
		return next, nil // what is loaded from now on is loaded as it stands
	}
	next = since
	for some := range slices.Chunk(held, maxFollowed) {
		told, mark, err := s.Keeper.Changes(ctx, since, some)
		if err != nil {
			return since, err
		}
		if next == since || mark < next {
			next = mark
		}
		for _, t := range told {
			s.Hall.Stands(t.Rulebook, t.Player, t.Standing)
		}
	}
	return next, nil
}
