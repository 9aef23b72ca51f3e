package hall

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// ReadIntent turns a message into an input. What is wrong with it as a message
// is an error; what is wrong with it as a wish is the authority's to say.
func (c *Client) ReadIntent(in *wire.Intent) (step.Input, error) {
	out := step.Input{Seat: sheet.ID(in.Seat), Seq: in.N, Verb: step.Verb(in.Do), Name: in.Name, Target: sheet.ID(in.Target), Text: in.Text}
	if in.N == 0 {
		return out, fault.New(code.BadMessage, "an intent needs a number n from 1")
	}
	if !slices.Contains(step.Verbs, out.Verb) {
		out.Verb = step.Verb(clip(in.Do)) // refused by verdict
	}
	if in.At != nil {
		out.X, out.Y, out.Point = in.At[0], in.At[1], true
	}
	book := c.lobby.book
	switch out.Verb {
	case step.Act:
		if a := book.Action(in.Name); a != nil {
			for _, f := range a.Takes {
				if raw, ok := in.Args[f.Name]; ok {
					if v, err := sheet.ReadLoose(f, raw); err == nil {
						out.Args = append(out.Args, step.Named{Name: f.Name, Value: v})
					}
				}
			}
		}
	case step.Settings:
		out.Args = c.lobby.readSettings(in.Args)
	case step.Set:
		v, err := c.readSet(in)
		if err != nil {
			return out, err
		}
		out.Value = v
	}
	return out, nil
}

// readSettings turns settings into values; a password becomes its digest. What
// cannot be read is left for the authority to refuse.
func (l *Lobby) readSettings(given map[string]any) (out []step.Named) {
	for _, name := range slices.Sorted(maps.Keys(given)) {
		v := sheet.TextValue("unreadable")
		if name == "password" {
			v.S = l.hall.Digest(clip(fmt.Sprint(given[name])))
		} else if f := lobby.SettingField(l.book, name); f != nil {
			if read, err := sheet.ReadLoose(f, given[name]); err == nil {
				v = read
			} else {
				v.Type = (f.Type + 1) % sheet.Clock // another type than the field's, so that it is refused
			}
		}
		out = append(out, step.Named{Name: name, Value: v})
	}
	return out
}

func clip(s string) string { return strings.ToValidUTF8(s[:min(len(s), 32)], "") }

// readSet reads the value of a field that is set by hand, by whatever kind of
// sheet declares a field of that name.
func (c *Client) readSet(in *wire.Intent) (sheet.Value, error) {
	for k := 0; k < sheet.Kinds; k++ {
		f := c.lobby.book.Schema.Field(sheet.Kind(k), in.Name)
		if f == nil {
			continue
		}
		if f.Type == sheet.Position {
			if in.At == nil {
				return sheet.Value{}, fault.New(code.BadMessage, "a position is given as at: [x, y]")
			}
			return sheet.Value{Type: sheet.Position, N: [3]int64{in.At[0], in.At[1]}}, nil
		}
		if v, err := sheet.ReadLoose(f, in.Value); err == nil {
			return v, nil
		}
	}
	return sheet.Value{Type: sheet.Text, S: "unreadable"}, nil
}

// Repeats tells whether an intent's number was answered before.
func (c *Client) Repeats(in *step.Input) (again bool) {
	c.lobby.do(context.Background(), func() { again = in.Seq <= c.lobby.m.LastIntent(in.Seat) })
	return again
}

// EndFor ends the connection because of what it sent; nil when it is gone anyway.
func (c *Client) EndFor(why code.Code, err error) {
	b := wire.Bye{Code: string(why)}
	if err != nil {
		b.Reason = err.Error()
		if f, ok := err.(*fault.Fault); ok {
			b.Reason = f.Reason
		}
	}
	c.Box.End(b)
}

// Now is the wall tick that the clock stands at, and how much of it has gone by in
// thousandths, for pings.
func (c *Client) Now() (tick, part int64) {
	l := c.lobby
	at := max(time.Since(l.began)-c.delay, 0) * time.Duration(l.book.Rate)
	return int64(at / time.Second), int64(at%time.Second) / int64(time.Millisecond)
}

// Pong answers a client's ping.
func (c *Client) Pong(n uint64) {
	tick, part := c.Now()
	c.sayNow(wire.Ping{Is: "pong", N: n, Tick: tick, Part: part})
}

// everywhere calls f for each lobby of the node, without waiting.
func (h *Hall) everywhere(f func(*Lobby)) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, l := range h.lobbies {
		go f(l)
	}
}

// Renamed brings a player's new name to every lobby that they are in.
func (h *Hall) Renamed(player, name string) {
	h.everywhere(func(l *Lobby) {
		l.post(func() {
			if id := l.m.SeatOf(player); id != 0 {
				l.step(&step.Input{Kind: step.Intent, Seat: id, Verb: step.Rename, Text: name})
			}
		})
	})
}

// Removed gives up every seat of a player who was deleted.
func (h *Hall) Removed(player string) {
	h.everywhere(func(l *Lobby) { l.Quit(context.Background(), player) })
}
