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
		if actions[a.Name] == 0 {
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
	for i, n := range b.Notices {
		if t.Notices[i] == 0 {
			say("notice %s", n.Name)
		}
	}
	for i, p := range b.Pieces {
		if t.Pieces[i] == 0 {
			say("piece %s", p.Name)
			continue
		}
		for n, at := range p.At {
			if t.Places[i][n] == 0 {
				say("the place of %s at [%s, %s]", p.Name, metres(at[0]), metres(at[1]))
			}
		}
	}
	for i, c := range b.Creatures {
		if t.Creatures[i] == 0 {
			say("creature %s", c.Name)
		}
	}
	if b.Ground != nil {
		for i, sp := range b.Ground.Spawns {
			if t.Spawns[i] == 0 {
				say("the spawn point at [%s, %s]", metres(sp.X), metres(sp.Y))
			}
		}
	}
	return out
}

func metres(mm int64) string { return sheet.ShowThousandths(mm) + "m" }
