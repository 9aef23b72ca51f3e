package hall

import (
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/wire"
)

// publisher sends what has changed, once a tick: each audience's part is encoded
// once and shared, and so is the message of clients who see the same.
type publisher struct {
	*face
	feed *replica.Feed

	last  sheet.Tick // the tick of the last publishing
	waits bool       // something waits for the next tick
	due   sheet.Tick // when something that is held back is to be told, 0 for never
	force bool       // somebody waits for a snapshot
	told  []told
	given []given
	made  []made
}

// told is a notice that waits, encoded at most once in each encoding.
type told struct {
	to     replica.Audience
	needed bool
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

// face is how a rulebook looks from outside: what its lobbies share.
type face struct {
	*replica.Face
	info wire.BookInfo
}

// faceOf returns the face of a rulebook, which its first lobby makes.
func (h *Hall) faceOf(b *rulebook.Book) *face {
	if f, ok := h.faces.Load(b); ok {
		return f.(*face)
	}
	var sight *replica.Sight
	if b.Ground != nil && b.Ground.Sight != nil {
		s := b.Ground.Sight
		sight = &replica.Sight{Near: s.Near, Far: s.Far, Every: s.Every, Player: b.F.Player.Pos, Piece: b.F.Piece.Pos}
	}
	f, _ := h.faces.LoadOrStore(b, &face{replica.NewFace(b.Schema, sight), wire.Describe(b)})
	return f.(*face)
}

func (p *publisher) notices(l *Lobby, list []step.Notice) {
	for _, n := range list {
		w := wire.Notice{Is: "notice", Name: n.Notice.Name, Tick: int64(l.m.Tick()), Of: uint32(n.Of)}
		if n.To != sheet.Everyone {
			w.To = n.To.String()
		}
		if len(n.Values) > 0 {
			w.With = map[string]any{}
		}
		for i, v := range n.Values {
			w.With[n.Notice.Fields[i].Name] = v.Plain()
		}
		p.told = append(p.told, told{to: replica.Audience{To: n.To, Of: n.Of}, needed: n.Notice.Needed, notice: w})
	}
}

// frame is the notice in one encoding.
func (t *told) frame(e replica.Encoding) *outbox.Frame {
	if t.frames[e] == nil {
		f := outbox.New(e)
		f.Data = append(f.Data, wire.Encode(e, t.notice)...)
		t.frames[e] = f
	}
	return t.frames[e].Hold()
}

func (p *publisher) verdict(c *Client, v step.Verdict) {
	p.give(c, wire.Verdict{Is: "verdict", Seat: uint32(v.Seat), N: v.Seq, OK: v.OK(), Code: string(v.Code),
		Reason: v.Reason, Tick: int64(v.At), Left: v.Left})
}

// give makes a message of the client's own wait for the tick's delta.
func (p *publisher) give(c *Client, v any) {
	p.given = append(p.given, given{c, c.message(v)})
}

// idle tells whether there is nothing to publish.
func (p *publisher) idle(l *Lobby, changes sheet.Changes) bool {
	return changes.Empty() && len(p.told) == 0 && len(p.given) == 0 && !p.force && (p.due == 0 || l.m.Tick() < p.due) &&
		!slices.ContainsFunc(l.clients, func(c *Client) bool { return c.fresh || c.back || c.behind.Load() && c.caughtUp() })
}

// publish sends everything that waits: to each client first what has changed,
// then what has happened, then its verdicts, so that a verdict finds its effect
// in the copy. It does so at most once a tick.
func (l *Lobby) publish() {
	p := &l.pub
	st := l.m.Store()
	changes := st.Changes()
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
	l.noteDirectory()
	p.feed.Begin(st, changes, now)
	for _, c := range l.clients {
		l.send(c, now)
	}
	for i := range p.made {
		p.made[i].frame.Free()
	}
	p.made = p.made[:0]
	l.sendNotices()
	for _, g := range p.given {
		g.client.follow(g.frame)
	}
	clear(p.given)
	p.given = p.given[:0]
	l.checkCopies(now)
	p.feed.End()
	st.ClearChanges()
	p.due = p.feed.Due(st, l.viewers)
	if l.recheck && (p.due == 0 || l.checkAt < p.due) {
		p.due = l.checkAt
	}
}

func (l *Lobby) viewers(yield func(*replica.Viewer) bool) {
	for _, c := range l.clients {
		if !yield(&c.Viewer) {
			return
		}
	}
}

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

// sendNotices tells what has happened to those whom it concerns. Who has fallen
// behind is not told what is only for show, but how much of it there was; the rest
// waits for the delta, so that it finds in the copy what it speaks of.
func (l *Lobby) sendNotices() {
	p := &l.pub
	for _, c := range l.clients {
		noShow, _ := c.load()
		for i := range p.told {
			t := &p.told[i]
			switch {
			case !c.Sees(t.to):
			case noShow && !t.needed:
				c.missed++
			default:
				c.follow(t.frame(c.Enc))
			}
		}
		if c.missed > 0 && !noShow {
			c.say(wire.Missed{Is: "missed", Notices: c.missed})
			c.missed = 0
		}
	}
	for i := range p.told {
		for _, f := range p.told[i].frames {
			if f != nil {
				f.Free()
			}
		}
	}
	clear(p.told)
	p.told = p.told[:0]
}

// bye ends the connection that holds a seat.
func (l *Lobby) bye(seat sheet.ID, why code.Code, reason string) {
	for _, c := range l.clients {
		if i := slices.Index(c.Seats, seat); i >= 0 && !c.watch {
			c.Seats = slices.Delete(slices.Clone(c.Seats), i, i+1)
			if len(c.Seats) == 0 {
				delete(l.keys, c.key)
				c.End(wire.Bye{Code: string(why), Reason: reason})
			}
		}
	}
}
