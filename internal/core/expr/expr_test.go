package expr_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/tool/trial"
)

// stage is a store with a few sheets, as expressions see it.
func stage(t testing.TB, r *rand.Rand) (*sheet.Schema, *expr.Env) {
	t.Helper()
	s := &sheet.Schema{}
	add := func(k sheet.Kind, f sheet.Field) {
		if _, err := s.Add(k, f); err != nil {
			t.Fatal(err)
		}
	}
	add(sheet.Player, sheet.Field{Name: "team", Type: sheet.Ref, Of: sheet.Team})
	add(sheet.Player, sheet.Field{Name: "a", Type: sheet.Integer})
	add(sheet.Player, sheet.Field{Name: "b", Type: sheet.Integer})
	add(sheet.Player, sheet.Field{Name: "x", Type: sheet.Number})
	add(sheet.Player, sheet.Field{Name: "on", Type: sheet.Flag})
	add(sheet.Player, sheet.Field{Name: "mood", Type: sheet.Choice, Choices: []string{"calm", "cross", "merry"}})
	add(sheet.Match, sheet.Field{Name: "n", Type: sheet.Integer})
	add(sheet.Team, sheet.Field{Name: "p", Type: sheet.Integer})
	st := sheet.NewStore(s)
	e := &expr.Env{Store: st, Lobby: st.Add(sheet.Lobby), Match: st.Add(sheet.Match), Rate: 20}
	small := func() int64 { return r.Int64N(9) - 3 }
	for range 2 {
		t := st.Add(sheet.Team)
		st.SetInt(t, s.Field(sheet.Team, "p"), small())
	}
	for i := range 5 {
		p := st.Add(sheet.Player)
		st.Seated = append(st.Seated, p)
		p.Team = st.Of(sheet.Team)[i%2].ID
		st.SetInt(p, s.Field(sheet.Player, "team"), int64(p.Team))
		for _, f := range []string{"a", "b"} {
			st.SetInt(p, s.Field(sheet.Player, f), small())
		}
		st.SetInt(p, s.Field(sheet.Player, "x"), small()*250)
		st.SetInt(p, s.Field(sheet.Player, "on"), r.Int64N(2))
		st.SetInt(p, s.Field(sheet.Player, "mood"), r.Int64N(3))
	}
	st.SetInt(e.Match, s.Field(sheet.Match, "n"), small())
	e.Me = st.Seated[0]
	e.Team = st.Get(e.Me.Team)
	return s, e
}

// native shows the same sheets to the CEL library as maps.
func native(s *sheet.Schema, e *expr.Env) map[string]any {
	asMap := func(r *sheet.Row) map[string]any {
		m := map[string]any{"#": int64(r.ID)}
		for _, f := range s.Fields(r.Kind) {
			switch f.Type {
			case sheet.Number:
				m[f.Name] = float64(r.Int(f)) / 1000
			case sheet.Flag:
				m[f.Name] = r.Flag(f)
			case sheet.Choice:
				m[f.Name] = f.Choices[r.Int(f)]
			case sheet.Integer:
				m[f.Name] = r.Int(f)
			}
		}
		return m
	}
	teams := map[sheet.ID]map[string]any{}
	var teamList, players []map[string]any
	for _, t := range e.Store.Of(sheet.Team) {
		teams[t.ID] = asMap(t)
		teamList = append(teamList, teams[t.ID])
	}
	for _, p := range e.Store.Seated {
		m := asMap(p)
		m["team"] = teams[p.Team]
		players = append(players, m)
	}
	for _, t := range e.Store.Of(sheet.Team) {
		var members []map[string]any
		for i, p := range e.Store.Seated {
			if p.Team == t.ID {
				members = append(members, players[i])
			}
		}
		teams[t.ID]["members"] = members
	}
	return map[string]any{
		"me":      players[0],
		"team":    players[0]["team"],
		"match":   asMap(e.Match),
		"lobby":   asMap(e.Lobby),
		"players": players,
		"teams":   teamList,
	}
}

// writer makes up expressions that type-check.
type writer struct {
	r    *rand.Rand
	vars []string // players in scope
}

func (w *writer) pick(s ...string) string { return s[w.r.IntN(len(s))] }

func (w *writer) player() string { return w.vars[w.r.IntN(len(w.vars))] }

