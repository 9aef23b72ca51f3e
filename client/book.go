package client

import (
	"time"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// Book is what clients are told of the rulebook. Lengths are in millimetres.
type Book struct {
	Name      string              // by which lobbies are opened
	Title     string              // for people
	About     string              // what the match is about
	Version   string              // of the rulebook
	Teams     []string            // names; none where everyone plays for themselves
	Actions   []Action            // what players may ask for
	Kits      []Kit               // bit n of a player's field kits stands for the kit at place n
	Pieces    []Piece             // the kinds of object on the ground
	Zones     []Zone              // the parts of the ground that know who is in them
	Votes     []Vote              // what players decide together
	Creatures []Creature          // the kinds of being that the service steers
	Phases    []Phase             // in the file's order
	Ground    *Ground             // nil without one; with arenas that of the first: see Copy.Ground
	Arenas    []Arena             // the grounds where there are several
	Moves     bool                // players steer
	Radius    int64               // of a player's body
	Speed     int64               // the greatest of players, in millimetres a second; 0 if it varies
	SpeedIn   string              // the player's field that says it, where their client is told
	Every     int64               // where players are is told at most once in so many ticks; 0 for each change
	Walk      *Walk               // how they do on tall ground; nil on flat ground
	Notices   []Told              // what notices say
	Host      map[string][]string // the powers of the host, and where each is given: private, public, match
	Pause     Pauses              // the rules for pauses
	End       End                 // what comes after a match
}

// Pauses are the rules for pauses. What is 0 has no limit.
type Pauses struct {
	Who       string        // anyone, teams or nobody; the host by the power pause
	Phases    []string      // in which; all if there are none here
	Times     int           // how many in a match, for each budget
	Total     time.Duration // how long together, for each budget
	Longest   time.Duration // how long one lasts
	Countdown time.Duration // from the word to go on until play does
}

// End is what comes after a match.
type End struct {
	Then string        // lobby, again, vote or close
	Show time.Duration // how long the result is shown
}

// Action is what clients are told of an action.
type Action struct {
	Name    string   // as an intent names it
	Title   string   // for people
	Key     string   // a suggestion: the key that asks for it
	Aim     string   // self, target, line or area
	Who     string   // whom it can hit: rivals, friends, others or anyone
	Hits    []string // players, or kinds of creature and piece; nil for players alone
	Reach   int64    // how far; 0 for anywhere, or if it varies
	Reaches string   // the expression for how far, if it varies
	Held    bool     // it may be ended with stop
	Cools   bool     // the player's clock cool_NAME shows the cooldown
	Cost    []Cost   // what it takes from the player
	Takes   []*Field // its arguments
	Phases  []string // in which it may be used
	Also    []string // when it may be used beside that: pause, frozen, lobby
}

// Cost is what an action takes from the player who uses it.
type Cost struct {
	Field  string // of the player, or of their record
	Record bool
	By     int64  // in the unit that is sent; 0 where it depends
	Says   string // the expression on which it depends
}

// Kit is a named set of actions.
type Kit struct {
	Name    string   // as the rulebook names it
	Actions []string // the names of its actions
}

// Piece is a kind of object on the ground.
type Piece struct {
	Name   string // as the rulebook names it
	Title  string // for people
	Radius int64  // in millimetres
	Tall   int64  // likewise, on tall ground
	Flies  bool   // its field way says how far it flies in a second
}

// Creature is a kind of being that the service steers.
type Creature struct {
	Name   string // as the rulebook names it
	Title  string // for people
	Radius int64  // of its body, in millimetres
	Tall   int64  // likewise, on tall ground
	Every  int64  // where it is, is told at most once in so many ticks; 0 for each change
}

// Vote is something that players decide together.
type Vote struct {
	Name   string   // as the intent vote and the lobby's field vote have it
	Title  string   // for people
	On     string   // question, players, words or arenas
	Words  []string // of a vote on words or arenas
	Team   bool     // only the team of who opens it votes
	During []string // when it may be opened: lobby, match, result
}

// Zone is a part of the ground that knows who is in it. Its sheet says where its middle is (pos), and its size: half
// the sides of a box, the radius and 0 of a circle.
type Zone struct {
	Name  string // also the match's field that refers to its sheet
	Title string // for people
	Held  bool   // it can be taken
}

// Phase is a part of a match.
type Phase struct {
	Name   string // as the rulebook names it
	Title  string // for people
	Frozen bool   // actions and steering are not taken
}

// Arena is one of several grounds.
type Arena struct {
	Name   string  // as the match's and the lobby's field arena have it
	Title  string  // for people
	Ground *Ground // its size and its walls
}

// Ground is the playing area, from (0, 0) to (Width, Height).
type Ground struct {
	Width, Height int64      // in millimetres
	Boxes         [][4]int64 // walls: left, top, right, bottom
	Circles       [][3]int64 // walls: x, y, radius
	Gates         []Gate     // walls that are not always there
	Sight         *Sight     // how far positions are told; nil for everywhere

	Tall  int64  // how high it goes: positions then have three lengths, and Walls stands for the three above; 0 if flat
	Open  bool   // of a tall ground: there is no floor at 0
	Walls []Wall // of a tall ground
}

// Wall is a wall of a tall ground: a box or a circle from Low to High above 0.
type Wall struct {
	Box       *[4]int64 // left, top, right, bottom on the map
	Circle    *[3]int64 // x, y, radius
	Low, High int64     // its top can be walked on
	Rises     string    // east, south, west or north: a ramp that goes from Low to High there; "" for none
	While     string    // the flag of the match while which it is there; "" for always
}

// Walk is how players move on tall ground, in millimetres and millimetres a second. A speed that varies is 0.
type Walk struct {
	Tall, Eye     int64 // of a player's body, and how high above the feet lines and cones begin
	Step          int64 // how much higher a floor may be that one steps on
	Slope         int64 // the steepest ramp that one walks up, in 1/65,536 of a turn
	Jump, Gravity int64 // the speed upwards of a jump, and by how much falling gets faster each second

	JumpIn, GravityIn string // the player's fields that say these, where their client is told
	Flies             bool   // players steer up and down, and do not fall
}

// Gate is a wall that is there while a flag of the match sheet holds: a box, or a circle.
type Gate struct {
	While  string
	Box    *[4]int64 // left, top, right, bottom
	Circle *[3]int64 // x, y, radius
}

// Sight says how far positions are told to who has a player on the ground: within Near each change, beyond Far none,
// between the two one in Every ticks.
type Sight struct {
	Near, Far int64 // in millimetres
	Every     int64 // in ticks
	Angle     int64 // how wide players see, around where they look, in degrees; 0 for all around
}

// Told is what a notice says.
type Told struct {
	Name   string   // of the notice
	Fields []*Field // in order
}

// bookOf makes what users read of what the service tells.
func bookOf(b *wire.BookInfo) *Book {
	out := &Book{
		Name:    b.Name,
		Title:   b.Title,
		About:   b.About,
		Version: b.Version,
		Teams:   b.Teams,
		Moves:   b.Moves,
		Radius:  b.Radius,
		Speed:   b.Speed,
		SpeedIn: b.SpeedIn,
		Every:   b.Every,
		Host:    b.Host,
		Pause: Pauses{Who: b.Pause.Who, Phases: b.Pause.Phases, Times: b.Pause.Times, Total: millis(b.Pause.Total),
			Longest: millis(b.Pause.Longest), Countdown: millis(b.Pause.Countdown)},
		End: End{Then: b.End.Then, Show: millis(b.End.Show)},
	}
	for _, a := range b.Actions {
		out.Actions = append(out.Actions, Action{
			Name:    a.Name,
			Title:   a.Title,
			Key:     a.Key,
			Aim:     a.Aim,
			Who:     a.Who,
			Hits:    a.Hits,
			Reach:   a.Reach,
			Reaches: a.Reaches,
			Held:    a.Held,
			Cools:   a.Cools,
			Cost:    costsOf(a.Cost),
			Takes:   fieldsOf(a.Takes),
			Phases:  a.Phases,
			Also:    a.Also,
		})
	}
	for _, k := range b.Kits {
		out.Kits = append(out.Kits, Kit(k))
	}
	for _, p := range b.Pieces {
		out.Pieces = append(out.Pieces, Piece(p))
	}
	for _, c := range b.Creatures {
		out.Creatures = append(out.Creatures, Creature(c))
	}
	for _, v := range b.Votes {
		out.Votes = append(out.Votes, Vote(v))
	}
	for _, z := range b.Zones {
		out.Zones = append(out.Zones, Zone(z))
	}
	for _, p := range b.Phases {
		out.Phases = append(out.Phases, Phase(p))
	}
	for _, n := range b.Notices {
		out.Notices = append(out.Notices, Told{n.Name, fieldsOf(n.Fields)})
	}
	if b.Ground != nil {
		out.Ground = groundOf(b.Ground)
	}
	if w := b.Walk; w != nil {
		walk := Walk(*w)
		out.Walk = &walk
	}
	for _, a := range b.Arenas {
		out.Arenas = append(out.Arenas, Arena{Name: a.Name, Title: a.Title, Ground: groundOf(&a.Ground)})
	}
	return out
}

func groundOf(g *wire.GroundInfo) *Ground {
	out := &Ground{Width: g.Width, Height: g.Height, Boxes: g.Boxes, Circles: g.Rounds, Tall: g.Tall, Open: g.Open}
	for _, w := range g.Walls {
		out.Walls = append(out.Walls, Wall{w.Box, w.Circle, w.Low, w.High, w.Rises, w.While})
	}
	for _, x := range g.Gates {
		out.Gates = append(out.Gates, Gate(x))
	}
	if g.Sight != nil {
		sight := Sight(*g.Sight)
		out.Sight = &sight
	}
	return out
}

// fieldsOf makes the fields of arguments and notices.
func fieldsOf(list []replica.DescribedField) []*Field {
	var out []*Field
	for _, d := range list {
		t, _ := sheet.TypeNamed(d.Type)
		f := &Field{No: d.No, Name: d.Name, Title: d.Title, Type: Type(t), Choices: d.Choices, See: d.See, Wall: d.Wall,
			Declared: d.Own}
		if d.Min != nil {
			f.Min, f.Bounded = *d.Min, true
		}
		if d.Max != nil {
			f.Max = *d.Max
		}
		out = append(out, f)
	}
	return out
}

func millis(n int64) time.Duration { return time.Duration(n) * time.Millisecond }

func costsOf(list []wire.CostInfo) (out []Cost) {
	for _, x := range list {
		out = append(out, Cost(x))
	}
	return out
}
