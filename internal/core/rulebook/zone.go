package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Zone is a part of the ground that knows who is in it; lengths in millimetres.
type Zone struct {
	No     int
	Line   int // where it stands in the file
	Name   string
	Title  string
	Field  *sheet.Field // of the match: its sheet
	Shape               // where it lies, unless an arena says otherwise
	At     *expr.Prog   // its middle, nil where it stays
	Radius *expr.Prog   // nil where that stays
	If     *expr.Prog
	Enter  []Effect
	Leave  []Effect
	Taken  []Effect
	Lost   []Effect
	Hold   *Hold // nil for what nobody takes
	Tell   sheet.Tick
	Starts []Begin
}

// Moves tells whether a zone's place or size follows from expressions.
func (z *Zone) Moves() bool { return z.At != nil || z.Radius != nil }

// Hold says how a zone is taken.
type Hold struct {
	Takes, Fades sheet.Tick
	Crowd        int64
	Stays        bool
}

// ZoneFields are the built-in fields of a zone's sheet; nil where the rulebook has none.
type ZoneFields struct {
	Kind, Pos, Size *sheet.Field // Size: half the sides; of a circle the radius and 0
	Crowd           *sheet.Field // how many are in it
	Contested       *sheet.Field
	Holder, Taker   *sheet.Field
	Progress        *sheet.Field // of the taking, in thousandths

	Taking *sheet.Field    // what was done of it, in thousandths of a tick of one player
	In     [4]*sheet.Field // who is in it, by place
}

// declareZones adds the built-in fields of zones, where there are any.
func (b *declarer) declareZones() {
	kinds := b.mapKeys("zones")
	if len(kinds) == 0 {
		return
	}
	add := b.adder(sheet.Zone)
	side := playerRef
	if b.top.get("teams") != nil {
		side = teamRef
	}
	F := &b.book.F.Zone
	*F = ZoneFields{Kind: add("kind", choiceOf(kinds)), Pos: add("pos", position), Size: add("size", position),
		Crowd: add("crowd", whole), Contested: add("contested", flagField), Holder: add("holder", side),
		Taker: add("taker", side), Progress: add("progress", sheet.Field{Type: sheet.Number}),
		Taking: add("taking", seenBy(whole, sheet.Hidden))}
	for i, name := range expr.ZoneIn {
		F.In[i] = add(name, seenBy(whole, sheet.Hidden))
	}
}
