package hall

import (
	"context"
	"errors"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/wire"
)

// tellsKept tells whether nothing leaves the lobby before it is kept.
func (l *room) tellsKept() bool { return l.hall.cfg.PublishKept && l.memory != nil }

// heldFrame is a frame that waits until what it tells of is kept, where the node is set to that.
type heldFrame struct {
	client *Client
	frame  *outbox.Frame
}

// publishKept sends what was put since the last time, as soon as everything that has happened to the lobby up to now is
// kept, the ticks since its last input included.
func (l *showing) publishKept() {
	if len(l.pub.held) == 0 {
		return
	}
	list := l.pub.held
	l.pub.held = nil
	l.whenTold(func(kept bool) {
		for _, s := range list {
			if kept {
				s.client.show(s.frame)
			} else {
				s.frame.Free()
			}
		}
	})
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
// in time.
func (l *room) whenKept(job func(kept bool)) {
	if l.memory == nil {
		job(true)
		return
	}
	mark := l.memory.mark
	safe.Go("wait until something is kept", func() {
		ctx, over := context.WithTimeout(context.Background(), keptWithin)
		defer over()
		err := l.hall.cfg.Ledger.Kept(ctx, mark)
		l.post(func() { job(err == nil) })
	})
}

// whyStill is what everybody is told while a lobby stands still.
const whyStill = "the database does not answer: play stands still, and goes on by itself when it does"

func errStill() error {
	f := fault.New(code.NotKept, "%s", whyStill)
	f.Left = 1
	return f
}

// stand has play stand still where nothing may be told and the database is away, and go on when it is back.
func (l *Lobby) stand(since time.Time) {
	now := l.hall.cfg.Now()
	if away := !since.IsZero(); away && l.pace.stand(now) {
		l.log().Warn("play stands still: the database does not answer", "since", since)
		l.shows.tellStill(wire.Still{Is: "still", Ms: now.Sub(since).Milliseconds(), Why: whyStill})
	} else if !away && l.pace.goes(now) {
		l.log().Info("play goes on")
		l.shows.tellStill(wire.Still{Is: "still", Over: true})
		l.memory.asked = true // so that whoever goes on from it knows of the time that was left out
	}
}

func (l *showing) tellStill(m wire.Still) {
	for _, c := range l.clients {
		c.Say(m)
	}
}
