package hall

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/keep"
)

// holders knows which lobbies hold whose record.
type holders struct {
	mu sync.Mutex
	of map[string][]*keeping // guarded by mu; by account
}

func (h *holders) add(account string, l *keeping) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.of[account] = append(h.of[account], l)
}

func (h *holders) remove(account string, l *keeping) {
	h.mu.Lock()
	defer h.mu.Unlock()
	list := slices.DeleteFunc(h.of[account], func(x *keeping) bool { return x == l })
	if h.of[account] = list; len(list) == 0 {
		delete(h.of, account)
	}
}

func (h *holders) list(account string) []*keeping {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Clone(h.of[account])
}

// Holding are the accounts whose records lobbies of this node hold.
func (h *Hall) Holding() []string {
	h.holders.mu.Lock()
	defer h.holders.mu.Unlock()
	return slices.Sorted(maps.Keys(h.holders.of))
}

// HoldsRecords tells whether any lobby of this node holds a record.
func (h *Hall) HoldsRecords() bool {
	h.holders.mu.Lock()
	defer h.holders.mu.Unlock()
	return len(h.holders.of) > 0
}

// known is what a lobby knows of a record that it holds.
type known struct {
	stand  keep.Standing // the newest that it was told
	saving int           // saves of its own that are under way
}

// knownOf returns what the lobby knows of a player's record, and makes it one that is told how the record stands.
func (l *keeping) knownOf(account string) *known {
	h := l.known[account]
	if h == nil {
		h = &known{}
		l.known[account] = h
		l.hall.holders.add(account, l)
	}
	return h
}

// release forgets the records of players who have left, or all of them when the lobby has ended.
func (l *keeping) release(all bool) {
	for account, h := range l.known {
		if all || h.saving == 0 && l.m.SeatOf(account) == 0 {
			delete(l.known, account)
			l.hall.holders.remove(account, l)
		}
	}
}

// learn takes note of how a record stands where it is kept, whoever has changed it. What is older than what is known
// already does not count.
func (l *keeping) learn(account string, s keep.Standing) {
	if h := l.known[account]; h != nil && s.Version > h.stand.Version {
		h.stand = s
	}
}

// settle lets a player see the newest that is known of their record. While a save of the lobby's own is under way, what
// is known may lack it: the player goes on seeing it done.
func (l *keeping) settle(account string) {
	h := l.known[account]
	if h == nil || h.saving > 0 {
		return
	}
	seat := l.m.SeatOf(account)
	if values := h.stand.Fields.Values(l.book); seat != 0 && !l.m.Knows(seat, values) {
		l.step(&step.Input{Kind: step.Kept, Seat: seat, Record: values})
	}
}

// Stands tells the lobbies of a rulebook how a player's record stands, which somebody has corrected.
func (h *Hall) Stands(book, account string, s keep.Standing) { h.stands(book, account, s, nil) }

// stands tells every lobby of a rulebook but one.
func (h *Hall) stands(book, account string, s keep.Standing, but *keeping) {
	for _, l := range h.holders.list(account) {
		own, game := book == l.book.Name, book == rulebook.GamePrefix+l.book.Game
		switch {
		case l == but:
		case l.book.Game != "" && (own || game):
			safe.Go("read a record again", func() { l.reload(account) })
		case own:
			l.postSoon(func() {
				l.learn(account, s)
				l.settle(account)
			})
		}
	}
}

// reload fetches a record anew of which a part has changed: of a game's rulebooks each reads two.
func (l *keeping) reload(account string) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	s, _, err := l.hall.cfg.Keeper.Load(ctx, account, l.book)
	if err != nil {
		l.log().Warn("could not read a record that others have changed", "error", err)
		return
	}
	l.post(func() {
		l.learn(account, s)
		l.settle(account)
	})
}

// saved takes note that a save of the lobby's own is done, and how the records stand then; one that was given up leaves
// none.
func (l *keeping) saved(job *keep.Job, stand map[string]keep.Standing) {
	for _, r := range job.Records {
		if h := l.known[r.Player]; h != nil {
			h.saving--
		}
		if s, kept := stand[r.Player]; kept {
			l.learn(r.Player, s)
			l.settle(r.Player)
		}
	}
}

// loaded hands a record that was fetched to the authority, the newest that is known, and how the player stands on
// boards.
func (l *keeping) loaded(seat sheet.ID, account string, s keep.Standing, places []step.Named, first bool) {
	if h := l.known[account]; h != nil {
		l.learn(account, s)
		s = h.stand
	}
	record := append(s.Fields.Values(l.book), places...)
	l.step(&step.Input{Kind: step.Loaded, Seat: seat, Record: record, Yes: first})
}
