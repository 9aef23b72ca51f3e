package journal

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Person is what a token of a lobby stands for.
type Person struct {
	Token string
	Of    string // of a name: the token of whose it is, "" if that is not known
	Text  string // the account, or the name
}

// Scribe writes inputs as entries of a journal that is kept elsewhere than in a file, and what the tokens in them stand
// for beside them.
type Scribe struct {
	people *people
	told   []Person
	buf    []byte // of the last plain entry
	// Whose is as in Writer.
	Whose func(seat sheet.ID) string
}

// NewScribe returns a scribe who knows what some tokens stand for already.
func NewScribe(known ...Person) *Scribe {
	s := &Scribe{}
	s.people = newPeople(func(p *person) { s.told = append(s.told, Person{p.Token, p.Of, p.Text}) })
	for _, k := range known {
		s.people.know(&person{Token: k.Token, Of: k.Of, Text: k.Text})
	}
	return s
}

// Input returns the entry of an input, good until the next call, and what the tokens stand for that are new in it.
func (s *Scribe) Input(in *step.Input) (entryOf []byte, told []Person, err error) {
	if !plain(in) {
		return s.other(in)
	}
	// As cbor.Marshal would write it (RFC 8949): tens of thousands are written a second.
	dst := s.buf[:0]
	integer := func(n int64) {
		if n < 0 {
			dst = replica.AppendHead(dst, replica.Negative, uint64(-1-n))
		} else {
			dst = replica.AppendHead(dst, replica.Unsigned, uint64(n))
		}
	}
	dst = append(dst, 0x85, kindInput)
	integer(int64(in.At))
	begin := len(dst)
	dst = append(dst, 0xa0) // a map, whose length is known at its end
	number := func(key byte, n int64) {
		if n != 0 {
			dst[begin]++
			dst = append(dst, key)
			integer(n)
		}
	}
	word := func(key byte, text string) {
		if text != "" {
			dst[begin]++
			dst = append(replica.AppendHead(append(dst, key), replica.Chars, uint64(len(text))), text...)
		}
	}
	flag := func(key byte, on bool) {
		if on {
			dst[begin]++
			dst = append(dst, key, 0xf5)
		}
	}
	number(1, int64(in.Kind))
	number(2, int64(in.Seat))
	if in.Seq != 0 {
		dst[begin]++
		dst = replica.AppendHead(append(dst, 3), replica.Unsigned, in.Seq)
	}
	word(4, string(in.Verb))
	word(5, in.Name)
	number(6, int64(in.Target))
	number(7, in.X)
	number(8, in.Y)
	flag(9, in.Point)
	number(11, in.N)
	flag(12, in.Yes)
	number(23, in.Z)
	s.buf = append(dst, 0x00, 0xf6) // no hash, and no person
	return s.buf, nil, nil
}

func (s *Scribe) other(in *step.Input) (entryOf []byte, told []Person, err error) {
	hidden, whose := *in, ""
	if s.Whose != nil && (in.Kind == step.Called || written(in)) {
		whose = s.Whose(in.Seat)
	}
	s.told = nil
	s.people.hide(&hidden, whose)
	data, err := cbor.Marshal(entry{Kind: kindInput, At: int64(in.At), Input: pack(&hidden)})
	return data, s.told, err
}

// know takes note of what a token stands for.
func (p *people) know(x *person) {
	if x.Token == "" {
		return
	}
	if x.Token[0] != 'w' {
		p.told[*x], p.tokens[x.Token[:1]+x.Text] = true, x.Token
	}
	var n int
	if fmt.Sscanf(x.Token[1:], "%d", &n); n > p.count[x.Token[0]] {
		p.count[x.Token[0]] = n
	}
}

// Inputs reads entries as a scribe has written them, with people in the place of the tokens that are known.
func Inputs(data []byte, known []Person, each func(*step.Input) error) error {
	show := map[string]string{}
	for _, p := range known {
		show[p.Token] = p.Text
	}
	dec := reading.NewDecoder(bytes.NewReader(data))
	for {
		var e entry
		err := dec.Decode(&e)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil || e.Kind != kindInput || e.Input == nil || int(e.Input.Kind) >= step.Kinds {
			return fmt.Errorf("an entry of the journal cannot be read: %w", err)
		}
		in := e.Input.unpack(e.At)
		reveal(&in, show)
		if err := each(&in); err != nil {
			return err
		}
	}
}

// reveal puts people in the place of their tokens.
func reveal(in *step.Input, show map[string]string) {
	for _, p := range personal(in) {
		if text, known := show[*p]; known {
			*p = text
		}
	}
}

// personal are the parts of an input that tell who somebody is.
func personal(in *step.Input) (out []*string) {
	switch in.Kind {
	case step.Enter, step.Wait:
		return []*string{&in.Acct, &in.Name}
	case step.Called:
		return []*string{&in.Text}
	case step.Reserve:
		for i := range in.Names {
			out = append(out, &in.Names[i])
		}
		return append(out, &in.Text)
	case step.Intent:
		if in.Verb == step.Act {
			for i := range in.Args {
				if isText(in.Args[i]) {
					out = append(out, &in.Args[i].Value.S)
				}
			}
			return out
		}
		if written(in) || in.Verb == step.Unban {
			return []*string{&in.Text}
		}
	}
	return nil
}

// plain tells whether an input is an intent in which nothing stands of a person, and nothing but numbers and words:
// most inputs are.
func plain(in *step.Input) bool {
	return in.Kind == step.Intent && in.Verb != step.Rename && in.Verb != step.Unban && in.Text == "" &&
		in.Args == nil && in.Record == nil && in.Names == nil && in.Value == (sheet.Value{}) &&
		!in.Faces && in.Team == "" && in.Acct == "" && in.Conn == "" && in.Pass == ""
}
