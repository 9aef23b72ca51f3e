package match

import (
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
)

// keepRecord brings a player's record up to date with what the match gave.
func (m *Machine) keepRecord(s *seat) {
	if m.lobby.Flag(m.book.F.Lobby.Practice) || m.run.broken != "" || !s.row.Flag(m.book.F.Player.Loaded) {
		return
	}
	kept := m.book.F.Record.Kept
	for i, r := range m.book.Record {
		m.subject(sheet.Player, s.row)
		if r.Of == nil || r.If != nil && !r.If.Bool(&m.env) {
			continue
		}
		v := r.Of.Value(&m.env, r.Field.Type)
		if m.env.Fault != 0 {
			continue
		}
		had, now := s.record.Int(r.Field), v.N[0]
		first := s.record.Int(kept)&(1<<i) == 0
		switch r.Keep {
		case rulebook.KeepTotal:
			m.st.SetInt(s.record, r.Field, saturating(had, now))
		case rulebook.KeepBest:
			if first || now > had {
				m.st.SetInt(s.record, r.Field, now)
			}
		case rulebook.KeepLowest:
			if first || now < had {
				m.st.SetInt(s.record, r.Field, now)
			}
		default:
			m.st.Set(s.record, r.Field, v)
		}
		m.st.SetInt(s.record, kept, s.record.Int(kept)|1<<i)
	}
}

// saveRecord asks the driver to save a player's record as it is.
func (m *Machine) saveRecord(s *seat) {
	if !s.row.Flag(m.book.F.Player.Loaded) || m.lobby.Flag(m.book.F.Lobby.Practice) || len(m.book.Record) == 0 {
		return
	}
	e := Effect{Kind: SaveRecord, Seat: s.row.ID, Account: s.row.Text(m.book.F.Player.Account)}
	for _, f := range m.book.Schema.Fields(sheet.Record) {
		e.Values = append(e.Values, Named{f.Name, s.record.Get(f)})
	}
	m.effect(e)
}

// keepResult makes the result, the records and the posts of a match that has
// ended, and asks the driver to save them.
func (m *Machine) keepResult(because string) {
	f := &m.book.F
	practice := m.lobby.Flag(f.Lobby.Practice)
	r := &Result{Match: m.count, Rulebook: m.book.Name, Version: m.book.Version, Because: or(because, "the end"), Practice: practice,
		Millis: sheet.Millis(int64(m.play-m.run.began), m.book.Rate), Rounds: m.run.round}
	for _, t := range m.teams {
		r.Teams = append(r.Teams, TeamResult{Team: t.Text(f.Team.Name), Title: t.Text(f.Team.Title), Outcome: outcome(f.Team.Outcome, t),
			Place: t.Int(f.Team.Place), Rounds: t.Int(f.Team.Rounds), Fields: m.shown(t)})
	}
	for _, s := range m.seats {
		if !s.row.Flag(f.Player.Playing) {
			continue
		}
		m.keepRecord(s)
		r.Players = append(r.Players, m.playerResult(s.row, s.row.Text(f.Player.Name)))
		if !practice && m.run.broken == "" {
			r.Posts = append(r.Posts, m.posts(s)...)
		}
	}
	r.Players = append(r.Players, m.run.left...)
	for _, s := range m.seats {
		if s.row.Flag(f.Player.Playing) {
			m.saveRecord(s)
		}
	}
	for _, k := range []sheet.Kind{sheet.Team, sheet.Player} {
		for _, f := range m.book.Schema.Fields(k) {
			if f.Type == sheet.Clock && !f.BuiltIn && f.See == sheet.Everyone && !slices.Contains(r.Clocks, f.Name) {
				r.Clocks = append(r.Clocks, f.Name)
			}
		}
	}
	m.effect(Effect{Kind: SaveResult, Result: r})
}

func outcome(f *sheet.Field, r *sheet.Row) string { return f.Choices[r.Int(f)] }

func (m *Machine) playerResult(p *sheet.Row, name string) PlayerResult {
	f := &m.book.F.Player
	out := PlayerResult{Account: p.Text(f.Account), Name: name, Outcome: outcome(f.Outcome, p), Place: p.Int(f.Place), Fields: m.shown(p)}
	if t := m.st.Get(p.Team); t != nil {
		out.Team = t.Text(m.book.F.Team.Name)
	}
	return out
}

// shown are the declared numbers of a sheet that everyone may see.
func (m *Machine) shown(r *sheet.Row) map[string]any {
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

// posts are a player's entries for the boards.
func (m *Machine) posts(s *seat) []Post {
	var out []Post
	for _, b := range m.book.Boards {
		m.subject(sheet.Player, s.row)
		if b.Of == nil || b.If != nil && !b.If.Bool(&m.env) {
			continue
		}
		n := b.Of.Int(&m.env)
		if m.env.Fault == 0 {
			out = append(out, Post{Board: b.Name, Account: s.row.Text(m.book.F.Player.Account), Value: n})
		}
	}
	return out
}

// hints sends what the author wrote for the client's show.
func (m *Machine) hints() {
	for i := range m.book.End.Hints {
		h := &m.book.End.Hints[i]
		values := []sheet.Value{sheet.TextValue(h.Tint), sheet.TextValue(h.Play), sheet.TextValue(h.Say), sheet.IntValue(sheet.Integer, h.Lasts)}
		if h.For == "everyone" {
			m.out.Notices = append(m.out.Notices, Notice{Notice: rulebook.HintNotice, Values: values})
			continue
		}
		for _, p := range m.st.Seated {
			if outcome(m.book.F.Player.Outcome, p) == h.For {
				m.out.Notices = append(m.out.Notices, Notice{Notice: rulebook.HintNotice, To: sheet.OwnerOnly, Of: p.ID, Values: values})
			}
		}
	}
}
