package service

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/library"
	"turnvex.example/turnvex/internal/node/store"
)

// loadFolder loads the rulebooks of a folder, in the order of their names.
func (s *Service) loadFolder(ctx context.Context, cfg Config) error {
	if cfg.Rulebooks == "" {
		return nil
	}
	files, err := library.Files(cfg.Rulebooks)
	if err != nil {
		return err
	}
	files = slices.DeleteFunc(files, func(f library.File) bool { return f.Arena != "" })
	if len(files) == 0 {
		return fmt.Errorf("the folder %s holds no rulebook (*.yaml, *.yml or *.json)", cfg.Rulebooks)
	}
	slices.SortStableFunc(files, func(a, b library.File) int { // a game and what belongs to it are loaded at once
		return cmp.Or(strings.Compare(a.Game, b.Game), int(sheet.Bit(b.Declares)-sheet.Bit(a.Declares)))
	})
	for len(files) > 0 {
		n := 1
		for n < len(files) && files[0].Game != "" && files[n].Game == files[0].Game {
			n++
		}
		if err := s.loadFiles(ctx, cfg.Log, files[:n]); err != nil {
			return err
		}
		files = files[n:]
	}
	return nil
}

// loadFiles loads the rulebooks of some files, all or none.
func (s *Service) loadFiles(ctx context.Context, log *slog.Logger, files []library.File) error {
	var sources [][]byte
	var whole []*library.Gathered
	for _, file := range files {
		all := library.Gather(file.Path, file.Source, false)
		whole, sources = append(whole, all), append(sources, all.Source)
	}
	loaded, err := s.Library.LoadAll(ctx, sources)
	for i, x := range loaded {
		switch {
		case err == nil && i < len(files):
			log.Info("rulebook loaded", "rulebook", x.Book.Name, "version", x.Book.Version, "file", files[i].Path)
		case x.Book == nil && i < len(files):
			return fmt.Errorf("%s:\n%w", files[i].Path, whole[i].Locate(x.Problems))
		}
	}
	return err
}

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
