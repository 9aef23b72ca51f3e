package rulebook

import (
	"regexp"
	"strings"
)

// line is a line of the document, from 1; "" for one that is not there.
func line(src []byte, n int) string {
	lines := strings.Split(string(src), "\n")
	if n < 1 || n > len(lines) {
		return ""
	}
	return lines[n-1]
}

var (
	choiceUnquoted = regexp.MustCompile(`: [^'"#\[{].* \? .* : `)
	numbered       = regexp.MustCompile(`\w\[[0-9]+\]`)
	commaMissing   = regexp.MustCompile(`[{,] *\w+: [^,{}'"]* (\w+): `)
)

// plainYAML says what is wrong with a line that the YAML library cannot read, and what to write.
func plainYAML(message, at, before string) string {
	switch {
	case strings.HasPrefix(strings.TrimLeft(at, " "), "\t"), strings.Contains(message, "character '\t'"):
		return "a tab cannot indent; use spaces"
	case choiceUnquoted.MatchString(at):
		return "an expression with ? and : stands in quotes, as in by: \"me.alive ? 1 : 0\""
	case strings.Contains(message, "already defined"):
		return message
	case numbered.MatchString(at):
		return "nobody has a number in a list: say whom you mean, as in players.exists(p, p.points > 9), or keep " +
			"them in a bearer or a field of type player"
	case commaMissing.MatchString(at):
		return "a comma is missing before " + commaMissing.FindStringSubmatch(at)[1]
	case strings.Contains(message, "must be specified"):
		return "a list or a map that is opened here, or above, is not closed: " + message
	case strings.HasPrefix(strings.TrimLeft(before, " "), "- ") != strings.HasPrefix(strings.TrimLeft(at, " "), "- ") &&
		indent(at) == indent(before):
		return "the entries of a list (-) and the keys of a map cannot stand side by side"
	case indent(at) != indent(before) && strings.Contains(message, "not allowed"):
		return "this line is indented in a way that fits neither the line above nor what that belongs to; keys of " +
			"one map begin in the same column"
	}
	return message
}

func indent(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }
