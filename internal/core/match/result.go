package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// keepResult makes the result, the records and the posts of a match that has ended, and asks the driver to save them.
func (m *ends) keepResult(because string) {
	f := &m.book.F
	practice := m.practice()
	r := &step.Result{Match: m.count, Rulebook: m.book.Name, Version: m.book.Version, Because: or(because, "the end"),
		Practice: practice, Millis: sheet.Millis(int64(m.play), m.book.Rate),
		Lasted: sheet.Millis(int64(m.wall-m.beganWall), m.book.Rate), Rounds: m.round}
	if m.book.Arenas != nil {
		r.Arena = m.ground().Name
	}
	for _, t := range m.teams {
		r.Teams = append(r.Teams,
			step.TeamResult{Team: t.Text(f.Team.Name), Title: t.Text(f.Team.Title), Outcome: outcome(f.Team.Outcome, t),
				Place: t.Int(f.Team.Place), Rounds: t.Int(f.Team.Rounds), Fields: m.shown(t)})
	}
	for _, s := range m.players {
		if !s.Row.Flag(f.Player.Playing) {
			continue
		}
		m.kept.keepRecord(s)
		r.Players = append(r.Players, m.playerResult(s.Row, s.Row.Text(f.Player.Name)))
		if !practice && m.broken == "" {
			r.Posts = append(r.Posts, m.kept.posts(s.Row)...)
		}
	}
	if !practice && m.broken == "" {
		for _, t := range m.teams {
			r.Posts = append(r.Posts, m.kept.posts(t)...)
		}
	}
	m.countAbsent(r)
	for _, s := range m.players {
		if s.Row.Flag(f.Player.Playing) {
			m.kept.SaveRecord(s)
		}
	}
	for _, k := range []sheet.Kind{sheet.Team, sheet.Player} {
		for _, f := range m.book.Schema.Fields(k) {
			if f.Type == sheet.Clock && !f.BuiltIn && f.See == sheet.Everyone && !slices.Contains(r.Clocks, f.Name) {
				r.Clocks = append(r.Clocks, f.Name)
			}
		}
	}
	m.out.Do(step.Effect{Kind: step.SaveResult, N: int64(m.wall), Result: r})
}

func outcome(f *sheet.Field, r *sheet.Row) string { return f.Choices[r.Int(f)] }

func (m *ends) playerResult(p *sheet.Row, name string) step.PlayerResult {
	f := &m.book.F.Player
	out := step.PlayerResult{Account: p.Text(f.Account), Name: name, Outcome: outcome(f.Outcome, p),
		Place: p.Int(f.Place), Fields: m.shown(p), StandIn: !m.keeps(p)}
	if t := m.st.Get(p.Team); t != nil {
		out.Team = t.Text(m.book.F.Team.Name)
	}
	return out
}

// shown are the declared numbers of a sheet that everyone may see.
func (m *ends) shown(r *sheet.Row) map[string]any {
	out := map[string]any{}
	for _, f := range m.book.Schema.Fields(r.Kind) {
		if f.BuiltIn || f.See != sheet.Everyone {
			continue
		}
		switch v := r.Get(f); f.Type {
		case sheet.Integer:
			out[f.Name] = v.N[0]
		case sheet.Number:
			out[f.Name] = float64(v.N[0]) / sheet.Thousand
		case sheet.Flag:
			out[f.Name] = v.N[0] != 0
		case sheet.Choice:
			out[f.Name] = f.Choices[v.N[0]]
		case sheet.Text:
			out[f.Name] = v.S
		case sheet.Clock:
			out[f.Name] = v.ClockMillis(m.book.Rate, m.clockNow(f))
		}
	}
	return out
}
