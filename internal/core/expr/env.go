// Package expr turns CEL expressions (parsed and type-checked by the CEL library) into small trees over the integer
// slots of sheets, which the authority evaluates exactly and without allocating.
//
// Two of CEL's types are kept narrower here, so that every machine computes the same: an int is a signed 64-bit
// integer, as in CEL; a double is a number in whole thousandths, and its products and quotients are rounded half away
// from zero to a thousandth.
package expr

import (
	"turnvex.example/turnvex/internal/core/sheet"
)

// Fault says why an evaluation failed.
type Fault uint8

// The faults. They follow CEL: && and || can absorb a fault of one side.
const (
	OK Fault = iota
	DivisionByZero
	Overflow
	TooMuch
)

func (f Fault) String() string {
	return [...]string{"no fault", "division by zero", "overflow of a 64-bit integer",
		"more than a step may look at"}[f]
}

const (
	maxRows  = 4 // nesting of players.exists(…) and its like
	maxAccus = 4

	// MaxNamed is how many walks with names stand inside each other at most.
	MaxNamed = 4
)

// Env is what an expression may look at. The rows that a program does not use (see Prog.Vars) may be nil.
type Env struct {
	Store  *sheet.Store
	Lobby  *sheet.Row
	Match  *sheet.Row
	Me     *sheet.Row
	Target *sheet.Row
	Piece  *sheet.Row
	Being  *sheet.Row // a creature
	Zone   *sheet.Row
	Team   *sheet.Row
	It     *sheet.Row
	Arg    *sheet.Row                        // the values that came with an action, in the slots of their fields
	Aim    *sheet.Row                        // the way of an aim, in the slots of AimFrom, AimTo and AimDir
	Play   sheet.Tick                        // the present play tick
	Wall   sheet.Tick                        // the present wall tick
	Rate   int                               // ticks a second
	Random func(place uint32, n int64) int64 // from 0 up to n; the place is that of the draw among all of a rulebook
	Fault  Fault                             // set by an evaluation that failed; 0 before
	Work   *Work                             // what walks may look at; nil for as much as they like

	// What the named walks of effects go through, by their places in Scope.Named.
	Named [MaxNamed]*sheet.Row

	frames    []*sheet.Row // the arguments of named expressions
	rows      [maxRows]*sheet.Row
	items     [maxRows]int64  // of walks over lists of values
	texts     [maxRows]string // of walks over lists of texts
	accus     [maxAccus]int64
	accuFault [maxAccus]Fault
}

// Work counts the sheets and values that walks go through, and so is the same on every machine. Beyond Most each walk
// ends before it begins, with TooMuch.
type Work struct{ Done, Most int64 }

// Over tells whether more was looked at than may be.
func (w *Work) Over() bool { return w != nil && w.Done > w.Most }

// looks tells whether a walk may go through so many.
func (e *Env) looks(n int) bool {
	if e.Work == nil {
		return true
	}
	if e.Work.Done += int64(n); e.Work.Done > e.Work.Most {
		fault(e, TooMuch)
		return false
	}
	return true
}

// Vars is a set of the named things that an expression may use.
type Vars uint16

// The names. Lobby, match, the lists and the functions are always there.
const (
	Me Vars = 1 << iota
	Target
	Piece
	Team
	It // what an enclosing each walks through
	Args
	Creature
	Aim // the way of an aim
	Zone
	Walked // what a walk with a name goes through
	Random // the function random, which only amounts of effects may call
)

// Reads says which fields an expression's value depends on.
type Reads struct {
	Own   [sheet.Kinds]sheet.Mask // through me, team or piece themselves
	Any   [sheet.Kinds]sheet.Mask // through anything else
	Clock bool                    // it reads a clock, so time alone may change it
	Met   bool                    // it reads what stopped an aim
}

// kindMask is the part of a Reads that concerns one kind.
type kindMask struct {
	kind sheet.Kind
	mask sheet.Mask
}

func compact(masks *[sheet.Kinds]sheet.Mask) (out []kindMask) {
	for k, m := range masks {
		if !m.Empty() {
			out = append(out, kindMask{sheet.Kind(k), m})
		}
	}
	return out
}

func meets(list []kindMask, touched *[sheet.Kinds]sheet.Mask) bool {
	for i := range list {
		if list[i].mask.Meets(&touched[list[i].kind]) {
			return true
		}
	}
	return false
}

// Touched tells whether any of the touched fields is read.
func (p *Prog) Touched(touched *[sheet.Kinds]sheet.Mask) bool {
	return meets(p.any, touched) || meets(p.own, touched)
}

// TouchedAny tells whether any of the touched fields is read through something else than the subject itself.
func (p *Prog) TouchedAny(touched *[sheet.Kinds]sheet.Mask) bool { return meets(p.any, touched) }

// Type is the type of an expression's value.
type Type struct {
	Of   sheet.Type // Integer, Number, Text, Flag, Position or Ref
	Kind sheet.Kind // of a Ref: what it refers to
}

// Prog is a compiled expression. It is immutable and may be shared.
type Prog struct {
	Source string
	Type   Type
	Vars   Vars
	Reads  Reads
	Calls  bool   // it calls a named expression, so Source does not tell all that it reads
	Wrote  string // the argument of it that is a text which a player has written, "" for none
	Const  bool   // it reads nothing: the value is always the same
	Cost   int64  // how many sheets and values its walks go through at most, by Checker.Sizes

	own, any []kindMask // Reads without its empty parts

	num  numFn
	y, z numFn // of a Position: num is x; z is nil where places have two lengths
	text textFn
}

type (
	numFn  func(*Env) int64
	textFn func(*Env) string
	rowFn  func(*Env) *sheet.Row
)

// Int evaluates to an integer, thousandths, a flag's 0 or 1, a choice's index or a sheet number. A fault leaves 0 and
// is kept in e.Fault.
func (p *Prog) Int(e *Env) int64 {
	e.Fault = OK
	n := p.num(e)
	if e.Fault != OK {
		return 0
	}
	return n
}

// Bool evaluates a condition; a fault counts as false.
func (p *Prog) Bool(e *Env) bool { return p.Int(e) != 0 }

// Text evaluates to a text.
func (p *Prog) Text(e *Env) string {
	e.Fault = OK
	return p.text(e)
}

// Value evaluates to a field's value of type t. An Integer given for a Number is turned into thousandths.
func (p *Prog) Value(e *Env, t sheet.Type) sheet.Value {
	v := sheet.Value{Type: t}
	switch p.Type.Of {
	case sheet.Text:
		v.S = p.Text(e)
	case sheet.Position, sheet.Position3:
		v.N[0] = p.Int(e)
		if e.Fault == OK {
			v.N[1] = p.y(e)
		}
		if p.z != nil && e.Fault == OK {
			v.N[2] = p.z(e)
		}
	case sheet.Integer:
		v.N[0] = p.Int(e)
		if t == sheet.Number {
			v.N[0] = mul(e, v.N[0], sheet.Thousand)
		}
	default:
		v.N[0] = p.Int(e)
	}
	return v
}
