package rulebook

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Referee leaves an action's outcome to a trusted program.
type Referee struct {
	Within  sheet.Tick
	Accept  bool // what no answer means
	Tell    []Named
	Answers []*sheet.Field // what comes with its word
	Bounds  []Bound        // of these
	Refused []Effect       // what follows when it says no
}

// Refereeing is what a referee may do of its own accord.
type Refereeing struct {
	Sets []Settable
	Acts []*Action // of which title, phases, takes, condition and effects are used
}

// Settable is a field that a referee may set.
type Settable struct {
	Kind  sheet.Kind
	Field *sheet.Field
}

// Act returns the referee's act of that name, or nil.
func (r *Refereeing) Act(name string) *Action {
	for _, a := range r.Acts {
		if a.Name == name {
			return a
		}
	}
	return nil
}

var refereeObject = &object{
	name: "referee",
	doc: "A decision left to a trusted program. Cost and cooldown apply when the player asks for the action; if " +
		"the answer is no, the cost is refunded.",
	example: `actions:
  answer:
    takes: {choice: {type: integer, min: 1, max: 4}}
    referee:
      within: 2s
      otherwise: refuse
      tell: {choice: arg.choice}
      answers: {worth: {type: integer, min: 0, max: 10}}
      refused: [{notice: wrong, to: me}]
    do: [{add: me.points, by: arg.worth}]`,
	keys: []key{
		{name: "within", spec: duration(50, minute), def: "2s", doc: "How long to wait for the answer."},
		{name: "otherwise", spec: saysAccept.spec(), def: saysAccept.not, doc: "What applies if no answer comes " +
			"in time."},
		{name: "tell", spec: mapOf(anExpression, 16), doc: "What the referee is sent, by name."},
		{
			name: "answers",
			spec: mapOf(obj(argObject), 8),
			doc: "Values that come with its answer, read as `arg.NAME` alongside those that the player sent. " +
				"Without an answer in time they are 0, false, empty, the first word or nobody.",
		},
		{name: "refused", spec: effects, doc: "What happens if the answer is no."},
	},
}

var refereeingObject = &object{
	name: "refereeing",
	doc: "What a referee may do on its own initiative: a quiz master asks questions, a judge gives points. It " +
		"signs in to one lobby, or once to all lobbies of the rulebook.",
	example: `referee:
  sets: [match.question, player.points, lobby.played]
  acts:
    put:
      title: Put a question
      phases: [play]
      if: match.question == ''
      refusal: The last question is still open
      takes: {question: {type: text, max: 120}, right: {type: integer, min: 1, max: 4}}
      do: [{set: match.question, to: arg.question}, {notice: question, with: {right: arg.right}}]
sheets:
  match: {question: {type: text, max: 120}}
  lobby: {played: {type: integer, reset: never}}`,
	keys: []key{
		{
			name: "sets",
			spec: listOf(text(80), 64),
			doc: "The fields it may set, as kind of sheet and name: of the `lobby`, the `match`, a `team` or a " +
				"`player`.",
		},
		{name: "acts", spec: mapOf(obj(refereeActObject), 32), doc: "The acts it may perform, by name."},
	},
}

var refereeActObject = &object{
	name: "referee's act", doc: "Something that a referee may do, in any phase unless `phases` says otherwise. Its " +
		"effects have no `me`; a player may be one of the values it takes.",
	keys: like(actionObject, "title", "phases", "if", "refusal", "takes", "do"),
}

// referee binds the decision that an action leaves to one. What it answers joins what the player sends; hit is the
// scope of what the action does.
func (b *actor) referee(n *node, a *Action, args *sheet.Schema, hit *expr.Scope) {
	r := n.get("referee")
	if r == nil {
		return
	}
	a.Referee = &Referee{Within: b.ticks(r, "within"), Accept: saysAccept.is(r, "otherwise")}
	if answers := r.get("answers"); answers != nil {
		a.Referee.Answers, a.Referee.Bounds = b.takes(answers, args, true)
		hit.Args = append(slices.Clone(hit.Args), a.Referee.Answers...)
		hit.Vars |= expr.Args
	}
}

// refereeing binds what a referee may do of its own accord.
func (b *actor) refereeing() {
	n := b.top.get("referee")
	if n == nil {
		return
	}
	r := &Refereeing{}
	for _, s := range n.list("sets") {
		if x, ok := b.settable(s); ok {
			r.Sets = append(r.Sets, x)
			b.uses.wrote(x.Kind, x.Field)
		}
	}
	for i, e := range n.fields("acts") {
		v := e.value
		a := &Action{No: i, Line: e.line, Name: e.key, Title: v.titled(e.key),
			Phases: b.phaseMask(v, "phases", everyPhase), Else: v.str("refusal")}
		scope := scopeMatch
		if takes := v.get("takes"); takes != nil {
			a.Takes, a.Bounds = b.takes(takes, &sheet.Schema{Deep: b.book.Schema.Deep}, true)
			scope.Args, scope.Vars = a.Takes, scope.Vars|expr.Args
		}
		a.If = b.condition(v, "if", scope)
		a.Do = b.does.effects(v, "do", with(scope, expr.Random))
		r.Acts = append(r.Acts, a)
	}
	b.book.Referee = r
}

// settable reads a field that a referee may set.
func (b *actor) settable(n *node) (s Settable, ok bool) {
	kind, name, _ := strings.Cut(n.text, ".")
	kinds := []sheet.Kind{sheet.Lobby, sheet.Match, sheet.Team, sheet.Player}
	i := slices.IndexFunc(kinds, func(k sheet.Kind) bool { return k.String() == kind })
	if i < 0 {
		b.fail(n, "unknown-name", "lobby, match, team or player, a dot and a field", "%s", n.shown())
		return s, false
	}
	f := b.book.Schema.Field(kinds[i], name)
	switch {
	case f == nil:
		var known []string
		for _, f := range b.book.Schema.Fields(kinds[i]) {
			if !f.BuiltIn {
				known = append(known, f.Name)
			}
		}
		p := b.fail(n, "unknown-name", "", "the %s sheet has no field %q", kind, name)
		p.Nearest = Nearest(name, known)
		return s, false
	case f.BuiltIn:
		b.fail(n, "built-in", "a declared field", "%s is kept by the service", n.text)
		return s, false
	case f.Derived:
		b.fail(n, "derived", "", "%s is derived; only its own expression writes it", n.text)
		return s, false
	case f.Type == sheet.List:
		b.fail(n, "wrong-type", "an act that puts and takes", "a list is not set as a whole")
		return s, false
	}
	return Settable{kinds[i], f}, true
}
