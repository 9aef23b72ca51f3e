package board

import (
	"context"
	"fmt"
	"math"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
)

// queue gathers posts that come one by one, so that those that wait at the same moment are kept in one statement.
type queue struct {
	mu      sync.Mutex
	waiting []waiting // guarded by mu
	busy    bool      // guarded by mu
	work    sync.WaitGroup
}

type waiting struct {
	post Post
	done chan result
}

type result struct {
	fate Fate
	err  error
}

// The most posts that are kept at once, and that wait.
const (
	maxGroup   = 500
	maxWaiting = 20000
)

// Post keeps one post and returns when it is kept. A refusal says why.
func (b *Boards) Post(ctx context.Context, p Post) error {
	if p.ID != "" && !store.IsID(p.ID) {
		return fault.New(code.BadRequest, "the id of a post is a UUID in lower case, with dashes, not %.64q", p.ID)
	}
	w := waiting{p, make(chan result, 1)}
	q := &b.queue
	q.mu.Lock()
	if len(q.waiting) >= maxWaiting {
		q.mu.Unlock()
		return &fault.Fault{Code: code.TooMany, Left: 1,
			Reason: fmt.Sprintf("%d posts are waiting already", maxWaiting)}
	}
	q.waiting = append(q.waiting, w)
	if !q.busy {
		q.busy = true
		safe.In(&q.work, "keep posts", b.drain)
	}
	q.mu.Unlock()
	select {
	case r := <-w.done:
		if r.err != nil {
			return r.err
		}
		return b.verdict(ctx, &p, r.fate)
	case <-ctx.Done():
		return ctx.Err()
	}
}

// drain keeps what waits, group by group, until nothing does.
func (b *Boards) drain() {
	q := &b.queue
	for {
		q.mu.Lock()
		group := q.waiting[:min(len(q.waiting), maxGroup)]
		q.waiting = q.waiting[len(group):]
		if len(group) == 0 {
			q.waiting, q.busy = nil, false
			q.mu.Unlock()
			return
		}
		q.mu.Unlock()
		if !safe.Do("keep posts", func() { b.putGroup(group) }) {
			for _, w := range group {
				select {
				case w.done <- result{err: fault.New(code.Internal, "something went wrong inside; it was logged")}:
				default: // it was answered before
				}
			}
		}
	}
}

// putGroup keeps a group of posts, and answers each.
func (b *Boards) putGroup(group []waiting) {
	posts := make([]Post, len(group))
	for i, w := range group {
		posts[i] = w.post
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	var fates []Fate
	var placed []Placed
	err := b.db.WithContext(ctx).Transaction(func(tx *store.Tx) (err error) {
		fates, placed, err = b.Put(tx, posts)
		return err
	})
	if err == nil {
		b.Learn(placed)
	} else if len(group) > 1 && !store.Busy(err) && ctx.Err() == nil { // one of them fails none of the others
		for i := range group {
			b.putGroup(group[i : i+1])
		}
		return
	}
	for i, w := range group {
		r := result{err: err}
		if err == nil {
			r.fate = fates[i]
		}
		w.done <- r
	}
}

// usedFor says what the ID of a post was used for before.
func (b *Boards) usedFor(ctx context.Context, p *Post) error {
	var was []struct {
		Subject string
		Value   int64
	}
	err := b.db.WithContext(ctx).Table("board_posts").Select("subject, value").
		Find(&was, "rulebook = ? and board = ? and id = ?", p.Rulebook, p.Name, p.ID).Error
	if err != nil || len(was) == 0 {
		return err
	}
	if was[0].Subject != p.Subject {
		return fault.New(code.IDUsed, "the id %s has counted on this board for somebody else: a new post has a new id",
			p.ID)
	}
	return fault.New(code.IDUsed, "the id %s has counted on this board with the value %d: a new post has a new id",
		p.ID, was[0].Value)
}

// verdict says why a post was not taken.
func (b *Boards) verdict(ctx context.Context, p *Post, f Fate) error {
	where := fmt.Sprintf("the board %s of %s", p.Name, p.Rulebook)
	switch f {
	case Counted, Repeated:
		return nil
	case Another:
		return b.usedFor(ctx, p)
	case NoSeason:
		return fault.New(code.NoSeason, "%s has no season yet: its first is one of boards.%s.dates", where, p.Name)
	}
	db := b.db.WithContext(ctx)
	var bars, players int64
	err := db.Model(&store.BoardBar{}).
		Where("rulebook = ? and board = ? and player_id = ?", p.Rulebook, p.Name, p.Subject).
		Count(&bars).
		Error
	if err != nil {
		return err
	}
	if bars > 0 {
		return fault.New(code.Barred, "an operator has barred this player from %s", where)
	}
	if err := db.Model(&store.Player{}).Where("id = ?", p.Subject).Count(&players).Error; err != nil {
		return err
	}
	if players == 0 && !p.Board.Team {
		return fault.New(code.NoPlayer, "there is no player %q", p.Subject)
	}
	row, err := b.find(db, p.Ref, "")
	if err == nil && p.Client && p.Every > 0 && row.ClosedAt == nil {
		return &fault.Fault{Code: code.TooSoon, Left: int(math.Ceil(float64(p.Every) / 1000)), Reason: fmt.Sprintf(
			"%s takes one post of a player in %s (boards.%s.clients.every)", where,
			time.Duration(p.Every)*time.Millisecond, p.Name)}
	}
	return fault.New(code.SeasonClosed, "the season of %s in which this happened is closed", where)
}
