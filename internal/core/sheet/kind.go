// Package sheet holds the replicated state of a lobby: typed fields on numbered sheets, kept as small integers so that
// the authority can read and write them without allocating. It knows nothing of rulebooks, networks or time: who may
// write, when, and what follows is decided above it.
package sheet

import "slices"

// Kind says what thing a sheet describes.
type Kind uint8

// The kinds of sheet. A lobby holds one Lobby sheet, at most one Match sheet, one Team sheet a team, one Player and one
// Record sheet a seat, and any number of Piece and Creature sheets, and one Zone sheet a zone.
const (
	Lobby Kind = iota
	Match
	Team
	Player
	Record
	Piece
	Creature
	Zone
	Kinds int = iota
)

var kindNames = [Kinds]string{"lobby", "match", "team", "player", "record", "piece", "creature", "zone"}

func (k Kind) String() string {
	if int(k) < len(kindNames) {
		return kindNames[k]
	}
	return "unknown"
}

// KindNamed returns the kind of that name.
func KindNamed(name string) (Kind, bool) {
	for i, n := range kindNames {
		if n == name {
			return Kind(i), true
		}
	}
	return 0, false
}

// ID numbers a sheet within its lobby. It is never used again within that lobby's life; 0 is no sheet ("nobody").
type ID uint32

// Audience says who may see a field or a notice.
type Audience uint8

// The audiences. Hidden never leaves the authority, not even to a referee. Group is whoever is in a list of players of
// the match, which the field names.
const (
	Everyone Audience = iota
	TeamOnly
	OwnerOnly
	RefereesOnly
	Hidden
	Group
)

var audienceNames = []string{"everyone", "team", "owner", "referees", "hidden", "group"}

func (a Audience) String() string { return audienceNames[a] }

// AudienceNamed returns the audience of that name.
func AudienceNamed(name string) (Audience, bool) {
	for i, n := range audienceNames {
		if n == name {
			return Audience(i), true
		}
	}
	return 0, false
}

// Tick counts steps of a clock: wall ticks always advance, play ticks advance unless play is paused.
type Tick int64

// Sooner returns the earlier of two ticks, of which 0 is never.
func Sooner(a, b Tick) Tick {
	if a == 0 || b > 0 && b < a {
		return b
	}
	return a
}

// AudienceWords are the words of the audiences that a rulebook may name.
func AudienceWords() []string { return slices.Clone(audienceNames[:Hidden]) }
