// Package feed tells a node which rows of the database have changed, whoever has changed them: one reader for
// everything that a node follows. Subscribers are told the keys of rows, and look at how those stand now; they are
// never handed what happened. A key may be told more often than its row has changed. It is never passed over, in
// whatever order transactions commit.
package feed

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Subscriber is who follows the rows of a topic.
type Subscriber struct {
	Topic Topic
	// Wanted tells whether anything of the topic is held here. Where nothing is, its rows are not read: what is held
	// later must be read after Wanted has begun to say so. Nil is always.
	Wanted func() bool
	// Look looks at how the rows with some keys stand now, rows that are gone among them, or at everything where keys
	// is nil. After an error the same keys are told again.
	Look func(ctx context.Context, keys []string) error
}

// subscriber is a Subscriber with the moment up to which it has been told everything.
type subscriber struct {
	Subscriber
	told moment
}

// Feed is the reader of a node. It may be used by several goroutines.
type Feed struct {
	db *store.DB

	mu   sync.Mutex    // one look at a time
	subs []*subscriber // guarded by mu
	page int           // guarded by mu; the most keys that are read, and told, at once
}

// pageKeys is the most keys that a subscriber is told at once.
const pageKeys = 5000

// New returns a reader that tells some subscribers; each is told to look at everything first.
func New(db *store.DB, subs ...Subscriber) *Feed {
	f := &Feed{db: db, page: pageKeys}
	for _, s := range subs {
		f.subs = append(f.subs, &subscriber{Subscriber: s})
	}
	return f
}

// How often a node looks, and how long one look may take.
const (
	lookEvery  = 400 * time.Millisecond
	lookWithin = 30 * time.Second
)

// Run looks now and then, until the context ends.
func (f *Feed) Run(ctx context.Context, log *slog.Logger) {
	next := time.NewTicker(lookEvery)
	defer next.Stop()
	for failed := false; ; {
		select {
		case <-next.C:
		case <-ctx.Done():
			return
		}
		within, over := context.WithTimeout(ctx, lookWithin)
		err := f.Look(within)
		over()
		if err != nil && !failed && ctx.Err() == nil {
			log.Warn("what other nodes did is not known; the node goes on looking", "error", err)
		}
		if failed && err == nil {
			log.Info("what other nodes did is known again")
		}
		failed = err != nil
	}
}

// Look tells the subscribers everything that was committed before it was called and that they were not told yet. It
// returns what kept it from telling some of them; the others have been told.
func (f *Feed) Look(ctx context.Context) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	idle := map[*subscriber]bool{}
	var reads []read
	for i, s := range f.subs {
		if idle[s] = s.Wanted != nil && !s.Wanted(); !idle[s] && s.told.set() {
			reads = append(reads, read{i, s.Topic, s.told, place{}})
		}
	}
	now, first, err := f.readAll(ctx, reads)
	if err != nil {
		return fmt.Errorf("read what has changed: %w", err)
	}
	var failed []error
	for i, s := range f.subs {
		var err error
		switch {
		case idle[s] && s.Wanted():
			continue // it began to hold something meanwhile: the next look reads from where this one did
		case idle[s]:
		case !s.told.before(&now):
			err = s.Look(ctx, nil)
		default:
			err = f.tell(ctx, s, &now, first[i])
		}
		if err == nil {
			s.told = now
		} else {
			failed = append(failed, fmt.Errorf("look at %s: %w", s.Topic.name, err))
		}
	}
	return errors.Join(failed...)
}

// tell tells a subscriber the keys that were read for it, and reads the rest, page by page.
func (f *Feed) tell(ctx context.Context, s *subscriber, now *moment, page []place) error {
	for len(page) > 0 {
		keys := make([]string, len(page))
		for i := range page {
			keys[i] = page[i].key
		}
		if err := s.Look(ctx, keys); err != nil || len(page) < f.page {
			return err
		}
		var err error
		if page, err = f.readMore(ctx, read{0, s.Topic, s.told, page[len(page)-1]}, now); err != nil {
			return err
		}
	}
	return nil
}
