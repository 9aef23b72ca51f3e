package hall

import (
	"context"
	"errors"
	"time"

	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/store"
)

// heldFrame is a frame that waits until what it tells of is kept, where the node is set to that.
type heldFrame struct {
	client *Client
	frame  *outbox.Frame
}

// keptBefore is the longest that publishing waits: while the database is away play goes on.
const keptBefore = time.Second

// publishKept sends what was put since the last time, as soon as everything that the lobby has taken in up to now is
// kept.
func (l *showing) publishKept() {
	if len(l.pub.held) == 0 {
		return
	}
	list, mark := l.pub.held, l.memory.mark
	l.pub.held = nil
	l.telling.add(func() {
		ctx, over := context.WithTimeout(context.Background(), keptBefore)
		defer over()
		lost := errors.Is(l.hall.cfg.Ledger.Kept(ctx, mark), store.ErrFenced)
		for _, s := range list {
			if lost || l.state() == lifeLost { // another node goes on from before it
				s.frame.Free()
			} else {
				s.client.Put(s.frame)
			}
		}
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
