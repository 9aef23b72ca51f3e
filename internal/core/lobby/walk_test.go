package lobby

import (
	"encoding/binary"
	"fmt"
	"maps"
	"os"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unsafe"

	"github.com/cespare/xxhash/v2"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lots"
	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/state"
	"turnvex.example/turnvex/internal/core/step"
)

// busy is a lobby in which everything that can be under way is: a match with pieces, a lasting action, a pause budget,
// decisions, somebody out and somebody who left, a waiting line, a ban, a reservation and a wish to change sides.
func busy(t testing.TB) *Lobby {
	t.Helper()
	src, err := os.ReadFile("testdata/busy.yaml")
	if err != nil {
		t.Fatal(err)
	}
	book, problems := rulebook.Compile(src)
	if book == nil {
		t.Fatal(problems)
	}
	l := New(book, Setup{Code: "BUSY", Seed: 7, Capacity: 5, Hidden: true})
	take := func(in step.Input) *step.Output {
		in.At = l.Tick()
		out := l.Step(&in)
		if v := out.Verdict; in.Kind.Answered() && !v.OK() && v.Code != code.Charging {
			t.Fatalf("%s %s: %s", in.Kind, in.Verb, out.Verdict.Reason)
		}
		return out
	}
	var seats []sheet.ID
	for i, name := range []string{"Ada", "Bo", "Cy", "Di", "Ed"} {
		id := take(step.Input{Kind: step.Enter, Acct: name, Name: name, Conn: fmt.Sprint("c", i)}).Seat
		take(step.Input{Kind: step.Loaded, Seat: id})
		seats = append(seats, id)
	}
	n := uint64(0)
	do := func(seat sheet.ID, verb step.Verb, in step.Input) {
		n++
		in.Kind, in.Seat, in.Verb, in.Seq = step.Intent, seat, verb, n
		take(in)
	}
	do(seats[0], step.Ban, step.Input{Target: seats[4]})
	seats = seats[:4]
	take(step.Input{Kind: step.Reserve, Names: []string{"Flo"}, Text: "party", N: 1000})
	for _, name := range []string{"Gus", "Hal"} { // the first of them gets the seat of who leaves
		take(step.Input{Kind: step.Wait, Acct: name, Name: name, Conn: "c" + name, Team: "b"})
	}
	take(step.Input{Kind: step.RefereeOn, N: 1})
	for _, s := range seats {
		do(s, step.Ready, step.Input{})
	}
	do(seats[0], step.Vote, step.Input{Name: "send", Target: seats[3], Text: "yes"})
	do(seats[0], step.Kick, step.Input{Target: seats[3]})
	do(seats[0], step.Settings, step.Input{Args: []step.Named{{Name: "password", Value: sheet.TextValue("digest")}}})
	do(seats[0], step.Swap, step.Input{Target: seats[1]})
	do(seats[0], step.Mute, step.Input{Target: seats[1]})
	do(seats[0], step.Steer, step.Input{X: 1000})
	l.Step(&step.Input{At: l.Tick() + 30})
	do(seats[0], step.Act, step.Input{
		Name:   "ask",
		Target: seats[1],
		Args:   []step.Named{{Name: "n", Value: sheet.IntValue(sheet.Integer, 3)}},
	})
	do(seats[0], step.Act, step.Input{Name: "hold"})
	do(seats[0], step.Act, step.Input{Name: "buy"})
	do(seats[0], step.Act, step.Input{Name: "earn"})
	do(seats[0], step.Act, step.Input{Name: "sink", Target: seats[1]})
	do(seats[0], step.Act, step.Input{Name: "slam", Args: []step.Named{
		{Name: "n", Value: sheet.IntValue(sheet.Integer, 2)}}})
	do(seats[0], step.Act, step.Input{Name: "fade"})
	l.Step(
		&step.Input{Kind: step.Intent, At: l.Tick(), Seat: seats[0], Seq: n + 1, Verb: step.Act, Name: "nothing"},
	) // refused
	n++
	take(step.Input{Kind: step.Lost, Seat: seats[2]})
	do(seats[0], step.Pause, step.Input{})
	return l
}

