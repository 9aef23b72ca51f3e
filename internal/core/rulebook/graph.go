package rulebook

import "turnvex.example/turnvex/internal/core/sheet"

// FlowPhase is a phase in the flow of a match, and where it leads.
type FlowPhase struct {
	Name      string     `json:"name"`
	Title     string     `json:"title"`
	Length    string     `json:"length,omitempty" jsonschema:"a duration, or the expression that gives it in milliseconds"`
	Frozen    bool       `json:"frozen,omitempty" jsonschema:"actions and steering are not taken"`
	Round     bool       `json:"round,omitempty" jsonschema:"it is a round"`
	ByEffects bool       `json:"by_effects,omitempty" jsonschema:"effects lead to it, from any phase"`
	Leads     []FlowLead `json:"leads"`
}

// FlowLead is a way from a phase to another one, or to the end of the match.
type FlowLead struct {
	To  string `json:"to,omitempty" jsonschema:"the name of a phase; the end of the match if it is not given"`
	Why string `json:"why" jsonschema:"what leads there"`
}

// phaseFlow is how phases lead to each other, in the order in which they are written.
func (b *checks) phaseFlow() []FlowPhase {
	out := []FlowPhase{}
	for _, p := range b.book.Phases {
		f := FlowPhase{Name: p.Name, Title: p.Title, Frozen: p.Frozen, Leads: []FlowLead{},
			ByEffects: b.uses.gone&(1<<p.No) != 0}
		switch {
		case p.Reckon != nil:
			f.Length = p.Reckon.Source
		case p.Length > 0:
			f.Length = showDuration(sheet.Millis(int64(p.Length), b.book.Rate))
		}
		if f.Length != "" {
			f.leads(b.book, &p.Next, "its time is over")
		}
		for _, e := range p.Ends {
			why := e.Because
			if why == "" && e.If != nil {
				why = e.If.Source
			}
			f.leads(b.book, &e.Next, why)
		}
		if r := b.book.Rounds; r != nil && p.No == r.Phase {
			f.Round = true
			if r.Tied != EndOfMatch {
				f.lead(b.book, r.Tied, "a tie after the last round")
			}
			f.lead(b.book, EndOfMatch, "the rounds are decided")
		}
		out = append(out, f)
	}
	return out
}

func (f *FlowPhase) leads(b *Book, to *Lead, why string) {
	for _, n := range to.all() {
		f.lead(b, n, why)
	}
}

func (f *FlowPhase) lead(b *Book, to int, why string) {
	l := FlowLead{Why: why}
	if to != EndOfMatch {
		l.To = b.Phases[to].Name
	}
	f.Leads = append(f.Leads, l)
}
