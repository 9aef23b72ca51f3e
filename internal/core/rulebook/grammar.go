package rulebook

import (
	"regexp"
	"slices"

	"turnvex.example/turnvex/internal/core/ground"
)

// shape is the form that a value must have.
type shape uint8

const (
	anObject   shape = iota // a map with the keys of an object
	aMap                    // a map from names of the author's choice to elem
	aList                   // a list of elem
	aWord                   // one of words
	aName                   // lower-case letters, digits and _, starting with a letter
	aText                   // free text of at most max characters
	anInt                   // an integer between min and max
	aFlag                   // true or false
	aDuration               // a time such as 90s, 1m30s or 250ms; min and max in milliseconds
	aLength                 // a length such as 12m or 500mm
	aPoint                  // [x, y], two lengths
	anExpr                  // a CEL expression, which may be written as a plain number or flag
	aPath                   // a field of a sheet, such as me.hull
	aScalar                 // any single value; what fits is checked later
	anything                // what fits depends on another key and is checked later
	aParameter              // the type of what a definition is called with: one of words, or a list of names
	aTime                   // a duration, or an expression that gives milliseconds
	aSpan                   // a length, or an expression that gives millimetres
	aSpeed                  // a speed, or an expression that gives millimetres a second
)

// spec says what a value must look like.
type spec struct {
	shape    shape
	object   *object
	elem     *spec
	words    []string
	min, max int64
	listed   bool           // an expression may be written as a list of values too
	pattern  *regexp.Regexp // of the keys of a map that are no plain names
}

// key is one key of an object: all that is known of it stands here.
type key struct {
	name     string
	spec     spec
	required bool
	def      string // the default, as it would be written; "" for none
	doc      string
	example  string  // shown in the reference; "" leaves it to the object's example
	of       *object // the object that has it, where another has it too and it says the same
}

// object is a map with known keys.
type object struct {
	name    string
	doc     string
	example string // a complete rulebook or a part of one that shows it
	keys    []key
	oneOf   []string // exactly one of these keys is required, if any
}

func (o *object) key(name string) *key {
	i := slices.IndexFunc(o.keys, func(k key) bool { return k.name == name })
	if i < 0 {
		return nil
	}
	return &o.keys[i]
}

// like are keys of an object for another that has them too.
func like(o *object, names ...string) []key {
	keys := make([]key, len(names))
	for i, name := range names {
		keys[i] = *o.key(name)
		keys[i].of, keys[i].example = o, ""
	}
	return keys
}

// as is a key that takes other values, and has another default, than the one of the object that it is like.
func (k key) as(s spec, def string) key {
	k.spec, k.def, k.required = s, def, k.required && def == ""
	return k
}

// part tells whether an object has only keys of another one.
func (o *object) part() bool {
	return !slices.ContainsFunc(o.keys, func(k key) bool { return k.of == nil })
}

func (o *object) names() []string {
	names := make([]string, len(o.keys))
	for i, k := range o.keys {
		names[i] = k.name
	}
	return names
}

// Short forms for the grammar's tables.

func obj(o *object) spec            { return spec{shape: anObject, object: o} }
func mapOf(e spec, most int64) spec { return spec{shape: aMap, elem: &e, max: most} }
func amountsOf() spec {
	s := mapOf(anExpression, 16)
	s.pattern = amountForm
	return s
}
func listOf(e spec, most int64) spec { return spec{shape: aList, elem: &e, max: most} }
func word(words ...string) spec      { return spec{shape: aWord, words: words} }
func text(most int64) spec           { return spec{shape: aText, max: most} }
func integer(lo, hi int64) spec      { return spec{shape: anInt, min: lo, max: hi} }
func duration(lo, hi int64) spec     { return spec{shape: aDuration, min: lo, max: hi} }
func speed(hi int64) spec            { return spec{shape: aSpeed, max: hi} }
func length(lo, hi int64) spec       { return spec{shape: aLength, min: lo, max: hi} }

// offering is a name or an expression among which these words have a meaning of their own.
func (s spec) offering(words ...string) spec {
	s.words = words
	return s
}

var (
	flag         = spec{shape: aFlag}
	name         = spec{shape: aName}
	point        = spec{shape: aPoint, max: maxSide}
	anExpression = spec{shape: anExpr}
	aField       = spec{shape: aPath}
	scalar       = spec{shape: aScalar}
	timeish      = spec{shape: aTime, max: maxTime}
	atMostAnHour = spec{shape: aTime, max: hour}
	names        = listOf(name, 64)
	effects      = listOf(obj(effectObject), 64)
)

const (
	second  = 1000
	minute  = 60 * second
	hour    = 60 * minute
	day     = 24 * hour
	maxTime = day
	maxSide = ground.MaxSide
)
