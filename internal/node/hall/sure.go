package hall

import (
	"context"
	"errors"
	"time"

	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/node/store"
)

// sure is a frame that waits until what it tells of is kept, where the node is set to that.
type sure struct {
	client *Client
	frame  *outbox.Frame
}

// sureWithin is the longest that publishing waits: while the database is away play goes on.
const sureWithin = time.Second

// publishSure sends what was put since the last time, as soon as everything that the lobby has
// taken in up to now is kept.
func (l *showing) publishSure() {
	if len(l.pub.sure) == 0 {
		return
	}
	list, mark := l.pub.sure, l.memory.mark
	l.pub.sure = nil
	l.telling.add(func() {
		ctx, over := context.WithTimeout(context.Background(), sureWithin)
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

// whenKept runs a job in the lobby's loop when everything that it has taken in up to now is kept,
// or could not be kept in time.
func (l *room) whenKept(job func(kept bool)) {
	if l.memory == nil {
		job(true)
		return
	}
	mark := l.memory.mark
	go func() {
		ctx, over := context.WithTimeout(context.Background(), keptWithin)
		defer over()
		err := l.hall.cfg.Ledger.Kept(ctx, mark)
		l.post(func() { job(err == nil) })
	}()
}
