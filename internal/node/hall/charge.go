package hall

import (
	"context"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
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
// with what became of it. What was taken for nothing is given back.
func (l *keeping) charge(job *keep.Job, r request) {
	l.memory.begin()
	cause := l.memory.cause(true)
	l.tasks.add(func() {
		defer func() { go l.post(l.memory.done) }()
		ctx, cancel := context.WithTimeout(context.Background(), chargeWithin)
		var ok bool
		var stand keep.Standing
		err := cause(ctx)
		tried := err == nil
		for wait := 50 * time.Millisecond; tried; wait *= 2 {
			ok, stand, err = l.hall.cfg.Keeper.Charge(ctx, job)
			if err == nil || ctx.Err() != nil || l.state() == lifeLost {
				break
			}
			time.Sleep(wait)
		}
		cancel()
		again := *r.in
		if again.N = job.Records[0].Number; !ok {
			again.N, again.Yes = -again.N, err == nil
		}
		if err == nil {
			l.hall.stands(l.book.Name, job.Records[0].Player, stand, l)
		} else {
			l.log().Warn("could not take what an action costs", "error", err)
		}
		used, kept := l.conclude(again, job.Records[0].Player, stand, r.answer)
		if tried && (err != nil || ok && !used) {
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

// conclude hands an intent in again whose cost was taken from a player's record, or was not, and tells whether the
// authority has made use of it: it has not when the lobby has ended, or the seat is gone or another's meanwhile. kept
// waits until that is kept.
func (l *keeping) conclude(again step.Input, account string, stand keep.Standing, answer func(step.Verdict)) (
	used bool, kept func(context.Context) error,
) {
	ran, over := make(chan struct{}), (*memory)(nil).cause(false)
	go l.post(func() {
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
		answer(v)
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
