package journal

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/trial"
)

// TestPlainEntries: what is written by hand is what the library writes, byte for byte, whatever the numbers; and what
// holds anything of a person is left to the library.
func TestPlainEntries(t *testing.T) {
	r := rand.New(rand.NewPCG(trial.Seed(t), 1))
	number := func() int64 {
		return []int64{0, 1, 23, 24, 255, 256, 65535, 65536, 1 << 32, math.MaxInt64, -1, -24, -25,
			math.MinInt64}[r.IntN(14)]
	}
	scribe := NewScribe()
	for range 2000 {
		in := step.Input{Kind: step.Intent, At: sheet.Tick(number() & math.MaxInt64), Seat: sheet.ID(number()),
			Seq: uint64(number()), Verb: []step.Verb{step.Act, step.Steer, ""}[r.IntN(3)], Name: []string{"",
				"ram"}[r.IntN(2)],
			Target: sheet.ID(number()), X: number(), Y: number(), Point: r.IntN(2) == 0, N: number(),
			Yes: r.IntN(2) == 0}
		want, err := cbor.Marshal(entry{Kind: kindInput, At: int64(in.At), Input: pack(&in)})
		if err != nil {
			t.Fatal(err)
		}
		if got, _, err := scribe.Input(&in); err != nil || !plain(&in) || !bytes.Equal(got, want) {
			t.Fatalf("%+v is written % x, and should be % x", in, got, want)
		}
	}
	for _, in := range []step.Input{{Kind: step.Enter, Acct: "a"}, {Kind: step.Intent, Verb: step.Rename},
		{Kind: step.Intent, Verb: step.Unban}, {Kind: step.Intent, Text: "x"}, {Kind: step.Intent,
			Args: []step.Named{}},
		{Kind: step.Intent, Value: sheet.IntValue(sheet.Integer, 1)}, {Kind: step.Spectators}} {
		if plain(&in) {
			t.Errorf("%+v is taken for plain", in)
		}
	}
}

// TestReasonsAreTheirWriters: the reason of a pause stands under a token of its writer, as a name does; one that was
// refused is refused again when it is played back, and is not told.
func TestReasonsAreTheirWriters(t *testing.T) {
	scribe := NewScribe()
	scribe.Whose = func(sheet.ID) string { return "account-of-mara" }
	write := func(text string) (step.Input, []Person) {
		data, told, err := scribe.Input(&step.Input{Kind: step.Intent, Seat: 4, Verb: step.Pause, Text: text})
		if err != nil || text != "" && bytes.Contains(data, []byte(text)) {
			t.Fatalf("%q is written as %q, %v", text, data, err)
		}
		var in step.Input
		if err := Inputs(data, told, func(x *step.Input) error { in = *x; return nil }); err != nil {
			t.Fatal(err)
		}
		return in, told
	}
	in, told := write("  my   dog is out ")
	if in.Text != "my dog is out" || len(told) != 2 || told[1].Of != told[0].Token ||
		told[0].Text != "account-of-mara" {
		t.Errorf("it is read as %q, told are %+v", in.Text, told)
	}
	for _, refused := range []string{strings.Repeat("x", match.MaxWhy+1), "a\u202eb"} {
		if in, told := write(refused); in.Text != refusedText || len(told) > 0 {
			t.Errorf("%q is read as %q, told are %+v", refused, in.Text, told)
		}
	}
	if _, err := names.Line(refusedText, match.MaxWhy); err == nil {
		t.Error("what stands for a refused reason is allowed")
	}
	if in, _ := write(""); in.Text != "" {
		t.Errorf("no reason is read as %q", in.Text)
	}
}

// TestAnotherScribeGoesOn: who goes on with the entries of another gives nobody a token that stands for somebody else,
// and tells nothing twice.
func TestAnotherScribeGoesOn(t *testing.T) {
	enters := func(s *Scribe, account, name string) (data []byte, told []Person) {
		data, told, err := s.Input(&step.Input{Kind: step.Enter, Acct: account, Name: name, Conn: account})
		if err != nil {
			t.Fatal(err)
		}
		return bytes.Clone(data), told
	}
	one := NewScribe()
	var known []Person
	for i := range 12 {
		_, told := enters(one, fmt.Sprint("account-", i), fmt.Sprint("Name ", i))
		known = append(known, told...)
	}
	slices.Reverse(known) // as a database may give them
	two := NewScribe(append(known, Person{})...)
	if _, told := enters(two, "account-3", "Name 3"); len(told) != 0 {
		t.Errorf("told again: %+v", told)
	}
	data, told := enters(two, "account-new", "Name new")
	if len(told) != 2 || told[0].Token != "a13" || told[1].Token != "n13" || told[1].Of != "a13" {
		t.Errorf("somebody new is %+v", told)
	}
	err := Inputs(data, append(known, told...), func(in *step.Input) error {
		if in.Acct != "account-new" || in.Name != "Name new" {
			t.Errorf("read is %s, %s", in.Acct, in.Name)
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
}
