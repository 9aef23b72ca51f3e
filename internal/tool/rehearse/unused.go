package rehearse

import (
	"fmt"

	"turnvex.example/turnvex/internal/core/match"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// unused lists what of a rulebook had no part in any match.
func unused(b *rulebook.Book, phases uint64, actions map[string]int, t *match.Tally) (out []string) {
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	for _, p := range b.Phases {
		if phases&(1<<p.No) == 0 {
			say("phase %s", p.Name)
		}
	}
	for _, a := range b.Actions {
		if actions[a.Name]+t.StandIns[a.No] == 0 {
			say("action %s", a.Name)
		}
	}
	for _, r := range b.Rules {
		if t.Rules[r.No] == 0 {
			say("the rule in line %d", r.Line)
		}
	}
	for i, k := range b.Kits {
		if t.Kits[i] == 0 {
			say("kit %s", k.Name)
		}
	}
	if b.Referee != nil {
		for i, a := range b.Referee.Acts {
			if t.Acts[i] == 0 {
				say("the referee's act %s", a.Name)
			}
		}
	}
	for i, n := range b.Notices {
		if t.Notices[i] == 0 {
			say("notice %s", n.Name)
		}
	}
	for i, p := range b.Pieces {
		if t.Pieces[i] == 0 {
			say("piece %s", p.Name)
		}
	}
	for i, c := range b.Creatures {
		if t.Creatures[i] == 0 {
			say("creature %s", c.Name)
		}
	}
	for no, g := range b.Grounds {
		if t.Arenas[no] == 0 && b.Arenas != nil {
			say("the arena %s", g.Name)
			continue
		}
		out = append(out, unusedOn(b, no, t)...)
	}
	return out
}

// unusedOn lists the places of a ground at which nobody and nothing ever appeared.
func unusedOn(b *rulebook.Book, no int, t *match.Tally) (out []string) {
	g, in := b.Grounds[no], ""
	if b.Arenas != nil {
		in = " in the arena " + g.Name
	}
	for i, p := range b.Pieces {
		for n, at := range g.Pieces[i] {
			if t.Pieces[i] > 0 && t.Places[no][i][n] == 0 {
				out = append(out,
					fmt.Sprintf("the place of %s at [%s, %s]%s", p.Name, metres(at.X), metres(at.Y), in))
			}
		}
	}
	for i, sp := range g.Spawns {
		if t.Spawns[no][i] == 0 {
			out = append(out, fmt.Sprintf("the spawn point at [%s, %s]%s", metres(sp.X), metres(sp.Y), in))
		}
	}
	return out
}

func metres(mm int64) string { return sheet.ShowThousandths(mm) + "m" }
