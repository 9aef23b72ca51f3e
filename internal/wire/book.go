package wire

import (
	"turnvex.example/turnvex/internal/core/replica"
)

// BookInfo is what clients are told of the rulebook.
type BookInfo struct {
	Name      string              `json:"name"`
	Title     string              `json:"title"`
	About     string              `json:"about,omitempty"`
	Version   string              `json:"version"`
	Teams     []string            `json:"teams,omitempty"`
	Actions   []ActionInfo        `json:"actions,omitempty"`
	Kits      []KitInfo           `json:"kits,omitempty" jsonschema:"bit n of a player's field kits is the kit at index n"`
	Pieces    []PieceInfo         `json:"pieces,omitempty"`
	Creatures []CreatureInfo      `json:"creatures,omitempty"`
	Zones     []ZoneInfo          `json:"zones,omitempty"`
	Votes     []VoteInfo          `json:"votes,omitempty"`
	Phases    []PhaseInfo         `json:"phases"`
	Ground    *GroundInfo         `json:"ground,omitempty" jsonschema:"the ground, or that of the first arena"`
	Arenas    []ArenaInfo         `json:"arenas,omitempty" jsonschema:"the grounds; the match's field arena is the current one"`
	Moves     bool                `json:"moves,omitempty" jsonschema:"players steer"`
	Radius    int64               `json:"radius,omitempty" jsonschema:"of a player's body, in millimetres"`
	Speed     int64               `json:"speed,omitempty" jsonschema:"the greatest speed of players, in millimetres a second; absent if it varies"`
	SpeedIn   string              `json:"speed_in,omitempty" jsonschema:"the player's field that says it, where it is one that its owner is told"`
	Every     int64               `json:"every,omitempty" jsonschema:"the positions of players are told at most once in this many ticks"`
	Walk      *WalkInfo           `json:"walk,omitempty" jsonschema:"how players move on tall ground"`
	Notices   []NoticeInfo        `json:"notices,omitempty"`
	Host      map[string][]string `json:"host" jsonschema:"the powers that the rulebook gives the host, each with the words private, public and match that say where"`
	Pause     PauseInfo           `json:"pause"`
	End       EndInfo             `json:"end"`
}

// PauseInfo is what clients are told of the rules for pauses. Times are in milliseconds; what is 0 has no limit.
type PauseInfo struct {
	Who       string   `json:"who" jsonschema:"anyone, teams or nobody (but the host, with the power pause)"`
	Phases    []string `json:"phases,omitempty" jsonschema:"the phases; default: all"`
	Times     int      `json:"times,omitempty" jsonschema:"pauses per match, for each budget"`
	Total     int64    `json:"total,omitempty" jsonschema:"total length, for each budget"`
	Longest   int64    `json:"longest,omitempty" jsonschema:"the longest a single pause may last"`
	Countdown int64    `json:"countdown,omitempty" jsonschema:"the countdown before play resumes"`
}

// EndInfo is what clients are told of what comes after a match.
type EndInfo struct {
	Then string `json:"then" jsonschema:"lobby, again, vote or close"`
	Show int64  `json:"show" jsonschema:"how long the result is shown, in milliseconds"`
}

// ActionInfo is what clients are told of an action.
type ActionInfo struct {
	Name    string                   `json:"name"`
	Title   string                   `json:"title"`
	Key     string                   `json:"key,omitempty" jsonschema:"a suggested key"`
	Aim     string                   `json:"aim" jsonschema:"self, target, line, cone or area"`
	Who     string                   `json:"who,omitempty" jsonschema:"rivals, friends, others or anyone"`
	Hits    []string                 `json:"hits,omitempty" jsonschema:"players, or kinds of creature and piece; default: players"`
	Reach   int64                    `json:"reach,omitempty" jsonschema:"millimetres; absent if it varies, or for anywhere"`
	Reaches string                   `json:"reach_says,omitempty" jsonschema:"the expression, if it varies"`
	Held    bool                     `json:"held,omitempty" jsonschema:"it can be ended with stop"`
	Cools   bool                     `json:"cools,omitempty" jsonschema:"the player's clock cool_NAME shows the cooldown"`
	Takes   []replica.DescribedField `json:"takes,omitempty" jsonschema:"its arguments"`
	Cost    []CostInfo               `json:"cost,omitempty" jsonschema:"what it costs the player"`
	Phases  []string                 `json:"phases" jsonschema:"when it may be used"`
	Also    []string                 `json:"also,omitempty" jsonschema:"when else it may be used: pause, frozen, lobby, result"`
}

// CostInfo is what an action takes from the player.
type CostInfo struct {
	Field  string `json:"field" jsonschema:"of the player, or of their record"`
	Record bool   `json:"record,omitempty" jsonschema:"it is a field of the record"`
	By     int64  `json:"by,omitempty" jsonschema:"how much, in the unit of parts; absent if it varies"`
	Says   string `json:"says,omitempty" jsonschema:"the expression, if it varies"`
}

// KitInfo is what clients are told of a kit.
type KitInfo struct {
	Name    string   `json:"name"`
	Actions []string `json:"actions"`
}

// PieceInfo is what clients are told of a kind of piece.
type PieceInfo struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Radius int64  `json:"radius" jsonschema:"millimetres"`
	Tall   int64  `json:"tall,omitempty" jsonschema:"millimetres, on tall ground"`
	Flies  bool   `json:"flies,omitempty" jsonschema:"a projectile; its field way is the distance it flies per second"`
}

