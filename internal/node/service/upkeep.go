package service

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
)

// The journals of lobbies that have ended are kept for so long, and so many bytes of them, unless the node is told
// otherwise.
const (
	journalsFor  = 7 * 24 * time.Hour
	journalsMost = 10 << 30
)

// JournalKeeping says for how long, and how many bytes of, the journals of lobbies that have ended are kept in the
// database.
type JournalKeeping struct {
	For  time.Duration // a week if 0
	Most int64         // 10 GiB if 0
}

// journals are those in the database.
type journals struct {
	*ledger.Archive
	JournalKeeping
}

// sweepEvery is how often what has run out is removed, the first time soon after the start.
const sweepEvery = 10 * time.Minute

// sweeper removes now and then what has run out.
func (s *Service) sweeper(keeping keep.Retention) {
	next := time.NewTimer(time.Second)
	defer next.Stop()
	for {
		select {
		case <-next.C:
			next.Reset(sweepEvery)
			ctx, cancel := context.WithTimeout(context.Background(), sweepEvery/2)
			if err := s.Accounts.Sweep(ctx); err != nil {
				s.log.Warn("could not remove old refresh tokens", "error", err)
			}
			if err := s.Keeper.Sweep(ctx, keeping); err != nil {
				s.log.Warn("could not remove old results and changes of records", "error", err)
			}
			if err := s.journals.Sweep(ctx, s.journals.For, s.journals.Most); err != nil {
				s.log.Warn("could not remove old journals", "error", err)
			}
			if err := s.Feed.Sweep(ctx); err != nil {
				s.log.Warn("could not remove the keys of rows that were deleted long ago", "error", err)
			}
			if err := s.Library.Sweep(ctx); err != nil {
				s.log.Warn("could not remove old texts of rulebooks that were tried", "error", err)
			}
			if err := s.Journals.Forget(func(all []string) ([]string, error) { return s.gone(ctx, all) }); err != nil {
				s.log.Warn("could not take deleted players out of all journals", "error", err)
			}
			cancel()
		case <-s.sweep:
			return
		}
	}
}

// gone returns those of some players whom there are no more.
func (s *Service) gone(ctx context.Context, players []string) (out []string, err error) {
	there, err := store.Present(s.DB.WithContext(ctx), players...)
	for _, p := range players {
		if err == nil && !there[p] {
			out = append(out, p)
		}
	}
	return out, err
}
