package api

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"

	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/wire"
)

type openRequest struct {
	Rulebook  string         `json:"rulebook"`
	Version   string         `json:"version,omitempty"` // the current one if it is not given
	Name      string         `json:"name,omitempty"`    // by which open-or-join finds it
	Title     string         `json:"title,omitempty"`
	Capacity  int            `json:"capacity,omitempty"`
	Practice  bool           `json:"practice,omitempty"`
	Hidden    bool           `json:"hidden,omitempty"`
	Closed    bool           `json:"closed,omitempty"`
	Password  string         `json:"password,omitempty"`
	WatchMost int            `json:"watch_most,omitempty"` // negative: nobody
	Region    string         `json:"region,omitempty"`
	Regions   []string       `json:"regions,omitempty"`    // instead of region: one of these
	Reserve   []string       `json:"reserve,omitempty"`    // players
	ReserveMS int64          `json:"reserve_ms,omitempty"` // how long; a minute if it is not given
	Options   map[string]any `json:"options,omitempty"`
}

type quickRequest struct {
	Rulebook string         `json:"rulebook"`
	Region   string         `json:"region,omitempty"`
	Regions  []string       `json:"regions,omitempty"`  // instead of region: one of these
	Party    []string       `json:"party,omitempty"`    // passes of other players who come along
	Capacity int            `json:"capacity,omitempty"` // of the lobby, if one is opened
	Options  map[string]any `json:"options,omitempty"`  // the same
}

type seatRequest struct {
	Team     string   `json:"team,omitempty"`
	Password string   `json:"password,omitempty"`
	Version  string   `json:"version,omitempty"`
	Locals   []string `json:"locals,omitempty"`
}

type intentRequest struct {
	Do     string         `json:"do"`
	Name   string         `json:"name,omitempty"`
	Target uint32         `json:"target,omitempty"`
	At     []int64        `json:"at,omitempty"`
	Yaw    *int64         `json:"yaw,omitempty"`
	Pitch  *int64         `json:"pitch,omitempty"`
	Args   map[string]any `json:"args,omitempty"`
	Text   string         `json:"text,omitempty"`
	Value  any            `json:"value,omitempty"`
}

// Found is a lobby that was found or opened.
type Found struct {
	wire.LobbyInfo
	New     bool   `json:"new"`     // it was opened by this call
	Link    string `json:"link"`    // to hand to others
	Node    string `json:"node"`    // at which it is alive
	Address string `json:"address"` // of the node: live connections go there at once
}

// Seat is a seat taken over HTTP.
type Seat struct {
	Seat uint32 `json:"seat"`
	Hold int64  `json:"hold_ms"` // within which the live connection must come
}

// Answer is the verdict on an intent over HTTP.
type Answer struct {
	OK   bool  `json:"ok"`
	Tick int64 `json:"tick"`
}

