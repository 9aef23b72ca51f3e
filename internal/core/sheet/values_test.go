package sheet_test

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"turnvex.example/turnvex/internal/core/sheet"
)

// TestReading: what people write and what programs send, and which of it is no value of the field's type.
func TestReading(t *testing.T) {
	words := []string{"calm", "cross"}
	for _, c := range []struct {
		of   sheet.Type
		raw  any
		want any // nil where it is refused
	}{
		{sheet.Integer, int64(7), int64(7)}, {sheet.Integer, uint64(7), int64(7)}, {sheet.Integer, 7.0, int64(7)},
		{sheet.Integer, json.Number("7"), int64(7)}, {sheet.Integer, json.Number("7.0"), int64(7)},
		{sheet.Integer, json.Number("1e3"), int64(1000)}, {sheet.Integer, json.Number("1e999"), nil}, {sheet.Integer,
			7.5, nil},
		{sheet.Integer, "7", nil}, {sheet.Integer, true, nil}, {sheet.Integer, nil, nil}, {sheet.Integer, []any{1},
			nil},
		{sheet.Integer, map[string]any{}, nil}, {sheet.Integer, math.NaN(), nil},
		{sheet.Number, 7.125, int64(7125)}, {sheet.Number, -0.5, int64(-500)}, {sheet.Number, json.Number("0.0005"),
			nil},
		{sheet.Number, int64(9223372036854774), int64(9223372036854774000)}, {sheet.Number, int64(9223372036854775),
			nil},
		{sheet.Text, "x", "x"}, {sheet.Text, int64(1), nil}, {sheet.Text, true, nil}, {sheet.Text, []any{}, nil},
		{sheet.Flag, true, true}, {sheet.Flag, false, false}, {sheet.Flag, "true", nil}, {sheet.Flag, int64(1), nil},
		{sheet.Choice, "cross", int64(1)}, {sheet.Choice, "happy", nil}, {sheet.Choice, int64(1), nil},
		{sheet.Ref, int64(0), int64(0)}, {sheet.Ref, int64(math.MaxUint32), int64(math.MaxUint32)},
		{sheet.Ref, int64(math.MaxUint32 + 1), nil}, {sheet.Ref, int64(-1), nil}, {sheet.Ref, "x", nil},
		{sheet.Clock, int64(1500), []int64{1500, 0, 0}}, {sheet.Clock, 1.5, nil},
		{sheet.Position, []any{int64(1), json.Number("-2")}, []int64{1, -2}}, {sheet.Position, []any{int64(1)}, nil},
		{sheet.Position, []any{int64(1), "2"}, nil}, {sheet.Position, []any{int64(1), int64(2), int64(3)}, nil},
		{sheet.Position, int64(5), nil}, {sheet.Position, "5", nil},
	} {
		v, err := sheet.Read(&sheet.Field{Type: c.of, Choices: words}, c.raw)
		switch {
		case (err == nil) != (c.want != nil):
			t.Errorf("%v of %s: %v, %v", c.raw, c.of, v, err)
		case err == nil && !same(v.Plain(), c.want):
			t.Errorf("%v of %s is %v, not %v", c.raw, c.of, v.Plain(), c.want)
		}
	}
	for text, want := range map[string]int64{"1": 1000, "-1.5": -1500, "0.001": 1, "-0.25": -250, "12.340": 12340} {
		if n, ok := sheet.ParseThousandths(text); !ok || n != want {
			t.Errorf("%s is %d", text, n)
		}
	}
	for _, text := range []string{"", "x", "1.", ".5", "1.2345", "+1", "1e3", " 1", "99999999999999999999",
		"9223372036854775", "-9223372036854775"} {
		if n, ok := sheet.ParseThousandths(text); ok {
			t.Errorf("%q is read as %d", text, n)
		}
	}
}

func same(a, b any) bool {
	x, err := json.Marshal(a)
	y, _ := json.Marshal(b)
	return err == nil && string(x) == string(y)
}

