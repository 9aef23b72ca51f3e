package hall

import (
	"context"
	"crypto/rand"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// Joining is how a connection asks to come in.
type Joining struct {
	Account string
	Name    string
	Team    string
	Locals  []string // names of further players on the connection, checked
	Resume  string
	Tick    *int64 // with Resume: the tick of the copy that the client still has
	Enc     replica.Encoding
	Referee bool   // a service key with the scope referee: see everything and decide
	Pass    string // the lobby's password, as it was typed
	Version string // of the rulebook; any if it is empty
	Wait    bool   // stand in line if the lobby is full
	Watch   bool
	As      sheet.ID // operators: see exactly what this seat sees
	All     bool     // operators: see everything
}

// Join brings a connection into the lobby: as the player it was before, as a
// new player, or as somebody who watches. The welcome waits in the client.
func (l *Lobby) Join(ctx context.Context, j Joining) (*Client, error) {
	c := newClient(l, j.Enc)
	c.account = j.Account
	var err error
	if e := l.do(ctx, func() { err = l.admit(c, j) }); e != nil {
		return nil, e
	}
	return c, err
}

func (l *Lobby) admit(c *Client, j Joining) error {
	if j.Version != "" && j.Version != l.book.Version {
		return fault.New(code.WrongVersion, "this lobby runs version %s of %s, not %s", l.book.Version, l.book.Name, j.Version)
	}
	switch {
	case j.All, j.Referee:
		c.watch, c.View, c.referee = true, replica.View{All: true}, j.Referee
	case j.As != 0:
		if r := l.m.Store().Get(j.As); r == nil || r.Kind != sheet.Player {
			return fault.New(code.NoSeat, "there is no seat %d in this lobby", j.As)
		}
		c.watch, c.View = true, replica.View{Seats: []sheet.ID{j.As}}
	case j.Watch:
		if err := l.admitSpectator(c); err != nil {
			return err
		}
	default:
		if back, err := l.comeBack(c, j); err != nil {
			return err
		} else if !back {
			if err := l.takeSeats(c, j); err != nil && (!j.Wait || fault.CodeOf(err) != code.LobbyFull || l.standInLine(c, j) != nil) {
				return err
			}
		}
	}
	if !c.watch && len(c.Seats) > 0 {
		c.first.Store(uint32(c.Seats[0]))
		c.count.Store(int32(len(c.Seats)))
	}
	l.clients = append(l.clients, c)
	if j.Watch && !c.All && j.As == 0 {
		l.countSpectators()
	}
	c.Join(l.m.Store())
	l.welcome(c)
	if c.referee {
		l.refereesChanged()
	}
	return nil
}

func (l *Lobby) admitSpectator(c *Client) error {
	most := int(l.m.Store().Of(sheet.Lobby)[0].Int(l.book.F.Lobby.WatchMost))
	if l.spectators() >= most {
		return fault.New(code.NoWatching, "%d people may watch here, and as many do", most)
	}
	c.watch = true
	c.delay = time.Duration(l.book.Spectators.Delay) * time.Second / time.Duration(l.book.Rate)
	return nil
}

// standInLine puts a connection in line for a seat; meanwhile it sees what a
// spectator sees.
func (l *Lobby) standInLine(c *Client, j Joining) error {
	c.key, c.waits = rand.Text(), true
	out := l.step(&step.Input{Kind: step.Wait, Acct: j.Account, Name: j.Name, Conn: c.key, Team: j.Team, Pass: l.hall.Digest(j.Pass)})
	if v := out.Verdict; !v.OK() {
		return fault.New(v.Code, "%s", v.Reason)
	}
	return nil
}

// seated tells a connection that stood in line that it has a seat now: with a new
// welcome and a snapshot of what it now may see.
func (l *Lobby) seated(seat sheet.ID, key string) {
	for _, c := range l.clients {
		if c.key == key && c.waits {
			c.waits = false
			c.Seats = []sheet.ID{seat}
			c.first.Store(uint32(seat))
			l.keys[key] = &heldSeats{seats: []sheet.ID{seat}}
			c.Join(l.m.Store())
			l.welcome(c)
			c.fresh = true
			return
		}
	}
	l.step(&step.Input{Kind: step.Lost, Seat: seat}) // it has gone meanwhile; the seat is held as any other
}

// takeSeats asks the authority for a seat for each player on the connection.
// Either all get one or none.
func (l *Lobby) takeSeats(c *Client, j Joining) error {
	c.key = rand.Text()
	for i, name := range append([]string{j.Name}, j.Locals...) {
		account := j.Account
		if i > 0 {
			account = ""
		}
		out := l.step(&step.Input{Kind: step.Enter, Acct: account, Name: name, Team: j.Team, Conn: c.key, Pass: l.hall.Digest(j.Pass)})
		if v := out.Verdict; !v.OK() {
			for _, id := range c.Seats {
				l.step(&step.Input{Kind: step.Leave, Seat: id})
			}
			c.Seats = nil
			return fault.New(v.Code, "%s", v.Reason)
		}
		c.Seats = append(c.Seats, out.Seat)
	}
	l.keys[c.key] = &heldSeats{seats: slices.Clone(c.Seats)}
	return nil
}

// comeBack gives a connection the seats that it, or an earlier one of the same
// player, had. The earlier connection is told and ends, or is left alone and the
// new one refused, as the node is set.
func (l *Lobby) comeBack(c *Client, j Joining) (bool, error) {
	key := j.Resume
	if _, ok := l.keys[key]; !ok {
		own := l.m.SeatOf(j.Account)
		if own == 0 {
			return false, nil
		}
		for k, held := range l.keys {
			if slices.Contains(held.seats, own) {
				key = k
			}
		}
		if l.hall.cfg.Refuse && slices.ContainsFunc(l.clients, func(o *Client) bool { return o.key == key && !o.watch }) {
			return false, fault.New(code.AlreadyIn, "you are in this lobby on another connection")
		}
	}
	held := l.keys[key]
	if held == nil {
		return false, nil
	}
	seats := slices.DeleteFunc(slices.Clone(held.seats), func(id sheet.ID) bool { return l.m.Store().Get(id) == nil })
	if len(seats) == 0 || l.m.Store().Get(seats[0]).Text(l.book.F.Player.Account) != j.Account {
		return false, nil
	}
	delete(l.keys, key)
	for _, old := range slices.Clone(l.clients) {
		if old.key == key {
			old.Seats = nil
			old.End(wire.Bye{Code: string(code.Replaced), Reason: "another connection has taken over your seat"})
			l.dropClient(old)
		}
	}
	c.key = rand.Text()
	c.Seats = seats
	c.why = held.ended
	l.keys[c.key] = &heldSeats{seats: slices.Clone(seats)}
	for _, id := range seats {
		l.step(&step.Input{Kind: step.Back, Seat: id})
	}
	if key == j.Resume && j.Tick != nil && len(seats) == len(held.seats) {
		l.keepCopy(c, sheet.Tick(*j.Tick))
	}
	return true, nil
}

// heldSeats are the seats that a resume key brings back.
type heldSeats struct {
	seats []sheet.ID
	ended *wire.Bye // why the service ended the connection that had them, nil if it did not
}

// keepCopy lets a client that still has its copy of tick at go on with what it has
// missed, if that is still known.
func (l *Lobby) keepCopy(c *Client, at sheet.Tick) {
	c.Join(l.m.Store())
	c.On = at
	if l.pub.feed.CanCatchUp(&c.Viewer, true) {
		c.fresh, c.back = false, true
	}
}

func (l *Lobby) welcome(c *Client) {
	w := wire.Welcome{Is: "welcome", Lobby: l.Code, Seats: []wire.SeatInfo{}, Resume: c.key, Rate: l.book.Rate, Tick: int64(l.m.Tick()),
		Hold: sheet.Millis(int64(l.book.Players.Hold), l.book.Rate), Service: l.hall.cfg.Version, Delay: c.delay.Milliseconds(),
		Kept: c.back, Ended: c.why}
	if !c.back {
		w.Schema, w.Book = &l.pub.Described, &l.pub.info
	}
	if c.waits {
		w.Waiting = l.m.Waiting(c.key)
	}
	if !c.watch {
		for _, id := range c.Seats {
			w.Seats = append(w.Seats, wire.SeatInfo{Seat: uint32(id), Last: l.m.LastIntent(id)})
		}
	}
	c.sayNow(w)
}

func (l *Lobby) spectators() int {
	n := 0
	for _, c := range l.clients {
		if c.watch && !c.All && len(c.Seats) == 0 { // not an operator's view
			n++
		}
	}
	return n
}

func (l *Lobby) countSpectators() {
	l.step(&step.Input{Kind: step.Spectators, N: int64(l.spectators())})
}

func (l *Lobby) dropClient(c *Client) {
	l.clients = slices.DeleteFunc(l.clients, func(x *Client) bool { return x == c })
}

// Leave gives the connection's seats up.
func (c *Client) Leave() {
	l := c.lobby
	l.post(func() {
		if !c.watch {
			for _, id := range c.Seats {
				l.step(&step.Input{Kind: step.Leave, Seat: id})
			}
			if c.waits {
				l.step(&step.Input{Kind: step.Unwait, Conn: c.key})
			}
			delete(l.keys, c.key)
			c.Seats = nil
		}
		c.End(wire.Bye{Code: "left", Reason: "you have left the lobby"})
	})
}

// Lost tells the lobby that the connection is gone. Its seats are held.
func (c *Client) Lost() {
	l := c.lobby
	l.post(func() {
		there := slices.Contains(l.clients, c)
		l.dropClient(c)
		if !there {
			return
		}
		if c.watch {
			l.countSpectators()
			if c.referee {
				l.refereesChanged()
			}
			return
		}
		if held := l.keys[c.key]; held != nil {
			if held.ended = c.Ended(); held.ended != nil && held.ended.Code == "" {
				held.ended = nil
			}
		}
		if c.waits {
			l.step(&step.Input{Kind: step.Unwait, Conn: c.key})
		}
		for _, id := range c.Seats {
			l.step(&step.Input{Kind: step.Lost, Seat: id})
		}
	})
}

// Whole asks for a snapshot.
func (c *Client) Whole() { c.lobby.post(func() { c.fresh = true; c.lobby.pub.force = true }) }

// Ping tells a round-trip time in milliseconds.
func (c *Client) Ping(ms int64) {
	c.lobby.post(func() {
		if !c.watch {
			for _, id := range c.Seats {
				c.lobby.step(&step.Input{Kind: step.Ping, Seat: id, N: ms})
			}
		}
	})
}

// Intent hands an intent to the authority; its verdict comes as a message.
func (c *Client) Intent(in step.Input) {
	l := c.lobby
	l.post(func() {
		v := step.Verdict{Seat: in.Seat, Seq: in.Seq, Code: code.NotYours, Reason: "this seat is not yours", At: l.m.Tick()}
		if !c.watch && slices.Contains(c.Seats, in.Seat) {
			in.Kind = step.Intent
			out := l.step(&in)
			v = out.Verdict
		}
		l.pub.verdict(c, v)
	})
}
