package claims

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/tool/script"
)

var twoWatch = step.Input{Kind: step.Spectators, N: 2}

func lobbyPing(of sheet.ID) step.Input { return step.Input{Kind: step.Ping, Seat: of, N: 40} }

// fields notes when each built-in field changes that clients are told of.
func (p *play) fields(src []byte, fields map[string]claim) {
	book, _ := rulebook.Compile(src)
	if book == nil {
		return
	}
	st := script.NewStage(book, p.setup)
	type at struct {
		id sheet.ID
		f  *sheet.Field
	}
	was := map[at]sheet.Value{}
	for i, text := range append(slices.Clone(p.steps), "a ping of 40 ms comes back", "two people watch") {
		s, _, err := script.ParseLine(text, i+1)
		seated := st.M.Store().Seated
		switch {
		case i == len(p.steps) && len(seated) > 0: // what the service alone knows
			st.Take(lobbyPing(seated[0].ID))
		case i > len(p.steps):
			st.Take(twoWatch)
		case err == nil:
			st.Do(s)
		}
		for k := range sheet.Kinds {
			for _, f := range book.Schema.Fields(sheet.Kind(k)) {
				name := sheet.Kind(k).String() + "." + f.Name
				if !f.BuiltIn || f.See == sheet.Hidden {
					continue
				}
				if _, known := fields[name]; !known {
					fields[name] = claim{}
				}
				for _, r := range st.M.Store().Of(sheet.Kind(k)) {
					v := r.Get(f)
					old, known := was[at{r.ID, f}]
					if !known {
						old = f.Start
					}
					if was[at{r.ID, f}] = v; v != old && fields[name].play == "" {
						fields[name] = claim{p.name, text, v.Show(f, book.Rate, 0), old.Show(f, book.Rate, 0)}
					}
				}
			}
		}
	}
}
