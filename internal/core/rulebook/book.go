package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Book is a checked and compiled rulebook. It is immutable: any number of lobbies run it at once. Times are in ticks of
// its rate, lengths in millimetres, amounts in the unit of their field.
type Book struct {
	Name    string
	Title   string
	About   string
	Version string // the first 12 hexadecimal digits of the SHA-256 of the source
	Source  []byte
	Rate    int // ticks a second
	Regions []string

	Schema *sheet.Schema
	State  int64 // the bytes that the sheets of a lobby take at most
	F      Fields

	Host       Host
	Players    Players
	Spectators Spectators
	Options    []*sheet.Field // of the lobby sheet
	Fixed      []*sheet.Field // those of them that stay what the lobby was opened with
	Start      Start
	Teams      Teams
	Grounds    []*Ground // one, or one for each arena; none without positions
	Ground     *Ground   // the first of them; nil without one
	Parts      int       // of how many lengths places are: two, or three where grounds are tall
	Arenas     *Arenas   // nil where there is but one ground
	Movement   *Movement // nil without
	Facing     *Facing   // nil where nobody looks anywhere
	Spawn      Spawn
	Kits       []Kit
	Actions    []*Action
	Bearers    []Bearer
	Pieces     []*Piece
	Creatures  []*Creature
	Zones      []*Zone
	Rules      []*Rule
	Whens      []*Rule    // those of the rules that wait for a condition
	Limits     []*Limit   // bounds and starts by expression
	Derived    []*Derived // in an order in which each reads only earlier ones
	Phases     []*Phase
	Turns      *Turns // nil without
	Votes      []*Vote
	Promises   []*Promise  // at most 64
	StandIns   *StandIns   // nil where the service plays nobody
	Referee    *Refereeing // what a referee may do of its own accord; nil for nothing
	Rounds     *Rounds     // nil without
	Win        Win
	Flow       []FlowPhase // how phases lead to each other
	Pause      Pause
	End        End
	Record     []*RecordField
	Boards     []*Board
	Game       string     // the game to which it belongs; "" for none
	SaveEvery  sheet.Tick // how long a change of a record waits at most
	Notices    []*Notice
	Lasting    bool // some action lasts

	Derives []Timed                 // the clocks that derived fields read
	Awaits  []Timed                 // the clocks that conditions read, so that time alone may make one true
	Watched [sheet.Kinds]sheet.Mask // the fields that derived fields and conditions read

	TouchAwaits []Timed                 // the clocks that the conditions of touches read
	TouchReads  [sheet.Kinds]sheet.Mask // and the fields

	ActionNamed map[string]*Action

	Calendar *Calendar // nil where nothing reads the date

	groups []*sheet.Field
	Glides bool // some number moves to a value over a time
	Winds  bool // some action has a wind-up
	Met    bool // some expression reads what stopped an aim
}

// Board returns the board of that name, or nil.
func (b *Book) Board(name string) *Board {
	for _, x := range b.Boards {
		if x.Name == name {
			return x
		}
	}
	return nil
}

// Players says how many play and what happens when they come and go.
type Players struct {
	Least, Most int
	Late        Late
	Hold        sheet.Tick
	Gone        Gone
	Leavers     Leavers
	Returning   Returning
	Below       Below
	Local       int
}

// Back says what somebody finds who comes back to a match. Practice is always entered anew.
func (p *Players) Back(practice bool) Returning {
	if practice {
		return ReturningAnew
	}
	return p.Returning
}

// Spectators says who may watch.
type Spectators struct {
	Most  int
	Delay sheet.Tick
}

// Start says how a match begins.
type Start struct {
	Ready     bool // as soon as everyone is
	Countdown sheet.Tick
}

// Teams declares the teams; List is empty where everyone plays for themselves.
type Teams struct {
	List      []Team
	Newcomers Newcomers
	Tie       Tie
	Locked    Locked
}

// Team is one team.
type Team struct {
	Name, Title string
	Least, Most int
	Creatures   bool // it is for creatures alone: nobody joins it
}

// SpawnPoint is a place to appear at; Team is -1 for all.
type SpawnPoint struct {
	ground.Point
	Team int
	If   *expr.Prog // for whom; nil for all of the team
	Line int        // where it stands in the file
}

// Speed is one in millimetres a second, which may vary.
type Speed struct {
	Fixed  int64
	Varies *expr.Prog // nil where it does not
	Told   string     // the field of the player that it is, if the owner is told of that
	Line   int        // where it stands in the file
}

