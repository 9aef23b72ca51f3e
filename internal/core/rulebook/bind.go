package rulebook

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/sheet"
)

// Compile checks a rulebook and compiles it. The book is nil when any of the problems is an error; all problems of the
// file are given, in its order.
func Compile(src []byte) (*Book, Problems) { return compile(src, false) }

// compile is Compile; where it is lenient, what is written in other units than what is wanted is taken as it is.
func compile(src []byte, lenient bool) (*Book, Problems) {
	docs, problems := readDocuments(src)
	if len(docs) == 0 || docs[0] == nil || len(problems) > 0 {
		return nil, problems.sorted()
	}
	top := docs[0]
	arenas, games := besides(docs[1:])
	if most := len(arenas) + int(sheet.Bit(top.get("game") != nil)); len(docs) > 1+most {
		return nil, Problems{{Severity: Error, Code: "many-documents", Line: games[len(games)-1].line, Column: 1,
			Message: "one file holds one rulebook; this is another document"}}
	}
	s := &structure{deep: tall(top, arenas)}
	if !s.check(top, &spec{shape: anObject, object: topObject}) ||
		len(top.get("phases").entries) == 0 && len(s.problems) > 0 {
		return nil, s.problems.sorted()
	}
	sum := sha256.Sum256(src)
	b := newBinder(&terms{document: &document{
		top: top, lenient: lenient,
		book: &Book{Source: slices.Clone(src), Version: hex.EncodeToString(sum[:6]), Schema: &sheet.Schema{},
			ActionNamed: map[string]*Action{}},
	}})
	b.book.Schema.Deep, b.book.Parts = s.deep, 2+int(sheet.Bit(s.deep))
	b.takeGame(s, games)
	b.lies.takeArenas(s, arenas)
	(&sealer{b.document}).expandSealed(s)
	expandArenas(b.document)
	expandCounts(b.document)
	expandRenewed(b.document)
	b.all()
	after := &checks{b.document}
	after.regroup()
	if len(b.problems.Errors()) == 0 && len(s.problems) == 0 {
		after.flow()
		b.lies.places()
		unusedDefinitions(b.terms)
	}
	for _, p := range b.problems {
		if !s.pruned[p.word] && !(p.Code == "needs-ground" && s.pruned["ground"]) {
			s.problems = append(s.problems, p)
		}
	}
	if problems = s.problems.sorted(); len(problems.Errors()) > 0 {
		return nil, problems
	}
	b.book.Schema.Seal()
	return b.book, problems
}

// besides tells the documents behind a rulebook apart: arenas, and what else there is.
func besides(docs []*node) (arenas, others []*node) {
	for _, d := range docs {
		if d.get("arena") != nil {
			arenas = append(arenas, d)
		} else {
			others = append(others, d)
		}
	}
	return arenas, others
}

// document is a rulebook that fits the grammar, and what it becomes.
type document struct {
	top      *node
	game     *node // to which the rulebook belongs; nil for none
	book     *Book
	problems Problems
	uses     uses
	lenient  bool // measures are not looked at
}

// declarer adds the built-in fields, before those of the author.
type declarer struct{ *document }

// sealer writes sealed choices as the fields, actions and rules that they stand for.
type sealer struct{ *document }

// checks look for what is legal but surely wrong, when everything is bound.
type checks struct{ *document }

// binder turns a document into a Book. It goes on after an error, so that all are found.
type binder struct {
	*terms
	decl *fielder
	held *limiter
	lies *surveyor
	does *doer
	acts *actor
	runs *director
}

func newBinder(t *terms) *binder {
	f, d := &fielder{terms: t}, &doer{t}
	return &binder{t, f, &limiter{t, f}, &surveyor{t}, d, &actor{t, f, d}, &director{t, f, d}}
}

// fielder declares fields, and what they begin with.
type fielder struct {
	*terms
	bendable bool                   // bounds and starts may be expressions
	begin    map[ownKey]sheet.Value // what the own fields of pieces and creatures begin with
}

