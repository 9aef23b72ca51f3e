package hall

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// clip is the beginning of a text, of at most so many bytes.
func clip(s string, most int) string {
	if len(s) <= most {
		return s
	}
	for most > 0 && !utf8.RuneStart(s[most]) {
		most--
	}
	return s[:most]
}

// readArgs reads what comes with an action.
func (l *playing) readArgs(m *wire.Intent) (out []step.Named) {
	if a := l.book.ActionNamed[m.Name]; a != nil {
		return readValues(a.Takes, m.Args)
	}
	return nil
}

// readValues reads values that are sent along, by what is taken.
func readValues(takes []*sheet.Field, given map[string]any) []step.Named {
	return readNamed(given, "no such value is taken", func(name string) *sheet.Field {
		for _, f := range takes {
			if f.Name == name {
				return f
			}
		}
		return nil
	}, readValue)
}

// readNamed reads values by the fields of their names. Of those that cannot be read only the first is kept, with the
// beginning of its name: the intent is refused, and its refusal costs the journal no more than that.
func readNamed(given map[string]any, unknown string, fieldOf func(name string) *sheet.Field,
	read func(*sheet.Field, any) sheet.Value) (out []step.Named) {
	bad := false
	for _, name := range slices.Sorted(maps.Keys(given)) {
		v := sheet.UnreadableValue(unknown)
		if f := fieldOf(name); f != nil {
			v = read(f, given[name])
		}
		switch {
		case v.Type != sheet.Unreadable:
			out = append(out, step.Named{Name: name, Value: v})
		case !bad:
			bad = true
			out = append(out, step.Named{Name: clip(name, 32), Value: v})
		}
	}
	return out
}

func readValue(f *sheet.Field, raw any) sheet.Value {
	v, err := readSent(f, raw)
	if err != nil {
		return sheet.UnreadableValue(clip(err.Error(), 200))
	}
	if f.Type == sheet.Text && f.Max > 0 { // a longer one is refused, whatever else it says
		v.S = clip(v.S, 16*int(f.Max+1))
	}
	return v
}

// readSent reads a value that somebody sends; of a text every character can be seen.
func readSent(f *sheet.Field, raw any) (sheet.Value, error) {
	v, err := sheet.Read(f, raw)
	if err == nil && f.Person {
		v.S, err = match.Written(f, v.S)
		return v, err
	}
	if err == nil && f.Type == sheet.Text {
		if e := names.Shown(v.S); e != nil {
			err = fmt.Errorf("the text %w", e)
		}
	}
	return v, err
}

// readSettings turns settings into values; a password becomes its digest.
func (l *playing) readSettings(given map[string]any) []step.Named {
	password := &sheet.Field{}
	return readNamed(given, "there is no such setting", func(name string) *sheet.Field {
		if name == "password" {
			return password
		}
		return lobby.SettingField(l.book, name)
	}, func(f *sheet.Field, raw any) sheet.Value {
		if f == password {
			return l.readPassword(raw)
		}
		return readValue(f, raw)
	})
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
	case f.Type.IsPosition() && len(m.At) == f.Type.Width():
		v := sheet.Value{Type: f.Type}
		copy(v.N[:], m.At)
		return v
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
		if why := tooLong(m); why != "" {
			err = fault.New(code.BadArgument, "%s", why)
			return
		}
		if m.Do == string(step.Rename) {
			if err = l.mayBeCalled(m.Text, seat); err != nil {
				return
			}
		}
		in := l.input(m)
		if f := l.mayWrite(account, in); f != nil {
			err = f
			return
		}
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