// TestShowing: values as people read them.
func TestShowing(t *testing.T) {
	mood := &sheet.Field{Type: sheet.Choice, Choices: []string{"calm", "cross"}}
	for want, v := range map[string]sheet.Value{
		"x": sheet.TextValue("x"), "yes": sheet.IntValue(sheet.Flag, 1), "no": sheet.IntValue(sheet.Flag, 0),
		"calm": sheet.IntValue(sheet.Choice, 0), "2": sheet.IntValue(sheet.Choice, 2),
		"-1":   sheet.IntValue(sheet.Choice, -1),
		"0.05": sheet.IntValue(sheet.Number, 50), "-1.5": sheet.IntValue(sheet.Number, -1500),
		"nobody": sheet.IntValue(sheet.Ref, 0),
		"#4":     sheet.IntValue(sheet.Ref, 4), "17": sheet.IntValue(sheet.Integer, 17),
		"-9223372036854775.808": sheet.IntValue(sheet.Number, math.MinInt64),
		"(1.5, -2) m":           {Type: sheet.Position, N: [3]int64{1500, -2000}}, "00:01.000": {Type: sheet.Clock,
			N: [3]int64{10, 1, 10}},
	} {
		if got := v.Show(mood, 20, 20); got != want {
			t.Errorf("%+v is shown as %s, not %s", v, got, want)
		}
	}
	if got := sheet.IntValue(sheet.Choice, 1).Show(nil, 0, 0); got != "1" {
		t.Errorf("a choice without its field is shown as %s", got)
	}
	if sheet.Cut("éèê", 2) != "éè" || sheet.Cut("éèê", 3) != "éèê" || sheet.Cut("é", 0) != "" {
		t.Error("texts are cut otherwise than by characters")
	}
	for i, name := range []string{"everyone", "team", "owner", "referees", "hidden"} {
		if a, ok := sheet.AudienceNamed(name); !ok || a != sheet.Audience(i) || a.String() != name {
			t.Errorf("%s is audience %d", name, a)
		}
	}
	if _, ok := sheet.AudienceNamed("nobody"); ok {
		t.Error("nobody is an audience")
	}
}

// TestSheetsComeAndGo: numbers are never used again, also when the table has been cut in front; who is gone is told
// once, unless it was never told of.
func TestSheetsComeAndGo(t *testing.T) {
	s := &sheet.Schema{}
	for _, k := range []sheet.Kind{sheet.Player, sheet.Piece} {
		if _, err := s.Add(k,
			sheet.Field{Name: "n", Type: sheet.Integer, Start: sheet.IntValue(sheet.Integer, 3)}); err != nil {
			t.Fatal(err)
		}
	}
	st := sheet.NewStore(s)
	seen := map[sheet.ID]bool{}
	var alive []*sheet.Row
	for i := range 500 {
		r := st.Add([]sheet.Kind{sheet.Player, sheet.Piece}[i%2])
		f := s.Field(r.Kind, "n")
		if seen[r.ID] || r.Int(f) != 3 {
			t.Fatalf("sheet %d again, n is %d", r.ID, r.Int(f))
		}
		seen[r.ID] = true
		st.SetInt(r, f, int64(i))
		if alive = append(alive, r); len(alive) > 3 {
			old := alive[0]
			alive = alive[1:]
			st.Remove(old)
			st.Remove(old) // does nothing
			if st.Get(old.ID) != nil {
				t.Fatalf("sheet %d is still there", old.ID)
			}
		}
		for _, r := range alive {
			if st.Get(r.ID) != r || st.GetOr(r.ID, r.Kind) != r || st.GetOr(r.ID, sheet.Team).ID != 0 {
				t.Fatalf("sheet %d is not found", r.ID)
			}
		}
	}
	if st.Get(0) != nil || st.Get(9999) != nil || len(st.Of(sheet.Player))+len(st.Of(sheet.Piece)) != 3 {
		t.Error("there are others")
	}
	if gone := st.Changes().Gone; len(gone) != 0 {
		t.Errorf("%d are told to be gone that were never told of", len(gone))
	}
	st.ClearChanges()
	st.Remove(alive[0])
	if gone := st.Changes().Gone; len(gone) != 1 || gone[0].ID != alive[0].ID || gone[0].Kind != alive[0].Kind {
		t.Errorf("gone are %v", gone)
	}
	if sheet.Sooner(0, 5) != 5 || sheet.Sooner(5, 0) != 5 || sheet.Sooner(5, 4) != 4 || sheet.Sooner(4, 5) != 4 ||
		sheet.Sooner(0, 0) != 0 {
		t.Error("the sooner of two ticks")
	}
}

