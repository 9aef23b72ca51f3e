package keep

import (
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// isEntry is the condition on the entries of a board.
const isEntry = "exists (select from board_seasons s where s.id = season and s.rulebook = ? and s.board = ?)"

// boardDifferences tells what a new version of a rulebook means for what stands on its boards.
func boardDifferences(old, new *rulebook.Book) (out []Difference) {
	for _, b := range new.Boards {
		was := old.Board(b.Name)
		if was == nil || b.Game { // its game's own difference
			continue
		}
		for _, d := range boardChanged(was, b) {
			d.Board, d.count, d.args = b.Name, isEntry, []any{new.Name, b.Name}
			out = append(out, d)
		}
	}
	for _, b := range old.Boards {
		if !b.Game && new.Board(b.Name) == nil {
			out = append(out, Difference{Board: b.Name, What: "removed",
				Means: "entries stay, unseen, and are there again for a version that has the board",
				count: isEntry, args: []any{new.Name, b.Name}})
		}
	}
	return out
}

// boardChanged tells what is different about a board that both versions have.
func boardChanged(old, new *rulebook.Board) (out []Difference) {
	say := func(what, means string, args ...any) {
		out = append(out, Difference{What: what, Means: fmt.Sprintf(means, args...)})
	}
	if old.Team != new.Team {
		say("whose", "entries so far stay beside the new ones, which are of others")
	}
	if old.Least != new.Least {
		say("order", "the same entries stand in the other order at once, in every season")
	}
	if old.Keep != new.Keep {
		say("keep", "entries stay as they are; from its next post on each follows %s, and not %s", new.Keep, old.Keep)
	}
	if old.Show != new.Show {
		say("show", "entries so far are shown as %s, and not as %s: they may be a thousand times too much or too "+
			"little", new.Show, old.Show)
	}
	if source(old.Of) != source(new.Of) || source(old.If) != source(new.If) {
		say("value", "entries stay; matches that end from now on post by the new expressions")
	}
	if old.Renew != new.Renew || old.Zone != new.Zone || !slices.Equal(old.Dates, new.Dates) {
		say("renew", "earlier seasons stay, and can be read by their names; the board goes on in a season of the new "+
			"calendar")
	}
	return out
}

func source(p *expr.Prog) string {
	if p == nil {
		return ""
	}
	return p.Source
}
