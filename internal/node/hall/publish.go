package hall

import (
	"context"
	"slices"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/wire"
)

// showing is what is told, and to whom: the connections, and what each is sent.
type showing struct {
	*room
	sign    *sign
	changed func() // called when what the lobby is has changed

	mu      sync.Mutex // the loop holds it when it changes clients, and others when they read them
	clients []*Client
	pub     publisher
	telling tasks           // what is told when it is kept
	untold  context.Context // ends when nothing more is told
	endTold context.CancelFunc
	checks  time.Duration // how often the copies are checked; 0 for never
	checkAt sheet.Tick    // when the copies are checked next
	recheck bool          // something was told since they were checked last
	asking  []func()      // checks that wait for the next publishing
	checked []Checked     // the newest answers to checks, the oldest first
}

func newShowing(r *room, s *sign, changed func()) *showing {
	l := &showing{room: r, sign: s, changed: changed, checks: r.hall.cfg.Check}
	if l.checks == 0 && r.setup.Practice {
		l.checks = checkEvery
	}
	l.untold, l.endTold = context.WithCancel(context.Background())
	l.pub.init(r.hall.faceOf(r.book))
	return l
}

// publisher sends what has changed, once a tick: each audience's part is encoded once and shared, and so is the message
// of clients who see the same.
type publisher struct {
	*face
	feed *replica.Feed

	last   sheet.Tick // the tick of the last publishing
	waits  bool       // something waits for the next tick
	due    sheet.Tick // when something that is held back is to be told, 0 for never
	force  bool       // somebody waits for a snapshot
	told   []told
	missed bool // somebody is still to be told that notices were left out
	given  []given
	made   []made
	held   []heldFrame
	holds  bool // what is told comes behind what was held back while play stood still
}

// desks are shared by all lobbies: a lobby needs one only while it publishes.
var desks = sync.Pool{New: func() any { return &replica.Desk{} }}

// told is a notice that waits, encoded at most once in each encoding.
type told struct {
	to     replica.Audience
	needed bool
	by     sheet.ID // who has written it, 0 for nobody
	notice wire.Notice
	frames [replica.Encodings]*outbox.Frame
}

// given is a message of one client's own that waits for the tick's delta.
type given struct {
	client *Client
	frame  *outbox.Frame
}

// made is a delta of this tick that others may get as well.
type made struct {
	key   replica.Key
	frame *outbox.Frame
}

func (p *publisher) init(f *face) {
	p.face, p.last = f, -1
	p.feed = replica.NewFeed(f.Face)
}

// idle tells whether there is nothing to publish.
func (p *publisher) idle(l *showing, changes sheet.Changes) bool {
	return changes.Empty() && len(p.told) == 0 && len(p.given) == 0 && !p.force && (p.due == 0 || l.m.Tick() < p.due) &&
		!slices.ContainsFunc(l.clients,
			func(c *Client) bool { return c.fresh || c.back || c.behind.Load() && c.caughtUp() })
}

// endAll ends every connection. Any goroutine may call it.
func (l *showing) endAll(bye wire.Bye) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, c := range l.clients {
		c.End(bye)
	}
}

// publish sends everything that waits: to each client first what has changed, then what has happened, then its
// verdicts, so that a verdict finds its effect in the copy. It does so at most once a tick.
func (l *showing) publish() {
	p := &l.pub
	st := l.m.Store()
	changes := st.Changes()
	defer l.publishKept()
	if p.idle(l, changes) {
		p.waits = false
		return
	}
	now := l.m.Tick()
	if now == p.last && !l.m.Closed() {
		p.waits = true
		return
	}
	p.last, p.waits, p.force = now, false, false
	if !l.row.Sent.Empty() || l.book.Arenas != nil && l.sign.arena() != l.sign.entry.Arena {
		l.changed()
	}
	desk := desks.Get().(*replica.Desk)
	p.feed.Begin(desk, st, changes, now)
	for _, c := range l.clients {
		l.send(c, now)
	}
	for i := range p.made {
		p.made[i].frame.Free()
	}
	p.made = p.made[:0]
	if len(p.told) > 0 || p.missed {
		l.sendNotices()
	}
	for _, g := range p.given {
		g.client.follow(g.frame)
	}
	clear(p.given)
	p.given = p.given[:0]
	if l.checks > 0 || len(l.asking) > 0 {
		l.checkCopies(now)
	}
	p.feed.End()
	desks.Put(desk)
	st.ClearChanges()
	if p.due = 0; p.Holds {
		p.due = p.feed.Due(st, l.viewers)
	}
	if l.recheck && (p.due == 0 || l.checkAt < p.due) {
		p.due = l.checkAt
	}
}

// send gives one client its delta, or a snapshot if it has no copy.
func (l *showing) send(c *Client, now sheet.Tick) {
	feed := l.pub.feed
	_, tooMuch := c.load()
	switch {
	case c.left: // without seats it would see everything
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
func (l *showing) catchUp(c *Client, now sheet.Tick) {
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

func (l *showing) sendDelta(c *Client) {
	p := &l.pub
	plan := p.feed.Plan(&c.Viewer)
	if plan.Nothing {
		return
	}
	if !plan.Own {
		for i := range p.made {
			if p.made[i].key == plan.Key {
				c.On = p.last
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

// maxMade is how many different deltas of a tick are kept for others to share. Finding one among more would cost more
// than making it.
const maxMade = 16

func (l *showing) viewers(yield func(*replica.Viewer) bool) {
	for _, c := range l.clients {
		if !yield(&c.Viewer) {
			return
		}
	}
}
