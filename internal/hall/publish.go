package hall

import (
	"encoding/json"
	"slices"
	"strconv"

	"turnvex/internal/code"
	"turnvex/internal/match"
	"turnvex/internal/replica"
	"turnvex/internal/rulebook"
	"turnvex/internal/sheet"
	"turnvex/internal/wire"
)

// publisher sends what has changed, once a tick: each audience's part is encoded
// once and shared.
type publisher struct {
	*face
	collector *replica.Collector

	last  sheet.Tick // the tick of the last publishing
	waits bool       // something waits for the next tick
	force bool       // somebody waits for a snapshot
	told  []told
	given []given
}

// told is a notice that waits, encoded once.
type told struct {
	to    replica.Audience
	frame []byte
}

// given is a verdict that waits.
type given struct {
	client *Client
	frame  []byte
}

func (p *publisher) init(f *face) {
	p.face, p.last = f, -1
	p.collector = replica.NewCollector(f.masks)
}

// face is how a rulebook looks from outside: what its lobbies share.
type face struct {
	schema    *sheet.Schema
	masks     *replica.Masks
	described replica.Described
	info      wire.BookInfo
}

// faceOf returns the face of a rulebook, which its first lobby makes.
func (h *Hall) faceOf(b *rulebook.Book) *face {
	if f, ok := h.faces.Load(b); ok {
		return f.(*face)
	}
	f, _ := h.faces.LoadOrStore(b, &face{b.Schema, replica.MasksOf(b.Schema), replica.Describe(b.Schema), wire.Describe(b)})
	return f.(*face)
}

func encode(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // every message is made of plain values
	}
	return data
}

func (p *publisher) notices(l *Lobby, list []match.Notice) {
	for _, n := range list {
		w := wire.Notice{Is: "notice", Name: n.Notice.Name, Tick: int64(l.m.Tick()), Of: uint32(n.Of)}
		if n.To != sheet.Everyone {
			w.To = n.To.String()
		}
		if len(n.Values) > 0 {
			w.With = map[string]any{}
		}
		for i, v := range n.Values {
			w.With[n.Notice.Fields[i].Name] = wire.Show(v)
		}
		p.told = append(p.told, told{replica.Audience{To: n.To, Of: n.Of}, encode(w)})
	}
}

func (p *publisher) verdict(c *Client, v match.Verdict) {
	p.given = append(p.given, given{c, encode(wire.Verdict{Is: "verdict", Seat: uint32(v.Seat), N: v.Seq, OK: v.OK(), Code: string(v.Code),
		Reason: v.Reason, Tick: int64(v.At), Left: v.Left})})
}

// publish sends everything that waits: to each client first what has changed,
// then what has happened, then its verdicts, so that a verdict finds its effect
// in the copy. It does so at most once a tick.
func (l *Lobby) publish() {
	p := &l.pub
	st := l.m.Store()
	changes := st.Changes()
	behind := l.catchUp()
	if changes.Empty() && len(p.told) == 0 && len(p.given) == 0 && !p.force && !behind && !slices.ContainsFunc(l.clients, func(c *Client) bool { return c.fresh }) {
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
	groups := p.collector.Collect(changes)
	parts := make([][]byte, len(groups))
	for i := range groups {
		parts[i] = replica.JSON.Append(nil, p.schema, &groups[i])
	}
	for _, c := range l.clients {
		l.send(c, now, groups, parts, changes.Moved)
	}
	for _, t := range p.told {
		for _, c := range l.clients {
			if c.view.Sees(t.to) {
				c.put(t.frame)
			}
		}
	}
	for _, g := range p.given {
		g.client.put(g.frame)
	}
	p.told, p.given = p.told[:0], p.given[:0]
	st.ClearChanges()
}

// catchUp finds clients that fell behind and can take a snapshot now.
func (l *Lobby) catchUp() bool {
	any := false
	for _, c := range l.clients {
		if c.caughtUp() {
			c.fresh, any = true, true
		}
	}
	return any
}

// send gives one client its delta, or a snapshot if it has no copy.
func (l *Lobby) send(c *Client, now sheet.Tick, groups []replica.Group, parts [][]byte, moved []sheet.Moved) {
	before := replica.View{Seats: c.view.Seats, Teams: c.view.Teams, All: c.view.All}
	shifted := c.view.Join(l.m.Store())
	if c.fresh {
		g := c.view.Whole(l.pub.masks, l.m.Store())
		frame := append([]byte(`{"is":"snapshot","tick":`), strconv.FormatInt(int64(now), 10)...)
		frame = append(frame, `,"parts":[`...)
		frame = replica.JSON.Append(frame, l.pub.schema, &g)
		c.put(append(frame, "]}"...))
		c.fresh, c.on = false, now
		return
	}
	frame := append(make([]byte, 0, 256), `{"is":"delta","tick":`...)
	frame = strconv.AppendInt(frame, int64(now), 10)
	frame = append(frame, `,"on":`...)
	frame = strconv.AppendInt(frame, int64(c.on), 10)
	frame = append(frame, `,"parts":[`...)
	start := len(frame)
	for i := range groups {
		if c.view.Sees(groups[i].Audience) {
			frame = joinPart(frame, start, parts[i])
		}
	}
	if shifted || len(moved) > 0 {
		if g := replica.Shift(l.pub.masks, l.m.Store(), &before, &c.view, moved); !g.Empty() {
			frame = joinPart(frame, start, replica.JSON.Append(nil, l.pub.schema, &g))
		}
	}
	if len(frame) > start {
		c.put(append(frame, "]}"...))
		c.on = now
	}
}

func joinPart(frame []byte, start int, part []byte) []byte {
	if len(frame) > start {
		frame = append(frame, ',')
	}
	return append(frame, part...)
}

// bye ends the connection that holds a seat.
func (l *Lobby) bye(seat sheet.ID, why code.Code, reason string) {
	for _, c := range l.clients {
		if i := slices.Index(c.view.Seats, seat); i >= 0 && !c.watch {
			c.view.Seats = slices.Delete(slices.Clone(c.view.Seats), i, i+1)
			if len(c.view.Seats) == 0 {
				delete(l.keys, c.key)
				c.end(wire.Bye{Code: string(why), Reason: reason})
			}
		}
	}
}
