package hall

import (
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/outbox"
	"turnvex.example/turnvex/internal/wire"
)

// sendNotices tells what has happened to those whom it concerns. Who has fallen behind is not told what is only for
// show, but how much of it there was; the rest waits for the delta, so that it finds in the copy what it speaks of.
func (l *showing) sendNotices() {
	p := &l.pub
	p.missed = false
	for _, c := range l.clients {
		noShow, _ := c.load()
		for i := range p.told {
			t := &p.told[i]
			switch {
			case !c.Sees(t.to) || t.by != 0 && l.muted(c, t):
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
		p.missed = p.missed || c.missed > 0
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

// Notice is how something that has happened is told.
func Notice(n step.Notice, at sheet.Tick) wire.Notice {
	w := wire.Notice{Is: "notice", Name: n.Notice.Name, Tick: int64(at), Of: uint32(n.Of)}
	if n.To != sheet.Everyone {
		w.To = n.To.String()
	}
	if len(n.Values) > 0 {
		w.With = map[string]any{}
	}
	for i, v := range n.Values {
		w.With[n.Notice.Fields[i].Name] = v.Plain()
	}
	return w
}

// notices sets aside what is to be told after the delta of the tick.
func (l *showing) notices(list []step.Notice) {
	for _, n := range list {
		w := Notice(n, l.m.Tick())
		if n.To == sheet.RefereesOnly {
			l.tellJudges(w)
		}
		l.pub.told = append(l.pub.told, told{to: replica.Audience{To: n.To, Of: n.Of}, needed: n.Notice.Needed,
			by: n.By, notice: w})
	}
}

// muted tells whether all players of a connection whom a notice is for have muted who wrote it.
func (l *showing) muted(c *Client, t *told) bool {
	mutes := l.book.F.Player.Mutes
	for _, id := range c.own() {
		r := l.m.Store().GetOr(id, sheet.Player)
		one := replica.View{Seats: []sheet.ID{id}, Teams: []sheet.ID{r.Team}}
		if one.Sees(t.to) && !sheet.Holds(r.Text(mutes), int64(t.by)) {
			return false
		}
	}
	return len(c.own()) > 0
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
