package rulebook

import (
	"fmt"

	"github.com/goccy/go-yaml/token"
)

// How many comments a document has at most, and aliases, which are not used, until it is not read any further.
const (
	maxComments = 20_000
	maxAliases  = 100
)

// crowded refuses a document with too many values or comments, a map with too many keys, or an alias, before it is
// parsed: the parser's time grows with the square of the keys of a map, and faster than the comments and the aliases.
func crowded(tokens token.Tokens) *Problem {
	var open []keys
	values, comments, aliases := 0, 0, 0
	for i, t := range tokens {
		switch t.Type {
		case token.AliasType, token.AnchorType:
			if aliases++; aliases <= maxAliases { // they are told one by one, with everything else
				continue
			}
			return &Problem{Severity: Error, Code: "alias", Line: t.Position.Line, Column: t.Position.Column,
				Message: "anchors and aliases are not used in rulebooks; write the value out"}
		case token.CommentType:
			if comments++; comments > maxComments {
				return tooMany(t, "the document has more than %d comments", maxComments)
			}
		case token.MappingStartType, token.SequenceStartType:
			open = append(open, keys{flow: true})
			values++
		case token.MappingEndType, token.SequenceEndType:
			open = closed(open)
		case token.SequenceEntryType:
			open = outdented(open, t.Position.Column)
			values++
		case token.CollectEntryType:
			values++
		case token.MappingValueType:
			values++
			key := t
			if i > 0 {
				key = tokens[i-1]
			}
			var n int
			if open, n = counted(open, key.Position.Column); n > maxKeys {
				return tooMany(key, "a map has more than %d keys", maxKeys)
			}
		}
		if values > 2*maxNodes { // a value that is a map or list counts as two here
			return tooMany(t, "the document has more than %d values", maxNodes)
		}
	}
	return nil
}

// keys is a map that is open where the document is read, or a list in brackets.
type keys struct {
	flow   bool // in brackets
	column int  // of the keys of one without
	n      int
}

// counted counts one more key, of the innermost map: in brackets, or of the map whose keys stand in this column.
func counted(open []keys, column int) ([]keys, int) {
	if last := len(open) - 1; last >= 0 && open[last].flow {
		open[last].n++
		return open, open[last].n
	}
	open = outdented(open, column)
	if last := len(open) - 1; last < 0 || open[last].flow || open[last].column < column {
		open = append(open, keys{column: column})
	}
	last := &open[len(open)-1]
	last.n++
	return open, last.n
}

// outdented closes the maps whose keys stand further right than a column.
func outdented(open []keys, column int) []keys {
	for len(open) > 0 && !open[len(open)-1].flow && open[len(open)-1].column > column {
		open = open[:len(open)-1]
	}
	return open
}

// closed closes what stands in the last open brackets.
func closed(open []keys) []keys {
	for len(open) > 0 {
		last := open[len(open)-1]
		if open = open[:len(open)-1]; last.flow {
			break
		}
	}
	return open
}

func tooMany(at *token.Token, format string, args ...any) *Problem {
	return &Problem{Severity: Error, Code: "too-many", Line: at.Position.Line, Column: at.Position.Column,
		Message: fmt.Sprintf(format, args...)}
}
