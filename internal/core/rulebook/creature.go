package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Creature is a kind of being that the service steers; lengths in millimetres.
type Creature struct {
	No    int
	Line  int // where it stands in the file
	Name  string
	Title string
	ground.Body
	Flies   bool
	Keep    int
	Every   sheet.Tick
	At      []ground.Point
	Again   bool       // who is out comes back
	Back    sheet.Tick // after so long
	Side    int        // a team, or NoSide
	Speed   Speed
	Round   bool       // it goes round walls
	Decides sheet.Tick // how often it looks where to go
	Moves   []Move
	Acts    []*Action
	Starts  []Begin
	Tell    sheet.Tick
}

// NoSide is the number that stands for no team.
const NoSide = -1

// Act returns the act of that name, or nil.
func (c *Creature) Act(name string) *Action {
	for _, a := range c.Acts {
		if a.Name == name {
			return a
		}
	}
	return nil
}

// Move is one way in which a creature moves. Of To, Along and Wander at most one is set; with none it stands still.
type Move struct {
	Line    int // where it stands in the file
	If      *expr.Prog
	To      *expr.Prog
	Gap     int64
	Along   []ground.Point
	Then    PathThen
	Wander  int64
	Speed   Speed
	Hurries bool // with this speed, not the creature's own
}

// Shot makes a kind of piece one that flies.
type Shot struct {
	Speed     Speed
	Players   bool // it hits players
	Creatures uint64
	Who       Who
	Pierce    bool
	Walls     ShotWalls
	Wall      []Effect
	Fuse      []Effect // what happens when it has lasted its time
	Gravity   int64    // by how much it falls faster each second
	Keeps     int64    // of its speed in a bounce, in hundredths
	Tell      sheet.Tick
}

// CreatureFields are the built-in fields of a creature's sheet; nil where the rulebook has no creatures. Clients see
// the first five.
type CreatureFields struct {
	Kind, Pos, Alive, Respawn, Team *sheet.Field

	Was    *sheet.Field // where it was when touches were last looked for
	Home   *sheet.Field // where it appeared
	Goal   *sheet.Field // where it walks to
	Head   *sheet.Field // the direction of that, in thousandths
	Rest   *sheet.Field // what it has yet to walk, less than a millimetre
	Since  *sheet.Field // where it was when it last decided
	Pace   *sheet.Field // millimetres a second
	Look   *sheet.Field // the play tick at which it decides next
	Doing  *sheet.Field // one more than the number of the move it makes
	Leg    *sheet.Field // the point of a path that it walks to; with a goal, 1 where it goes round a wall
	BackAt *sheet.Field // the play tick at which it appears again, 0 for never
	Yaw    *sheet.Field // where it faces; nil where nobody does
	Pitch  *sheet.Field // on tall ground
}

// declareCreature adds the built-in fields of creatures, where there are any.
func (b *declarer) declareCreature() {
	kinds := b.mapKeys("creatures")
	if len(kinds) == 0 {
		return
	}
	add := b.adder(sheet.Creature)
	hidden := func(name string, f sheet.Field) *sheet.Field { return add(name, seenBy(f, sheet.Hidden)) }
	b.book.F.Creature = CreatureFields{
		// What a tick looks at stands side by side.
		Kind: add("kind", choiceOf(kinds)), Pos: add("pos", position), Alive: add("alive", flagField),
		Look: hidden("look", whole), Head: hidden("head", position), Goal: hidden("goal", position),
		Rest: hidden("rest", position), Pace: hidden("pace", whole), Was: hidden("was", position),

		Respawn: add("respawn", clock(true)), Team: add("team", teamRef),
		Home: hidden("home", position), Since: hidden("since", position), Doing: hidden("doing", whole),
		Leg: hidden("leg", whole), BackAt: hidden("back_at", whole),
	}
	if b.top.get("facing") != nil {
		if b.book.F.Creature.Yaw = hidden("yaw", whole); b.book.Schema.Deep {
			b.book.F.Creature.Pitch = hidden("pitch", whole)
		}
	}
}

// declareShots adds the built-in fields of pieces that fly, where there are any.
func (b *declarer) declareShots() {
	for _, e := range b.top.fields("pieces") {
		if e.value.get("shot") != nil {
			f, add := &b.book.F.Piece, b.adder(sheet.Piece)
			f.Way, f.Owner = add("way", position), add("owner", playerRef)
			f.Maker, f.Rest = add("maker", seenBy(whole, sheet.Hidden)), add("rest", seenBy(position, sheet.Hidden))
			return
		}
	}
}