func (w *writer) integer(depth int) string {
	if depth == 0 {
		return w.pick(fmt.Sprint(w.r.IntN(7)-2), w.player()+".a", w.player()+".b", "match.n", "team.p", "me.team.p",
			"9223372036854775807")
	}
	switch w.r.IntN(8) {
	case 0:
		return fmt.Sprintf("(%s ? %s : %s)", w.flag(depth-1), w.integer(depth-1), w.integer(depth-1))
	case 1:
		return w.fold("count", w.flag, depth)
	case 2:
		return w.fold("sum", w.integer, depth)
	case 3:
		return w.pick("size(players)", "team.members.size()", "-("+w.integer(depth-1)+")")
	}
	return fmt.Sprintf("(%s %s %s)", w.integer(depth-1), w.pick("+", "-", "*", "/", "%"), w.integer(depth-1))
}

func (w *writer) fold(name string, body func(int) string, depth int) string {
	if len(w.vars) > 3 {
		return w.integer(0)
	}
	v := fmt.Sprintf("p%d", len(w.vars))
	w.vars = append(w.vars, v)
	defer func() { w.vars = w.vars[:len(w.vars)-1] }()
	return fmt.Sprintf("%s.%s(%s, %s)", w.pick("players", "team.members"), name, v, body(depth-1))
}

func (w *writer) flag(depth int) string {
	if depth == 0 {
		return w.pick(w.player()+".on", "true", "false", w.player()+".mood == '"+w.pick("calm", "cross", "merry")+"'",
			w.player()+".mood in ['calm', 'merry']", w.player()+".mood == "+w.player()+".mood", w.player()+".x < 0.5",
			w.player()+".x >= "+w.player()+".x", w.player()+".a > "+w.player()+".x")
	}
	switch w.r.IntN(7) {
	case 0:
		return "!(" + w.flag(depth-1) + ")"
	case 1:
		return w.fold(w.pick("exists", "all", "exists_one"), w.flag, depth)
	case 2, 3:
		return fmt.Sprintf("(%s %s %s)", w.flag(depth-1), w.pick("&&", "||"), w.flag(depth-1))
	}
	return fmt.Sprintf("(%s %s %s)", w.integer(depth-1), w.pick("<", "<=", "==", "!=", ">", ">="), w.integer(depth-1))
}

// TestAgainstTheLibrary compares what our trees compute with what the CEL library's own evaluator does, faults
// included.
func TestAgainstTheLibrary(t *testing.T) {
	rounds := trial.Rounds(3000, 800)
	seed := trial.Seed(t)
	r := rand.New(rand.NewPCG(seed, 0))
	faults, compared := 0, 0
	var schema *sheet.Schema
	var env *expr.Env
	var checker *expr.Checker
	for i := range rounds {
		if i%100 == 0 { // other values
			schema, env = stage(t, r)
			var err error
			if checker, err = expr.NewChecker(schema); err != nil {
				t.Fatal(err)
			}
		}
		w := &writer{r: r, vars: []string{"me"}}
		src, want := w.flag(1+r.IntN(3)), sheet.Flag
		if r.IntN(2) == 0 {
			src, want = w.integer(1+r.IntN(3)), sheet.Integer
		}
		scope := expr.Scope{Vars: expr.Me | expr.Team}
		ours, issues := checker.Compile(src, scope, expr.Want{Type: want})
		if ours == nil {
			if strings.Contains(fmt.Sprint(issues), "deep") {
				continue
			}
			t.Fatalf("seed %d: %s: %v", seed, src, issues)
		}
		theirs, err := libraryProgram(checker, src, scope)
		if err != nil {
			t.Fatalf("seed %d: %s: %v", seed, src, err)
		}
		got := ours.Int(env)
		val, _, err := theirs.Eval(native(schema, env))
		compared++
		if err != nil {
			faults++
			if env.Fault == expr.OK {
				t.Fatalf("seed %d, case %d: %s is %d, the library says %v", seed, i, src, got, err)
			}
			continue
		}
		if env.Fault != expr.OK || got != asInt(val) {
			t.Fatalf("seed %d, case %d: %s is %d (%s), the library says %v", seed, i, src, got, env.Fault, val)
		}
	}
	if faults == 0 || faults > compared/2 {
		t.Errorf("%d of %d failed on both sides; that compares too little", faults, compared)
	}
}

func libraryProgram(c *expr.Checker, src string, scope expr.Scope) (cel.Program, error) {
	env, err := c.Library(scope)
	if err != nil {
		return nil, err
	}
	checked, iss := env.Compile(src)
	if iss.Err() != nil {
		return nil, iss.Err()
	}
	return env.Program(checked)
}

