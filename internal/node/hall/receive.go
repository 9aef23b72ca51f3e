package hall

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// playing is what players ask for.
type playing struct {
	*room
	kept  *keeping
	shows *showing
	ahead []ahead // what waits for its tick, in the order in which it came
}

// taker takes what connections say.
type taker interface {
	intent(c *Client, m *wire.Intent)
	leave(c *Client)
	lost(c *Client)
	sit(c *Client, m *wire.Local, j *Joining) error
	refuse(c *Client, m *wire.Local, why error)
	rise(c *Client, m *wire.Leave)
	decide(m *wire.Decide, answer func(any))
	rule(m *wire.Rule, answer func(any))
}

// ways are where what connections say goes.
type ways struct {
	*playing
	*seating
	*judging
}

// Lost tells the lobby that the connection is gone. Its seats are held.
func (c *Client) Lost() { c.to.lost(c) }

// Receive takes a message from the client, as wire.FromClient has decoded it. An error ends the connection.
func (c *Client) Receive(message any) error {
	l := c.lobby
	switch m := message.(type) {
	case *wire.Intent:
		if m.N == 0 {
			return fault.New(code.BadMessage, "an intent needs a number n from 1")
		}
		m.Tick = max(m.Tick, 0)
		l.post(func() { c.to.intent(c, m) })
	case *wire.Ping:
		c.pong(m.N)
	case *wire.Plain:
		l.post(func() { c.fresh, c.shows.pub.force = true, true })
	case *wire.Leave:
		if m.Seat != 0 {
			l.post(func() { c.to.rise(c, m) })
		} else {
			l.post(func() { c.to.leave(c) })
		}
	case *wire.Local:
		l.post(func() { c.to.sit(c, m, &Joining{}) })
	case *wire.Hash:
		l.post(func() { c.shows.hashed(c, m.Tick, m.Hash) })
	case *wire.Shown:
		l.post(func() { c.shows.shown(c, m.Tick, m.Parts) })
	case *wire.Decide:
		if !c.referee {
			return fault.New(code.Forbidden, "only a referee decides")
		}
		l.post(func() { c.to.decide(m, c.answer) })
	case *wire.Rule:
		if !c.referee {
			return fault.New(code.Forbidden, "only a referee does that")
		}
		l.post(func() { c.to.rule(m, c.answer) })
	default:
		return fault.New(
			code.BadMessage,
			"this message has no place behind hello; a client sends intent, ping, pong, whole, hash, shown, decide, "+
				"rule, local and leave",
		)
	}
	return nil
}

// Sit gives a further player a seat who has signed in as themselves, or tells the client why not and returns it.
func (c *Client) Sit(ctx context.Context, m *wire.Local, j *Joining) (err error) {
	if e := c.lobby.do(ctx, func() { err = c.to.sit(c, m, j) }); e != nil {
		return e
	}
	return err
}

// RefuseLocal tells the client why a further player gets no seat.
func (c *Client) RefuseLocal(m *wire.Local, why error) {
	c.lobby.post(func() { c.to.refuse(c, m, why) })
}

// Merged refuses a move of which a later one takes the place.
func (c *Client) Merged(m *wire.Intent) {
	c.Refuse(m, fault.New(code.Merged, "a later move took its place: too many came at once"))
}

// Refuse answers an intent that never comes to the authority.
func (c *Client) Refuse(m *wire.Intent, why error) {
	c.lobby.post(func() {
		c.answer(wire.Verdict{Is: "verdict", Seat: m.Seat, N: m.N, Code: string(fault.CodeOf(why)), Reason: why.Error(),
			Tick: int64(c.lobby.m.Tick())})
	})
}

// answer gives a message to the client with the tick's delta.
func (c *Client) answer(v any) {
	c.shows.pub.given = append(c.shows.pub.given, given{c, c.message(v)})
}

// The longest name of an action, a team or a person, in characters, and the longest text of an intent, in bytes: an ID,
// a word or a name of somebody new.
const maxWord, maxText = 32, 256

// tooLong says what in an intent is longer than anything that there is: nothing of it is kept, and no more than its
// beginning is told.
func tooLong(m *wire.Intent) string {
	if n := utf8.RuneCountInString(m.Name); n > maxWord {
		return fmt.Sprintf("the name %.*q… has %d characters; at most %d may be", maxWord, m.Name, n, maxWord)
	}
	if len(m.Text) > maxText {
		return fmt.Sprintf("the text %q… has %d bytes; at most %d may be", clip(m.Text, 32), len(m.Text), maxText)
	}
	return ""
}

