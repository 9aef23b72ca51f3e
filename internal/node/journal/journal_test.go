package journal

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
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

// TestEveryInputIsKept: whatever an input holds is there again when it is read, so that no field is forgotten when one
// is added.
func TestEveryInputIsKept(t *testing.T) {
	seed := trial.Seed(t)
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
calendar: {time_zone: Europe/Oslo}
players: {least: 1, most: 3, local: 2}
sheets: {player: {points: {type: integer}}}
actions:
  score: {do: [{add: me.points, by: "random(1, 9)"}]}
  say: {also: [lobby], takes: {line: {type: text, max: 9}}, do: [{notice: said, with: {line: arg.line}}]}
phases: {play: {lasts: 1m}}
`

// TestDoorsReplay: passwords, reservations, the waiting line and bans are played back as they were, and a journal that
// breaks off ends where it does.
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
	var taken []step.Input
	hashes := map[sheet.Tick]string{} // when all of a tick has been taken
	take := func(in step.Input) *step.Output {
		t.Helper()
		in.At = m.Tick() + 5
		kinds[in.Kind]++
		taken = append(taken, in)
		if err := errors.Join(w.Hash(m), w.Input(&in)); err != nil {
			t.Fatal(err)
		}
		out := m.Step(&in)
		hashes[m.Tick()] = fmt.Sprint(m.Hash())
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
	take(step.Input{Kind: step.Unkept, Yes: true, N: 1500})
	take(step.Input{Kind: step.Full, Yes: true})
	take(step.Input{Kind: step.Unkept})
	take(step.Input{Kind: step.Full})
	take(step.Input{Kind: step.Calendar, N: 22401, X: 3_600_000})
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
	if again.Inputs != len(taken) {
		t.Errorf("%d inputs of %d were played", again.Inputs, len(taken))
	}
	readWhole(t, file.Bytes(), taken)
	stopsAtEachTick(t, file.Bytes(), m, hashes)
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

// readWhole reads a journal without playing it: its inputs come in order, at their ticks.
func readWhole(t *testing.T, file []byte, taken []step.Input) {
	t.Helper()
	book, setup, inputs, err := Read(bytes.NewReader(file))
	if err != nil || book.Name != "doors" || setup.Code != "DOOR22" || len(inputs) != len(taken) {
		t.Fatalf("read %d inputs of %d of %q: %v", len(inputs), len(taken), setup.Code, err)
	}
	for i, in := range inputs {
		if in.Kind != taken[i].Kind || in.At != taken[i].At || in.Verb != taken[i].Verb {
			t.Errorf("input %d is %s at %d, and was %s at %d", i, in.Kind, in.At, taken[i].Kind, taken[i].At)
		}
	}
}

// stopsAtEachTick plays a journal back tick by tick: it stands at each, also where nothing was taken, and comes to the
// same end.
func stopsAtEachTick(t *testing.T, file []byte, end *lobby.Lobby, hashes map[sheet.Tick]string) {
	t.Helper()
	rp, err := Open(bytes.NewReader(file))
	if err != nil {
		t.Fatal(err)
	}
	for tick := sheet.Tick(1); tick < end.Tick(); tick++ {
		if err := rp.RunTo(tick); err != nil || rp.M.Tick() != tick {
			t.Fatalf("run to %d it stands at %d: %v", tick, rp.M.Tick(), err)
		}
		if was, taken := hashes[tick]; taken && fmt.Sprint(rp.M.Hash()) != was {
			t.Errorf("at %d not all has been taken that was", tick)
		}
	}
	if err := rp.RunTo(-1); err != io.EOF || rp.M.Hash() != end.Hash() {
		t.Errorf("the end of single ticks is another: %v", err)
	}
}

// TestBadEntriesAreRefused: an entry that goes back in time, is nothing, or stands beyond what a lobby lives ends a
// journal with its place.
func TestBadEntriesAreRefused(t *testing.T) {
	for name, bad := range map[string]entry{
		"back in time": {Kind: kindHash, At: 9},
		"no input":     {Kind: kindInput, At: 20},
		"no kind":      {Kind: 9, At: 20},
		"far ahead":    {Kind: kindHash, At: 1<<40 + 1},
	} {
		var file bytes.Buffer
		w, err := NewWriter(&file, Head{Rulebook: []byte(doorsBook), Setup: lobby.Setup{Code: "DOOR22"}}, 10)
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Input(&step.Input{Kind: step.Tick, At: 10}); err != nil {
			t.Fatal(err)
		}
		data, err := cbor.Marshal(bad)
		if err != nil {
			t.Fatal(err)
		}
		file.Write(data)
		rp, err := Open(&file)
		if err != nil {
			t.Fatal(err)
		}
		if err := rp.RunTo(-1); err == nil || err == io.EOF || !strings.Contains(err.Error(), "entry 2 ") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func says(line string) []step.Named {
	return []step.Named{{Name: "line", Value: sheet.TextValue(line)}}
}

// TestPeopleAreErased: in a journal people are tokens; without what these stand for it plays back to the same hashes,
// and nobody is told who it was, but for those who are still there.
func TestPeopleAreErased(t *testing.T) {
	var file bytes.Buffer
	setup := lobby.Setup{Code: "DOOR22", Seed: 3}
	w, err := NewWriter(&file, Head{Rulebook: []byte(doorsBook), Setup: setup}, 1)
	if err != nil {
		t.Fatal(err)
	}
	w.Whose = func(seat sheet.ID) string { return "account-of-mara" }
	first, err := Open(bytes.NewReader(file.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	m := first.M
	var mara sheet.ID
	for _, in := range []step.Input{
		{Kind: step.Enter, Acct: "account-of-mara", Name: "Mara", Conn: "c"},
		{Kind: step.Enter, Name: "Kit of Mara", Conn: "c"},
		{Kind: step.Enter, Acct: "account-of-joss", Name: "Mara"}, // she has the same name
		{Kind: step.Intent, Verb: step.Rename, Text: "Maro"},
		{Kind: step.Intent, Verb: step.Rename, Text: "\u202e"}, // refused
		{Kind: step.Called, Text: "Marette"},
		{Kind: step.Intent, Verb: step.Unban, Text: "account-of-mara"},
		{Kind: step.Loaded},
		{Kind: step.Intent, Verb: step.Act, Name: "say", Args: says("ask Mara")},
		{Kind: step.Intent, Verb: step.Act, Name: "say", Args: says("\u202e")}, // refused
	} {
		in.At = m.Tick() + 5
		if in.Kind == step.Intent || in.Kind == step.Called || in.Kind == step.Loaded {
			in.Seat = mara
		}
		if err := errors.Join(w.Hash(m), w.Input(&in)); err != nil {
			t.Fatal(err)
		}
		if out := m.Step(&in); out.Seat != 0 && mara == 0 {
			mara = out.Seat
		}
	}
	if err := w.Final(m); err != nil {
		t.Fatal(err)
	}
	who, err := Accounts(bytes.NewReader(file.Bytes()))
	if err != nil || len(who) != 2 || who["account-of-mara"] != 1 {
		t.Errorf("%v, %v", who, err)
	}
	heard := ""
	name := func(data []byte) (name, other string) {
		t.Helper()
		rp, err := Open(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		heard = ""
		rp.OnOutput = func(out *step.Output) {
			for _, n := range out.Notices {
				heard += n.Values[0].S
			}
		}
		if err := rp.RunTo(-1); err != io.EOF || rp.Hashes < 4 || rp.M.Hash() != m.Hash() {
			t.Fatalf("%v after %d inputs and %d hashes", err, rp.Inputs, rp.Hashes)
		}
		f := rp.Book.F.Player
		players := rp.M.Store().Of(sheet.Player)
		return players[0].Text(f.Name), players[2].Text(f.Name)
	}
	if a, b := name(file.Bytes()); a != "Marette" || b != "Mara 2" || heard != "ask Mara" {
		t.Errorf("the names are told as %q and %q, the text as %q", a, b, heard)
	}
	var less bytes.Buffer
	if found, err := Forget(bytes.NewReader(file.Bytes()), &less, "account-of-mara"); err != nil || !found {
		t.Fatal(found, err)
	}
	for _, word := range []string{"account-of-mara", "Kit of", "Maro", "Marette", "ask Mara"} {
		if bytes.Contains(less.Bytes(), []byte(word)) {
			t.Errorf("%s is still told", word)
		}
	}
	if a, b := name(less.Bytes()); a == "Marette" || b != "Mara" || heard != "w1" {
		t.Errorf("after the erasure the names are %q and %q, the text is %q", a, b, heard)
	}
	if found, err := Forget(bytes.NewReader(less.Bytes()), io.Discard, "account-of-mara"); err != nil || found {
		t.Error("there is something left to be forgotten", err)
	}
}

// TestFolder: of the journals in a folder those are rewritten in which somebody stands who is gone, not those that are
// being written, and a file that is no journal is told.
func TestFolder(t *testing.T) {
	dir := t.TempDir()
	f := NewFolder(dir)
	write := func(name, account string) {
		t.Helper()
		file, err := f.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		w, err := NewWriter(file, Head{Rulebook: []byte(doorsBook)}, 0)
		if err == nil {
			err = w.Input(&step.Input{Kind: step.Enter, Acct: account, Name: "Mara"})
		}
		if err = errors.Join(err, file.Close()); err != nil {
			t.Fatal(err)
		}
	}
	write("one", "mara")
	write("two", "mara")
	f.Close("one")
	forget := func(want int) {
		t.Helper()
		asked := 0
		err := f.Forget(func(all []string) ([]string, error) {
			asked++
			return all, nil
		})
		if err != nil || asked != want {
			t.Errorf("%d journals are asked about, %v", asked, err)
		}
	}
	if list, err := f.Of("mara"); err != nil || len(list) != 1 || list[0] != (Mention{"one.journal", 1}) {
		t.Errorf("%v, %v", list, err)
	}
	forget(1)
	f.Close("two")
	forget(1)
	forget(0)
	if list, err := f.Of("mara"); err != nil || len(list) != 0 {
		t.Errorf("%v, %v", list, err)
	}
	os.WriteFile(filepath.Join(dir, "odd.journal"), []byte("odd"), 0o600)
	if _, err := f.Of("mara"); err == nil {
		t.Error("a file that is no journal is none")
	}
	if list, err := NewFolder("").Of("mara"); err != nil || len(list) != 0 {
		t.Errorf("no folder: %v, %v", list, err)
	}
}
