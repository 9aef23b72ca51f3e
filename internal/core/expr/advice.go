package expr

import (
	"fmt"
	"regexp"
	"strings"

	"turnvex.example/turnvex/internal/core/sheet"
)

// advice finds what people write who think of another language, before the library stumbles over it, and says what to
// write instead. It is nil where nothing is found; then the numbers with units are.
func (s *scan) advice() *Issue {
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
	op := found[1]
	if !bareWord.MatchString(op) { // an operator, as in _+_
		op = strings.Trim(strings.ReplaceAll(op, "_", ""), "@")
	}
	types := strings.TrimSuffix(found[2][strings.IndexByte(found[2], '(')+1:], ")")
	if on, with, member := strings.Cut(found[2], ".("); member {
		types = on + ", " + strings.TrimSuffix(with, ")")
	}
	a, b, two := strings.Cut(types, ", ")
	is := func(x, y string) bool { return a == x && b == y || a == y && b == x }
	list := strings.HasPrefix(a, "list(")
	switch {
	case types == "":
		return op + " needs something between its brackets, as in " + functions[op]
	case op == "higher" || op == "lower":
		return "highest and lowest compare integers or numbers, as in players.highest(p, p.points)"
	case op == "?:":
		return "a condition (true or false) is needed, before ? and within filter"
	case is("int", "double"):
		return "an integer and a number are reckoned with only among themselves: write 2.0 instead of 2, or " +
			"double(…) around the integer"
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
	if how := functions[op]; how != "" {
		return fmt.Sprintf("%s is called as in %s", op, how)
	}
	return fmt.Sprintf("%s does not take %s", op, plainType(types))
}

// plainType is a type of the library in our words.
func plainType(t string) string {
	if strings.HasPrefix(t, "map(") {
		return "counts as a whole: say which, as in me.goods.wood or me.goods[arg.ware]"
	}
	if inner, is := strings.CutPrefix(t, "list("); is {
		_, item, _ := strings.Cut(plainType(strings.TrimSuffix(inner, ")")), " ")
		return "a list of " + item + "s"
	}
	if word := map[string]string{
		"int": "an integer", "double": "a number", "string": "a text", "bool": "true or false",
		"Player": "a player", "Team": "a team", "Match": "the match", "Lobby": "the lobby", "Piece": "a piece",
		"Creature": "a creature", "Zone": "a zone", "Aim": "aim itself", "Record": "a record",
		"Position": "a position", "Arguments": "arg itself", "Effects": "effects",
	}[t]; word != "" {
		return word
	}
	return t
}

// absent says where a name can be had that is not there.
func absent(name string, scope Scope) string {
	switch name {
	case "me":
		return "there is no player here that me could be: a rule says for: players; elsewhere look through the " +
			"players, as in players.exists(p, p.alive)"
	case "self", "this", "player", "myself":
		if scope.Vars&Me == 0 {
			return "there is no one player here; look through the players, as in players.exists(p, p.alive)"
		}
		return "the player whom this is about is called me, as in me.alive; all of them are players"
	case "record":
		return "there is no player here whose record it could be: a rule says for: players"
	case "team":
		return "there is no team here: a rule says for: teams, or for: players, whose team it is then"
	case "target":
		return "nobody is hit here that target could be: give the action an aim (target, line or area)"
	case "aim":
		return "no aim led here: aim is there in what an action with one does, and in its miss"
	case "creature":
		return "there is no creature here: a rule says for: creatures, or for: and a creature's name; elsewhere look " +
			"through creatures"
	case "zone":
		return "there is no zone here: a rule says for: zones; elsewhere a zone is a field of the match, as in " +
			"match.quay"
	case "piece":
		return "there is no piece here: piece is the one touched, in a piece's if and touch; elsewhere look " +
			"through pieces"
	case "it":
		if n := len(scope.Named); n > 0 {
			return "there is no it here: the one that the effect with each walks through is called " +
				scope.Named[n-1].Name + ", as its as says"
		}
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
	"filter": "filter(p, p.alive)", "first": picks["first"], "nth": picks["nth"], "nearest": picks["nearest"],
	"pick": picks["pick"], "highest": picks["highest"], "lowest": picks["lowest"],
}

// wordOf says what words a choice has, where a word of no quotes was given for it.
func wordOf(src string, want Want) *Issue {
	if want.Field == nil || want.Field.Type != sheet.Choice || !bareWord.MatchString(src) {
		return nil
	}
	return &Issue{Message: fmt.Sprintf("%s has no word %q", want.Field.Name, src), Word: src, Known: want.Field.Choices}
}

var bareWord = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)