// limiter binds bounds and starts that are expressions.
type limiter struct {
	*terms
	decl *fielder
}

// surveyor binds grounds, and what lies on them.
type surveyor struct{ *terms }

// doer binds effects.
type doer struct{ *terms }

// actor binds actions, what they take and aim at, and what is left to referees.
type actor struct {
	*terms
	decl *fielder
	does *doer
}

// director binds how a match goes: rules, phases, turns, votes, rounds and its end.
type director struct {
	*terms
	decl *fielder
	does *doer
}

// terms compile the expressions of a document.
type terms struct {
	*document
	checker *expr.Checker
	defined definitions

	expressions int             // so far; less than 0 when the checker has done what it may do
	said        map[string]bool // what was said of an unknown name, and of which part
}

// keeper binds what is kept: the record and the boards.
type keeper struct{ *terms }

// all binds in an order in which names are declared before they are used.
func (b *binder) all() {
	k := b.book
	k.Name, k.About = b.top.str("name"), b.top.str("about")
	k.Title = b.top.titled(k.Name)
	k.Rate = int(b.top.num("tick"))
	k.SaveEvery = b.ticks(b.top, "save_every")
	for _, r := range b.top.list("regions") {
		k.Regions = append(k.Regions, r.text)
	}
	bindHost(b.document)
	(&declarer{b.document}).declareBuiltIns()
	b.teams()
	b.decl.sheets()
	b.declareKinds()
	b.decl.record()
	var err error
	if b.checker, err = expr.NewChecker(k.Schema); err != nil {
		panic("turnvex: the expression checker: " + err.Error())
	}
	b.checker.Teams, b.checker.Lenient = b.teamNames(), b.lenient
	b.seats()
	s := &b.checker.Sizes // about
	s[sheet.Player], s[sheet.Team], s[sheet.Zone] = int64(k.Players.Most), int64(len(k.Teams.List)),
		int64(len(b.mapKeys("zones")))
	for kind, key := range map[sheet.Kind]string{sheet.Piece: "pieces", sheet.Creature: "creatures"} {
		for _, e := range b.top.fields(key) {
			s[kind] += max(e.value.num("number"), 20)
		}
	}
	bindDefined(b)
	b.lies.ground()
	b.lies.flat()
	b.acts.kitNames()
	b.decl.derived()
	b.held.limits()
	bindDefinedEffects(b)
	b.runs.phases()
	b.runs.turns()
	b.acts.actions()
	b.pieces()
	b.creatures()
	b.zones()
	b.lies.placed()
	b.runs.rules()
	b.runs.votes()
	b.acts.refereeing()
	b.runs.promises()
	b.runs.standIns()
	b.runs.rounds()
	b.runs.win()
	b.runs.endings()
	keep := &keeper{b.terms}
	keep.recordRules()
	keep.boards()
	keep.unposted()
	b.watched()
	bindWatching(b.document)
	bindGroups(b.document)
	weighState(b.terms)
}

