package expr

import (
	"fmt"
	"strings"
	"unicode"
)

// scan goes over the characters of an expression, texts in quotes aside.
type scan struct {
	src   []rune
	at    int
	open  []int     // brackets
	units []literal // numbers with units
}

func (s *scan) issue(at int, format string, args ...any) *Issue {
	before := string(s.src[:at])
	line := strings.Count(before, "\n")
	column := len([]rune(before[strings.LastIndexByte(before, '\n')+1:]))
	return &Issue{Line: line, Column: column, Message: fmt.Sprintf(format, args...)}
}

func (s *scan) peek(n int) rune {
	if i := s.at + n; i >= 0 && i < len(s.src) {
		return s.src[i]
	}
	return 0
}

// step looks at the next character or word.
func (s *scan) step() *Issue {
	c := s.src[s.at]
	switch {
	case c == '\'' || c == '"':
		return s.quoted(c)
	case strings.ContainsRune("‘’“”„«»", c):
		return s.issue(s.at, "%c is not a quote here; words stand in plain ones, as in me.mood == 'calm'", c)
	case unicode.IsLetter(c) || c == '_':
		return s.word()
	case unicode.IsDigit(c):
		return s.number()
	case strings.ContainsRune("([{", c):
		if is := s.index(c); is != nil {
			return is
		}
		s.open = append(s.open, s.at)
	case strings.ContainsRune(")]}", c):
		if len(s.open) == 0 {
			return s.issue(s.at, "the bracket %c closes nothing", c)
		}
		s.open = s.open[:len(s.open)-1]
	default:
		if is := s.operator(c); is != nil {
			return is
		}
	}
	s.at++
	return nil
}

func (s *scan) quoted(quote rune) *Issue {
	begin := s.at
	for s.at++; s.at < len(s.src); s.at++ {
		switch s.src[s.at] {
		case '\\':
			s.at++
		case quote:
			s.at++
			return nil
		}
	}
	return s.issue(begin, "the quote %c is not closed", quote)
}

// instead are the words of other languages, and what stands for them here.
var instead = map[string]string{
	"and": "&& means and, as in me.alive && me.hull > 0",
	"or":  "|| means or, as in me.hull == 0 || !me.alive",
	"not": "! means not, as in !me.alive",
	"null": "nothing is null here: write nobody for no player, noteam for no team, and a field that was never set " +
		"has its start",
}

func (s *scan) word() *Issue {
	begin := s.at
	for s.at < len(s.src) && (unicode.IsLetter(s.src[s.at]) || unicode.IsDigit(s.src[s.at]) || s.src[s.at] == '_') {
		s.at++
	}
	word := string(s.src[begin:s.at])
	if what := instead[word]; what != "" && (begin == 0 || s.src[begin-1] != '.') {
		return s.issue(begin, "%s", what)
	}
	if (word == "b" || word == "r") && (s.peek(0) == '\'' || s.peek(0) == '"') {
		return s.issue(begin, "a text stands in plain quotes, as in 'calm'")
	}
	return nil
}

// index finds players[0] and its like.
func (s *scan) index(c rune) *Issue {
	before := rune(0)
	for i := s.at - 1; i >= 0; i-- {
		if s.src[i] != ' ' {
			before = s.src[i]
			break
		}
		if i == s.at-1 { // "in [": a list written out
			return nil
		}
	}
	if c != '[' || !(unicode.IsLetter(before) || unicode.IsDigit(before) || before == '_' || before == ')') {
		return nil
	}
	if next := s.peek(1); before != ')' && !unicode.IsDigit(next) && next != '-' {
		return nil // me.goods[arg.ware]
	}
	return s.issue(s.at, "%s", noIndex)
}

// noIndex says what to write in place of brackets.
const noIndex = "brackets pick only from counts, by word, as in me.goods[arg.ware]: write nth(1) for the first of a " +
	"list, as in me.hand.nth(1), or say whom you mean, as in players.exists(p, p.points > 9) or players.highest(p, " +
	"p.points)"

func (s *scan) operator(c rune) *Issue {
	next, last := s.peek(1), s.peek(-1)
	switch {
	case c == '=' && next != '=' && !strings.ContainsRune("=!<>", last):
		return s.issue(s.at, "== compares; a field is set by an effect: {set: FIELD, to: VALUE}")
	case c == '=' && next == '=' && s.peek(2) == '=':
		return s.issue(s.at, "== compares")
	case c == '&' && next != '&' && last != '&':
		return s.issue(s.at, "&& means and")
	case c == '|' && next != '|' && last != '|':
		return s.issue(s.at, "|| means or")
	case c == '+' && next == '+', c == '-' && next == '-':
		return s.issue(s.at, "a field is changed by an effect: {add: FIELD, by: 1}")
	case c == '<' && next == '>':
		return s.issue(s.at, "!= means not equal")
	}
	return nil
}
