package rulebook

import (
	"slices"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/sheet"
)

// What the effect of that name does with the sides of all.
const (
	SidesSwap = iota
	SidesBalance
	SidesShuffle
)

var sidesWords = []string{"swap", "balance", "shuffle"}

// says tells whether keys stand beside each other anywhere in a part of the document.
func (n *node) says(keys ...string) bool {
	if !slices.ContainsFunc(keys, func(key string) bool { return n.get(key) == nil }) {
		return true
	}
	for i := range n.entries {
		if n.entries[i].value.says(keys...) {
			return true
		}
	}
	return slices.ContainsFunc(n.items, func(item *node) bool { return item.says(keys...) })
}

// declareSeats adds the built-in fields of players who may be on the bench or frozen, where something does that.
func (b *declarer) declareSeats() {
	add, f := b.adder(sheet.Player), &b.book.F.Player
	if b.top.says("bench") || b.top.says("unbench") {
		f.Benched = add("benched", resets(flagField))
	}
	if b.top.says("freeze") {
		f.Frozen = add("frozen", resets(clock(true)))
	}
	if b.top.says("push", "speed") { // an action may be called push
		own := seenBy(position, sheet.OwnerOnly)
		own.Reset = sheet.ResetRespawn
		f.Push = add("push", own)
		left := seenBy(clock(true), sheet.OwnerOnly)
		left.Reset = sheet.ResetRespawn
		f.PushLeft = add("push_left", left)
	}
	for _, e := range b.top.fields("actions") {
		for _, arg := range e.value.fields("takes") {
			if arg.value.is("type", sheet.Text.String()) && f.Mutes == nil {
				f.Mutes = add("mutes", seenBy(sheet.Field{Type: sheet.List, Item: sheet.Ref, Of: sheet.Player,
					Most: sheet.MaxItems}, sheet.OwnerOnly))
			}
		}
	}
}

func effectJoin(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.compile(v, scope, wantPlayer)
	if len(b.book.Teams.List) == 0 {
		b.fail(v, "not-here", "teams", "there are no teams in this rulebook")
	}
	if to := b.need(n, "to", "join"); to != nil {
		e.Team = b.compile(to, scope, expr.Want{Type: sheet.Ref, Ref: sheet.Team})
	}
}

func effectSides(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	if len(b.book.Teams.List) == 0 {
		b.fail(v, "not-here", "teams", "there are no teams in this rulebook")
	}
	for i, w := range sidesWords {
		if v.text == w {
			e.No = i
		}
	}
	if all := rooms(b.book.Teams.List); e.No == SidesSwap && len(all) > 1 {
		b.warn(v, "swap-may-fail", "swap changes nothing while a team has more players than the next one has room "+
			"for; they have room for %s", strings.Join(all, ", "))
	}
}

// rooms are the numbers of players for which teams have room, each once.
func rooms(teams []Team) (out []string) {
	for _, t := range teams {
		if room := strconv.Itoa(t.Most); !slices.Contains(out, room) {
			out = append(out, room)
		}
	}
	return out
}

// effectOnPlayer binds the effects that only say on which player they work.
func effectOnPlayer(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.compile(v, scope, wantPlayer)
}

func effectPush(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.compile(v, scope, wantPlayer)
	if b.book.Movement == nil {
		b.fail(v, "needs-movement", "the key movement", "nobody moves in this rulebook")
	}
	if (n.get("to") == nil) == (n.get("way") == nil) {
		b.fail(n, "missing-key", "one of to and way", "somebody is pushed towards a point, or some way")
	}
	where := expr.Want{Type: sheet.Position}
	e.Push = &Pushing{To: b.expr(n, "to", scope, where), Way: b.expr(n, "way", scope, where)}
	if b.need(n, "speed", "push") != nil {
		e.Push.Speed = b.quantity(n.get("speed"), scope, "mm/s")
	}
	if lasts := b.need(n, "lasts", "push"); lasts != nil {
		e.Lasts = b.quantity(lasts, scope, "ms")
		if e.Lasts != nil && e.Lasts.Const && e.Lasts.Int(&expr.Env{}) > 5*second {
			b.fail(lasts, "out-of-range", "a duration of at most 5s", "%s", lasts.shown())
		}
	}
}

func effectFreeze(b *doer, n, v *node, scope expr.Scope, e *Effect) {
	e.Value = b.compile(v, scope, wantPlayer)
	if b.need(n, "lasts", "freeze") != nil {
		e.Lasts = b.quantity(n.get("lasts"), scope, "ms")
	}
}
