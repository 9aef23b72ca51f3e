package hall

import (
	"context"
	"errors"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/wire"
)

// tellsKept tells whether nothing leaves the lobby before it is kept: where the node is set to that, and while play
// stands still.
func (l *room) tellsKept() bool {
	return l.memory != nil && (l.hall.cfg.PublishKept || l.pace.still())
}

// heldFrame is a frame that waits until what it tells of is kept.
type heldFrame struct {
	client *Client
	frame  *outbox.Frame
}

// publishKept sends what was put since the last time, as soon as everything that has happened to the lobby up to now is
// kept, the ticks since its last input included.
func (l *showing) publishKept() {
	if len(l.pub.held) == 0 {
		l.pub.holds = l.pub.holds && (l.tellsKept() || l.telling.underWay())
		return
	}
	list := l.pub.held
	l.pub.held = nil
	tell := func(kept bool) {
		for _, s := range list {
			if kept {
				s.client.show(s.frame)
			} else {
				s.frame.Free()
			}
		}
	}
	if l.tellsKept() {
		l.whenTold(tell)
	} else {
		l.telling.add(func() { tell(true) })
	}
}

// whenTold runs a job, behind what was to be told before it, when everything that has happened to the lobby up to now
// is kept, however long that takes. Where it never will be, because another node goes on from before it or this one
// stops, kept is false; where it gave way to a checkpoint too, and then everybody gets a new copy with that.
func (l *showing) whenTold(job func(kept bool)) {
	mark := l.memory.ledger.Present(l.memory.mark, false)
	l.telling.add(func() {
		err := l.hall.cfg.Ledger.Kept(l.untold, mark)
		if errors.Is(err, ledger.ErrGaveWay) {
			l.postSoon(func() {
				l.memory.asked = true
				for _, c := range l.clients {
					c.fresh, l.pub.force = true, true
				}
			})
		}
		job(err == nil && l.state() != lifeLost)
	})
}

// whenKept runs a job in the lobby's loop when everything that it has taken in up to now is kept, or could not be kept
// in time. Jobs come in the order in which this was called.
func (l *seating) whenKept(job func(kept bool)) {
	if l.memory == nil {
		job(true)
		return
	}
	mark := l.memory.mark
	ctx, over := context.WithTimeout(context.Background(), keptWithin)
	l.sits.add(func() {
		defer over()
		err := l.hall.cfg.Ledger.Kept(ctx, mark)
		l.post(func() { job(err == nil) })
	})
}

// whyAway is why play stands still on a node that tells only what is kept.
const whyAway = "the database does not answer: play stands still, and goes on by itself when it does"

func (l *room) errStill() error {
	f := fault.New(code.NotKept, "%s", l.pace.why())
	f.Left = 1
	return f
}

// whyStill is why nothing may be told of the lobby, "" where it may. Where roam is true, those who are connected had
// better look for it at other nodes.
func (l *room) whyStill() (why string, roam bool) {
	if l.memory == nil {
		return "", false
	}
	if why, roam = l.hall.cfg.Silent(); why == "" && l.hall.cfg.PublishKept && !l.hall.cfg.Ledger.Away().IsZero() {
		why = whyAway
	}
	return why, roam
}

// stand has play stand still where nothing may be told, and go on when it may be.
func (l *Lobby) stand() {
	now := l.hall.cfg.Now()
	why, roam := l.whyStill()
	if why != "" && l.pace.stand(now, why) {
		since := now
		if away := l.hall.cfg.Ledger.Away(); !away.IsZero() {
			since = away
		}
		l.log().Warn("play stands still", "why", why)
		l.shows.pub.holds = true
		l.shows.tellStill(wire.Still{Is: "still", Ms: now.Sub(since).Milliseconds(), Why: why})
	} else if why == "" && l.pace.goes(now) {
		l.log().Info("play goes on")
		l.shows.tellStill(wire.Still{Is: "still", Over: true})
		l.memory.asked = true // so that whoever goes on from it knows of the time that was left out
	}
	if roam {
		l.shows.endAll(wire.Bye{Code: string(code.NotKept), Reason: why, Again: true})
	}
}

func (l *showing) tellStill(m wire.Still) {
	for _, c := range l.clients {
		c.sayAnyway(m)
	}
}
