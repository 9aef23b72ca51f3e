package service

import (
	"context"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/node/keep"
)

// A node learns from the database what others have done; hints of theirs only make it look sooner.

// lookEvery is how often a node looks for published rulebooks, and for changes in the listing.
const lookEvery = 500 * time.Millisecond

// followOthers looks at what other nodes publish and list, until the node stops.
func (s *Service) followOthers(ctx context.Context) {
	next, hinted := time.NewTicker(lookEvery), make(chan struct{}, 1)
	defer next.Stop()
	s.Bus.On("look", func(string, string) {
		select {
		case hinted <- struct{}{}:
		default:
		}
	})
	lobbies := s.Directory.Follow(s.Hall.Listing, s.Cluster.Self.Name)
	for {
		select {
		case <-next.C:
		case <-hinted:
		case <-ctx.Done():
			return
		}
		within, over := context.WithTimeout(ctx, 10*time.Second)
		bad, err := s.Library.Look(within)
		if err == nil {
			err = lobbies.Look(within)
		}
		over()
		for _, b := range bad {
			s.log.Warn("a rulebook is left as it was", "error", b)
		}
		if err != nil && ctx.Err() == nil {
			s.log.Warn("could not look at what other nodes did", "error", err)
		}
	}
}

// followEvery is how often a node looks at what others did to the records that its lobbies
// hold.
const followEvery = 500 * time.Millisecond

// maxFollowed is the most players that are asked for in one statement.
const maxFollowed = 5000

// followRecords tells this node's lobbies how the records that they hold stand, when other
// nodes have changed them since a mark from before the first lobby, until the node stops.
func (s *Service) followRecords(since keep.Mark) {
	next, named := time.NewTicker(followEvery), since
	defer next.Stop()
	for {
		select {
		case <-next.C:
			ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
			mark, err := s.lookAtRecords(ctx, since)
			if err == nil {
				since = mark
				named, err = s.lookAtNames(ctx, named)
			}
			if err != nil {
				s.log.Warn("could not look at what other nodes did to records and names", "error", err)
			}
			cancel()
		case <-s.sweep:
			return
		}
	}
}

// lookAtNames tells this node's lobbies the names that players have taken elsewhere since a mark.
func (s *Service) lookAtNames(ctx context.Context, since keep.Mark) (next keep.Mark, err error) {
	next = since
	for some := range slices.Chunk(s.Hall.Seated(), maxFollowed) {
		names, mark, err := s.Keeper.Named(ctx, since, some)
		if err != nil {
			return since, err
		}
		for player, name := range names {
			s.Hall.Renamed(player, name)
		}
		if next == since || mark < next {
			next = mark
		}
	}
	return next, nil
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
