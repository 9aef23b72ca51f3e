package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
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

// The journals of lobbies that have ended are kept for so long, and so many bytes of them, unless
// the node is told otherwise.
const (
	journalsFor  = 7 * 24 * time.Hour
	journalsMost = 10 << 30
)

// JournalKeeping says for how long, and how many bytes of, the journals of lobbies that have ended
// are kept in the database.
type JournalKeeping struct {
	For  time.Duration // a week if 0
	Most int64         // 10 GiB if 0
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
			if err := s.Ledger.Sweep(ctx, s.journals.For, s.journals.Most); err != nil {
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

// restore lets the lobbies go on that this node held when it ended. One that cannot ends in
// order, with what was kept of it.
func (s *Service) restore(ctx context.Context, left []*ledger.Left) {
	began, well := time.Now(), 0
	for _, x := range left {
		book, err := s.Library.Version(ctx, x.Rulebook, x.Version)
		if err == nil {
			err = s.Hall.Restore(book, x)
		}
		if err == nil {
			well++
			continue
		}
		if fault.CodeOf(err) == code.Stopping || store.Busy(err) || errors.Is(err, context.DeadlineExceeded) ||
			errors.Is(err, context.Canceled) { // that passes
			s.log.Warn("a lobby cannot go on yet", "lobby", x.Code, "error", err)
			s.goAgain(x.Lobby)
			continue
		}
		s.log.Error("a lobby of before cannot go on", "lobby", x.Code, "rulebook", x.Rulebook, "error", err)
		room := s.Ledger.Hold(len(x.After))
		if !room {
			x.After = nil
		}
		s.Ledger.End(x.Lobby, x.Seq, 0, x.After, !room)
		e := directory.Entry{ID: x.Lobby, Node: s.Cluster.Self.Name, Epoch: s.Cluster.Lease.Epoch()}
		e.State = directory.Closed
		if err := s.Directory.Close(ctx, e, time.Now().UTC()); err != nil {
			s.log.Warn("could not close the row of a lobby", "lobby", x.Code, "error", err)
		}
		s.Series.Closed(x.Lobby)
	}
	if len(left) > 0 {
		s.log.Info("lobbies go on", "lobbies", well, "of", len(left), "took", time.Since(began))
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
