package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Board is a leaderboard.
type Board struct {
	Line   int // where it stands in the file
	Name   string
	Title  string
	Game   bool       // it is the game's
	Team   bool       // its entries are teams', not players'
	Of     *expr.Prog // nil: nothing is posted at the end
	Arena  int        // 1 and the place of the arena whose matches post to it; 0 for all
	If     *expr.Prog
	Keep   Keep // best, latest, total or count
	Least  bool // the least is first
	Show   Show
	Renew  Renew
	Dates  []string // with RenewOnDates: the days on which it begins anew, such as 2026-03-01, in order
	Zone   string   // the time zone in which days begin, by its IANA name
	Open   bool     // clients may post
	Lowest int64    // what a client may post
	Most   int64
	Every  int64 // the least time between two posts of a client, in milliseconds; 0 for none

	Place, Value *sheet.Field // of the record: how players stand when they enter; nil where that is not asked for
}

// AtEntry returns the boards on which players bring their place and value.
func (b *Book) AtEntry() (out []*Board) {
	for _, x := range b.Boards {
		if x.Place != nil {
			out = append(out, x)
		}
	}
	return out
}

// StandsIn returns the field of the record with that name in which players bring how they stand on a board, or nil.
func (b *Book) StandsIn(name string) *sheet.Field {
	for _, x := range b.AtEntry() {
		for _, f := range []*sheet.Field{x.Place, x.Value} {
			if f.Name == name {
				return f
			}
		}
	}
	return nil
}
