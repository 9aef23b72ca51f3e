package rulebook

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Verb is what an effect does.
type Verb uint8

// The verbs.
const (
	Add Verb = iota
	Set
	ResetField
	ClockStart
	ClockStop
	ClockReset
	ClockRestart
	ClockSplit
	Out
	SpawnNow
	Give
	Tell
	Place
	Remove
	Grant
	Withdraw
	Each
	If
	Go
	Finish
)

// Effect is one thing that happens. Which parts are set follows from Verb.
type Effect struct {
	Verb   Verb
	Path   *expr.Path // Add, Set, ResetField and the clock verbs
	Into   *expr.Path // ClockSplit
	Value  *expr.Prog // Add, Set: the amount; Out, SpawnNow, Give, Remove, Grant, Withdraw, Place: what or where
	Cond   *expr.Prog // Each, If
	Walk   string     // Each: players, teams, pieces, rivals, friends, others or members
	Over   sheet.Kind // Each: what it is
	Then   []Effect   // Each, If
	Else   []Effect   // If
	No     int        // Give: bearer; Place: piece; Grant, Withdraw: kit; Go: phase
	Notice *Notice    // Tell
	To     sheet.Audience
	Of     *expr.Prog   // Tell: whose team or who
	With   []*expr.Prog // Tell: in the notice's order
	Reason string       // Finish
	Winner *expr.Prog   // Finish: nil leaves it to the order
}
