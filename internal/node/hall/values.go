package hall

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

func clip(s string) string { return s[:min(len(s), 32)] }

// readArgs reads what comes with an action.
func (l *playing) readArgs(m *wire.Intent) (out []step.Named) {
	if a := l.book.ActionNamed[m.Name]; a != nil {
		return readValues(a.Takes, m.Args)
	}
	return nil
}

// readValues reads values that are sent along, by what is taken.
func readValues(takes []*sheet.Field, given map[string]any) (out []step.Named) {
	for _, name := range slices.Sorted(maps.Keys(given)) {
		v := sheet.UnreadableValue("no such value is taken")
		for _, f := range takes {
			if f.Name == name {
				v = readValue(f, given[name])
			}
		}
		out = append(out, step.Named{Name: name, Value: v})
	}
	return out
}

func readValue(f *sheet.Field, raw any) sheet.Value {
	v, err := readSent(f, raw)
	if err != nil {
		return sheet.UnreadableValue(err.Error())
	}
	return v
}

// readSent reads a value that somebody sends; of a text every character can be seen.
func readSent(f *sheet.Field, raw any) (sheet.Value, error) {
	v, err := sheet.Read(f, raw)
	if err == nil && f.Type == sheet.Text {
		if e := names.Shown(v.S); e != nil {
			err = fmt.Errorf("the text %w", e)
		}
	}
	return v, err
}

// readSettings turns settings into values; a password becomes its digest.
func (l *playing) readSettings(given map[string]any) (out []step.Named) {
	for _, name := range slices.Sorted(maps.Keys(given)) {
		v := sheet.UnreadableValue("there is no such setting")
		if name == "password" {
			v = l.readPassword(given[name])
		} else if f := lobby.SettingField(l.book, name); f != nil {
			v = readValue(f, given[name])
		}
		out = append(out, step.Named{Name: name, Value: v})
	}
	return out
}

func (l *playing) readPassword(raw any) sheet.Value {
	text, is := raw.(string)
	switch {
	case !is:
		return sheet.UnreadableValue("a text is expected; an empty one takes the password away")
	case len(text) > maxPassword:
		return sheet.UnreadableValue(fmt.Sprintf("it has at most %d bytes, not %d", maxPassword, len(text)))
	}
	return sheet.TextValue(l.hall.digest(text))
}

// readSet reads the value of a field that is set by hand, by the kind of the sheet that it is set on.
func (l *playing) readSet(m *wire.Intent) sheet.Value {
	r := l.m.Store().Get(sheet.ID(m.Target))
	if r == nil {
		return sheet.Value{}
	}
	f := l.book.Schema.Field(r.Kind, m.Name)
	switch {
	case f == nil:
		return sheet.Value{}
	case f.Type == sheet.Position && m.At != nil:
		return sheet.Value{Type: sheet.Position, N: [3]int64{m.At[0], m.At[1]}}
	}
	return readValue(f, m.Value)
}

// readTicks reads how many ticks to let pass: one if it is not said, and -1, which is refused, for what is no such
// number.
func readTicks(v any) int64 {
	if v == nil {
		return 1
	}
	if n := readValue(&sheet.Field{Type: sheet.Integer}, v); n.Type == sheet.Integer {
		return n.N[0]
	}
	return -1
}

// byHand is Lobby.ByHand.
func (l *playing) byHand(ctx context.Context, m *wire.Intent) error {
	var v step.Verdict
	err := l.do(ctx, func() {
		in := l.input(m)
		in.Kind = step.Field
		v = l.step(in).Verdict
	})
	if err == nil && v.Code != code.OK {
		return fault.New(v.Code, "%s", v.Reason)
	}
	return err
}

// askFor is Lobby.Ask.
func (l *playing) askFor(ctx context.Context, account string, m *wire.Intent) (v step.Verdict, err error) {
	answered := make(chan step.Verdict, 1)
	e := l.do(ctx, func() {
		seat := l.m.SeatOf(account)
		if seat == 0 {
			err = fault.New(code.NoSeat, "you have no seat in this lobby")
			return
		}
		if m.Do == string(step.Rename) {
			if err = l.mayBeCalled(m.Text, seat); err != nil {
				return
			}
		}
		in := l.input(m)
		in.Seat, in.Seq = seat, 0
		l.kept.request(in, func(v step.Verdict) { answered <- v })
	})
	if err = cmp.Or(err, e); err != nil {
		return v, err
	}
	later := len(answered) == 0 // behind a charge
	select {
	case v = <-answered:
		if later && l.tellsKept() {
			err = l.Kept(ctx)
		}
	case <-l.done:
		err = fault.New(code.LobbyGone, "the lobby has closed")
	case <-ctx.Done():
		err = ctx.Err()
	}
	return v, err
}
