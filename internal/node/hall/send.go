package hall

import (
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/outbox"
)

// send gives one client its delta, or a snapshot if it has no copy.
func (l *Lobby) send(c *Client, now sheet.Tick) {
	feed := l.pub.feed
	_, tooMuch := c.load()
	switch {
	case c.fresh:
		f := outbox.New(c.Enc)
		f.Data = feed.Snapshot(f.Data, &c.Viewer, l.m.Store(), now)
		c.fresh, c.back = false, false
		c.behind.Store(false)
		c.put(f)
		c.followUp()
	case c.behind.Load() && !c.caughtUp():
	case c.behind.Load() || c.back:
		l.catchUp(c, now)
	case tooMuch:
		c.behind.Store(true)
	default:
		l.sendDelta(c)
	}
}

// catchUp gives a client what it has missed, each field with its newest value.
func (l *Lobby) catchUp(c *Client, now sheet.Tick) {
	feed := l.pub.feed
	f := outbox.New(c.Enc)
	if feed.CanCatchUp(&c.Viewer, c.back) {
		f.Data = feed.CatchUp(f.Data, &c.Viewer)
	} else {
		f.Data = feed.Snapshot(f.Data, &c.Viewer, l.m.Store(), now)
	}
	c.back = false
	c.behind.Store(false)
	if len(f.Data) == 0 {
		f.Free()
	} else {
		c.put(f)
	}
	c.followUp()
}

func (l *Lobby) sendDelta(c *Client) {
	p := &l.pub
	plan := p.feed.Plan(&c.Viewer)
	if plan.Nothing() {
		return
	}
	if !plan.Own {
		for i := range p.made {
			if p.made[i].key == plan.Key {
				p.feed.Skip(&c.Viewer)
				c.put(p.made[i].frame.Hold())
				return
			}
		}
	}
	f := outbox.New(c.Enc)
	if f.Data = p.feed.Write(f.Data, &c.Viewer, &plan); len(f.Data) == 0 {
		f.Free()
		return
	}
	if !plan.Own && len(p.made) < maxMade {
		p.made = append(p.made, made{plan.Key, f.Hold()})
	}
	c.put(f)
}

// maxMade is how many different deltas of a tick are kept for others to share.
// Finding one among more would cost more than making it.
const maxMade = 16