// watched finds out which fields derived fields and waiting conditions read, and by which clocks passing time alone may
// change one of them.
func (b *binder) watched() {
	k := b.book
	add := func(clocks *[]Timed, p *expr.Prog) {
		if p == nil {
			return
		}
		for kind := range k.Watched {
			read := p.Reads.Own[kind]
			read.Add(&p.Reads.Any[kind])
			k.Watched[kind].Add(&read)
			for _, f := range k.Schema.Fields(sheet.Kind(kind)) {
				if c := (Timed{sheet.Kind(kind), f}); f.Type == sheet.Clock && read.Has(f.No) &&
					!slices.Contains(*clocks, c) {
					*clocks = append(*clocks, c)
				}
			}
		}
	}
	touches := func(p *expr.Prog) {
		add(&k.TouchAwaits, p)
		if p != nil {
			for kind := range k.TouchReads {
				k.TouchReads[kind].Add(&p.Reads.Own[kind])
				k.TouchReads[kind].Add(&p.Reads.Any[kind])
			}
		}
	}
	for _, p := range k.Pieces {
		touches(p.If)
	}
	for _, z := range k.Zones {
		touches(z.If)
	}
	for _, d := range k.Derived {
		add(&k.Derives, d.Is)
	}
	for _, l := range k.Limits {
		for _, p := range []*expr.Prog{l.Min, l.Max} {
			if p != nil {
				k.Watched[l.Kind].Set(l.Field.No)
				add(&k.Derives, p)
			}
		}
	}
	for _, r := range k.Rules {
		add(&k.Awaits, r.When)
	}
	for _, p := range k.Phases {
		for _, e := range p.Ends {
			add(&k.Awaits, e.If)
		}
	}
	for _, e := range k.Win.Ends {
		add(&k.Awaits, e.If)
	}
}

func (b *document) warn(n *node, code, format string, args ...any) {
	b.problems = append(b.problems, Problem{Severity: Warning, Code: code, Line: n.line, Column: n.col, At: n.path,
		Message: fmt.Sprintf(format, args...)})
}

func (b *document) fail(n *node, code, wanted, format string, args ...any) *Problem {
	b.problems = append(b.problems, Problem{Severity: Error, Code: code, Line: n.line, Column: n.col, At: n.path,
		Message: fmt.Sprintf(format, args...), Wanted: wanted})
	return &b.problems[len(b.problems)-1]
}

func (b *document) ticks(n *node, key string) sheet.Tick {
	return sheet.Tick(sheet.Ticks(n.millis(key), b.book.Rate))
}

func pointOf(n *node) (p ground.Point) {
	for i, part := range []*int64{&p.X, &p.Y, &p.Z}[:len(n.items)] {
		*part, _ = parseLength(n.items[i].text)
	}
	return p
}

func (b *document) mapKeys(key string) []string {
	var names []string
	for _, e := range b.top.fields(key) {
		names = append(names, e.key)
	}
	return names
}

func (b *document) phaseNames() []string {
	if names := b.mapKeys("phases"); len(names) > 0 {
		return names
	}
	return []string{"none"}
}

// indexOf finds a declared name and reports where it is not there.
func (b *document) indexOf(n *node, what string, known []string) int {
	i := slices.Index(known, n.text)
	if i < 0 {
		wanted := "one that is declared"
		if len(known) == 0 {
			wanted = "one declared under the key that holds them; there is none"
		}
		p := b.fail(n, "unknown-name", wanted, "there is no %s %q", what, n.text)
		p.Nearest, p.word = Nearest(n.text, known), n.text
	}
	return i
}

// section returns the map under a top key; where it is not written, an object that holds nothing but the defaults.
func (b *document) section(key string) *node {
	if v := b.top.get(key); v != nil {
		return v
	}
	n := &node{kind: mapNode, line: b.top.line, col: b.top.col, path: key}
	o := topObject.key(key).spec.object
	for i := range o.keys {
		if o.keys[i].def != "" {
			n.entries = append(n.entries, entry{o.keys[i].name, n.line, n.col, implied(n, &o.keys[i])})
		}
	}
	return n
}

// phaseMask turns a list of phase names into bits; not given, it is otherwise.
func (b *document) phaseMask(n *node, key string, otherwise uint64) uint64 {
	if n.get(key) == nil {
		return otherwise
	}
	var mask uint64
	for _, item := range n.list(key) {
		if i := b.indexOf(item, "phase", b.phaseNames()); i >= 0 {
			mask |= 1 << i
		}
	}
	return mask
}

const everyPhase = ^uint64(0)

func (b *document) openPhases() uint64 {
	var mask uint64
	for i, e := range b.top.fields("phases") {
		if !inputsFrozen.is(e.value, "inputs") {
			mask |= 1 << i
		}
	}
	return mask
}
