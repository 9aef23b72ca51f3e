package journal

import (
	"bytes"
	"errors"
	"io"
	"math/rand/v2"
	"reflect"
	"testing"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/seed"
)

// fill gives every field of a struct a value that is not its zero.
func fill(r *rand.Rand, v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			fill(r, v.Field(i))
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1+r.IntN(3), 4))
		for i := range v.Len() {
			fill(r, v.Index(i))
		}
	case reflect.Array:
		for i := range v.Len() {
			fill(r, v.Index(i))
		}
	case reflect.String:
		v.SetString(string(rune('a'+r.IntN(26))) + "\u00fc\"")
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int64, reflect.Int:
		v.SetInt(r.Int64N(1<<40) + 1)
	case reflect.Uint8:
		v.SetUint(uint64(1 + r.IntN(7)))
	default:
		v.SetUint(r.Uint64N(1<<31) + 1)
	}
}

// TestEveryInputIsKept: whatever an input holds is there again when it is read, so
// that no field is forgotten when one is added.
func TestEveryInputIsKept(t *testing.T) {
	seed := seed.Of(t)
	r := rand.New(rand.NewPCG(seed, 0))
	for range 50 {
		var in step.Input
		fill(r, reflect.ValueOf(&in).Elem())
		if out := pack(&in).unpack(int64(in.At)); !reflect.DeepEqual(in, out) {
			t.Fatalf("seed %d:\n%+v is kept as\n%+v", seed, in, out)
		}
	}
}

const doorsBook = `
turnvex: 1
name: doors
players: {least: 1, most: 3, local: 2}
sheets: {player: {points: {type: integer}}}
actions: {score: {do: [{add: me.points, by: "random(1, 9)"}]}}
phases: {play: {length: 1m}}
`

// TestDoorsReplay: passwords, reservations, the waiting line and bans are played back
// as they were, and a journal that breaks off ends where it does.
func TestDoorsReplay(t *testing.T) {
	var file bytes.Buffer
	setup := lobby.Setup{Code: "DOOR22", Seed: 3, Capacity: 2, Password: "digest"}
	w, err := NewWriter(&file, Head{Rulebook: []byte(doorsBook), Setup: setup}, 10)
	if err != nil {
		t.Fatal(err)
	}
	first, err := Open(bytes.NewReader(file.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	m, seats := first.M, []sheet.ID{}
	var kinds [step.Kinds]int
	take := func(in step.Input) *step.Output {
		t.Helper()
		in.At = m.Tick() + 5
		kinds[in.Kind]++
		if err := errors.Join(w.Hash(m), w.Input(&in)); err != nil {
			t.Fatal(err)
		}
		out := m.Step(&in)
		if out.Seat != 0 {
			seats = append(seats, out.Seat)
		}
		return out
	}
	intent := func(seat int, in step.Input) {
		in.Kind, in.Seat = step.Intent, seats[seat]
		take(in)
	}
	take(step.Input{Kind: step.Reserve, Names: []string{"mara", "joss"}, Text: "party", N: 1000})
	take(step.Input{Kind: step.Enter, Acct: "ines", Name: "Ines", Pass: "digest"}) // both places are held
	take(step.Input{Kind: step.Enter, Acct: "mara", Name: "Mara", Pass: "wrong"})
	take(step.Input{Kind: step.Enter, Acct: "mara", Name: "Mara", Pass: "digest"})
	take(step.Input{Kind: step.Enter, Acct: "joss", Name: "Joss", Pass: "digest"})
	if len(seats) != 2 {
		t.Fatalf("%d got in", len(seats))
	}
	take(step.Input{Kind: step.Loaded, Seat: seats[0], Yes: true})
	take(step.Input{Kind: step.Kept, Seat: seats[0], Record: []step.Named{
		{Name: "best", Value: sheet.IntValue(sheet.Integer, 4)}}})
	take(step.Input{Kind: step.Loaded, Seat: seats[1]})
	take(step.Input{Kind: step.Wait, Acct: "ines", Name: "Ines", Conn: "c1", Pass: "digest"})
	take(step.Input{Kind: step.Wait, Acct: "odile", Name: "Odile", Conn: "c2", Pass: "digest"})
	take(step.Input{Kind: step.Unwait, Conn: "c1"})
	intent(0, step.Input{Verb: step.Ban, Target: seats[1]})
	take(step.Input{Kind: step.Enter, Acct: "joss", Name: "Joss", Pass: "digest"})
	intent(0, step.Input{Verb: step.Settings, Args: []step.Named{{Name: "password", Value: sheet.TextValue("other")}}})
	intent(0, step.Input{Verb: step.Unban, Text: "joss"})
	take(step.Input{Kind: step.Lost, Seat: seats[0]})
	take(step.Input{Kind: step.Back, Seat: seats[0]})
	take(step.Input{Kind: step.Called, Seat: seats[0], Text: "Maro"})
	take(step.Input{Kind: step.Ping, Seat: seats[0], N: 30})
	take(step.Input{Kind: step.Spectators, N: 2})
	take(step.Input{Kind: step.RefereeOn, N: 1})
	take(step.Input{Kind: step.RefereeAct, Name: "put"})
	take(step.Input{Kind: step.RefereeSet, Target: seats[0], Name: "points", Value: sheet.IntValue(sheet.Integer, 4)})
	for _, r := range m.Store().Of(sheet.Player) {
		take(step.Input{Kind: step.Loaded, Seat: r.ID})
		take(step.Input{Kind: step.Intent, Seat: r.ID, Verb: step.Ready})
	}
	for range 30 {
		take(step.Input{Kind: step.Tick})
		intent(0, step.Input{Verb: step.Act, Name: "score"})
	}
	take(step.Input{Kind: step.Finish, Text: "enough"})
	take(step.Input{Kind: step.Leave, Seat: seats[0]})
	if err := w.Final(m); err != nil {
		t.Fatal(err)
	}
	again, err := Open(bytes.NewReader(file.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	if err := again.RunTo(-1); err != io.EOF || again.Hashes < 10 || again.M.Hash() != m.Hash() {
		t.Fatalf("%v after %d inputs and %d hashes", err, again.Inputs, again.Hashes)
	}
	for k, n := range kinds {
		if kind := step.Kind(k); n == 0 && kind != step.Saved && kind != step.Answer && kind != step.Close &&
			kind != step.Field {
			t.Errorf("no input of the kind %s was played", kind)
		}
	}
	for cut := len(Magic); cut < file.Len(); cut += 7 {
		if rp, err := Open(bytes.NewReader(file.Bytes()[:cut])); err == nil {
			if err := rp.RunTo(-1); err != io.EOF {
				t.Fatalf("cut off at %d: %v", cut, err)
			}
		}
	}
}
