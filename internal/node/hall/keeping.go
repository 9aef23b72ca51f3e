package hall

import (
	"context"
	"errors"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/point"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
)

// keeping is what a lobby keeps of its players: their records, what its matches gave, and what actions cost.
type keeping struct {
	*room
	tasks    tasks
	charging map[sheet.ID][]request // what waits behind a charge, by seat
	known    map[string]*known      // of the records that it holds, by account
}

// tasks are what a lobby asks of the database, done one after the other.
type tasks struct {
	failed func() // called after a fault in one of them
	mu     sync.Mutex
	queue  []func() // guarded by mu
	busy   bool     // guarded by mu
	idle   sync.WaitGroup
}

// add puts a task behind the others.
func (t *tasks) add(task func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.queue = append(t.queue, task)
	if !t.busy {
		t.busy = true
		safe.In(&t.idle, "do a lobby's tasks", t.work)
	}
}

// underWay tells whether some are not done yet.
func (t *tasks) underWay() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.busy
}

func (t *tasks) work() {
	for {
		t.mu.Lock()
		if len(t.queue) == 0 {
			t.queue, t.busy = nil, false
			t.mu.Unlock()
			return
		}
		task := t.queue[0]
		t.queue = t.queue[1:]
		t.mu.Unlock()
		if !safe.Do("do a task of a lobby, which ends", task) {
			t.failed()
		}
	}
}

// wait returns when every task is done. No more may be added then.
func (t *tasks) wait() { t.idle.Wait() }

// loadRecord fetches a player's record and hands it to the authority. A player without an account of their own (a
// further one on a connection) has none. While it is not there the player has no control; it is tried for as long as
// the lobby is there, and nothing else is taken in its place.
func (l *keeping) loadRecord(seat sheet.ID, account string) {
	boards := l.hall.cfg.Boards != nil && len(l.book.AtEntry()) > 0
	if account == "" || len(l.book.Record) == 0 && !boards {
		l.soon = append(l.soon, func() { l.step(&step.Input{Kind: step.Loaded, Seat: seat}) })
		return
	}
	l.release(false)
	l.knownOf(account)
	l.memory.begin()
	safe.Go("load a record", func() {
		var s keep.Standing
		var first bool
		var places []step.Named
		loaded := l.retry("load a record", 0, func(ctx context.Context) (err error) {
			l.hall.savings.wait(account)
			if s, first, err = l.hall.cfg.Keeper.Load(ctx, account, l.book); err == nil && boards {
				places, err = l.hall.cfg.Boards.Stand(ctx, l.book, account)
			}
			return err
		})
		if loaded {
			l.post(func() {
				l.memory.done()
				l.loaded(seat, account, s, places, first)
			})
		}
	})
}

// save keeps what an input led to, when that input is kept itself: a lobby that comes back from before it plays on, and
// what it gives then must be all that it gave. That a result is saved is told only when it is.
func (l *keeping) save(job *keep.Job) {
	for _, r := range job.Records {
		l.hall.savings.begin(r.Player)
		l.knownOf(r.Player).saving++
	}
	l.hall.unsave(job)
	l.memory.begin()
	cause := l.memory.cause(false)
	point.Pass(point.Decided)
	l.tasks.add(func() {
		defer l.hall.settled(job)
		defer func() { // nobody waits for ever to read these records
			for _, r := range job.Records {
				l.hall.savings.done(r.Player)
			}
		}()
		var stand map[string]keep.Standing
		kept := l.retry("keep what a match gave", keepFor, func(ctx context.Context) (err error) {
			if err = cause(ctx); err == nil {
				point.Pass(point.Kept)
				stand, err = l.hall.cfg.Keeper.Save(ctx, job)
			}
			return err
		})
		point.Pass(point.Carried)
		for player, s := range stand {
			l.hall.stands(l.book.Name, player, s, l)
		}
		if kept && job.Result != nil && l.hall.cfg.Follows != nil {
			safe.Go("tell of a result", func() { l.hall.cfg.Follows.Ended(l.ID, job.Result) })
		}
		l.postSoon(func() {
			l.memory.done()
			l.saved(job, stand)
			if kept && job.Result != nil {
				l.step(&step.Input{Kind: step.Saved, N: job.Result.Match})
			}
		})
	})
}

// keepFor is how long a lobby that has closed still tries to keep what it gave.
const keepFor = 2 * time.Minute

// retry tries until it works. While the lobby is there, that is as long as it takes; it gives up, and says so, a while
// after the lobby has closed.
func (l *room) retry(what string, after time.Duration, try func(context.Context) error) bool {
	for wait := 50 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		err := try(ctx)
		cancel()
		if err == nil {
			return true
		}
		if l.state() == lifeLost || errors.Is(err, store.ErrFenced) {
			l.log().Warn("this node may no longer "+what+": another has taken the lobby over", "error", err)
			return false
		}
		if l.state() == lifeHurried {
			l.log().Warn("could not "+what+"; it is tried again when the lobby goes on", "error", err)
			return false
		}
		if at := l.closedAt.Load(); at != 0 && l.hall.cfg.Now().UnixNano()-at >= int64(after) {
			l.log().Error("could not "+what+"; it is lost", "error", err)
			return false
		}
		l.log().Warn("could not "+what+"; trying again", "error", err, "in", wait)
		time.Sleep(wait)
	}
}

// savings knows whose records are being saved, so that a record is not read before the last save of it is done.
type savings struct {
	mu      sync.Mutex
	pending map[string]*saving // guarded by mu; by account
}

type saving struct {
	count int
	idle  chan struct{}
}

func (s *savings) begin(account string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	p := s.pending[account]
	if p == nil {
		p = &saving{idle: make(chan struct{})}
		s.pending[account] = p
	}
	p.count++
}

func (s *savings) done(account string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if p := s.pending[account]; p != nil {
		if p.count--; p.count == 0 {
			close(p.idle)
			delete(s.pending, account)
		}
	}
}

// wait returns when nothing of the account is being saved.
func (s *savings) wait(account string) {
	s.mu.Lock()
	p := s.pending[account]
	s.mu.Unlock()
	if p != nil {
		<-p.idle
	}
}
