package journal

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// In a journal a person is a token that means nothing elsewhere, and so is each name. What the tokens stand for are
// entries of their own: without them the journal plays back to the same states, and nobody is told who played.

// person is what a token stands for.
type person struct {
	_     struct{} `cbor:",toarray"`
	Token string   // a1, a2, … for accounts; n1, n2, … for names
	Of    string   // of a name: the token of whose it is, "" if that is not known
	Text  string   // the account, or the name
}

// people gives out tokens, the same for the same text: who was told apart is told apart.
type people struct {
	tokens map[string]string // by a letter and the text
	told   map[person]bool
	conns  map[string]string // who came on a connection: whose the names of further players on it are
	count  map[byte]int
	tell   func(*person)
}

func newPeople(tell func(*person)) *people {
	return &people{map[string]string{}, map[person]bool{}, map[string]string{}, map[byte]int{}, tell}
}

// token is what stands for a text; the first time it is told what it stands for.
func (p *people) token(letter byte, text, of string) string {
	if text == "" {
		return ""
	}
	t := p.tokens[string(letter)+text]
	if t == "" {
		p.count[letter]++
		t = fmt.Sprintf("%c%d", letter, p.count[letter])
		p.tokens[string(letter)+text] = t
	}
	if x := (person{Token: t, Of: of, Text: text}); !p.told[x] {
		p.told[x] = true
		p.tell(&x)
	}
	return t
}

// writing is what stands for a text that a player has written, which nobody looks up again: one of its own each time.
func (p *people) writing(text, of string) string {
	p.count['w']++
	t := fmt.Sprintf("w%d", p.count['w'])
	p.tell(&person{Token: t, Of: of, Text: text})
	return t
}

// name is what stands for a name that somebody has asked for: one that is not allowed has none, and is refused when it
// is played back as it was then.
func (p *people) name(raw, of string) string {
	clean, err := names.Clean(raw)
	if err != nil {
		return ""
	}
	return p.token('n', clean, of)
}

// refusedText stands for a reason that the authority has refused, and refuses again.
const refusedText = "\x00"

// written tells whether something in an intent is a text that its player has written.
func written(in *step.Input) bool {
	return in.Verb == step.Rename || in.Verb == step.Pause ||
		in.Verb == step.Act && slices.ContainsFunc(in.Args, isText)
}

func isText(n step.Named) bool { return n.Value.Type == sheet.Text }

// hide puts tokens in the place of people; whose is the account of whom a seat's new name is.
func (p *people) hide(in *step.Input, whose string) {
	switch in.Kind {
	case step.Enter, step.Wait:
		account := p.token('a', in.Acct, "")
		if account != "" {
			p.conns[in.Conn] = account
		}
		in.Acct, in.Name = account, p.name(in.Name, p.conns[in.Conn])
	case step.Called:
		in.Text = p.name(in.Text, p.token('a', whose, ""))
	case step.Reserve:
		in.Names = append([]string(nil), in.Names...)
		for i, a := range in.Names {
			in.Names[i] = p.token('a', a, "")
		}
		in.Text = p.token('p', in.Text, "")
	case step.Intent:
		switch in.Verb {
		case step.Act:
			p.hideTexts(in, whose)
		case step.Rename:
			in.Text = p.name(in.Text, p.token('a', whose, ""))
		case step.Pause:
			if clean, err := names.Line(in.Text, match.MaxWhy); err != nil {
				in.Text = refusedText
			} else {
				in.Text = p.token('n', clean, p.token('a', whose, ""))
			}
		case step.Unban:
			in.Text = p.token('a', in.Text, "")
		}
	}
}

// hideTexts puts tokens in the place of texts that were sent with an action.
func (p *people) hideTexts(in *step.Input, whose string) {
	in.Args = slices.Clone(in.Args)
	of := p.token('a', whose, "")
	for i := range in.Args {
		if !isText(in.Args[i]) {
			continue
		}
		text := &in.Args[i].Value.S
		if clean, err := names.Line(*text, rulebook.TextLargest); err != nil || clean != *text || clean == "" {
			*text = refusedText
		} else {
			*text = p.writing(clean, of)
		}
	}
}

// Forget copies a journal without what tells who some accounts are, and which names were theirs. It tells whether there
// was any such thing.
func Forget(from io.Reader, to io.Writer, accounts ...string) (found bool, err error) {
	if _, err := io.WriteString(to, Magic); err != nil {
		return false, err
	}
	enc, tokens := cbor.NewEncoder(to), map[string]bool{}
	err = entries(from, func(h *Head) error { return enc.Encode(h) }, func(e *entry) error {
		if p := e.Person; p != nil {
			if slices.Contains(accounts, p.Text) {
				tokens[p.Token] = true
			}
			if tokens[p.Token] || tokens[p.Of] {
				found = true
				return nil
			}
		}
		return enc.Encode(e)
	})
	return found, err
}

// entries reads a journal's head and its entries, to its end or to where it breaks off.
func entries(from io.Reader, head func(*Head) error, each func(*entry) error) error {
	if err := begins(from); err != nil {
		return err
	}
	dec := reading.NewDecoder(from)
	var h Head
	if err := dec.Decode(&h); err != nil {
		return fmt.Errorf("the journal's head cannot be read: %w", err)
	}
	if head != nil {
		if err := head(&h); err != nil {
			return err
		}
	}
	for {
		var e entry
		err := dec.Decode(&e)
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return nil
		}
		if err == nil {
			err = each(&e)
		}
		if err != nil {
			return err
		}
	}
}
