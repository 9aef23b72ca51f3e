package client

import (
	"context"

	"turnvex.example/turnvex/internal/wire"
)

// Decide answers a decision and waits until the service has taken the answer. That
// it came too late, or after another referee's, is a *Refusal with the code
// no-such-decision. If the connection is lost meanwhile nobody knows whether the
// answer counted; the decision is offered again if it still waits.
func (c *Conn) Decide(ctx context.Context, no int64, yes bool) error {
	answer := make(chan *wire.Decided, 1)
	c.mu.Lock()
	if c.words == nil {
		c.words = map[int64]chan *wire.Decided{}
	}
	c.words[no] = answer
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		delete(c.words, no)
		c.mu.Unlock()
	}()
	if err := c.sendNow(wire.Decide{Is: "decide", No: no, Yes: yes}); err != nil {
		return err
	}
	select {
	case d := <-answer:
		if !d.OK {
			return &Refusal{Code: d.Code, Reason: d.Reason}
		}
		return nil
	case <-c.done:
		return c.Err()
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (c *Conn) decided(d *wire.Decided) error {
	c.mu.Lock()
	if answer := c.words[d.No]; answer != nil {
		select {
		case answer <- d:
		default: // it was answered twice; the first one told how it went
		}
	}
	c.mu.Unlock()
	return nil
}
