package memdb

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// NewDirectory returns an empty directory, of a database of its own.
func NewDirectory() *Link { return NewDatabase().Link() }

// Open is directory.Directory.Open.
func (l *Link) Open(ctx context.Context, e directory.Entry) error {
	return l.do(ctx, "open", func(t *tables) error {
		named, taken := false, t.lobbies[e.ID].ID != ""
		for _, other := range t.lobbies {
			if other.State != directory.Closed {
				taken = taken || other.Code == e.Code
				named = named || e.Name != "" && other.Rulebook == e.Rulebook && strings.EqualFold(other.Name, e.Name)
			}
		}
		switch {
		case named:
			return fault.New(code.NameTaken, "an open lobby of %s is called %q already", e.Rulebook, e.Name)
		case taken:
			return directory.ErrCode
		}
		t.lobbies[e.ID] = e
		return nil
	})
}

// Write is directory.Directory.Write.
func (l *Link) Write(ctx context.Context, e directory.Entry) error { return l.write(ctx, "write", e) }

// Close is directory.Directory.Close.
func (l *Link) Close(ctx context.Context, e directory.Entry, _ time.Time) error {
	e.State = directory.Closed
	return l.write(ctx, "close", e)
}

func (l *Link) write(ctx context.Context, call string, e directory.Entry) error {
	return l.do(ctx, call, func(t *tables) error {
		if old := t.lobbies[e.ID]; old.ID != "" && old.State != directory.Closed && old.Node == e.Node &&
			old.Epoch == e.Epoch { // what a lobby is opened with does not change
			e.Code, e.Name, e.Rulebook, e.Version, e.Region = old.Code, old.Name, old.Rulebook, old.Version, old.Region
			e.Practice, e.Opened = old.Practice, old.Opened
			t.lobbies[e.ID] = e
		}
		return nil
	})
}

// Give is directory.Directory.Give.
func (l *Link) Give(ctx context.Context, lobby string, fence store.Fence, to string) error {
	return l.do(ctx, "give", func(t *tables) error {
		e := t.lobbies[lobby]
		given := e.Node == to && e.Epoch == 0
		if e.ID == "" || e.State == directory.Closed || !given && (e.Node != fence.Node || e.Epoch != fence.Epoch) {
			return store.ErrFenced
		}
		e.Node, e.Epoch = to, 0
		t.lobbies[lobby] = e
		if x, there := t.kept[lobby]; there {
			x.Node = to
			t.kept[lobby] = x
		}
		return nil
	})
}

// Place is directory.Directory.Place.
func (l *Link) Place(ctx context.Context, joinCode string) (out *directory.Entry, err error) {
	return out, l.do(ctx, "place", func(t *tables) error {
		for _, e := range t.lobbies {
			if e.State != directory.Closed && e.Code == joinCode {
				out = &e
			}
		}
		return nil
	})
}

// Named is directory.Directory.Named.
func (l *Link) Named(ctx context.Context, rulebook, name string) (joinCode string, err error) {
	return joinCode, l.do(ctx, "named", func(t *tables) error {
		for _, e := range t.lobbies {
			if name != "" && e.State != directory.Closed && e.Rulebook == rulebook && strings.EqualFold(e.Name, name) {
				joinCode = e.Code
			}
		}
		return nil
	})
}

// Entries returns every lobby's row, in order of their IDs.
func (d *Database) Entries() (all []directory.Entry) {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, id := range slices.Sorted(maps.Keys(d.now.lobbies)) {
		all = append(all, d.now.lobbies[id])
	}
	return all
}
