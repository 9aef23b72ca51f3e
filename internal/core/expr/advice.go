package expr

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"

	"turnvex.example/turnvex/internal/core/sheet"
)

// advice finds what people write who think of another language, before the library
// stumbles over it, and says what to write instead. It is nil where nothing is found.
func advice(src string) *Issue {
	s := &scan{src: []rune(src)}
	for s.at < len(s.src) {
		if is := s.step(); is != nil {
			return is
		}
	}
	if n := len(s.open); n > 0 {
		return s.issue(s.open[n-1], "the bracket %c is not closed", s.src[s.open[n-1]])
	}
	return nil
}

// scan goes over the characters of an expression, texts in quotes aside.
type scan struct {
	src  []rune
	at   int
	open []int // brackets
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
	"null": "nothing is null here: write nobody for no player, noteam for no team, and a field that was never " +
		"set has " +
		"its start",
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

// number finds times and lengths, which expressions write without their units.
func (s *scan) number() *Issue {
	begin := s.at
	for s.at < len(s.src) && (unicode.IsDigit(s.src[s.at]) || s.src[s.at] == '.') {
		s.at++
	}
	end := s.at
	for s.at < len(s.src) && unicode.IsLetter(s.src[s.at]) {
		s.at++
	}
	number, unit := string(s.src[begin:end]), string(s.src[end:s.at])
	switch unit {
	case "s":
		return s.issue(begin, "in expressions a time is in milliseconds: write seconds(%s)", number)
	case "ms":
		return s.issue(begin, "in expressions a time is in milliseconds, without the unit: write %s", number)
	case "h", "min":
		return s.issue(begin, "in expressions a time is in milliseconds: write seconds(…)")
	case "m":
		return s.issue(begin, "in expressions a length is in millimetres: write %s * 1000", number)
	case "mm":
		return s.issue(begin, "in expressions a length is in millimetres, without the unit: write %s", number)
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
	return s.issue(s.at, "nobody has a number in a list: say whom you mean, as in players.exists(p, p.points > 9) or "+
		"players.most(p, p.points), or keep them in a bearer or a field of type player")
}

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

// syntax puts what the library says of a syntax error into our words.
func syntax(m string) string {
	if at, is := strings.CutPrefix(m, "token recognition error at: "); is {
		return "the character " + strings.TrimSpace(at) + " is not used in expressions"
	}
	if found := firstQuoted.FindStringSubmatch(m); found != nil && found[1] != "<EOF>" {
		return fmt.Sprintf("%q cannot stand here; is an operator missing before it?", found[1])
	}
	return "something is missing at the end of the expression"
}

var firstQuoted = regexp.MustCompile(`'([^']*)'`)

var noOverload = regexp.MustCompile(`found no matching overload for '([^']*)' applied to '([^']*)'`)

// mismatch says why two types do not go together, and what to write.
func mismatch(m string) string {
	found := noOverload.FindStringSubmatch(m)
	if found == nil {
		return ""
	}
	op := strings.Trim(strings.ReplaceAll(found[1], "_", ""), "@")
	types := strings.TrimSuffix(found[2][strings.IndexByte(found[2], '(')+1:], ")")
	a, b, two := strings.Cut(types, ", ")
	is := func(x, y string) bool { return a == x && b == y || a == y && b == x }
	list := strings.HasPrefix(a, "list(")
	switch {
	case is("int", "double"):
		return "an integer and a number are reckoned with only among themselves: write 2.0 instead of 2, or " +
			"double(…) " +
			"around the integer"
	case is("Player", "Team"):
		return "a player cannot be compared with a team: write nobody for no player, noteam for no team, or compare " +
			"the player's team"
	case is("Player", "string"), is("Team", "string"):
		return "a player or a team is no text: compare the name, as in match.bell.name == 'Mara'"
	case is("Player", "int"), is("Team", "int"):
		return "a player or a team is no number: write nobody or noteam, or compare one of its fields"
	case is("string", "int") && (op == "==" || op == "!="):
		return "a text or a choice is compared with a text or a word in quotes, as in me.mood == 'calm'"
	case list && (b == "int" || b == "double"):
		return "a list is not a number: write players.size(), or players.count(p, p.alive)"
	case two && !strings.Contains(b, ", "):
		return fmt.Sprintf("%s and %s do not go together with %s", plainType(a), plainType(b), op)
	}
	return fmt.Sprintf("%s does not take %s", op, plainType(types))
}

// plainType is a type of the library in our words.
func plainType(t string) string {
	if inner, is := strings.CutPrefix(t, "list("); is {
		return "a list of " + strings.ToLower(strings.TrimSuffix(inner, ")")) + "s"
	}
	if word := map[string]string{"int": "an integer", "double": "a number", "string": "a text", "bool": "true or false",
		"Player": "a player", "Team": "a team", "Match": "the match", "Lobby": "the lobby", "Piece": "a piece",
		"Record": "a record", "Position": "a position", "Arguments": "arg itself"}[t]; word != "" {
		return word
	}
	return t
}

// absent says where a name can be had that is not there.
func absent(name string, scope Scope) string {
	switch name {
	case "me":
		return "there is no player here that me could be: a rule says for: players; elsewhere look through the " +
			"players, " +
			"as in players.exists(p, p.alive)"
	case "record":
		return "there is no player here whose record it could be: a rule says for: players"
	case "team":
		return "there is no team here: a rule says for: teams, or for: players, whose team it is then"
	case "target":
		return "nobody is hit here that target could be: give the action an aim (target, line or area)"
	case "piece":
		return "there is no piece here: piece is the one touched, in a piece's if and touch; elsewhere look " +
			"through pieces"
	case "it":
		return "there is no it here: it is the one that an effect with each walks through"
	case "arg":
		return "no values come along here: declare them under the action's takes"
	}
	return ""
}

// lists are the functions of lists, and how each is called.
var lists = map[string]string{
	"exists": "exists(p, p.alive)", "all": "all(p, p.alive)", "exists_one": "exists_one(p, p.alive)",
	"count": "count(p, p.alive)", "sum": "sum(p, p.points)", "sum_number": "sum_number(p, p.wind)",
	"most": "most(p, p.points)", "least": "least(p, p.points)",
}

// wordOf says what words a choice has, where a word of no quotes was given for it.
func wordOf(src string, want Want) *Issue {
	if want.Field == nil || want.Field.Type != sheet.Choice || !bareWord.MatchString(src) {
		return nil
	}
	return &Issue{Message: fmt.Sprintf("%s has no word %q", want.Field.Name, src), Word: src, Known: want.Field.Choices}
}

var bareWord = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)