// TestNothingIsForgotten goes over every field of everything that a lobby holds. Each is either walked, and then
// another value of it gives another hash, another checkpoint and a difference; or it stands in a list with a reason.
func TestNothingIsForgotten(t *testing.T) {
	l := busy(t)
	left := maps.Clone(notWalked)
	for _, more := range []map[string]string{match.NotWalked, sheet.NotWalked, lots.NotWalked} {
		maps.Copy(left, more)
	}
	f := &forgetful{
		t:      t,
		l:      l,
		lines:  l.Lines(),
		hash:   l.Hash(),
		saved:  string(l.Save()),
		seen:   map[uintptr]bool{},
		left:   left,
		used:   map[string]bool{},
		filled: map[string]bool{},
	}
	f.seen[reflect.ValueOf(l.st).Pointer()] = true
	f.visit(reflect.ValueOf(l.st).Elem(), "Store")
	f.visit(reflect.ValueOf(l).Elem(), "Lobby")
	for where, some := range f.filled {
		if !some {
			t.Errorf("%s is empty wherever it stands: make the lobby busier", where)
		}
	}
	if f.changed < 400 {
		t.Errorf("only %d values were changed: the lobby is not busy enough", f.changed)
	}
	for name := range left {
		if !f.used[name] {
			t.Errorf("%s is said not to be walked, but there is no such field", name)
		}
	}
	paths := map[string]bool{}
	for _, line := range f.lines {
		if paths[line.Path] {
			t.Errorf("two values are called %s", line.Path)
		}
		paths[line.Path] = true
	}
	if l.Hash() != f.hash {
		t.Error("the test has not put everything back")
	}
}

// persons are the parts of the state that tell who somebody is, of which a hash is not made: the first texts of a
// player's sheet are the name and the account.
var persons = regexp.MustCompile(`(Seated\[\d+\]|rows\[15\])\.S\[[01]\]$|` +
	`(players\[\d\]|Player|absent\[\d\]|line\[\d\]|held\[\d\])\.([Nn]ame|[Aa]ccount|party|[Ww]ho)$|` +
	`absent\[\d\]\.player\[(5|6)\]\.S$|seats\[\d\]\.who$|banned\[|removers\[|mutings\[\d\]\.(by|of)\.who$|\.reason$`)

type forgetful struct {
	t       *testing.T
	l       *Lobby
	lines   []state.Line
	hash    uint64
	saved   string
	seen    map[uintptr]bool
	left    map[string]string
	used    map[string]bool
	filled  map[string]bool // by field: some list there has elements
	changed int
}

// noticed tells what sees that something is another value now.
func (f *forgetful) noticed(path string) {
	f.changed++
	if same, person := f.l.Hash() == f.hash, persons.MatchString(path); same != person {
		f.t.Errorf("%s is another value and the hash is the same: %v; it tells who somebody is: %v", path, same, person)
	}
	if string(f.l.Save()) == f.saved {
		f.t.Errorf("%s is another value and the checkpoint is the same", path)
	}
	if len(state.Compare(f.lines, f.l.Lines(), 1)) == 0 {
		f.t.Errorf("%s is another value and nothing differs", path)
	}
}

// with gives a value another one for a moment.
func (f *forgetful) with(v, other reflect.Value, path string) {
	old := reflect.New(v.Type()).Elem()
	old.Set(v)
	v.Set(other)
	f.noticed(path)
	v.Set(old)
}

func (f *forgetful) visit(v reflect.Value, path string) {
	v = reflect.NewAt(v.Type(), unsafe.Pointer(v.UnsafeAddr())).Elem() // unexported fields too
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			name := v.Type().Name() + "." + v.Type().Field(i).Name
			f.used[name] = true
			if f.left[name] == "" &&
				name != "Row.Kind" { // a sheet of another kind has other fields; restoring needs it
				f.visit(v.Field(i), path+"."+v.Type().Field(i).Name)
			}
		}
	case reflect.Pointer:
		f.pointer(v, path)
	case reflect.Interface: // one part of a match as another one sees it
		f.pointer(v.Elem(), path)
	case reflect.Slice:
		where := path[strings.LastIndexByte(path, '.')+1:]
		f.filled[where] = f.filled[where] || v.Len() > 0
		if v.Len() > 0 && where != "N" && where != "S" { // those are as long as the schema says
			f.with(v, v.Slice(0, v.Len()-1), path+" (shorter)")
		}
		f.elements(v, path)
	case reflect.Array:
		if v.Type() == reflect.TypeFor[sheet.Mask]() {
			v = v.Slice(0, 2) // no kind of sheet has more than 128 fields here
		}
		f.elements(v, path)
	case reflect.Map:
		for _, k := range v.MapKeys() {
			old := v.MapIndex(k)
			v.SetMapIndex(k, reflect.ValueOf("another"))
			f.noticed(path + "[" + k.String() + "]")
			v.SetMapIndex(k, old)
		}
	default:
		f.leaf(v, path)
	}
}

