package library

import (
	"context"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// Checked is what became of a rulebook or a game: Book is nil if it has errors.
type Checked struct {
	Book     *rulebook.Book
	Problems rulebook.Problems
}

// Together checks rulebooks and games as they would be if all of them were current. Behind them come the current
// rulebooks of these games that are not among them. One that has errors is the error: a fault with its problems.
func (l *Library) Together(sources [][]byte) (all []Checked, err error) {
	games, among := map[string][]byte{}, map[string]bool{}
	for _, src := range sources {
		if name, declares := rulebook.GameOf(src); declares {
			games[name] = src
		}
	}
	take := func(src []byte, refusal string) {
		book, problems := l.with(src, games)
		all = append(all, Checked{book, problems})
		switch {
		case book != nil:
			among[book.Name] = true
		case err == nil:
			bad := problems.Errors()
			f := fault.New(code.BadRulebook, "%s has an error at %s", refusal, bad[0])
			if len(bad) > 1 {
				f = fault.New(code.BadRulebook, "%s has %d errors, the first at %s", refusal, len(bad), bad[0])
			}
			f.Extra = problems
			err = f
		}
	}
	for _, src := range sources {
		take(src, strings.TrimSpace("the rulebook "+rulebook.NameOf(src)))
	}
	for _, b := range l.Books() {
		if games[b.Game] != nil && !among[b.Name] {
			take(b.Source, "with this game the rulebook "+b.Name+" (publish both together)")
		}
	}
	return all, err
}

// LoadAll checks rulebooks and games together, and makes them the current versions of their names: all of them or none.
// Lobbies that are open keep the version they were opened with. With a game, its rulebooks get new versions too.
func (l *Library) LoadAll(ctx context.Context, sources [][]byte) ([]Checked, error) {
	all, err := l.Together(sources)
	if err != nil {
		return all, err
	}
	err = l.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		for _, c := range all {
			if err := publish(tx, c.Book); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return all, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range all {
		l.books[c.Book.Name] = c.Book
	}
	return all, nil
}

// Load is LoadAll for one.
func (l *Library) Load(ctx context.Context, source []byte) (*rulebook.Book, rulebook.Problems, error) {
	all, err := l.LoadAll(ctx, [][]byte{source})
	if err != nil {
		return nil, all[0].Problems, err
	}
	return all[0].Book, all[0].Problems, nil
}
