// Package library keeps the rulebooks that are loaded: every version in the database, the current ones compiled and at
// hand.
package library

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Library may be used by several goroutines.
type Library struct {
	db *store.DB

	mu    sync.RWMutex
	books map[string]*rulebook.Book // guarded by mu; the current version by name
	old   map[string]*rulebook.Book // guarded by mu; former versions that were asked for, as name@version

	broken map[string]bool // guarded by mu; versions of other nodes that do not compile here, as name@version
}

// Open reads the current rulebooks from the database. One that no longer compiles is left out and named in the error
// list.
func Open(ctx context.Context, db *store.DB) (*Library, []error, error) {
	l := &Library{db: db, books: map[string]*rulebook.Book{}, old: map[string]*rulebook.Book{},
		broken: map[string]bool{}}
	var rows []store.Rulebook
	if err := db.WithContext(ctx).Where("current").Find(&rows).Error; err != nil {
		return nil, nil, err
	}
	var bad []error
	for _, r := range rows {
		book, problems := compile(r.Name, r.Source)
		if book == nil {
			bad = append(bad, fmt.Errorf("rulebook %s, version %s: %w", r.Name, r.Version, problems))
			continue
		}
		l.books[r.Name] = book
	}
	return l, bad, nil
}

// compile compiles what is kept under a name: a rulebook with its game, or a game.
func compile(name string, source []byte) (*rulebook.Book, rulebook.Problems) {
	if strings.HasPrefix(name, rulebook.GamePrefix) {
		return rulebook.CompileGame(source)
	}
	return rulebook.CompileKept(source)
}

// Compile checks a rulebook, with the game to which it belongs as it is here, or a game.
func (l *Library) Compile(source []byte) (*rulebook.Book, rulebook.Problems) {
	return l.with(source, nil)
}

// with checks a rulebook, with the game to which it belongs among some, or as it is here, or a game.
func (l *Library) with(source []byte, games map[string][]byte) (*rulebook.Book, rulebook.Problems) {
	game, declares := rulebook.GameOf(source)
	if declares {
		return rulebook.CompileGame(source)
	}
	if game != "" {
		l.mu.RLock()
		here := l.books[rulebook.GamePrefix+game]
		l.mu.RUnlock()
		if src := games[game]; src != nil {
			source = rulebook.Bundle(source, src)
		} else if here != nil {
			source = rulebook.Bundle(source, here.Source)
		}
	}
	return rulebook.Compile(source)
}

// publish makes a version the current one of its name.
func publish(tx *store.Tx, book *rulebook.Book) error {
	if err := tx.Exec("select pg_advisory_xact_lock(hashtext(?))", "rulebook "+book.Name).Error; err != nil {
		return err
	}
	err := tx.Model(&store.Rulebook{}).Where("name = ? and current", book.Name).Update("current", false).Error
	if err != nil {
		return err
	}
	row := store.Rulebook{Name: book.Name, Version: book.Version, Title: book.Title, Source: book.Source,
		CreatedAt: time.Now().UTC(), Current: true}
	return tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "name"}, {Name: "version"}},
		DoUpdates: clause.Assignments(map[string]any{"current": true, "tried": false})}).Create(&row).Error
}

// Knows tells whether a version was ever published.
func (l *Library) Knows(ctx context.Context, name, version string) (bool, error) {
	var n int64
	err := l.db.WithContext(ctx).Model(&store.Rulebook{}).Where("name = ? and version = ? and not tried", name,
		version).Count(&n).Error
	return n > 0, err
}

// Book returns the current version of a rulebook.
func (l *Library) Book(name string) (*rulebook.Book, error) {
	l.mu.RLock()
	defer l.mu.RUnlock()
	if b := l.books[name]; b != nil {
		return b, nil
	}
	f := fault.New(code.NoRulebook, "no rulebook is called %q; loaded are: %s", name,
		strings.Join(l.namesLocked(), ", "))
	return nil, f
}

func (l *Library) namesLocked() []string {
	names := make([]string, 0, len(l.books))
	for n := range l.books {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// Current returns the current rulebooks, and games, by name.
func (l *Library) Current() map[string]*rulebook.Book {
	l.mu.RLock()
	defer l.mu.RUnlock()
	return maps.Clone(l.books)
}

// Books returns the current rulebooks by name.
func (l *Library) Books() []*rulebook.Book {
	l.mu.RLock()
	defer l.mu.RUnlock()
	var out []*rulebook.Book
	for _, n := range l.namesLocked() {
		if !strings.HasPrefix(n, rulebook.GamePrefix) {
			out = append(out, l.books[n])
		}
	}
	return out
}

// maxOld is how many former versions are kept compiled.
const maxOld = 32

// Version returns one version of a rulebook, current or not; the current one for "".
func (l *Library) Version(ctx context.Context, name, version string) (*rulebook.Book, error) {
	if b, err := l.Book(name); version == "" || err == nil && b.Version == version {
		return b, err
	}
	key := name + "@" + version
	l.mu.RLock()
	book := l.old[key]
	l.mu.RUnlock()
	if book != nil {
		return book, nil
	}
	var row store.Rulebook
	err := l.db.WithContext(ctx).First(&row, "name = ? and version = ?", name, version).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.NoRulebook, "there is no version %q of a rulebook %q", version, name)
	}
	if err != nil {
		return nil, err
	}
	book, problems := compile(name, row.Source)
	if book == nil {
		return nil, problems
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.old) >= maxOld {
		clear(l.old)
	}
	l.old[key] = book
	return book, nil
}