func (f *forgetful) elements(v reflect.Value, path string) {
	for i := range v.Len() {
		f.visit(v.Index(i), fmt.Sprintf("%s[%d]", path, i))
	}
}

// pointer goes into what is met for the first time; afterwards it is a reference, which may refer to another.
func (f *forgetful) pointer(v reflect.Value, path string) {
	known := strings.Contains(v.Type().String(), "rulebook.")
	if v.IsNil() {
		return
	}
	if !known && !f.seen[v.Pointer()] {
		f.seen[v.Pointer()] = true
		f.visit(v.Elem(), path)
		return
	}
	if v.Type() == reflect.TypeFor[*sheet.Row]() {
		for _, r := range f.l.st.Of(sheet.Piece) { // any other sheet
			f.with(v, reflect.ValueOf(r), path)
			return
		}
	}
	if known {
		f.with(v, reflect.New(v.Type().Elem()), path)
	}
}

func (f *forgetful) leaf(v reflect.Value, path string) {
	other := reflect.New(v.Type()).Elem()
	switch {
	case v.CanInt():
		other.SetInt(v.Int() ^ 1)
	case v.CanUint():
		other.SetUint(v.Uint() ^ 1)
	case v.Kind() == reflect.Bool:
		other.SetBool(!v.Bool())
	case v.Kind() == reflect.String:
		other.SetString(v.String() + "?")
	default:
		f.t.Errorf("%s is a %s, which this test does not know how to change", path, v.Type())
		return
	}
	f.with(v, other, path)
}

// TestRestoreRefuses: a checkpoint that was damaged, of another version or of another rulebook is refused and says why.
func TestRestoreRefuses(t *testing.T) {
	l := busy(t)
	good := l.Save()
	for want, data := range map[string][]byte{
		"does not begin with": []byte("something else altogether"),
		"is of version":       append([]byte("TVXCHKP9"), good[8:]...),
		"hash is wrong":       slices.Concat(good[:100], []byte{good[100] ^ 1}, good[101:]),
	} {
		if _, err := Restore(l.book, data); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, wanted %q", err, want)
		}
	}
	other := *l.book
	other.Version = "0123456789ab"
	if _, err := Restore(&other, good); err == nil || !strings.Contains(err.Error(),
		"another version of the rulebook") {
		t.Errorf("of another rulebook: %v", err)
	}
	askew := append([]byte(nil), good[:len(good)-8]...)
	askew[len(checkpointMagic)+1+len(l.book.Version)+1] ^= 1 // as of sheets with another field
	askew = binary.LittleEndian.AppendUint64(askew, xxhash.Sum64(askew))
	if _, err := Restore(l.book, askew); err == nil || !strings.Contains(err.Error(), "other fields") {
		t.Errorf("of other sheets: %v", err)
	}
	again, err := Restore(l.book, good)
	if err != nil || again.Hash() != l.Hash() {
		t.Fatalf("the good one: %v", err)
	}
	if diff := state.Compare(l.Lines(), again.Lines(), 3); len(diff) > 0 {
		t.Errorf("restored, it differs in %v", diff)
	}
}

// FuzzRestore: whatever stands in a checkpoint, restoring it ends in an error or in a lobby that keeps its invariants
// and can go on.
func FuzzRestore(f *testing.F) {
	l := busy(f)
	head := len(checkpointMagic) + 1 + len(formOf(l.book))
	good := l.Save()
	f.Add(good[head : len(good)-8])
	f.Fuzz(func(t *testing.T, body []byte) {
		again, err := restore(l.book, body)
		if err != nil {
			return
		}
		_ = again.Save()
	})
}
