package sheet

import (
	"slices"
	"strings"
)

// Type is the type of a field.
type Type uint8

// The types of field. How each is kept and sent:
//
//	Integer  a whole number                        one slot, sent as an integer
//	Number   thousandths of one                    one slot, sent as thousandths
//	Text     Unicode text                          one text slot, sent as text
//	Flag     true or false                         one slot, sent as a boolean
//	Choice   one of the field's words              one slot, sent as the word's index
//	Position millimetres from the ground's corner  two slots, sent as [x, y]
//	Position3 the same and how high above 0        three slots, sent as [x, y, z]
//	Ref      a player, team or creature                one slot, sent as a sheet number, 0 for nobody
//	Clock    a running or standing time            three slots, sent as [ticks, rate, at tick]
//	List     several of one of the others          one text slot, sent as a list
const (
	Integer Type = iota
	Number
	Text
	Flag
	Choice
	Position
	Ref
	Clock
	List
	Position3

	// Unreadable is the type of a value that was sent and could not be read: S says why. No field is of it, so the
	// authority refuses it, with that reason.
	Unreadable Type = 255
)

var typeNames = []string{"integer", "number", "text", "flag", "choice", "position", "ref", "clock", "list",
	"position3"}

func (t Type) String() string {
	if int(t) >= len(typeNames) {
		return "unreadable"
	}
	return typeNames[t]
}

// TypeNamed returns the type of that name.
func TypeNamed(name string) (Type, bool) {
	for i, n := range typeNames {
		if n == name {
			return Type(i), true
		}
	}
	return 0, false
}

// IsPosition tells whether values of the type are places, of two or three lengths.
func (t Type) IsPosition() bool { return t == Position || t == Position3 }

// InText tells whether values of the type stand in a text slot.
func (t Type) InText() bool { return t == Text || t == List }

// Width is the number of integer slots that a field of the type takes.
func (t Type) Width() int {
	switch t {
	case Text, List:
		return 0
	case Position:
		return 2
	case Clock, Position3:
		return 3
	default:
		return 1
	}
}

// Thousand is one, in the unit that Number fields are kept in.
const Thousand = 1000

// Reset says when a field goes back to its start value by itself.
type Reset uint8

// The reset points, from never to most often. A field that resets at a round also resets at a match; one that resets at
// a respawn resets at all three.
const (
	ResetNever Reset = iota
	ResetMatch
	ResetRound
	ResetRespawn
)

var resetNames = []string{"never", "match", "round", "respawn"}

func (r Reset) String() string { return resetNames[r] }

// ResetNamed returns the reset point of that name.
func ResetNamed(name string) (Reset, bool) {
	for i, n := range resetNames {
		if n == name {
			return Reset(i), true
		}
	}
	return 0, false
}

// Field is the declaration of one value on the sheets of a kind. It drives
// checking, clamping, resetting, visibility, encoding and saving.
//
// Invariants:
//  1. Name is unique within its kind and No is its index there.
//  2. Min <= Start <= Max when Bounded, in the kept unit.
//  3. A Choice has at least one word and Start indexes it.
//  4. Derived fields are written by the authority alone, from their rule.
type Field struct {
	Name    string   `json:"name"`
	Title   string   `json:"title,omitempty"`
	No      int      `json:"-"`
	Type    Type     `json:"-"`
	Choices []string `json:"choices,omitempty"`
	Of      Kind     `json:"-"` // of a Ref: Player, Team, Creature or Zone
	See     Audience `json:"-"`
	Measure Measure  `json:"-"` // of an Integer: what it measures
	Group   string   `json:"-"` // of a field that a Group sees: the list of players on the match sheet
	Reset   Reset    `json:"-"`
	Bounded bool     `json:"-"`
	Min     int64    `json:"-"` // of a Text: unused
	Max     int64    `json:"-"` // of a Text: the most characters
	Start   Value    `json:"-"`
	Wall    bool     `json:"-"` // of a Clock: runs on wall ticks
	Down    bool     `json:"-"` // of a Clock: counts down
	Derived bool     `json:"-"`
	Item    Type     `json:"-"` // of a List: Integer, Text, Choice or Ref
	Most    int      `json:"-"` // of a List: the most items
	Size    *Field   `json:"-"` // of a List: the field that tells how many there are, nil without
	Rate    Tick     `json:"-"` // the least number of wall ticks between two sends; 0 sends each change
	Person  bool     `json:"-"` // a text that tells who a player is: an account, a name
	BuiltIn bool     `json:"-"`
	Limit   int      `json:"-"` // 1 and the place of its bounds or start by expression in the rulebook; 0 for none
	Show    Show     `json:"-"` // how the console and other tools draw it
	MaxBy   string   `json:"-"` // the field of the sheet that is its greatest value; "" for none

	// Where each value of another field of the sheet has a rate of its own.
	RateBy *Field `json:"-"` // a choice; nil for one Rate for all
	Rates  []Tick `json:"-"` // by its value

	Beat bool `json:"-"` // it is sent in the same ticks for all sheets: those that Rate divides

	slot int // index of the first slot in N, or in S for a Text
}

// Every is the least number of wall ticks between two sends of a sheet's field; 0 sends each change.
func (f *Field) Every(r *Row) Tick {
	if f.RateBy != nil {
		return f.Rates[r.N[f.RateBy.slot]]
	}
	return f.Rate
}

// Due is the first wall tick in which a sheet's field may be sent that was sent last in another one.
func (f *Field) Due(r *Row, sent Tick) Tick {
	every := f.Every(r)
	if f.Beat && every > 0 {
		return (sent/every + 1) * every
	}
	return sent + every
}

// SeenBy says who sees the field, as rulebooks do.
func (f *Field) SeenBy() string {
	if f.See == Group {
		return GroupPrefix + f.Group
	}
	return f.See.String()
}

// GroupPrefix stands before the name of the list of a group.
const GroupPrefix = "match."

// SeeBy makes the field one for those whom rulebooks name so. It tells whether there is such an audience.
func (f *Field) SeeBy(who string) (ok bool) {
	if list, is := strings.CutPrefix(who, GroupPrefix); is {
		f.See, f.Group = Group, list
		return true
	}
	f.See, ok = AudienceNamed(who)
	return ok && f.See < Hidden
}

// Slot is where the field's first slot stands in a row.
func (f *Field) Slot() int { return f.slot }

// Clamp returns v held within the field's bounds.
func (f *Field) Clamp(v int64) int64 {
	if f.Bounded {
		if v < f.Min {
			return f.Min
		}
		if v > f.Max {
			return f.Max
		}
	}
	return v
}

// Fits tells whether a value of the field's type is one that it may hold, bounds aside.
func (f *Field) Fits(v Value) bool {
	return f.Type != Choice || v.N[0] >= 0 && v.N[0] < int64(len(f.Choices))
}

// ResetWords are the words of the reset points, from never to most often.
func ResetWords() []string { return slices.Clone(resetNames) }
