package hall

import (
	"time"

	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/live/safe"
)

// putLater adds a frame when the spectators' delay has passed.
func (c *Client) putLater(f *outbox.Frame) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.later = append(c.later, delayed{c.lobby.hall.cfg.Now().Add(c.delay), f})
	if c.waiting += len(f.Data); c.waiting > maxDelayed {
		c.End(tooSlow)
	}
	if len(c.later) == 1 {
		safe.After(c.delay, "show something later", c.release)
	}
}

// maxDelayed is how many bytes may wait for one spectator because of the delay.
const maxDelayed = 32 << 20

// release puts the frames whose time has come.
func (c *Client) release() {
	c.mu.Lock()
	var due []*outbox.Frame
	for len(c.later) > 0 && !c.later[0].due.After(c.lobby.hall.cfg.Now()) {
		due = append(due, c.later[0].frame)
		c.waiting -= len(c.later[0].frame.Data)
		c.later = c.later[1:]
	}
	if len(c.later) > 0 && c.Ended() == nil {
		safe.After(c.later[0].due.Sub(c.lobby.hall.cfg.Now()), "show something later", c.release)
	}
	c.mu.Unlock()
	for _, f := range due {
		c.Put(f)
	}
}

// delayed is a frame that a spectator sees later.
type delayed struct {
	due   time.Time
	frame *outbox.Frame
}