var lobbyRoutes = []route{
	{
		method:  "GET",
		path:    "/v1/me/lobbies",
		access:  signedIn,
		summary: "The lobbies in which the player has a seat or is in the queue",
		out:     Seats{},
		do:      by(func(s *nodes, c *call) (any, error) { return s.where(c, c.who.Player) }),
	},
	{
		method:  "GET",
		path:    "/v1/players/{id}/lobbies",
		access:  reading,
		summary: "The lobbies in which a player has a seat or is in the queue",
		out:     Seats{},
		do: by(func(s *nodes, c *call) (any, error) {
			p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
			if err != nil {
				return nil, err
			}
			return s.where(c, p.ID)
		}),
	},
	{
		method:  "GET",
		path:    "/v1/lobbies",
		summary: "The open lobbies that are listed",
		out:     directory.Page{},
		params: append([]param{
			{"rulebook", "only of this rulebook", "string"},
			{"region", "only in this region", "string"},
			{"state", "only in this state", "string"},
			{"free", "only open ones with at least this many free seats", "integer"},
			{"practice", "only practice lobbies (true) or only real ones (false)", "string"},
			{"title", "only those whose title begins with this", "string"},
			{"order", "newest (if not given), oldest, fullest or title", "string"},
		}, paging...),
		do: by((*lobbies).listLobbies),
	},
	{method: "POST", path: "/v1/lobbies", access: signedIn, summary: "Open a lobby", out: Found{},
		status: http.StatusCreated, do: taking((*lobbies).openLobby)},
	{method: "POST", path: "/v1/lobbies/named", access: signedIn,
		summary: "The open lobby with this name, or a new one; simultaneous calls never create two", out: Found{},
		do: taking((*lobbies).openOrJoin)},
	{method: "POST", path: "/v1/quick", access: signedIn,
		summary: "A lobby with room for the player and their party, or a new one; seats are held for 20 seconds, " +
			"those of a party for 10 if the player does not come",
		out: Found{}, do: taking((*lobbies).quick)},
	{method: "GET", path: "/v1/lobbies/{code}", summary: "A lobby by its join code", out: Found{},
		do: by((*lobbies).getLobby)},
	{method: "POST", path: "/v1/lobbies/{code}/seat", access: signedIn,
		summary: "Take a seat; it is held until the player connects", out: Seat{}, status: http.StatusCreated,
		do: taking((*lobbies).takeSeat)},
	{method: "DELETE", path: "/v1/lobbies/{code}/seat", access: signedIn,
		summary: "Give up the seat; without a seat nothing happens", do: by((*lobbies).leaveSeat)},
	{method: "POST", path: "/v1/lobbies/{code}/intents", access: signedIn,
		summary: "Send an intent for the player's seat", out: Answer{}, do: taking((*lobbies).intent)},
	{method: "PATCH", path: "/v1/lobbies/{code}", access: signedIn,
		summary: "Change the lobby, as its host: title, capacity, open, listed, watch_most, password, options",
		in:      map[string]any{}, out: Answer{}, do: by((*lobbies).changeLobby)},
	{method: "DELETE", path: "/v1/lobbies/{code}", access: operator, summary: "Close a lobby, as an operator",
		do: by((*lobbies).closeLobby)},
	{method: "POST", path: "/v1/lobbies/{code}/end", access: operator,
		summary: "End the running match, as an operator; without a match nothing happens",
		do:      taking((*lobbies).endMatch)},
	{method: "POST", path: "/v1/lobbies/{code}/set", access: operator,
		summary: "Set a field of a sheet by hand in a practice lobby, as an operator",
		do:      taking((*lobbies).setField)},
	{
		method: "POST",
		path:   "/v1/lobbies/{code}/advance",
		access: operator,
		summary: "Step through a practice match, as an operator: freezes play that is running, or lets this many " +
			"ticks of frozen play pass",
		do: taking((*lobbies).advance),
	},
	{method: "POST", path: "/v1/lobbies/{code}/copies", looks: true, access: reading,
		summary: "Ask every client whether its copy is correct; clients that do not answer within 5 s are counted",
		out:     hall.CheckReport{}, do: by((*lobbies).checkCopies)},
	{
		method: "GET",
		path:   "/v1/lobbies/{code}/copies",
		access: reading,
		summary: "What clients reported about their copies when they were asked: the newest 2000 answers since the " +
			"lobby moved to its node. Practice lobbies ask every 5 s",
		out: hall.CheckedCopies{},
		do:  by((*lobbies).checkedCopies),
	},
}

// setRequest is a field that an operator sets by hand.
type setRequest struct {
	Sheet uint32  `json:"sheet" jsonschema:"the number of the sheet"`
	Field string  `json:"field"`
	Value any     `json:"value,omitempty" jsonschema:"a number as a decimal, a choice by its word, a clock in milliseconds"`
	At    []int64 `json:"at,omitempty" jsonschema:"of a position, in millimetres"`
}

func (s *lobbies) setField(c *call, in setRequest) (any, error) {
	return s.byHand(c, &wire.Intent{Do: string(step.Set), Target: in.Sheet, Name: in.Field, Value: in.Value, At: in.At})
}

// advanceRequest is how many ticks of play an operator lets pass.
type advanceRequest struct {
	Ticks int `json:"ticks" jsonschema:"1 to 36000"`
}

func (s *lobbies) advance(c *call, in advanceRequest) (any, error) {
	return s.byHand(c, &wire.Intent{Do: string(step.Advance), Value: float64(in.Ticks)})
}

func (s *lobbies) byHand(c *call, m *wire.Intent) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	return nil, l.ByHand(c.r.Context(), m)
}

// Seats are the lobbies in which a player has a seat, or stands in line for one.
type Seats struct {
	Lobbies []Found `json:"lobbies"`
}

// endRequest is why an operator ends a match.
type endRequest struct {
	Because string `json:"because,omitempty"`
}

func (s *lobbies) endMatch(c *call, in endRequest) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	return nil, l.EndMatch(c.r.Context(), in.Because)
}