// Movement says how players move.
type Movement struct {
	Speed Speed
	ground.Gait
	Eye           int64      // how high above the feet one looks from
	Jump, Gravity Speed      // of a jump upwards, and by which falling gets faster in a second
	Claims        bool       // clients may claim a position, which is checked
	Burst         sheet.Tick // of the present speed, the most that may be claimed at once
}

// Facing says how players turn.
type Facing struct {
	Steered bool  // they look where they go
	Fastest int64 // in units of yaw a tick, 0 for at once
}

// Spawn says where and when players appear.
type Spawn struct {
	Pick  Pick
	Again bool
	Delay sheet.Tick
}

// Kit is a named set of actions.
type Kit struct {
	Name    string
	Actions uint64 // by bit, in the order of Book.Actions
	Start   bool
}

// Action is a declared intent.
type Action struct {
	No       int
	Line     int // where it stands in the file
	Name     string
	Title    string
	Key      string
	Phases   uint64 // by bit
	If       *expr.Prog
	Else     string // what is said where If does not hold
	Also     Also
	AnyTurn  bool // taken in others' turns too
	Tells    bool // a refusal tells what who asks may not see
	Needs    []Amount
	Cost     []Amount
	Certain  bool         // costs of the record are taken where it is kept first
	Cooldown *expr.Prog   // in milliseconds; nil for none
	Cool     *sheet.Field // the owner's countdown, nil without a cooldown
	Out      bool
	Aim      Aim
	Takes    []*sheet.Field
	Bounds   []Bound // of what it takes, in the same order
	Free     bool    // it needs nothing, costs nothing and has no cooldown
	Do       []Effect
	Creature []Effect // to each creature hit
	Piece    []Effect // to each piece hit
	Miss     []Effect
	Lasts    *expr.Prog // in milliseconds; nil for none
	Windup   bool       // it lasts before it is done, not after
	Held     bool
	Active   *sheet.Field // the countdown while it lasts, nil when it is over at once
	End      []Effect
	Referee  *Referee
}

// Also is a set of times at which an action is taken beside the usual ones.
type Also uint8

// The times: while play is paused, in phases with frozen inputs, between matches, while a result is shown.
const (
	AlsoPause Also = 1 << iota
	AlsoFrozen
	AlsoLobby
	AlsoResult
)

// Bound is what an argument must keep to, beside the bounds of its field.
type Bound struct {
	Optional  bool  // it may be left out, and is nobody, nothing or 0 then
	Direction bool  // a position that is a direction: thousandths each way, not both 0
	Reach     int64 // of a position: how far from the player, in millimetres; 0 for anywhere on the ground
}

// Amount is an amount of a field of the player, or of the player's record.
type Amount struct {
	Record bool
	At     *expr.Path
	By     *expr.Prog
}

// Hits are what an aim hits, by the names of the kinds; nil for players alone.
func (b *Book) Hits(a *Aim) (list []string) {
	if a.Players {
		list = []string{"players"}
	}
	for _, c := range b.Creatures {
		if a.Creatures&(1<<c.No) != 0 {
			list = append(list, c.Name)
		}
	}
	for _, p := range b.Pieces {
		if a.Pieces&(1<<p.No) != 0 {
			list = append(list, p.Name)
		}
	}
	if a.Creatures|a.Pieces == 0 {
		return nil
	}
	return list
}

// Aim is what an action reaches; lengths in millimetres.
type Aim struct {
	At     AimAt
	Reach  int64      // 0 for anywhere, or around who acts
	Far    *expr.Prog // the reach by expression; nil for Reach
	Thick  int64
	Radius int64
	Who    Who
	Block  bool  // walls stop it
	Pierce bool  // a line goes on through whom it hits
	Cos    int64 // of a cone: the cosine of half its angle, in millionths
	Out    bool  // players who are out can be hit
	Faces  bool  // it goes where one looks

	Players           bool   // it hits players
	Creatures, Pieces uint64 // and these kinds, by bit
}

// Named is a named expression.
type Named struct {
	Name string
	Is   *expr.Prog
}

// Bearer is something one player holds; Field is the match field that says who.
type Bearer struct {
	Name  string
	Field *sheet.Field
	Start Heir // random or none
	Gone  Heir
	Out   Heir
	Away  Heir
	Piece int // what it lies on the ground as, a kind of piece; NoPiece where it never does
}

