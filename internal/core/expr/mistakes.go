package expr

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"cel.dev/cel-go/cel"

	"turnvex.example/turnvex/internal/core/sheet"
)

var (
	unknownName  = regexp.MustCompile(`undeclared reference to '([^']*)'`)
	unknownField = regexp.MustCompile(`undefined field '([^']*)'`)
)

// celIssues puts the library's findings into our words, with what is known.
func (c *Checker) celIssues(iss *cel.Issues, src string, scope Scope) []Issue {
	var out []Issue
	for _, e := range iss.Errors() {
		is := Issue{Line: e.Location.Line() - 1, Column: e.Location.Column(), Message: e.Message}
		if m := unknownName.FindStringSubmatch(e.Message); m != nil {
			is.Word, is.Message = m[1], fmt.Sprintf("nothing here is called %q", m[1])
			is.Known = c.names(scope)
			if why := absent(m[1], scope); why != "" {
				is.Message, is.Known = why, nil
			} else if of := c.owners(m[1], scope); of != "" {
				is.Known = nil
				is.Message = fmt.Sprintf("nothing here is called %q by itself; write %s.%s", m[1], of, m[1])
			} else if !isCall(src, is) && c.isWord(m[1], scope) {
				is.Message, is.Known = fmt.Sprintf("words stand in quotes: '%s'", m[1]), nil
			} else if how := lists[m[1]]; how != "" {
				is.Message, is.Known = fmt.Sprintf("%s stands behind a list, as in players.%s", m[1], how), nil
			} else if isCall(src, is) {
				is.Message = fmt.Sprintf("there is no function %q", m[1])
				is.Known = append(callable(), slices.Sorted(maps.Keys(c.defined))...)
			}
		} else if m := unknownField.FindStringSubmatch(e.Message); m != nil {
			is.Word, is.Message = m[1], fmt.Sprintf("no field is called %q", m[1])
			is.Column++ // the library points at the dot
			is.Known = c.members(lineOf(src, is.Line), is.Column-1, scope)
		} else {
			is.Message = cmp.Or(c.miscalled(e.Message), plainMessage(e.Message))
			if strings.Contains(e.Message, "'(int, double)'") && strings.Contains(src, ".sum(") {
				is.Message = "sum adds integers; numbers are added by sum_number"
			}
		}
		out = append(out, is)
	}
	return out
}

func lineOf(src string, n int) string {
	lines := strings.Split(src, "\n")
	return lines[max(min(n, len(lines)-1), 0)]
}

// members are what could stand behind the dot at a column: what came with the action, or the fields of the sheet before
// the dot, of any sheet where that is not said by one word.
func (c *Checker) members(line string, dot int, scope Scope) (known []string) {
	before := []rune(line)
	word := lastWord.FindString(string(before[:min(max(dot, 0), len(before))]))
	if word == "arg" {
		for _, f := range scope.Args {
			known = append(known, f.Name)
		}
		return known
	}
	for k := range sheet.Kind(sheet.Kinds) {
		if of, is := kinds[word]; is && of != k {
			continue
		}
		known = append(known, c.schema.Names(k)...)
		known = append(known, ReservedMembers(k)...)
	}
	return known
}

// kinds are the words that stand for one sheet each, and of which kind that is.
var kinds = map[string]sheet.Kind{"me": sheet.Player, "match": sheet.Match, "lobby": sheet.Lobby, "team": sheet.Team,
	"record": sheet.Record, "piece": sheet.Piece, "zone": sheet.Zone, "creature": sheet.Creature}

var lastWord = regexp.MustCompile(`\w+$`)

// owners is the word for the sheet that has a field, "" if none of those that are there has.
func (c *Checker) owners(field string, scope Scope) string {
	for _, x := range []struct {
		word string
		is   bool
	}{{"me", scope.Vars&Me != 0}, {"team", scope.Vars&Team != 0}, {"piece", scope.Vars&Piece != 0},
		{"zone", scope.Vars&Zone != 0}, {"creature", scope.Vars&Creature != 0}, {"match", true}, {"lobby", true}} {
		if x.is && slices.Contains(c.schema.Names(kinds[x.word]), field) {
			return x.word
		}
	}
	return ""
}

// isWord tells whether a name is a word of some choice.
func (c *Checker) isWord(name string, scope Scope) bool {
	has := func(f *sheet.Field) bool { return slices.Contains(f.Choices, name) }
	for k := range sheet.Kind(sheet.Kinds) {
		if slices.ContainsFunc(c.schema.Fields(k), has) {
			return true
		}
	}
	return slices.ContainsFunc(scope.Args, has)
}

// isCall tells whether what an issue points at is called as a function.
func isCall(src string, is Issue) bool {
	line := []rune(lineOf(src, is.Line))
	rest := strings.TrimPrefix(string(line[min(max(is.Column, 0), len(line)):]), ".")
	rest = strings.TrimPrefix(rest, is.Word)
	return strings.HasPrefix(strings.TrimSpace(rest), "(")
}

// functions are the functions that are known everywhere, and how each is called; those of lists are in lists.
var functions = map[string]string{"abs": "abs(me.points)", "ahead": "ahead(me, 3m)",
	"angle_to": "angle_to(me, target.pos)", "distance": "distance(me.pos, target.pos)",
	"double": "double(me.points)", "int": "int(me.wind)", "max": "max(me.points, 3)", "min": "min(me.points, 3)",
	"over": "over(match.left)", "point": "point(3m, 4m)", "random": "random(1, 6)", "running": "running(match.left)",
	"size": "players.size()", "string": "string(me.points)", "team_named": "team_named('amber')",
	"within": "within(me.pos, match.quay)"}

// callable are the names of everything that can be called.
func callable() []string {
	return append(slices.Sorted(maps.Keys(lists)), slices.Sorted(maps.Keys(functions))...)
}

func plainMessage(m string) string {
	m = strings.TrimSuffix(strings.ReplaceAll(m, "\n", " "), ".")
	if why := mismatch(m); why != "" {
		return why
	}
	if rest, is := strings.CutPrefix(m, "Syntax error: "); is {
		return syntax(rest)
	}
	if m == "argument must be a simple name" {
		return "the first argument must be a plain name, as in players.exists(p, p.alive)"
	}
	if strings.HasPrefix(m, "invalid int literal") {
		return "the number is too large; an integer goes from -9223372036854775808 to 9223372036854775807"
	}
	if strings.Contains(m, "does not support field selection") {
		if strings.HasPrefix(m, "type 'list(") {
			return "a list has no fields: write players.size(), or look through it, as in players.sum(p, p.points)"
		}
		return "what stands before the dot has no fields"
	}
	return m
}

func (c *Checker) names(scope Scope) []string {
	names := append([]string{"lobby", "match", "players", "teams", "pieces", "creatures", "zones", "nobody", "noteam",
		"nocreature", "true", "false"}, slices.Collect(maps.Keys(functions))...)
	names = slices.DeleteFunc(names, func(n string) bool { return n == "random" || n == "string" })
	for v, n := range map[Vars]string{Me: "me", Target: "target", Piece: "piece", Team: "team", It: "it", Args: "arg",
		Creature: "creature", Aim: "aim", Zone: "zone", Random: "random"} {
		if scope.Vars&v != 0 {
			names = append(names, n)
		}
	}
	for _, n := range scope.Named {
		names = append(names, n.Name)
	}
	if scope.Vars&Me != 0 {
		names = append(names, "record")
	}
	slices.Sort(names)
	return names
}