// TestNames: every type, kind and reset point is found by its name, and nothing else is.
func TestNames(t *testing.T) {
	for _, ty := range []sheet.Type{sheet.Integer, sheet.Number, sheet.Text, sheet.Flag, sheet.Choice, sheet.Position,
		sheet.Ref, sheet.Clock} {
		if got, ok := sheet.TypeNamed(ty.String()); !ok || got != ty {
			t.Errorf("%s is found as %s", ty, got)
		}
	}
	if _, ok := sheet.TypeNamed("nothing"); ok {
		t.Error("there is a type called nothing")
	}
	found := map[sheet.Reset]string{}
	for _, name := range []string{"match", "round", "respawn"} {
		if got, ok := sheet.ResetNamed(name); !ok || found[got] != "" {
			t.Errorf("%s is found as %d, which is %q", name, got, found[got])
		} else {
			found[got] = name
		}
	}
	if _, ok := sheet.ResetNamed("nothing"); ok {
		t.Error("there is a reset point called nothing")
	}
}

// TestMasks: sets of field numbers, in both words.
func TestMasks(t *testing.T) {
	var a, b sheet.Mask
	for _, n := range []int{0, 63, 64, 100, 127} {
		a.Set(n)
	}
	for _, n := range []int{1, 63, 100, 319} {
		b.Set(n)
	}
	list := func(m sheet.Mask) (out []int) {
		for n := m.Next(0); n >= 0; n = m.Next(n + 1) {
			out = append(out, n)
		}
		return out
	}
	both, all := a.And(&b), a
	all.Add(&b)
	without := a
	without.Clear(64)
	for _, c := range []struct {
		m    sheet.Mask
		want string
	}{{a, "[0 63 64 100 127]"}, {both, "[63 100]"}, {all, "[0 1 63 64 100 127 319]"}, {without, "[0 63 100 127]"},
		{sheet.Mask{}, "[]"}} {
		if got := fmt.Sprint(list(c.m)); got != c.want || c.m.Count() != len(list(c.m)) ||
			c.m.Empty() != (c.want == "[]") {
			t.Errorf("%s, %d of them, not %s", got, c.m.Count(), c.want)
		}
	}
	var low, high sheet.Mask
	low.Set(3)
	high.Set(67)
	if !a.Meets(&b) || a.Meets(&low) || low.Meets(&high) || high.Meets(&low) || !high.Has(67) || high.Has(3) ||
		a.Meets(&sheet.Mask{}) {
		t.Error("which sets share a number")
	}
}

// TestChecking: bounds are held to the value and the character.
func TestChecking(t *testing.T) {
	bounded := &sheet.Field{Type: sheet.Integer, Bounded: true, Min: 1, Max: 9}
	for n, fits := range map[int64]bool{0: false, 1: true, 9: true, 10: false} {
		if err := bounded.Check(sheet.IntValue(sheet.Integer, n)); (err == nil) != fits {
			t.Errorf("%d: %v", n, err)
		}
	}
	text := &sheet.Field{Type: sheet.Text, Max: 3}
	for s, fits := range map[string]bool{"": true, "éèê": true, "éèêa": false} {
		if err := text.Check(sheet.TextValue(s)); (err == nil) != fits {
			t.Errorf("%q: %v", s, err)
		}
	}
	if err := (&sheet.Field{Type: sheet.Flag}).Check(sheet.IntValue(sheet.Flag, 1)); err != nil {
		t.Error(err)
	}
}

// TestToldSince: which fields were told after a tick, the first one too.
func TestToldSince(t *testing.T) {
	s := &sheet.Schema{}
	for _, name := range []string{"a", "b"} {
		if _, err := s.Add(sheet.Player, sheet.Field{Name: name, Type: sheet.Integer}); err != nil {
			t.Fatal(err)
		}
	}
	r := sheet.NewStore(s).Add(sheet.Player)
	var first, both sheet.Mask
	first.Set(0)
	both.Set(0)
	both.Set(1)
	r.Tell(both, 5)
	if r.Born != 5 {
		t.Errorf("born at %d", r.Born)
	}
	r.Fresh = false
	r.Tell(first, 7)
	if got := r.ToldSince(both, 4); got != both {
		t.Errorf("after 4: %v", got)
	}
	if got := r.ToldSince(both, 5); got != first {
		t.Errorf("after 5: %v", got)
	}
	if got := r.ToldSince(both, 7); !got.Empty() || r.Born != 5 {
		t.Errorf("after 7: %v, born at %d", got, r.Born)
	}
}