// CreatureInfo is what clients are told of a kind of creature.
type CreatureInfo struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Radius int64  `json:"radius" jsonschema:"of its body, in millimetres"`
	Tall   int64  `json:"tall,omitempty" jsonschema:"of its body, in millimetres, on tall ground"`
	Every  int64  `json:"every,omitempty" jsonschema:"the shortest time between two updates of its position, in ticks"`
}

// ZoneInfo is what clients are told of a zone. Its sheet says where its middle is, and its size: half the sides of a
// box, the radius and 0 of a circle.
type ZoneInfo struct {
	Name  string `json:"name" jsonschema:"also the name of the match field that refers to its sheet"`
	Title string `json:"title"`
	Held  bool   `json:"held,omitempty" jsonschema:"it can be captured"`
}

// VoteInfo is what clients are told of a vote.
type VoteInfo struct {
	Name   string   `json:"name" jsonschema:"as in the intent vote and the lobby's field vote"`
	Title  string   `json:"title"`
	On     string   `json:"on" jsonschema:"question, players, words or arenas"`
	Words  []string `json:"words,omitempty"`
	Team   bool     `json:"team,omitempty" jsonschema:"only the team of the player who opens it votes"`
	During []string `json:"during" jsonschema:"when it may be opened: lobby, match, result"`
}

// PhaseInfo is what clients are told of a phase.
type PhaseInfo struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Frozen bool   `json:"frozen,omitempty" jsonschema:"actions and steering are not accepted"`
}

// ArenaInfo is what clients are told of an arena: one of several grounds.
type ArenaInfo struct {
	Name   string     `json:"name" jsonschema:"as in the field arena of the match and the lobby"`
	Title  string     `json:"title"`
	Ground GroundInfo `json:"ground"`
}

// GroundInfo is what clients are told of the ground, in millimetres.
type GroundInfo struct {
	Width  int64      `json:"width"`
	Height int64      `json:"height"`
	Boxes  [][4]int64 `json:"boxes,omitempty" jsonschema:"walls: left, top, right, bottom"`
	Rounds [][3]int64 `json:"circles,omitempty" jsonschema:"walls: x, y, radius"`
	Gates  []GateInfo `json:"gates,omitempty" jsonschema:"walls that are there only while a flag of the match holds"`
	Sight  *SightInfo `json:"sight,omitempty" jsonschema:"how far positions are seen; default: everywhere"`
	Tall   int64      `json:"tall,omitempty" jsonschema:"how high the ground goes; positions then have three lengths, and walls stands in place of boxes, circles and gates"`
	Open   bool       `json:"open,omitempty" jsonschema:"of a tall ground: there is no floor at 0"`
	Walls  []WallInfo `json:"walls,omitempty" jsonschema:"of a tall ground"`
}

// WallInfo is a wall of a tall ground: a box or a circle that goes from its bottom to its top.
type WallInfo struct {
	Box    *[4]int64 `json:"box,omitempty" jsonschema:"left, top, right, bottom on the map"`
	Circle *[3]int64 `json:"circle,omitempty" jsonschema:"x, y, radius"`
	Low    int64     `json:"low" jsonschema:"how far above 0 it begins"`
	High   int64     `json:"high" jsonschema:"how far above 0 it ends; its top can be walked on"`
	Rises  string    `json:"rises,omitempty" jsonschema:"east, south, west or north: a ramp, whose top goes from low at the opposite edge to high at this one"`
	While  string    `json:"while,omitempty" jsonschema:"a flag of the match sheet: the wall is there while it is true"`
}

// WalkInfo is how players move on tall ground, for clients that show it before the service does. Lengths are in
// millimetres, speeds in millimetres a second; a speed that varies is left out.
type WalkInfo struct {
	Tall    int64 `json:"tall" jsonschema:"of a player's body"`
	Eye     int64 `json:"eye" jsonschema:"how high above the feet lines and cones begin"`
	Step    int64 `json:"step" jsonschema:"how much higher a floor may be that one steps on"`
	Slope   int64 `json:"slope" jsonschema:"the steepest ramp that one walks up, in 1/65536 of a turn"`
	Jump    int64 `json:"jump,omitempty" jsonschema:"the speed upwards with which a jump begins"`
	Gravity int64 `json:"gravity,omitempty" jsonschema:"by how much falling gets faster each second"`

	JumpIn    string `json:"jump_in,omitempty" jsonschema:"the player's field that says the first, where it is one that its owner is told"`
	GravityIn string `json:"gravity_in,omitempty" jsonschema:"and the second"`

	Flies bool `json:"flies,omitempty" jsonschema:"players steer up and down, and do not fall"`
}

// GateInfo is a wall that is not always there.
type GateInfo struct {
	While  string    `json:"while" jsonschema:"the flag of the match sheet: the wall is there while it is true"`
	Box    *[4]int64 `json:"box,omitempty" jsonschema:"left, top, right, bottom"`
	Circle *[3]int64 `json:"circle,omitempty" jsonschema:"x, y, radius"`
}

// SightInfo says how far positions are told to who has a player on the ground.
type SightInfo struct {
	Near  int64 `json:"near" jsonschema:"within this distance in millimetres, every change is sent"`
	Far   int64 `json:"far" jsonschema:"beyond this distance in millimetres, nothing is sent"`
	Every int64 `json:"every" jsonschema:"between the two, the shortest time between two updates, in ticks"`
	Angle int64 `json:"angle,omitempty" jsonschema:"how wide players see, around where they look, in degrees; default: all around"`
}

// NoticeInfo is what clients are told of a notice: its fields and their types.
type NoticeInfo struct {
	Name   string                   `json:"name"`
	Fields []replica.DescribedField `json:"fields,omitempty"`
}
