package rulebook

import (
	"encoding/json"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// rules binds what happens by itself.
func (b *director) rules() {
	var edges [sheet.Kinds]int
	if n := b.top.get("rules"); n != nil {
		for i, item := range n.items {
			r := b.rule(i, item, &edges)
			b.book.Rules = append(b.book.Rules, r)
			if r.On == OnWhen {
				b.book.Whens = append(b.book.Whens, r)
			}
		}
	}
}

func (b *director) rule(no int, n *node, edges *[sheet.Kinds]int) *Rule {
	r := &Rule{No: no, Line: n.line, Phases: b.phaseMask(n, "phases", everyPhase)}
	var scope expr.Scope
	subject := n.str("for")
	r.For, r.Kinds, scope = b.subjectOf(n)
	switch {
	case n.get("when") != nil:
		r.On, r.When = OnWhen, b.condition(n, "when", scope)
		r.Edge = 1 << edges[r.For]
		edges[r.For]++
	case n.get("every") != nil:
		r.On, r.Every = OnEvery, b.quantity(n.get("every"), scopeMatch, "ms")
		r.Phases = b.phaseMask(n, "phases", b.openPhases())
	default:
		r.On = eventWords.named(n.get("on").text)
		if r.For == sheet.Creature || r.For == sheet.Zone {
			if r.For == sheet.Zone || !eventDecls[r.On].creature {
				b.fail(n.get("for"), "not-here", "match, teams or players", "this event does not happen to %s", subject)
			}
		} else if r.On.OfPlayer() {
			if f := n.get("for"); !f.implied && subject != forPlayers {
				b.fail(f, "not-here", "players, or nothing", "this event happens to one player")
			}
			r.For, scope = sheet.Player, scopePlayer
		}
	}
	r.If = b.condition(n, "if", scope)
	if subject == forCreatures || subject == forZones {
		r.Kinds = b.decl.having(r.For, r.Kinds, r.When, r.If)
	}
	r.Do = b.does.effects(n, "do", with(scope, expr.Random))
	return r
}

func (b *document) phaseOrEnd(n *node) int {
	if n.text == "end" {
		return EndOfMatch
	}
	if i := b.indexOf(n, "phase", b.phaseNames()); i >= 0 {
		return i
	}
	return EndOfMatch
}

func (b *director) phases() {
	entries := b.top.fields("phases")
	if len(entries) == 0 {
		b.fail(b.top, "empty", "at least one phase, such as phases: {play: {lasts: 60s}}", "no phase is declared")
	}
	for i, e := range entries {
		n := e.value
		p := &Phase{No: i, Name: e.key, Title: n.titled(e.key), Frozen: inputsFrozen.is(n, "inputs"),
			Next: Lead{No: i + 1}}
		if i == len(entries)-1 {
			p.Next.No = EndOfMatch
		}
		if v := n.get("next"); v != nil {
			p.Next = leadOf(b.terms, v, scopeMatch)
		}
		if v := n.get("lasts"); v != nil {
			p.Line = v.line
			if ms, ok := parseDuration(v.text); ok {
				p.Length = sheet.Tick(sheet.Ticks(ms, b.book.Rate))
				if ms <= 0 || ms > maxTime {
					b.fail(v, "out-of-range", "more than 0s and at most 24h", "%s", v.shown())
				}
			} else {
				p.Reckon = b.quantity(v, scopeMatch, "ms")
				if p.Reckon != nil && p.Reckon.Const && p.Reckon.Int(&expr.Env{}) <= 0 {
					b.fail(v, "out-of-range", "more than 0 milliseconds", "a phase that lasts %s", v.shown())
				}
			}
		}
		p.Down = n.get("lasts") != nil
		if v := n.get("count"); v != nil {
			p.Down = v.text == countsDown.word
			if p.Down && n.get("lasts") == nil {
				b.fail(v, "missing-key", "lasts: a duration", "a phase that lasts until something ends it cannot "+
					"count down")
			}
		}
		if e.key == "end" {
			b.failEntry(e, "taken", "the name end stands for the end of the match; call the phase something else")
		}
		b.book.Phases = append(b.book.Phases, p)
	}
	for i, e := range entries {
		b.phaseRules(b.book.Phases[i], e.value)
	}
}

func (b *director) phaseRules(p *Phase, n *node) {
	for _, item := range n.list("ends") {
		end := PhaseEnd{Line: item.line, If: b.condition(item, "if", scopeMatch), Next: p.Next,
			Because: item.str("because")}
		if v := item.get("next"); v != nil {
			end.Next = leadOf(b.terms, v, scopeMatch)
		}
		p.Ends = append(p.Ends, end)
	}
	p.Enter = b.does.effects(n, "enter", with(scopeMatch, expr.Random))
	p.Leave = b.does.effects(n, "leave", with(scopeMatch, expr.Random))
}

func (b *document) winsByTeam() bool {
	if v := b.top.get("win").get("for"); v != nil {
		return v.text == byTeams.word
	}
	return len(b.book.Teams.List) > 0
}

func (b *terms) order(n *node) []Rank {
	scope := scopePlayer
	if b.winsByTeam() {
		scope = scopeTeam
	}
	var out []Rank
	for _, item := range n.list("order") {
		key := "highest"
		if item.get("lowest") != nil {
			key = "lowest"
		}
		if p := b.expr(item, key, scope, wantAmount); p != nil {
			out = append(out, Rank{Line: item.line, Of: p, Least: key == "lowest"})
		}
	}
	return out
}

func (b *director) win() {
	w := &b.book.Win
	n := b.section("win")
	w.Teams = b.winsByTeam()
	if w.Teams && len(b.book.Teams.List) == 0 {
		b.fail(n.get("for"), "not-here", "players", "there are no teams in this rulebook")
	}
	if t := b.top.get("teams").get("tie"); t != nil && t.text == TieWeakest.String() && !w.Teams {
		b.fail(t, "not-here", "first or random",
			"the weakest team is the last in the order of win, but there players win")
	}
	w.Order, w.Last, w.Line = b.order(n), n.on("last"), n.line
	scope := scopePlayer
	if w.Teams {
		scope = scopeTeam
	}
	w.Who = b.condition(n, "who", scope)
	for _, item := range n.list("ends") {
		w.Ends = append(w.Ends, MatchEnd{Line: item.line, If: b.condition(item, "if", scopeMatch),
			Because: item.str("because"), Winner: b.winner(item, scopeMatch)})
	}
	if r := b.book.Rounds; r != nil && r.Order == nil {
		r.Order = w.Order
	}
}

func (b *director) rounds() {
	n := b.top.get("rounds")
	if n == nil {
		return
	}
	r := &Rounds{Tied: EndOfMatch}
	if r.Phase = b.indexOf(n.get("phase"), "phase", b.phaseNames()); r.Phase < 0 {
		return
	}
	switch {
	case n.get("number") != nil:
		r.Most = int(n.num("number"))
	case n.get("first_to") != nil:
		r.FirstTo, r.Most = int(n.num("first_to")), int(n.num("most"))
	default:
		r.Most = int(n.num("best_of"))
		r.FirstTo = r.Most/2 + 1
	}
	if n.get("order") != nil {
		r.Order = b.order(n)
	}
	if v := n.get("tied"); v != nil {
		r.Tied = b.phaseOrEnd(v)
		if r.Tied == r.Phase {
			b.fail(v, "circle", "another phase", "the round's own phase cannot break the tie")
		}
	}
	b.book.Rounds = r
}

// pairs writes free pairs as a JSON object, in their order.
func (b *director) pairs(n *node, key string) string {
	var parts []string
	for _, e := range n.fields(key) {
		parts = append(parts, strconv.Quote(e.key)+":"+quoted(e.value.text))
	}
	if len(parts) == 0 {
		return ""
	}
	return "{" + strings.Join(parts, ",") + "}"
}

func quoted(text string) string {
	b, _ := json.Marshal(text) // a text always can be
	return string(b)
}

func (b *director) endings() {
	n := b.section("pause")
	b.book.Pause = Pause{Who: pauseWords.named(n.str("who")), Phases: b.phaseMask(n, "phases", everyPhase),
		Times: int(n.num("times")), Total: b.ticks(n, "seconds"), Longest: b.ticks(n, "longest"),
		Countdown: b.ticks(n, "countdown")}
	if b.book.Pause.Who == PauseTeams && len(b.book.Teams.List) == 0 {
		b.fail(n.get("who"), "not-here", "anyone or nobody", "there are no teams in this rulebook")
	}
	n = b.section("end")
	b.book.End = End{Show: b.ticks(n, "lasts"), Then: thenWords.named(n.str("next"))}
	for _, h := range n.list("hints") {
		b.book.End.Hints = append(b.book.End.Hints,
			Hint{For: hintWords.named(h.str("for")), Tint: h.str("tint"), Play: h.str("play"),
				Say: h.str("say"), Lasts: h.millis("lasts"), Hold: h.millis("full"),
				Strength: h.num("strength"), With: b.pairs(h, "with")})
	}
}
