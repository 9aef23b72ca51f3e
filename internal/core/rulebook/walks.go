package rulebook

import (
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Walk says for whom an effect with each is done.
type Walk uint8

// The walks.
const (
	WalkPlayers Walk = iota
	WalkTeams
	WalkPieces
	WalkCreatures
	WalkZones
	WalkRivals
	WalkFriends
	WalkOthers
	WalkMembers

	Walks int = iota
)

// walkDecls are the words of the walks, the kind of sheet that each goes through, and of whom they are what the word
// says.
var walkDecls = [Walks]struct {
	word string
	over sheet.Kind
	of   expr.Vars
}{WalkPlayers: {"players", sheet.Player, 0}, WalkTeams: {"teams", sheet.Team, 0},
	WalkPieces: {"pieces", sheet.Piece, 0}, WalkCreatures: {"creatures", sheet.Creature, 0},
	WalkZones: {"zones", sheet.Zone, 0}, WalkRivals: {"rivals", sheet.Player, expr.Me},
	WalkFriends: {"friends", sheet.Player, expr.Me}, WalkOthers: {"others", sheet.Player, expr.Me},
	WalkMembers: {"members", sheet.Player, expr.Team}}

func (w Walk) String() string { return walkDecls[w].word }

// Over is the kind of sheet that a walk goes through.
func (w Walk) Over() sheet.Kind { return walkDecls[w].over }

// OfTeam tells whether a walk is about the team at hand, not the player.
func (w Walk) OfTeam() bool { return walkDecls[w].of == expr.Team }

func walkWords() (list []string) {
	for _, d := range walkDecls {
		list = append(list, d.word)
	}
	return list
}

func walkNamed(word string) Walk { return Walk(max(slices.Index(walkWords(), word), 0)) }
