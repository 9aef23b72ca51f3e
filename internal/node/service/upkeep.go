package service

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/node/retain"
	"turnvex.example/turnvex/internal/node/store"
)

// journalSize is how many bytes of journals are kept unless the node is told otherwise.
const journalSize = 10 << 30

// sweepEvery is how often what has run out is removed, the first time soon after the start; and what has grown old each
// time that a whole number of oldEvery of them has passed.
const (
	sweepEvery = 10 * time.Minute
	oldEvery   = 6
)

// sweeper removes now and then what has run out.
func (s *Service) sweeper(cfg *Config) {
	next := time.NewTimer(time.Second)
	defer next.Stop()
	for round := 0; ; round++ {
		select {
		case <-next.C:
			next.Reset(sweepEvery)
			ctx, cancel := context.WithTimeout(context.Background(), sweepEvery/2)
			s.sweepAll(ctx, cfg, round%oldEvery == 0)
			cancel()
		case <-s.sweep:
			return
		}
	}
}

func (s *Service) sweepAll(ctx context.Context, cfg *Config, old bool) {
	warn := func(what string, err error) {
		if err != nil {
			s.log.Warn("could not "+what, "error", err)
		}
	}
	warn("remove old refresh tokens", s.Accounts.Sweep(ctx))
	warn("remove old results", s.Keeper.Sweep(ctx, cfg.Retain["results"]))
	warn("remove old journals", s.journals.Sweep(ctx, cfg.Retain["journals"], cfg.JournalSize))
	warn("remove the keys of rows that were deleted long ago", s.Feed.Sweep(ctx))
	warn("remove old texts of rulebooks that were tried", s.Library.Sweep(ctx))
	if old {
		gone, err := retain.Sweep(ctx, s.DB, time.Now(), cfg.Retain)
		warn("remove what is kept no longer", err)
		for sort, n := range gone {
			s.log.Info("removed what is kept no longer", "what", sort, "rows", n)
		}
	}
	warn("take deleted players out of all journals", s.Journals.Forget(func(all []string) ([]string, error) {
		return s.gone(ctx, all)
	}))
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
