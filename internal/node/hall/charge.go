package hall

import (
	"context"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/point"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/keep"
)

// chargeWithin is how long a player waits for a cost to be taken where records are kept.
const chargeWithin = 3 * time.Second

// request is an intent and who waits for its verdict.
type request struct {
	in     *step.Input
	answer func(step.Verdict)
}

// request hands an intent to the authority and answers it. While a seat waits for what an action costs to be taken, its
// further intents wait too: verdicts come in order.
func (l *keeping) request(in *step.Input, answer func(step.Verdict)) {
	if waiting, is := l.charging[in.Seat]; is {
		l.charging[in.Seat] = append(waiting, request{in, answer})
		return
	}
	if out := l.step(in); out.Verdict.Code == code.Charging {
		l.await(out.Effects, request{in, answer})
	} else {
		answer(out.Verdict)
	}
}

// await lets a seat wait for what an action costs to be taken.
func (l *keeping) await(effects []step.Effect, r request) {
	l.charging[r.in.Seat] = nil
	for _, e := range effects {
		if e.Kind == step.Charge {
			l.charge(l.chargeJob(e), r)
		}
	}
}

// chargeJob is what takes a cost where the record is kept.
func (l *keeping) chargeJob(e step.Effect) *keep.Job {
	return &keep.Job{Lobby: l.ID, Code: l.Code, Book: l.book, Fence: l.stay.Fence, Records: []keep.Record{
		{Player: e.Account, Number: e.N, Match: e.Match, Changes: e.Changes}}}
}

// charge has a cost taken where the record is kept, behind what the lobby keeps already, and hands the intent in again
// with what became of it. What was taken for nothing is given back. Where what is kept before it takes too long, the
// cost is not taken.
func (l *keeping) charge(job *keep.Job, r request) {
	l.memory.begin()
	cause := l.memory.cause(true)
	point.Pass(point.Decided)
	ctx, cancel := context.WithTimeout(context.Background(), chargeWithin)
	var begun atomic.Bool // by whoever is first
	safe.Go("give a cost up", func() {
		if <-ctx.Done(); begun.CompareAndSwap(false, true) {
			l.conclude(job, r, charged{err: ctx.Err()})
			l.postSoon(l.memory.done)
		}
	})
	l.tasks.add(func() {
		defer cancel()
		if !begun.CompareAndSwap(false, true) {
			return
		}
		defer func() { l.postSoon(l.memory.done) }()
		c := l.take(ctx, job, cause)
		used, kept := l.conclude(job, r, c)
		if c.tried && (c.err != nil || c.ok && !used) {
			l.retry("give back what an action has cost", keepFor, func(ctx context.Context) error {
				err := kept(ctx)
				if err == nil {
					_, err = l.hall.cfg.Keeper.Void(ctx, job)
				}
				return err
			})
		}
	})
}

// charged is what became of taking a cost.
type charged struct {
	ok    bool // it was taken
	stand keep.Standing
	tried bool  // it may have been
	err   error // nobody knows whether it was
}

// take takes a cost where the record is kept, when that it is to be taken is kept.
func (l *keeping) take(ctx context.Context, job *keep.Job, cause func(context.Context) error) (c charged) {
	c.err = cause(ctx)
	c.tried = c.err == nil
	point.Pass(point.Kept)
	for wait := 50 * time.Millisecond; c.tried; wait *= 2 {
		c.ok, c.stand, c.err = l.hall.cfg.Keeper.Charge(ctx, job)
		if c.err == nil || ctx.Err() != nil || l.state() == lifeLost {
			break
		}
		time.Sleep(wait)
	}
	point.Pass(point.Carried)
	return c
}

// conclude hands an intent in again whose cost was taken from a player's record, or was not, and tells whether the
// authority has made use of it: it has not when the lobby has ended, or the seat is gone or another's meanwhile. kept
// waits until that is kept.
func (l *keeping) conclude(job *keep.Job, r request, c charged) (used bool, kept func(context.Context) error) {
	again, account, stand := *r.in, job.Records[0].Player, c.stand
	if again.N = job.Records[0].Number; !c.ok {
		again.N, again.Yes = -again.N, c.err == nil
	}
	if c.err == nil {
		l.hall.stands(l.book.Name, account, stand, l)
	} else {
		l.log().Warn("could not take what an action costs", "error", c.err)
	}
	ran, over := make(chan struct{}), (*memory)(nil).cause(false)
	l.postSoon(func() {
		defer close(ran)
		theirs := l.m.SeatOf(account) == again.Seat
		if !theirs {
			again.N, again.Yes = min(again.N, -again.N), false
		}
		if again.N > 0 || again.Yes {
			l.learn(account, stand)
			if h := l.known[account]; h != nil {
				stand = h.stand // the newest that is known
			}
			again.Record = append([]step.Named{}, stand.Fields.Values(l.book)...)
		}
		v := l.step(&again).Verdict
		used = theirs && v.Code != code.NoSeat && v.Code != code.LobbyGone
		kept = l.memory.cause(false)
		r.answer(v)
		l.afterwards(again.Seat)
	})
	select {
	case <-ran:
		return used, kept
	case <-l.ended:
	}
	select { // what ran before the end has run
	case <-ran:
		return used, kept
	default:
		return false, over
	}
}

// afterwards hands in the intents that waited behind a charge.
func (l *keeping) afterwards(seat sheet.ID) {
	waiting := l.charging[seat]
	delete(l.charging, seat)
	for i, r := range waiting {
		if _, is := l.charging[seat]; is { // one of them waits for a charge itself
			l.charging[seat] = append(l.charging[seat], waiting[i:]...)
			return
		}
		l.request(r.in, r.answer)
	}
}
