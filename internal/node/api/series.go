package api

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/series"
	"turnvex.example/turnvex/internal/wire"
)

type seriesRequest struct {
	Plan     string           `json:"plan"`     // the file that declares it
	Entrants []series.Entrant `json:"entrants"` // the strongest first; players by their IDs
}

type seriesOpened struct {
	ID string `json:"id"`
}

type withdrawRequest struct {
	Entrant string `json:"entrant"` // by name
}

type endSeriesRequest struct {
	Reason string `json:"reason,omitempty"`
}

type seriesList struct {
	Series []series.Summary `json:"series"` // the newest first
	Next   string           `json:"next,omitempty"`
}

type seriesDue struct {
	Meetings []wire.SeriesDue `json:"meetings"`
}

var seriesRoutes = []route{
	{method: "POST", path: "/v1/series", access: operator, out: seriesOpened{}, do: taking((*meetings).openSeries),
		summary: "Start a series of matches; the service opens its lobbies and holds the seats"},
	{method: "GET", path: "/v1/series", access: public, out: seriesList{}, do: by((*meetings).listSeries),
		params: paging, summary: "Series, the newest first"},
	{method: "GET", path: "/v1/series/{id}", access: public, out: series.View{}, do: by((*meetings).getSeries),
		summary: "A series with its meetings and standings"},
	{method: "POST", path: "/v1/series/{id}/withdraw", access: operator,
		do: taking((*meetings).withdraw), summary: "Withdraw an entrant from a series"},
	{method: "POST", path: "/v1/series/{id}/end", access: operator,
		do: taking((*meetings).endSeries), summary: "End a series"},
	{method: "GET", path: "/v1/me/series", access: signedIn, out: seriesDue{}, do: by((*meetings).mySeries),
		summary: "The meetings of series that the player is due at now"},
}

// maxReason is the most characters of the reason for an end.
const maxReason = 64

func (s *meetings) openSeries(c *call, in seriesRequest) (any, error) {
	plan, problems := rulebook.CompileSeries([]byte(in.Plan))
	if plan == nil {
		bad := problems.Errors()
		f := fault.New(code.BadRulebook, "the plan has %d errors, the first at %s", len(bad), bad[0])
		if len(bad) == 1 {
			f = fault.New(code.BadRulebook, "the plan has an error at %s", bad[0])
		}
		f.Extra = problems
		return nil, f
	}
	for _, e := range in.Entrants {
		for _, p := range e.Players {
			if _, err := s.Accounts.Player(c.r.Context(), p); err != nil {
				return nil, err
			}
		}
	}
	id, err := s.Series.Open(c.r.Context(), plan, in.Entrants)
	return seriesOpened{id}, err
}

func (s *meetings) listSeries(c *call) (any, error) {
	n, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	var from place
	if v := c.query("cursor"); v != "" {
		if from, err = readPlace(v); err != nil {
			return nil, err
		}
	}
	list, err := s.Series.List(c.r.Context(), from.T, from.ID, n+1)
	out := seriesList{Series: list}
	if len(list) > n {
		out.Series = list[:n]
		out.Next = cursorOf(place{list[n-1].Opened, list[n-1].ID})
	}
	return out, err
}

func (s *meetings) getSeries(c *call) (any, error) { return s.Series.Get(c.r.Context(), c.path("id")) }

func (s *meetings) withdraw(c *call, in withdrawRequest) (any, error) {
	return nil, s.Series.Withdraw(c.r.Context(), c.path("id"), in.Entrant)
}

func (s *meetings) endSeries(c *call, in endSeriesRequest) (any, error) {
	reason, err := fault.Line("the reason", in.Reason, maxReason)
	if err != nil {
		return nil, err
	}
	return nil, s.Series.End(c.r.Context(), c.path("id"), reason)
}

func (s *meetings) mySeries(c *call) (any, error) { return seriesDue{s.Series.Due(c.who.Player)}, nil }