// copiesWithin is how long answers to a check of all copies are waited for.
const copiesWithin = 5 * time.Second

func (s *lobbies) checkCopies(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(c.r.Context(), copiesWithin)
	defer cancel()
	return l.Check(ctx)
}

func (s *lobbies) checkedCopies(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	return l.Checked(c.r.Context())
}

func (s *lobbies) getLobby(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, false)
}

// found tells of a lobby as it is at this moment.
func (s *server) found(c *call, joinCode string, opened bool) (any, error) {
	l, err := s.Hall.Find(joinCode)
	if err != nil {
		return nil, err
	}
	info, err := l.Info(c.r.Context())
	out := Found{LobbyInfo: info, New: opened, Link: schemeOf(c.r) + "://" + c.r.Host + "/lobby/" + info.Code}
	if s.Cluster != nil {
		out.Node, out.Address = s.Cluster.Self.Name, s.Cluster.Self.Address
	}
	return out, err
}

func (s *lobbies) takeSeat(c *call, in seatRequest) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	j := hall.Joining{Account: c.who.Player, Name: c.who.Name, Team: in.Team, Pass: in.Password, Version: in.Version,
		From: guard.Counted(addressOf(c.r))}
	for _, raw := range in.Locals {
		name, err := account.CleanName(raw)
		if err != nil {
			return nil, err
		}
		j.Locals = append(j.Locals, name)
	}
	var seat sheet.ID
	err = s.enter(c.r.Context(), l, &j, func() (err error) {
		seat, err = l.Sit(c.r.Context(), j)
		return err
	})
	return Seat{uint32(seat), l.HoldMillis()}, err
}

func (s *lobbies) leaveSeat(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	_, err = l.Quit(c.r.Context(), c.who.Player)
	return nil, err
}

func (s *lobbies) intent(c *call, in intentRequest) (any, error) {
	return s.ask(c, &wire.Intent{N: 1, Do: in.Do, Name: in.Name, Target: in.Target, At: in.At, Yaw: in.Yaw,
		Pitch: in.Pitch, Args: in.Args, Text: in.Text, Value: in.Value})
}

func (s *lobbies) changeLobby(c *call) (any, error) {
	in := map[string]any{}
	if err := body(c.w, c.r, &in); err != nil {
		return nil, err
	}
	return s.ask(c, &wire.Intent{N: 1, Do: string(step.Settings), Args: in})
}

// ask hands an intent in; a refusal becomes a fault.
func (s *lobbies) ask(c *call, in *wire.Intent) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	if in.Do == string(step.Rename) {
		if _, err := s.Guard.Take(guard.Renames, c.who.Player); err != nil {
			return nil, err
		}
	}
	v, err := l.Ask(c.r.Context(), c.who.Player, in)
	if err != nil {
		return nil, err
	}
	if !v.OK() {
		return nil, fault.New(v.Code, "%s", v.Reason)
	}
	return Answer{true, int64(v.At)}, nil
}

func (s *lobbies) closeLobby(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	l.Close("an operator has closed the lobby")
	return nil, nil
}

// filter reads a listing's filter from the query.
func filter(c *call) (f wire.Filter, err error) {
	f = wire.Filter{Rulebook: c.query("rulebook"), Region: c.query("region"), State: c.query("state"),
		Title: c.query("title")}
	if v := c.query("free"); v != "" {
		if f.Free, err = strconv.Atoi(v); err != nil || f.Free < 1 || f.Free > rulebook.MaxPlayers {
			return f, fault.New(code.OutOfRange, "free is from 1 to %d, not %q", rulebook.MaxPlayers, v)
		}
	}
	if v := c.query("practice"); v != "" {
		on, err := strconv.ParseBool(v)
		if err != nil {
			return f, fault.New(code.BadRequest, "practice is true or false, not %q", v)
		}
		f.Practice = &on
	}
	return f, nil
}

func (s *lobbies) listLobbies(c *call) (any, error) {
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	f, err := filter(c)
	if err != nil {
		return nil, err
	}
	page, err := s.Directory.List(c.r.Context(),
		directory.Query{Filter: f, Order: c.query("order"), Limit: limit, Cursor: c.query("cursor")}, s.Hall.Fresh)
	if err != nil {
		return nil, err
	}
	page.LeftOut, err = s.Directory.LeftOut(c.r.Context(), &f, s.self(), s.Hall.Tallies.All())
	return page, err
}
