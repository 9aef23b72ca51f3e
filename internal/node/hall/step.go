package hall

import (
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/keep"
)

// take hands one input to the authority and carries out what follows.
func (l *Lobby) take(in *step.Input) *step.Output {
	in.At = max(l.m.Tick(), l.clock())
	l.journal.input(l.room, in)
	l.memory.input(l.room, in)
	out := l.m.Step(in)
	if in.Kind == step.Intent {
		l.verdicts[out.Verdict.Code]++
	}
	if l.seats.secret && (!inPlay(in) || l.m.State() != l.seats.stood) {
		l.seats.noteSeats()
	}
	l.shows.notices(out.Notices)
	if len(out.Effects) > 0 {
		l.carryOut(out.Effects)
	}
	return out
}

// inPlay tells whether an input is of those that come all the time, and seat nobody.
func inPlay(in *step.Input) bool {
	switch in.Verb {
	case step.Steer, step.Claim, step.Face, step.Act:
		return in.Kind == step.Intent
	}
	return in.Kind == step.Tick
}

// carryOut does what the authority asks for.
func (l *Lobby) carryOut(effects []step.Effect) {
	for _, e := range effects {
		switch e.Kind {
		case step.LoadRecord:
			l.kept.loadRecord(e.Seat, e.Account)
		case step.Seated:
			l.seats.seated(e.Seat, e.Text)
		case step.Drop:
			l.seats.bye(e.Seat, e.Reason, "the host has removed you from the lobby")
		case step.AskReferee:
			l.judged.offer(e.Decision)
		case step.KeepName:
			l.kept.keepName(e.Account, e.Text)
		case step.Unmanned:
			l.log().Warn("nobody is there to decide", "why", e.Text)
		case step.PromiseBroken:
			l.log().Warn("a promise of the rulebook is broken", "promise", e.Text,
				"line", l.book.Promises[e.N].Line, "sheet", e.Seat)
		case step.Refused:
			l.hall.cfg.Meter.Refuse()
			l.log().Warn("a post is refused, since too much waits to be saved", "board", e.Text)
		case step.Fault:
			l.log().Warn("the rulebook did what it may not", "fault", e.Text)
		}
	}
	for _, job := range l.kept.jobs(effects) {
		l.kept.save(job)
	}
}

// jobs are what of some effects is to be kept, with one result at most. A lobby that was held up does many ticks at
// once, in which several matches may end.
func (l *keeping) jobs(effects []step.Effect) (all []*keep.Job) {
	job := &keep.Job{}
	add := func() {
		if job.Result != nil || len(job.Records)+len(job.Posts) > 0 {
			job.Lobby, job.Code, job.Book, job.Moment, job.Fence = l.ID, l.Code, l.book, l.moment, l.stay.Fence
			job.Hidden = !l.row.Flag(l.book.F.Lobby.Listed)
			all, job = append(all, job), &keep.Job{}
		}
	}
	for _, e := range effects {
		switch e.Kind {
		case step.SaveRecord:
			if e.Account != "" {
				job.Records = append(job.Records,
					keep.Record{Player: e.Account, Number: e.N, Match: e.Match, Changes: e.Changes})
			}
		case step.SaveResult:
			if e.Result.Practice { // nothing of practice is kept
				continue
			}
			if job.Result != nil {
				add()
			}
			job.Result, job.Ended = e.Result, l.moment(sheet.Tick(e.N))
		case step.SavePost:
			job.Posts = append(job.Posts, keep.Post{Post: *e.Post, Number: e.N, Match: e.Match,
				Reached: l.moment(e.Post.At)})
		}
	}
	add()
	return all
}
