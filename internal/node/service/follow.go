package service

import (
	"context"
	"maps"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/node/feed"
)

// followed is everything that this node learns from the database of what others have done.
func (s *Service) followed() *feed.Feed {
	return feed.New(s.DB, feed.Subscriber{Topic: feed.Voids, Look: s.Accounts.LookVoided},
		feed.Subscriber{Topic: feed.Mutes, Look: s.Accounts.Mutes.Look},
		feed.Subscriber{Topic: feed.Books, Look: s.lookAtBooks},
		feed.Subscriber{Topic: feed.Lobbies, Wanted: func() bool { return !s.Hall.Listing.Idle() },
			Look: func(ctx context.Context, keys []string) error {
				return s.Directory.Look(ctx, s.Hall.Listing, s.Cluster.Self.Name, keys)
			}}, feed.Subscriber{Topic: feed.Entries, Wanted: s.Boards.Holds, Look: s.Boards.Look},
		feed.Subscriber{Topic: feed.Records, Wanted: s.Hall.HoldsRecords, Look: s.lookAtRecords},
		feed.Subscriber{Topic: feed.Players, Look: s.lookAtPlayers})
}

// lookAtBooks takes up rulebooks that others have published.
func (s *Service) lookAtBooks(ctx context.Context, names []string) error {
	bad, err := s.Library.Look(ctx, names)
	for _, b := range bad {
		s.log.Warn("a rulebook is left as it was", "error", b)
	}
	return err
}

// maxAsked is the most players that are asked for in one statement.
const maxAsked = 5000

// lookAtRecords tells the lobbies that hold some records, or any, how they stand. A key begins with the player's ID.
func (s *Service) lookAtRecords(ctx context.Context, keys []string) error {
	players := s.Hall.Holding()
	if keys != nil {
		changed := map[string]bool{}
		for _, k := range keys {
			player, _, _ := strings.Cut(k, " ")
			changed[player] = true
		}
		players = slices.DeleteFunc(players, func(p string) bool { return !changed[p] })
	}
	for some := range slices.Chunk(players, maxAsked) {
		all, err := s.Keeper.Stand(ctx, some)
		if err != nil {
			return err
		}
		for _, t := range all {
			s.Hall.Stands(t.Rulebook, t.Player, t.Standing)
		}
	}
	return nil
}

// lookAtPlayers brings the names of some players, or of all who are here, to where they stand, and gives up the seats
// of those who are deleted.
func (s *Service) lookAtPlayers(ctx context.Context, changed []string) error {
	here := map[string]bool{}
	for _, p := range s.Hall.Seated() {
		here[p] = true
	}
	players := slices.Collect(maps.Keys(here))
	if changed != nil {
		players = slices.DeleteFunc(slices.Clone(changed), func(p string) bool { return !here[p] })
		players = append(players, s.Boards.Named(changed)...)
	}
	for some := range slices.Chunk(players, maxAsked) {
		names, err := s.Keeper.Names(ctx, some)
		if err != nil {
			return err
		}
		for _, p := range some {
			if name, there := names[p]; there {
				s.Boards.Renamed(p, name)
				s.Hall.Renamed(p, name)
			} else if here[p] {
				s.Hall.Removed(p)
			}
		}
	}
	return nil
}
