package expr_test

import (
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

var update = flag.Bool("update", false, "write what the expressions give into their file")

// harbour is a stage whose values stand in testdata/expressions.txt too: two teams of two and one player without a
// team, two pieces, a record each, a running and a standing clock.
func harbour(t *testing.T) (*sheet.Schema, *expr.Env, *expr.Checker) {
	t.Helper()
	s := &sheet.Schema{}
	field := func(k sheet.Kind, f sheet.Field) *sheet.Field {
		added, err := s.Add(k, f)
		if err != nil {
			t.Fatal(err)
		}
		return added
	}
	moods := []string{"calm", "cross", "merry"}
	ref := func(of sheet.Kind) sheet.Field { return sheet.Field{Type: sheet.Ref, Of: of} }
	named := func(name string, f sheet.Field) sheet.Field { f.Name = name; return f }
	field(sheet.Lobby, named("goal", sheet.Field{Type: sheet.Integer}))
	n := field(sheet.Match, named("n", sheet.Field{Type: sheet.Integer}))
	bell := field(sheet.Match, named("bell", ref(sheet.Player)))
	clock := field(sheet.Match, named("clock", sheet.Field{Type: sheet.Clock, Down: true}))
	never := field(sheet.Match, named("never", sheet.Field{Type: sheet.Clock, Down: true}))
	past := field(sheet.Match, named("past", sheet.Field{Type: sheet.Clock, Down: true}))
	stood := field(sheet.Match, named("stood", sheet.Field{Type: sheet.Clock, Wall: true}))
	field(sheet.Match, named("mood", sheet.Field{Type: sheet.Choice, Choices: moods}))
	tn := field(sheet.Team, named("n", sheet.Field{Type: sheet.Integer}))
	title := field(sheet.Team, named("title", sheet.Field{Type: sheet.Text, Max: 9}))
	team := field(sheet.Player, named("team", ref(sheet.Team)))
	rec := field(sheet.Player, named("record_sheet", ref(sheet.Record)))
	a := field(sheet.Player, named("a", sheet.Field{Type: sheet.Integer}))
	x := field(sheet.Player, named("x", sheet.Field{Type: sheet.Number}))
	on := field(sheet.Player, named("on", sheet.Field{Type: sheet.Flag}))
	mood := field(sheet.Player, named("mood", sheet.Field{Type: sheet.Choice, Choices: moods}))
	name := field(sheet.Player, named("name", sheet.Field{Type: sheet.Text, Max: 9}))
	pos := field(sheet.Player, named("pos", sheet.Field{Type: sheet.Position}))
	other := field(sheet.Player, named("other", sheet.Field{Type: sheet.Choice, Choices: []string{"no", "yes"}}))
	s.AddCounts(sheet.Player, "goods", []string{"merry", "calm", "cross", "idle"})
	goods := field(sheet.Player, named("goods_merry", sheet.Field{Type: sheet.Integer}))
	for _, word := range []string{"calm", "cross", "idle"} {
		field(sheet.Player, named("goods_"+word, sheet.Field{Type: sheet.Integer}))
	}
	list := func(of sheet.Type) sheet.Field { return sheet.Field{Type: sheet.List, Item: of, Most: 9} }
	hand := field(sheet.Player, named("hand", list(sheet.Integer)))
	of := list(sheet.Choice)
	of.Choices = moods
	marks := field(sheet.Player, named("marks", of))
	notes := field(sheet.Player, named("notes", list(sheet.Text)))
	of = list(sheet.Ref)
	of.Of = sheet.Player
	mates := field(sheet.Player, named("mates", of))
	total := field(sheet.Record, named("total", sheet.Field{Type: sheet.Integer}))
	worth := field(sheet.Piece, named("worth", sheet.Field{Type: sheet.Integer}))
	yaw := field(sheet.Player, named("yaw", sheet.Field{Type: sheet.Integer}))
	slot := field(sheet.Player, named("slot", sheet.Field{Type: sheet.Integer}))
	legs := field(sheet.Creature, named("legs", sheet.Field{Type: sheet.Integer}))
	in := field(sheet.Zone, named("in_a", sheet.Field{Type: sheet.Integer}))
	for _, name := range expr.ZoneIn[1:] {
		field(sheet.Zone, named(name, sheet.Field{Type: sheet.Integer}))
	}
	at, size := field(sheet.Zone, named("pos", sheet.Field{Type: sheet.Position})),
		field(sheet.Zone, named("size", sheet.Field{Type: sheet.Position}))
	st := sheet.NewStore(s)
	e := &expr.Env{
		Store:  st,
		Lobby:  st.Add(sheet.Lobby),
		Match:  st.Add(sheet.Match),
		Rate:   20,
		Wall:   300,
		Play:   200,
		Random: func(_ uint32, n int64) int64 { return n - 1 },
	}
	for i := range 2 {
		r := st.Add(sheet.Team)
		st.SetInt(r, tn, int64(10+i))
		st.SetText(r, title, []string{"Amber", "Teal"}[i])
	}
	teams := st.Of(sheet.Team)
	for i := range 5 {
		p, r := st.Add(sheet.Player), st.Add(sheet.Record)
		st.Seated = append(st.Seated, p)
		if i < 4 {
			p.Team = teams[i%2].ID
		}
		st.SetInt(p, team, int64(p.Team))
		st.SetInt(p, rec, int64(r.ID))
		st.SetInt(p, a, int64(i*i-3)) // -3 -2 1 6 13
		st.SetInt(p, x, int64(i)*750) // 0 0.75 1.5 2.25 3
		st.SetFlag(p, on, i%3 == 0)
		st.SetInt(p, mood, int64(i%3))
		st.SetInt(p, other, int64(i%2))
		p.S[hand.Slot()], p.S[marks.Slot()], p.S[notes.Slot()] = fmt.Sprintf("%d,7,%d", i, 2*i), "0,2,2", `["a","bb"]`
		p.S[mates.Slot()] = "5,9"
		for k := range 4 {
			p.N[goods.Slot()+k] = int64(10*i + k)
		}
		st.SetText(p, name, []string{"Ada", "Bø", "Cy", "Di", "Ed"}[i])
		st.SetPos(p, pos, int64(i)*3000, int64(i)*4000)
		st.SetInt(r, total, int64(100*i))
	}
	for i := range 2 {
		st.SetInt(st.Add(sheet.Piece), worth, int64(i+4))
	}
	for i := range 2 { // a box of 6 m by 8 m with Bø and Cy in it, and a circle of 1 m with Ed
		z := st.Add(sheet.Zone)
		st.SetPos(z, at, int64(3000+9000*i), int64(4000+12000*i))
		st.SetPos(z, size, []int64{3000, 1000}[i], []int64{4000, 0}[i])
		st.SetInt(z, in, []int64{6, 16}[i])
		st.SetInt(st.Add(sheet.Creature), legs, int64(4+2*i))
	}
	for i, p := range st.Seated {
		st.SetInt(p, slot, int64(i))
		st.SetInt(p, yaw, int64(i)*8192) // each an eighth of a turn farther
	}
	st.SetInt(e.Match, n, 7)
	st.SetInt(e.Match, bell, int64(st.Seated[3].ID))
	st.SetClock(e.Match, clock, 1200, -1, 100) // a minute, running down since play tick 100
	st.SetClock(e.Match, stood, 30, 0, 0)
	st.SetClock(e.Match, never, 0, 0, 0)
	st.SetClock(e.Match, past, 5, -1, 100) // it has run down
	e.Me, e.Team, e.Target, e.Piece, e.It = st.Seated[0], teams[0], st.Seated[1], st.Of(sheet.Piece)[1], st.Seated[4]
	e.Arg = &sheet.Row{N: []int64{9, int64(st.Seated[2].ID), 1, 500, 700, 0, 1500, 2500, 4000}, S: []string{"ahoy"}}
	e.Being, e.Zone = st.Of(sheet.Creature)[0], st.Of(sheet.Zone)[0]
	e.Aim = &sheet.Row{N: make([]int64, expr.AimSlots)}
	e.Aim.N[expr.AimTo.Slot()] = 900
	// In the walks of named lines.
	e.Named = [expr.MaxNamed]*sheet.Row{st.Seated[1], {N: []int64{7}}, {N: []int64{2}}, {S: []string{"bb"}}}
	c, err := expr.NewChecker(s)
	if err != nil {
		t.Fatal(err)
	}
	c.Teams = []string{"amber", "teal"}
	return s, e, c
}

// TestExpressions compiles every expression of testdata/expressions.txt for what stands before it, and holds its value,
// what it reads, or why it is refused, to the line below.
func TestExpressions(t *testing.T) {
	const file = "testdata/expressions.txt"
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	schema, env, checker := harbour(t)
	var args []*sheet.Field
	came := &sheet.Schema{}
	for _, f := range []sheet.Field{{Name: "k", Type: sheet.Integer}, {Name: "who", Type: sheet.Ref, Of: sheet.Player},
		{Name: "mood", Type: sheet.Choice, Choices: schema.Field(sheet.Player, "mood").Choices},
		{Name: "spot", Type: sheet.Position}, {Name: "gone", Type: sheet.Ref, Of: sheet.Player},
		{Name: "wait", Type: sheet.Integer, Measure: sheet.Duration}, {Name: "far", Type: sheet.Integer,
			Measure: sheet.Length}, {Name: "share", Type: sheet.Number}, {Name: "says", Type: sheet.Text, Max: 9,
			Person: true}} {
		arg, _ := came.Add(sheet.Match, f)
		args = append(args, arg)
	}
	scope := expr.Scope{
		Vars: expr.Me | expr.Team | expr.Target | expr.Piece | expr.It | expr.Args | expr.Random | expr.Creature |
			expr.Zone | expr.Aim,
		It:   sheet.Player,
		Hit:  sheet.Player,
		Args: args,
	}
	wants := map[string]expr.Want{
		"flag":   {Type: sheet.Flag},
		"int":    {Type: sheet.Integer},
		"number": {Type: sheet.Number},
		"text":   {Type: sheet.Text},
		"pos": {
			Type: sheet.Position,
		},
		"player": {Type: sheet.Ref, Ref: sheet.Player},
		"team":   {Type: sheet.Ref, Ref: sheet.Team},
		"any":    {Any: true},
		"mood":   {Field: schema.Field(sheet.Player, "mood")},
		"path":   {},
		"list":   {Field: schema.Field(sheet.Player, "hand")},
		"marks":  {Field: schema.Field(sheet.Player, "marks")},
		"notes":  {Field: schema.Field(sheet.Player, "notes")},
		"mates":  {Field: schema.Field(sheet.Player, "mates")},
	}
	for word, m := range map[string]sheet.Measure{"duration": sheet.Duration, "length": sheet.Length,
		"speed": sheet.Speed, "angle": sheet.Angle} {
		wants[word] = expr.Want{Type: sheet.Integer, Measure: m}
	}
	list := func(name string) *sheet.Field { return schema.Field(sheet.Player, name) }
	walks := scope
	walks.Vars = expr.Me | expr.Walked
	walks.Named = []expr.NamedVar{{Name: "mate", Kind: sheet.Player}, {Name: "card", Item: list("hand")},
		{Name: "mark", Item: list("marks")}, {Name: "note", Item: list("notes")}}
	word := expr.Scope{Vars: expr.It, Item: list("marks")}
	scopes := map[string]expr.Scope{"bare": {}, "walks": walks, "word": word}
	lines := golden{schema, env, checker}
	var out strings.Builder
	for _, line := range strings.Split(strings.TrimSuffix(string(data), "\n"), "\n") {
		word, src, _ := strings.Cut(line, " ")
		scope := scope
		if s, is := scopes[word]; is { // with what is there in other places
			scope = s
			word, src, _ = strings.Cut(src, " ")
		}
		want, is := wants[word]
		if strings.HasPrefix(line, "  ") {
			continue // what came of the one above
		}
		fmt.Fprintln(&out, line)
		switch {
		case word == "define":
			name, rest, _ := strings.Cut(src, " ")
			takes, is, _ := strings.Cut(rest, "= ")
			if _, issues := checker.Define(name, givenOf(came, takes), is); issues != nil {
				fmt.Fprintf(&out, "  ! %v\n", issues)
			}
		case lines.tells(&out, word, src, scope, came):
		case !is:
		case want.Field != nil && want.Field.Type == sheet.List:
			w, issues := checker.CompileWhole(src, scope, want.Field)
			if w == nil {
				fmt.Fprintf(&out, "  ! %v\n", issues)
				continue
			}
			fmt.Fprintf(&out, "  = [%s] %v\n", w.Value(env), env.Fault)
		case word == "path":
			p, issues := checker.CompilePath(src, scope)
			if p == nil {
				fmt.Fprintf(&out, "  ! %v\n", issues)
				continue
			}
			row, field := p.At(env)
			fmt.Fprintf(&out, "  -> %s %d, %s\n", p.Kind, row.ID, field.Name)
		default:
			fmt.Fprintf(&out, "  %s\n", value(schema, env, checker, src, scope, want))
		}
	}
	if *update {
		if err := os.WriteFile(file, []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if out.String() != string(data) {
		got, was := strings.Split(out.String(), "\n"), strings.Split(string(data), "\n")
		for i := range got {
			if i >= len(was) || got[i] != was[i] {
				t.Fatalf("%s:%d (go test ./internal/core/expr -run Expressions -update writes it anew): %s, wanted %s",
					file, i+1, got[i], append(was, make([]string, len(got))...)[i])
			}
		}
	}
}

func value(s *sheet.Schema, env *expr.Env, c *expr.Checker, src string, scope expr.Scope, want expr.Want) string {
	p, issues := c.Compile(src, scope, want)
	if p == nil {
		return fmt.Sprintf("! %v", issues)
	}
	env.Fault = expr.OK
	v := p.Value(env, p.Type.Of)
	text := v.Show(nil, env.Rate, 0)
	if env.Fault != expr.OK {
		text = env.Fault.String()
	}
	var reads []string
	for k := range sheet.Kinds {
		for _, f := range s.Fields(sheet.Kind(k)) {
			if p.Reads.Own[k].Has(f.No) {
				reads = append(reads, sheet.Kind(k).String()+"."+f.Name)
			}
			if p.Reads.Any[k].Has(f.No) {
				reads = append(reads, "any "+sheet.Kind(k).String()+"."+f.Name)
			}
		}
	}
	if p.Reads.Clock {
		reads = append(reads, "time")
	}
	if p.Const {
		reads = append(reads, "nothing")
	}
	return fmt.Sprintf("= %s (%s), reads %s", text, p.Type.Of, strings.Join(reads, ", "))
}

// givenOf declares what a definition takes, by the names of what there is.
func givenOf(came *sheet.Schema, takes string) (given []*sheet.Field) {
	own := &sheet.Schema{}
	for _, arg := range strings.Fields(takes) {
		f, _ := own.Add(sheet.Match, *came.Field(sheet.Match, arg))
		given = append(given, f)
	}
	return given
}

// golden tells what comes of the lines that are no plain expressions.
type golden struct {
	schema *sheet.Schema
	env    *expr.Env
	c      *expr.Checker
}

func (g golden) tells(out *strings.Builder, word, src string, scope expr.Scope, came *sheet.Schema) bool {
	ids := func(rows []*sheet.Row) (all []sheet.ID) {
		for _, r := range rows {
			all = append(all, r.ID)
		}
		return all
	}
	switch word {
	case "effects":
		name, takes, _ := strings.Cut(src, " ")
		free := !g.c.IsCallable(name)
		err := g.c.DefineEffects(name, givenOf(came, takes))
		if err != nil {
			fmt.Fprintf(out, "  ! free %v, %v\n", free, err)
			break
		}
		g.c.Uses(name, expr.Target|expr.Random)
		fmt.Fprintf(out, "  = free %v, then %v, called %v\n", free, !g.c.IsCallable(name), g.c.IsCalled(name))
	case "run":
		call, issues := g.c.CompileCall(src, scope)
		if call == nil {
			fmt.Fprintf(out, "  ! %v\n", issues)
			break
		}
		row := &sheet.Row{N: make([]int64, 9), S: make([]string, 1)}
		call.Put(g.env, row)
		fmt.Fprintf(out, "  = %s %v %q, uses %b, called %v, %v\n", call.Name, row.N, row.S, call.Vars,
			g.c.IsCalled(call.Name), g.env.Fault)
	case "each":
		l, issues := g.c.CompileList(src, scope)
		switch {
		case l == nil:
			fmt.Fprintf(out, "  ! %v\n", issues)
		case l.Item != nil:
			fmt.Fprintf(out, "  = values of %s [%s]\n", l.Item.Name, l.Values(g.env))
		default:
			fmt.Fprintf(out, "  = %ss %v\n", l.Kind, ids(l.Append(g.env, nil)))
		}
	case "who":
		w, issues := g.c.CompileWho(src, scope, sheet.Player, sheet.Team)
		if w == nil {
			fmt.Fprintf(out, "  ! %v\n", issues)
			break
		}
		fmt.Fprintf(out, "  = %s, several %v: %v\n", w.Kind, w.Several, ids(w.Append(g.env, nil)))
	case "quantity":
		n, what, ok := expr.Quantity(src)
		fmt.Fprintf(out, "  = %d %s %v\n", n, what, ok)
	case "touched": // a field, and whether an expression looks at it at all, and through others than its own
		name, src, _ := strings.Cut(src, " ")
		p, _ := g.c.Compile(src, scope, expr.Want{Type: sheet.Flag})
		var touched [sheet.Kinds]sheet.Mask
		touched[sheet.Player].Set(g.schema.Field(sheet.Player, name).No)
		fmt.Fprintf(out, "  = %v, by others %v\n", p.Touched(&touched), p.TouchedAny(&touched))
	case "path": // and what it is called
		if p, _ := g.c.CompilePath(src, scope); p != nil {
			fmt.Fprintf(out, "  : %s of %d\n", p.Name(), len(p.Fields()))
		}
		return false
	default:
		return false
	}
	return true
}