func asInt(v ref.Val) int64 {
	switch v := v.(type) {
	case types.Bool:
		if v {
			return 1
		}
		return 0
	case types.Int:
		return int64(v)
	}
	return -12345
}

// TestIntegers holds the arithmetic of integers to CEL's, at the edges of 64 bits.
func TestIntegers(t *testing.T) {
	schema, env := stage(t, rand.New(rand.NewPCG(1, 1)))
	checker, err := expr.NewChecker(schema)
	if err != nil {
		t.Fatal(err)
	}
	const least = "(-9223372036854775807 - 1)"
	for src, want := range map[string]string{
		"7 % 4": "3", "-7 % 4": "-3", "7 % -4": "3", "7 % -1": "0", "7 / -2": "-3", "-7 / 2": "-3",
		"7 % 0": "division by zero", "7 / 0": "division by zero",
		least + " % -1": "overflow of a 64-bit integer", least + " / -1": "overflow of a 64-bit integer",
		"-" + least:    "overflow of a 64-bit integer",
		least + " - 1": "overflow of a 64-bit integer", "9223372036854775807 + 1": "overflow of a 64-bit " +
			"integer", least + " * -1": "overflow of a 64-bit integer",
		"4611686018427387904 * 2": "overflow of a 64-bit integer", "4611686018427387904 * -2": "-9223372036854775808",
		"abs(" + least + ")":             "overflow of a 64-bit integer",
		least + " + 9223372036854775807": "-1", "min(" + least + ", 0)": "-9223372036854775808",
	} {
		p, issues := checker.Compile(src, expr.Scope{}, expr.Want{Type: sheet.Integer})
		if p == nil {
			t.Errorf("%s: %v", src, issues)
			continue
		}
		got := fmt.Sprint(p.Int(env))
		if env.Fault != expr.OK {
			got = env.Fault.String()
		}
		if got != want {
			t.Errorf("%s is %s, not %s", src, got, want)
		}
	}
}

// TestNumbers holds the arithmetic in thousandths to exact figures.
func TestNumbers(t *testing.T) {
	schema, env := stage(t, rand.New(rand.NewPCG(1, 1)))
	checker, err := expr.NewChecker(schema)
	if err != nil {
		t.Fatal(err)
	}
	for src, want := range map[string]string{
		"1.5 * 1.5": "2.25", "0.001 * 0.5": "0.001", "-0.001 * 0.5": "-0.001", "0.001 * 0.4": "0",
		"10.0 / 3.0": "3.333", "-10.0 / 3.0": "-3.333",
		"2.0 / 3.0": "0.667", "double(7) / 2.0": "3.5", "double(int(2.9))": "2", "double(int(-2.9))": "-2",
		"1.0 / 0.0":                  "division by zero",
		"9007199254740.0 * 100000.0": "overflow of a 64-bit integer", "min(1.5, 2.0)": "1.5", "abs(-0.25)": "0.25",
		"players.sum_number(p, p.on ? 0.5 : 0.5)": "2.5", "1.0 < 2 ? 1.0 : 0.0": "1", "double(distance(point(0mm, " +
			"3m), point(4m, 0)))": "5000",
		"double(players.most(p, 3) + players.least(p, 2))": "5", "double([1, 2].size())": "refused",
		"1.0001": "refused", "1 + 1.0": "refused",
	} {
		p, issues := checker.Compile(src, expr.Scope{Vars: expr.Me | expr.Team}, expr.Want{Type: sheet.Number})
		got := "refused"
		if p != nil {
			v := p.Value(env, sheet.Number)
			got = v.Show(nil, 20, 0)
			if env.Fault != expr.OK {
				got = env.Fault.String()
			}
		}
		if got != want {
			t.Errorf("%s is %s, not %s %v", src, got, want, issues)
		}
	}
}

// TestNoAllocation: the trees run in the core's hot loop.
func TestNoAllocation(t *testing.T) {
	schema, env := stage(t, rand.New(rand.NewPCG(1, 1)))
	checker, _ := expr.NewChecker(schema)
	p, issues := checker.Compile(
		"players.exists(p, p.team == me.team && p != me && p.x > 0.25) || team.members.sum(q, q.a) > match.n && "+
			"me.mood != 'calm'",
		expr.Scope{Vars: expr.Me | expr.Team},
		expr.Want{Type: sheet.Flag},
	)
	if p == nil {
		t.Fatal(issues)
	}
	if n := testing.AllocsPerRun(100, func() { p.Bool(env) }); n != 0 {
		t.Errorf("an evaluation allocates %v times", n)
	}
}
