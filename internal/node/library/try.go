package library

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// maxTried is how many texts may be kept that were tried and never published.
const maxTried = 500

// Try checks a rulebook and keeps its text without publishing it, so that a practice lobby can run it and any node can
// restore that lobby. Version returns it. A text with errors is code.BadRulebook with its problems.
func (l *Library) Try(ctx context.Context, source []byte) (*rulebook.Book, error) {
	all, err := l.Together([][]byte{source})
	if err != nil {
		return nil, err
	}
	book := all[0].Book
	tx := l.db.WithContext(ctx)
	var tried int64
	if err := tx.Model(&store.Rulebook{}).Where("tried").Count(&tried).Error; err != nil {
		return nil, err
	}
	if tried >= maxTried {
		return nil, fault.New(code.TooMany, "%d texts that were never published are being tried, the most there "+
			"may be; one goes when the journals of its lobbies go", maxTried)
	}
	row := store.Rulebook{Name: book.Name, Version: book.Version, Title: book.Title, Source: book.Source,
		CreatedAt: time.Now().UTC(), Tried: true}
	return book, tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error
}

// triedFor is how long a text is kept at least: a lobby may be about to open with it.
const triedFor = time.Hour

// Sweep removes texts that were tried and that neither a lobby nor a journal names any more.
func (l *Library) Sweep(ctx context.Context) error {
	return l.db.WithContext(ctx).Exec(`delete from rulebooks r where tried and created_at < ?
		and not exists (select 1 from ledger_lobbies x where x.rulebook = r.name and x.version = r.version)
		and not exists (select 1 from lobbies x where x.rulebook = r.name and x.version = r.version)`,
		time.Now().UTC().Add(-triedFor)).Error
}
