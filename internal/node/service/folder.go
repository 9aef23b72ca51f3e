package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/library"
)

// declared finds a board as the current version of its rulebook declares it, or as it was where that does not.
func declared(lib *library.Library) func(board.Ref) board.Ref {
	return func(r board.Ref) board.Ref {
		book, err := lib.Book(r.Rulebook)
		if err != nil {
			return r
		}
		now, err := board.Of(book, r.Name)
		if err != nil {
			return r
		}
		return now
	}
}

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
		if err := s.loadFiles(ctx, &cfg, files[:n]); err != nil {
			return err
		}
		files = files[n:]
	}
	return nil
}

// loadFiles loads the rulebooks of some files, all or none. A text that is the current one is left alone, and so is one
// that was: somebody has published another since.
func (s *Service) loadFiles(ctx context.Context, cfg *Config, files []library.File) error {
	var sources [][]byte
	var whole []*library.Gathered
	for _, file := range files {
		all := library.Gather(file.Path, file.Source, false)
		whole, sources = append(whole, all), append(sources, all.Source)
	}
	checked, err := s.Library.Together(sources)
	for i, x := range checked {
		if x.Book == nil && i < len(files) {
			return fmt.Errorf("%s:\n%w", files[i].Path, whole[i].Locate(x.Problems))
		}
	}
	if err != nil {
		return err
	}
	var fresh [][]byte
	var names []string
	current := s.Library.Current()
	for i := range files {
		book := checked[i].Book
		known, err := s.Library.Knows(ctx, book.Name, book.Version)
		now := current[book.Name]
		switch {
		case err != nil:
			return err
		case now != nil && now.Version == book.Version:
		case known:
			cfg.Log.Warn("a rulebook's file is an older version, and is not published", "rulebook", book.Name,
				"file", files[i].Path, "version", book.Version)
		default:
			if err := s.mayReplace(ctx, cfg, now, book, files[i].Path); err != nil {
				return err
			}
			fresh, names = append(fresh, sources[i]), append(names, book.Name)
			cfg.Log.Info("rulebook loaded", "rulebook", book.Name, "version", book.Version, "file", files[i].Path)
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	done, err := audit.New(s.DB).Begin(ctx, audit.Line{Who: "node " + cfg.Node, What: "-rulebooks",
		Subject: strings.Join(names, " "), Details: "the folder " + cfg.Rulebooks, Why: "found at the start"})
	if err == nil {
		_, err = s.Library.LoadAll(ctx, fresh)
	}
	if err == nil {
		err = done(audit.Done)
	}
	return err
}

// mayReplace refuses a version with which what is kept reads otherwise, unless that is accepted.
func (s *Service) mayReplace(ctx context.Context, cfg *Config, now, next *rulebook.Book, file string) error {
	if now == nil || cfg.AcceptKept {
		return nil
	}
	list := keep.Differences(now, next)
	if err := s.Keeper.Count(ctx, next.Name, list); err != nil {
		return err
	}
	for i := range list {
		if d := &list[i]; d.Loses() {
			return fmt.Errorf("%s: with this version what is kept of %s would read otherwise (%s of %s: %s); if you "+
				"want that, publish it with turnvex publish -accept, or start with -accept", file, next.Name, d.What,
				cmp.Or(d.Field, "the board "+d.Board), d.Means)
		}
	}
	return nil
}
