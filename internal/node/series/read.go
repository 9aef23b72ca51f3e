package series

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/series"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// Summary is a series in a list.
type Summary struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Title    string    `json:"title"`
	Rulebook string    `json:"rulebook"`
	Form     string    `json:"form"` // meeting, bracket or table
	Over     bool      `json:"over"`
	Winner   string    `json:"winner,omitempty"`
	Entrants int       `json:"entrants"`
	Opened   time.Time `json:"opened"`
}

// View is a series whole.
type View struct {
	Summary
	Standings []Row     `json:"standings"`
	Meetings  []Meeting `json:"meetings"`
	Because   string    `json:"because,omitempty"` // why an operator ended it
}

// Row is how an entrant stands.
type Row struct {
	series.Standing
	Name    string   `json:"name"`
	Players []string `json:"players"`
	Out     bool     `json:"out,omitempty"` // withdrawn
}

// Meeting is one meeting of a series.
type Meeting struct {
	Number int      `json:"number"`
	Round  int      `json:"round"`
	Third  bool     `json:"third,omitempty"`
	Sides  [2]Party `json:"sides"`
	Stage  string   `json:"stage"` // waits, opens, comes, plays or decided
	Lobby  string   `json:"lobby,omitempty"`
	Winner string   `json:"winner,omitempty"`
	Why    string   `json:"why,omitempty"` // played, walkover, withdrawn, bye or ended
}

// Party is one side of a meeting.
type Party struct {
	Name string `json:"name,omitempty"` // nothing while it is not known, or there is nobody
	From int    `json:"from,omitempty"` // the meeting that it comes from
	Wins int    `json:"wins"`
}

// List returns series, the newest first, from after one of an ID that was opened then on ("" begins with the newest).
func (x *Manager) List(ctx context.Context, opened time.Time, id string, limit int) ([]Summary, error) {
	var rows []store.Series
	q := x.db.WithContext(ctx)
	if id != "" {
		q = q.Where("opened_at < ? or opened_at = ? and id > ?", opened, opened, id)
	}
	if err := q.Order("opened_at desc, id").Limit(limit).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := []Summary{}
	for i := range rows {
		if m, err := restored(&rows[i]); err == nil {
			out = append(out, summary(&rows[i], m))
		}
	}
	return out, nil
}

func restored(row *store.Series) (*series.Machine, error) {
	plan, problems := rulebook.CompileSeries(row.Plan)
	if plan == nil {
		return nil, problems
	}
	m, _, err := series.Restore(plan, row.State)
	return m, err
}

func summary(row *store.Series, m *series.Machine) Summary {
	s := m.State()
	out := Summary{ID: row.ID, Name: row.Name, Title: row.Title, Rulebook: m.Plan().Rulebook,
		Form: m.Plan().Form.String(), Over: row.Over, Entrants: len(s.Entrants), Opened: row.OpenedAt}
	if s.Winner != 0 {
		out.Winner = s.Entrants[s.Winner-1].Name
	}
	return out
}

// Get returns a series whole.
func (x *Manager) Get(ctx context.Context, id string) (*View, error) {
	row, err := x.row(ctx, id)
	if err != nil {
		return nil, err
	}
	m, err := restored(row)
	if err != nil {
		return nil, err
	}
	s := m.State()
	out := &View{Summary: summary(row, m), Because: s.Because, Standings: []Row{}, Meetings: []Meeting{}}
	for _, r := range m.Standings() {
		e := s.Entrants[r.Entrant-1]
		out.Standings = append(out.Standings, Row{Standing: r, Name: e.Name, Players: e.Players, Out: e.Out})
	}
	name := func(entrant int) string {
		if entrant == 0 {
			return ""
		}
		return s.Entrants[entrant-1].Name
	}
	for i, x := range s.Meetings {
		meeting := Meeting{Number: i + 1, Round: x.Round, Third: x.Third, Stage: string(x.Stage), Lobby: x.Lobby,
			Winner: name(x.Winner), Why: x.Why}
		if x.Stage == series.Decided {
			meeting.Lobby = ""
		}
		for k, side := range x.Sides {
			meeting.Sides[k] = Party{Name: name(side.Entrant), From: side.From, Wins: side.Wins}
		}
		out.Meetings = append(out.Meetings, meeting)
	}
	return out, nil
}

func (x *Manager) row(ctx context.Context, id string) (*store.Series, error) {
	var row store.Series
	err := x.db.WithContext(ctx).First(&row, "id::text = ?", id).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, fault.New(code.NoSeries, "there is no series %q", id)
	}
	return &row, err
}

// Due are the meetings that a player is to be at now.
func (x *Manager) Due(account string) []wire.SeriesDue {
	x.mu.Lock()
	var runs []*run
	for _, r := range x.live {
		runs = append(runs, r)
	}
	x.mu.Unlock()
	out := []wire.SeriesDue{}
	for _, r := range runs {
		r.mu.Lock()
		for _, no := range r.m.Due(account) {
			out = append(out, due(r, no, r.side(no, account)))
		}
		r.mu.Unlock()
	}
	return out
}

// side is on which side of a meeting a player is.
func (r *run) side(no int, account string) int {
	s := r.m.State()
	for _, p := range s.Entrants[s.Meetings[no-1].Sides[1].Entrant-1].Players {
		if p == account {
			return 1
		}
	}
	return 0
}

// Withdraw takes an entrant, by name, out of a series.
func (x *Manager) Withdraw(ctx context.Context, id, entrant string) error {
	r, err := x.running(ctx, id)
	if err != nil {
		return err
	}
	r.mu.Lock()
	all := r.m.State().Entrants
	i := slices.IndexFunc(all, func(e series.Entrant) bool { return e.Name == entrant })
	var names []string
	for _, e := range all {
		names = append(names, e.Name)
	}
	r.mu.Unlock()
	if i < 0 {
		return fault.New(code.BadSeries, "the series has no entrant %q; it has: %s", entrant, strings.Join(names, ", "))
	}
	return x.asked(ctx, r, series.Input{Kind: series.Withdraw, Entrant: i + 1})
}

// End ends a series at an operator's word.
func (x *Manager) End(ctx context.Context, id, why string) error {
	r, err := x.running(ctx, id)
	if err != nil {
		return err
	}
	return x.asked(ctx, r, series.Input{Kind: series.End, Why: why})
}

func (x *Manager) asked(ctx context.Context, r *run, in series.Input) error {
	refused, failed := x.take(ctx, r, in)
	if refused != nil {
		return fault.New(code.BadSeries, "%s", refused)
	}
	return failed
}

func (x *Manager) running(ctx context.Context, id string) (*run, error) {
	x.mu.Lock()
	r := x.live[id]
	x.mu.Unlock()
	if r != nil {
		return r, nil
	}
	if _, err := x.row(ctx, id); err != nil {
		return nil, err
	}
	return nil, fault.New(code.BadSeries, "the series is over, or another node runs it")
}