// intent hands a client's intent to the authority, now or at the tick that it names; its verdict comes as a message.
func (l *playing) intent(c *Client, m *wire.Intent) {
	if (m.Tick > 0 || m.Tick == 0 && len(l.ahead) > 0) && !l.pace.still() && l.holds(c, m) {
		return
	}
	answer := func(v step.Verdict) {
		// The verdict waits for the tick's delta.
		l.shows.pub.given = append(l.shows.pub.given,
			given{c, c.message(wire.Verdict{Is: "verdict", Seat: uint32(v.Seat), N: v.Seq, OK: v.Code == code.OK,
				Code: string(v.Code), Reason: v.Reason, Tick: int64(v.At), Left: v.Left, Waits: v.Waits})})
	}
	if l.pace.still() {
		c.sayAnyway(wire.Verdict{Is: "verdict", Seat: m.Seat, N: m.N, Code: string(code.NotKept), Reason: l.pace.why(),
			Tick: int64(l.m.Tick())})
		return
	}
	if len(m.Name)+len(m.Text) > maxWord {
		if why := tooLong(m); why != "" {
			answer(step.Verdict{Seat: sheet.ID(m.Seat), Seq: m.N, Code: code.BadArgument, At: l.m.Tick(), Reason: why})
			return
		}
	}
	if m.Do == string(step.Rename) {
		if err := l.mayBeCalled(m.Text, sheet.ID(m.Seat)); err != nil {
			answer(step.Verdict{Seat: sheet.ID(m.Seat), Seq: m.N, Code: code.BadName, Reason: err.Error(),
				At: l.m.Tick()})
			return
		}
	}
	if slices.Contains(c.own(), sheet.ID(m.Seat)) {
		in := l.input(m)
		if len(in.Args) > 0 {
			own := l.m.Store().Get(in.Seat).Text(l.book.F.Player.Account)
			if f := l.mayWrite(cmp.Or(own, c.account), in); f != nil {
				answer(step.Verdict{Seat: in.Seat, Seq: m.N, Code: f.Code, Reason: f.Reason, At: l.m.Tick(),
					Left: int64(f.Left) * 1000})
				return
			}
		}
		if len(l.kept.charging) > 0 {
			l.kept.request(in, answer)
		} else if out := l.step(in); out.Verdict.Code == code.Charging {
			l.kept.await(out.Effects, request{in, answer})
		} else {
			answer(out.Verdict)
		}
		return
	}
	answer(step.Verdict{Seat: sheet.ID(m.Seat), Seq: m.N, Code: code.NotYours, Reason: "this seat is not yours",
		At: l.m.Tick()})
}

// mayWrite refuses an intent with a text of somebody whose texts are told to nobody.
func (l *playing) mayWrite(account string, in *step.Input) (f *fault.Fault) {
	if in.Verb == step.Act && slices.ContainsFunc(in.Args, func(a step.Named) bool {
		return a.Value.Type == sheet.Text
	}) {
		errors.As(l.hall.cfg.Names.MayWrite(account), &f)
	}
	return f
}

// input turns an intent as it was sent into an input. What cannot be read in it is put in as unreadable, for the
// authority to refuse.
func (l *playing) input(m *wire.Intent) *step.Input {
	in := &step.Input{Kind: step.Intent, Seat: sheet.ID(m.Seat), Seq: m.N, Verb: step.Verb(m.Do), Name: m.Name,
		Target: sheet.ID(m.Target), Text: m.Text}
	switch want := l.book.Parts; {
	case m.At == nil:
	case len(m.At) != want:
		in.Value = sheet.UnreadableValue(fmt.Sprintf("at has %d parts in this rulebook, not %d", want, len(m.At)))
	default:
		in.X, in.Y, in.Point = m.At[0], m.At[1], true
		if want > 2 {
			in.Z = m.At[2]
		}
	}
	if m.Yaw != nil {
		in.Yaw, in.Faces = *m.Yaw, true
	}
	if m.Pitch != nil {
		if in.Pitch = *m.Pitch; m.Yaw == nil {
			in.Value = sheet.UnreadableValue("a pitch goes with a yaw")
		}
	}
	switch in.Verb {
	case step.Act:
		if len(m.Args) > 0 {
			in.Args = l.readArgs(m)
		}
	case step.Settings:
		in.Args = l.readSettings(m.Args)
	case step.Set:
		in.Value = l.readSet(m)
	case step.Advance:
		in.X = readTicks(m.Value)
	default:
		in.Verb = step.Verb(clip(m.Do, 32)) // an unknown one is refused by name
	}
	return in
}

// Ping tells a round-trip time in milliseconds.
func (c *Client) Ping(ms int64) {
	c.lobby.post(func() {
		for _, id := range c.own() {
			c.lobby.step(&step.Input{Kind: step.Ping, Seat: id, N: ms})
		}
	})
}

// pong answers a client's ping.
func (c *Client) pong(n uint64) {
	tick, part := c.Now()
	c.sayAnyway(wire.Ping{Is: "pong", N: n, Tick: tick, Part: part})
}

// EndFor ends the connection because of what it sent; nil when it is gone anyway.
func (c *Client) EndFor(err error) {
	b := wire.Bye{}
	if err != nil {
		b.Code, b.Reason = string(fault.CodeOf(err)), fault.ReasonOf(err)
	}
	c.Box.End(b)
}