// NoPiece is the number that stands for no kind of piece, and for no bearer.
const NoPiece = -1

// Piece is a kind of object on the ground.
type Piece struct {
	No    int
	Line  int // where it stands in the file
	Name  string
	Title string
	ground.Body
	Keep   int
	Every  sheet.Tick
	Apart  int64
	At     []ground.Point
	Lasts  sheet.Tick
	If     *expr.Prog
	Touch  []Effect
	Meets  []Effect // what happens when a creature comes upon it
	Shot   *Shot    // nil for what does not fly
	Starts []Begin
	Stops  bool // walls stop it where it is moved
	Bearer int  // who touches it takes that up; NoPiece: nothing
}

// Rule is something that happens by itself.
type Rule struct {
	No     int
	Line   int // where it stands in the file
	On     Event
	When   *expr.Prog // of OnWhen
	Edge   uint64     // of OnWhen: the bit in Row.Edges
	Every  *expr.Prog // of OnEvery, in milliseconds
	For    sheet.Kind // Match, Team, Player, Creature or Zone
	Kinds  uint64     // of Creature: for which, by bit
	If     *expr.Prog
	Phases uint64
	Do     []Effect
}

// Derived is a field that always holds an expression's value.
type Derived struct {
	Kind  sheet.Kind
	Field *sheet.Field
	Is    *expr.Prog
	Line  int    // where it stands in the file
	Kinds uint64 // of Piece, Creature and Zone: the kinds that have it, by bit
}

// Timed is a clock on the sheets of a kind.
type Timed struct {
	Kind  sheet.Kind
	Field *sheet.Field
}

// Phase is a part of a match.
type Phase struct {
	No     int
	Name   string
	Title  string
	Length sheet.Tick // 0 for none, unless Reckon is set
	Reckon *expr.Prog // gives milliseconds when the phase begins
	Line   int        // where its length stands in the file
	Down   bool
	Frozen bool
	Next   Lead
	Ends   []PhaseEnd
	Enter  []Effect
	Leave  []Effect
}

// EndOfMatch is the number that stands for the end of the match.
const EndOfMatch = -1

// PhaseEnd is a condition that ends a phase.
type PhaseEnd struct {
	Line    int // where it stands in the file
	If      *expr.Prog
	Next    Lead
	Because string
}

// Rounds says which phase is a round and how many there are.
type Rounds struct {
	Phase   int
	Most    int // never more rounds than this
	FirstTo int // 0: play all
	Order   []Rank
	Tied    int // a phase, or EndOfMatch
}

// Rank is one step of an order.
type Rank struct {
	Line  int // where it stands in the file
	Of    *expr.Prog
	Least bool
}

// Win says when the match ends early, and who has won.
type Win struct {
	Teams bool       // teams win, not single players
	Line  int        // where it stands in the file
	Who   *expr.Prog // who competes; nil for all
	Order []Rank
	Ends  []MatchEnd
	Last  bool
}

// MatchEnd is a condition that ends the match.
type MatchEnd struct {
	Line    int // where it stands in the file
	If      *expr.Prog
	Because string
	Winner  *expr.Who // nil: the order says
}

// Pause says who may pause; 0 means without limit.
type Pause struct {
	Who       PauseWho
	Phases    uint64
	Times     int
	Total     sheet.Tick
	Longest   sheet.Tick
	Countdown sheet.Tick
}

// End says what comes after the match.
type End struct {
	Show  sheet.Tick
	Then  Then
	Hints []Hint
}

// Hint is carried to clients at the match's end.
type Hint struct {
	For             HintFor
	Tint, Play, Say string
	Strength        int64  // per cent
	Lasts, Hold     int64  // milliseconds
	With            string // free pairs, as a JSON object; "" for none
}

// RecordField is something kept of a player between matches.
type RecordField struct {
	Line  int // where it stands in the file
	Field *sheet.Field
	Game  bool       // it is the game's
	Was   []string   // what it was called before, the newest first
	Of    *expr.Prog // nil: only effects write it
	If    *expr.Prog
	Keep  Keep
	Renew Renew        // day or week: when it starts over
	Since *sheet.Field // of the record: the day or week since which it counts
}

// Stored is the name under which the field is kept: the first that it ever had; of a game's with GamePrefix before it.
func (r *RecordField) Stored() string {
	name := r.Field.Name
	if n := len(r.Was); n > 0 {
		name = r.Was[n-1]
	}
	if r.Game {
		name = GamePrefix + name
	}
	return name
}
