package hall

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
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
	Branch  string // with Tick: the branch that this copy is of
	Enc     replica.Encoding
	Referee bool   // a service key with the scope referee: see everything and decide
	Pass    string // the lobby's password, as it was typed
	Version string // of the rulebook; any if it is empty
	Wait    bool   // stand in line if the lobby is full
	Watch   bool
	From    string   // the address that they come from, if it is known
	As      sheet.ID // operators: see exactly what this seat sees
	All     bool     // operators: see everything

	GiveBack func() // called when the place that is taken is free again, if one is taken; or nil
}

// addressNumber is what the authority knows of an address: a number that tells it from few others, and differs from
// lobby to lobby.
func (l *room) addressNumber(address string) int64 {
	if address == "" {
		return 0
	}
	sum := sha256.Sum256([]byte(l.hall.digest(l.ID + " " + address)))
	return 1 + int64(binary.BigEndian.Uint16(sum[:]))
}

// join is Lobby.Join.
func (l *seating) join(ctx context.Context, j Joining) (*Client, error) {
	c := newClient(l.shows, l.to, j.Enc)
	c.account = j.Account
	var err error
	in := false
	if e := l.do(ctx, func() { err = l.admit(c, j); in = err == nil }); e != nil {
		switch { // what nobody may be told of
		case in && c.newcomer:
			l.postSoon(func() { l.leave(c) })
		case in:
			safe.Go("lose a connection", func() { l.lost(c) })
		}
		return nil, e
	}
	if err == nil && c.newcomer {
		if err = l.Kept(ctx); err != nil { // who is not kept has not joined
			l.postSoon(func() { l.leave(c) })
			return nil, err
		}
	}
	return c, err
}

func (l *seating) admit(c *Client, j Joining) error {
	if l.state().going() {
		return l.gone()
	}
	if j.Version != "" && j.Version != l.book.Version {
		return fault.New(code.WrongVersion, "this lobby runs version %s of %s, not %s", l.book.Version, l.book.Name,
			j.Version)
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
		if err := l.admitSpectator(c, j); err != nil {
			return err
		}
	default:
		// What fails before a place is taken is given back by who asked.
		if back, err := l.comeBack(c, j); err != nil {
			return err
		} else if !back {
			c.newcomer = true
			if err := l.takeSeats(c, j); err != nil && (!j.Wait || fault.CodeOf(err) != code.LobbyFull ||
				l.standInLine(c, j) != nil) {
				return err
			}
		}
	}
	if !c.watch {
		l.counted.take(j.Account, j.GiveBack)
	}
	if !c.watch && len(c.Seats) > 0 {
		c.first.Store(uint32(c.Seats[0]))
		c.count.Store(int32(len(c.Seats)))
	}
	l.shows.addClient(c)
	if j.Watch && !c.All && j.As == 0 {
		l.countSpectators()
	}
	l.shows.pub.feed.Join(&c.View, l.m.Store())
	l.welcome(c)
	if c.referee {
		l.judged.refereesChanged()
	}
	return nil
}

func (l *seating) welcome(c *Client) {
	w := wire.Welcome{Is: "welcome", Lobby: l.Code, Seats: []wire.SeatInfo{}, Resume: c.key, Branch: l.branch,
		Rate: l.book.Rate,
		Tick: int64(l.m.Tick()), Hold: sheet.Millis(int64(l.book.Players.Hold), l.book.Rate),
		Service: l.hall.cfg.Version, Delay: c.delay.Milliseconds(), Kept: c.back, Nodes: l.hall.cfg.Nodes(),
		Ended: c.why}
	if !c.back {
		w.Schema, w.Book = &l.shows.pub.Described, &l.shows.pub.info
	}
	if c.waits {
		w.Waiting = l.m.Waiting(c.key)
	}
	if !c.watch {
		for _, id := range c.Seats {
			w.Seats = append(w.Seats, wire.SeatInfo{Seat: uint32(id), Last: l.m.LastIntent(id)})
		}
	}
	c.Say(w)
}

func (l *showing) spectators() int {
	n := 0
	for _, c := range l.clients {
		if c.watch && !c.All && len(c.Seats) == 0 { // not an operator's view
			n++
		}
	}
	return n
}

func (l *seating) countSpectators() {
	l.step(&step.Input{Kind: step.Spectators, N: int64(l.shows.spectators())})
}

func (l *showing) addClient(c *Client) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.clients = append(l.clients, c)
}

func (l *showing) dropClient(c *Client) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.clients = slices.DeleteFunc(l.clients, func(x *Client) bool { return x == c })
}
