package api

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/store"
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
	Reserve   []string       `json:"reserve,omitempty"`    // players
	ReserveMS int64          `json:"reserve_ms,omitempty"` // how long; a minute if it is not given
	Options   map[string]any `json:"options,omitempty"`
}

type quickRequest struct {
	Rulebook string         `json:"rulebook"`
	Region   string         `json:"region,omitempty"`
	Party    []string       `json:"party,omitempty"`    // other players who come along
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
	At     *[2]int64      `json:"at,omitempty"`
	Args   map[string]any `json:"args,omitempty"`
	Text   string         `json:"text,omitempty"`
	Value  any            `json:"value,omitempty"`
}

// Found is a lobby that was found or opened.
type Found struct {
	wire.LobbyInfo
	Opened bool   `json:"new"`  // it was opened by this call
	Link   string `json:"link"` // to hand to others
}

// LeftOut says how many lobbies a listing did not show, and why.
type LeftOut struct {
	Why   string `json:"why"`
	Count int64  `json:"count"`
}

// Lobbies is a page of the listing.
type Lobbies struct {
	Lobbies []wire.LobbyInfo `json:"lobbies"`
	LeftOut []LeftOut        `json:"left_out"`
	Next    string           `json:"next,omitempty"`
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
	{method: "GET", path: "/v1/lobbies", summary: "The open lobbies that are listed", out: Lobbies{}, params: append([]param{
		{"rulebook", "only of this rulebook", "string"}, {"region", "only in this region", "string"}, {"state", "only in this state", "string"},
		{"free", "only open ones with at least so many free places", "integer"}, {"practice", "only practice lobbies (true) or only real ones (false)", "string"},
		{"title", "only those whose title begins so", "string"}, {"order", "newest (if not given), oldest, fullest or title", "string"}}, paging...), do: (*server).listLobbies},
	{method: "POST", path: "/v1/lobbies", access: signedIn, summary: "Open a lobby", in: openRequest{}, out: Found{}, status: http.StatusCreated, do: (*server).openLobby},
	{method: "POST", path: "/v1/lobbies/named", access: signedIn, summary: "The open lobby of that name, or a new one; two calls at once never make two", in: openRequest{}, out: Found{}, do: (*server).openOrJoin},
	{method: "POST", path: "/v1/quick", access: signedIn, summary: "A lobby with room for the player and their party, or a new one; places are held for 20 seconds", in: quickRequest{}, out: Found{}, do: (*server).quick},
	{method: "GET", path: "/v1/lobbies/{code}", summary: "A lobby by its join code", out: Found{}, do: (*server).getLobby},
	{method: "POST", path: "/v1/lobbies/{code}/seat", access: signedIn, summary: "Take a seat; it is held until the live connection comes", in: seatRequest{}, out: Seat{}, status: http.StatusCreated, do: (*server).takeSeat},
	{method: "DELETE", path: "/v1/lobbies/{code}/seat", access: signedIn, summary: "Give the seat up; without one nothing happens", do: (*server).leaveSeat},
	{method: "POST", path: "/v1/lobbies/{code}/intents", access: signedIn, summary: "Hand in an intent for the player's seat", in: intentRequest{}, out: Answer{}, do: (*server).intent},
	{method: "PATCH", path: "/v1/lobbies/{code}", access: signedIn, summary: "Change the lobby, as its host: title, capacity, open, listed, watch_most, password, options", in: map[string]any{}, out: Answer{}, do: (*server).changeLobby},
	{method: "DELETE", path: "/v1/lobbies/{code}", access: operator, summary: "Close a lobby, as an operator", do: (*server).closeLobby},
	{method: "POST", path: "/v1/lobbies/{code}/end", access: operator, summary: "End the match that is running, as an operator; without one nothing happens", in: endRequest{}, do: (*server).endMatch},
	{method: "POST", path: "/v1/lobbies/{code}/copies", access: reading, summary: "Ask every client whether its copy is what it should be; who does not answer within 5 s is counted", out: hall.CheckReport{}, do: (*server).checkCopies},
}

// endRequest is why an operator ends a match.
type endRequest struct {
	Because string `json:"because,omitempty"`
}

func (s *server) endMatch(c *call) (any, error) {
	in, err := read[endRequest](c)
	if err != nil {
		return nil, err
	}
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	return nil, l.EndMatch(c.r.Context(), in.Because)
}

// copiesWithin is how long answers to a check of all copies are waited for.
const copiesWithin = 5 * time.Second

func (s *server) checkCopies(c *call) (any, error) {
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(c.r.Context(), copiesWithin)
	defer cancel()
	return l.Check(ctx)
}

func (s *server) openLobby(c *call) (any, error) {
	in, err := read[openRequest](c)
	if err != nil {
		return nil, err
	}
	book, o, err := s.opening(c, &in)
	if err != nil {
		return nil, err
	}
	l, err := s.Hall.Open(c.r.Context(), book, o)
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, true)
}

func (s *server) opening(c *call, in *openRequest) (*rulebook.Book, hall.Opening, error) {
	book, err := s.Library.Version(c.r.Context(), in.Rulebook, in.Version)
	return book, hall.Opening{Name: in.Name, Title: in.Title, Capacity: in.Capacity, Practice: in.Practice, Hidden: in.Hidden, Closed: in.Closed,
		Password: in.Password, Watchers: in.WatchMost, Region: in.Region, Reserve: in.Reserve, ReserveMS: in.ReserveMS, Options: in.Options}, err
}

func (s *server) openOrJoin(c *call) (any, error) {
	in, err := read[openRequest](c)
	if err != nil {
		return nil, err
	}
	if strings.TrimSpace(in.Name) == "" {
		return nil, fault.New(code.BadRequest, "the name of the lobby is missing")
	}
	book, o, err := s.opening(c, &in)
	if err != nil {
		return nil, err
	}
	joinCode, opened, err := s.Hall.OpenOrJoin(c.r.Context(), book, o, func(ctx context.Context, name string) (string, error) {
		var row store.Lobby
		err := s.DB.WithContext(ctx).First(&row, "rulebook = ? and lower(name) = lower(?) and closed_at is null", book.Name, name).Error
		if errors.Is(err, store.ErrNotFound) {
			return "", nil
		}
		return row.Code, err
	})
	if err != nil {
		return nil, err
	}
	return s.found(c, joinCode, opened)
}

func (s *server) quick(c *call) (any, error) {
	in, err := read[quickRequest](c)
	if err != nil {
		return nil, err
	}
	book, err := s.Library.Book(in.Rulebook)
	if err != nil {
		return nil, err
	}
	party := []string{c.who.Player}
	for _, p := range in.Party {
		if _, err := s.Accounts.Player(c.r.Context(), p); err != nil {
			return nil, err
		}
		party = append(party, p)
	}
	l, opened, err := s.Hall.Quick(c.r.Context(), book, party, hall.Opening{Capacity: in.Capacity, Region: in.Region, Options: in.Options})
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, opened)
}

func (s *server) getLobby(c *call) (any, error) {
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, false)
}

// find finds a lobby by its code. Codes that do not exist are counted against the
// address they come from.
func (s *server) find(r *http.Request, joinCode string) (*hall.Lobby, error) {
	address := addressOf(r)
	if !s.guesses.peek(address) {
		f := fault.New(code.TooMany, "too many join codes were tried that do not exist; wait a few seconds")
		f.Left = 5
		return nil, f
	}
	l, err := s.Hall.Find(joinCode)
	if err != nil {
		s.guesses.take(address)
	}
	return l, err
}

// found tells of a lobby as it is at this moment.
func (s *server) found(c *call, joinCode string, opened bool) (any, error) {
	l, err := s.Hall.Find(joinCode)
	if err != nil {
		return nil, err
	}
	info, err := l.Info(c.r.Context())
	scheme := "http"
	if c.r.TLS != nil || c.r.Header.Get("X-Forwarded-Proto") == "https" {
		scheme = "https"
	}
	return Found{info, opened, scheme + "://" + c.r.Host + "/lobby/" + info.Code}, err
}

func (s *server) takeSeat(c *call) (any, error) {
	in, err := read[seatRequest](c)
	if err != nil {
		return nil, err
	}
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	j := hall.Joining{Account: c.who.Player, Name: c.who.Name, Team: in.Team, Pass: in.Password, Version: in.Version}
	for _, raw := range in.Locals {
		name, err := account.CleanName(raw)
		if err != nil {
			return nil, err
		}
		j.Locals = append(j.Locals, name)
	}
	seat, err := l.Sit(c.r.Context(), j)
	return Seat{uint32(seat), l.HoldMillis()}, err
}

func (s *server) leaveSeat(c *call) (any, error) {
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	_, err = l.Quit(c.r.Context(), c.who.Player)
	return nil, err
}

func (s *server) intent(c *call) (any, error) {
	in, err := read[intentRequest](c)
	if err != nil {
		return nil, err
	}
	return s.ask(c, &wire.Intent{N: 1, Do: in.Do, Name: in.Name, Target: in.Target, At: in.At, Args: in.Args, Text: in.Text, Value: in.Value})
}

func (s *server) changeLobby(c *call) (any, error) {
	in := map[string]any{}
	if err := body(c.w, c.r, &in); err != nil {
		return nil, err
	}
	return s.ask(c, &wire.Intent{N: 1, Do: string(step.Settings), Args: in})
}

// ask hands an intent in; a refusal becomes a fault.
func (s *server) ask(c *call, in *wire.Intent) (any, error) {
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	if in.Do == string(step.Rename) {
		if in.Text, err = s.Accounts.Rename(c.r.Context(), c.who.Player, in.Text); err != nil {
			return nil, err
		}
		s.Hall.Renamed(c.who.Player, in.Text)
	}
	v, err := l.Ask(c.r.Context(), c.who.Player, func(cl *hall.Client, seat sheet.ID) (step.Input, error) {
		in.Seat = uint32(seat)
		return cl.ReadIntent(in)
	})
	if err != nil {
		return nil, err
	}
	if !v.OK() {
		return nil, fault.New(v.Code, "%s", v.Reason)
	}
	return Answer{true, int64(v.At)}, nil
}

func (s *server) closeLobby(c *call) (any, error) {
	l, err := s.find(c.r, c.path("code"))
	if err != nil {
		return nil, err
	}
	l.Close("an operator has closed the lobby")
	return nil, nil
}

// filter reads a listing's filter from the query.
func filter(c *call) (f wire.Filter, err error) {
	f = wire.Filter{Rulebook: c.query("rulebook"), Region: c.query("region"), State: c.query("state"), Title: c.query("title")}
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

// wanted narrows a query of the directory to what a filter asks for.
func wanted(q *store.Tx, f *wire.Filter) *store.Tx {
	q = q.Where("closed_at is null and listed")
	for column, v := range map[string]string{"rulebook": f.Rulebook, "region": f.Region, "state": f.State} {
		if v != "" {
			q = q.Where(column+" = ?", v)
		}
	}
	if f.Free > 0 {
		q = q.Where("open and free >= ?", f.Free)
	}
	if f.Practice != nil {
		q = q.Where("practice = ?", *f.Practice)
	}
	if f.Title != "" {
		escaped := strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(strings.ToLower(f.Title))
		q = q.Where("lower(title) like ?", escaped+"%")
	}
	return q
}

// listPlace is where a page of the listing ended.
type listPlace struct {
	T     time.Time `json:"t"`
	ID    string    `json:"i"`
	Free  int       `json:"f"`
	Title string    `json:"n"`
}

// orders are the orders of a listing: how it is sorted, and what comes after a place.
var orders = map[string]struct{ by, after string }{
	"newest":  {"created_at desc, id desc", "(created_at, id) < (@t, cast(@i as uuid))"},
	"oldest":  {"created_at, id", "(created_at, id) > (@t, cast(@i as uuid))"},
	"fullest": {"free, created_at desc, id desc", "(free > @f or free = @f and (created_at, id) < (@t, cast(@i as uuid)))"},
	"title":   {"lower(title), id", "(lower(title), id) > (lower(@n), cast(@i as uuid))"},
}

func (s *server) listLobbies(c *call) (any, error) {
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	f, err := filter(c)
	if err != nil {
		return nil, err
	}
	name := c.query("order")
	if name == "" {
		name = "newest"
	}
	order, ok := orders[name]
	if !ok {
		return nil, fault.New(code.BadRequest, "order is newest, oldest, fullest or title, not %q", name)
	}
	q := wanted(s.DB.WithContext(c.r.Context()), &f)
	if v := c.query("cursor"); v != "" {
		var p listPlace
		raw, err := base64.RawURLEncoding.DecodeString(v)
		if err != nil || json.Unmarshal(raw, &p) != nil || len(p.ID) != 36 {
			return nil, fault.New(code.BadCursor, "this cursor was not given out by this list")
		}
		q = q.Where(order.after, map[string]any{"t": p.T, "i": p.ID, "f": p.Free, "n": p.Title})
	}
	var rows []store.Lobby
	if err := q.Order(order.by).Limit(limit + 1).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := Lobbies{Lobbies: []wire.LobbyInfo{}}
	if len(rows) > limit {
		last := rows[limit-1]
		rows = rows[:limit]
		raw, _ := json.Marshal(listPlace{last.CreatedAt, last.ID, last.Free, last.Title})
		out.Next = base64.RawURLEncoding.EncodeToString(raw)
	}
	for i := range rows {
		info := hall.Info(&rows[i])
		if s.Hall.Fresh(&info); f.Matches(&info) {
			out.Lobbies = append(out.Lobbies, info)
		}
	}
	out.LeftOut, err = s.leftOut(c, &f)
	return out, err
}

// fewCounted is the most lobbies that are counted one by one.
const fewCounted = 1000

// leftOut says how many open lobbies a filter leaves out, from the tallies.
func (s *server) leftOut(c *call, f *wire.Filter) ([]LeftOut, error) {
	var tallies []struct {
		Rulebook, Region, Sort string
		N                      int64
	}
	if err := s.DB.WithContext(c.r.Context()).Table("lobby_tallies").Where("n > 0").Scan(&tallies).Error; err != nil {
		return nil, err
	}
	counts := map[string]int64{}
	for _, t := range tallies {
		switch {
		case f.Rulebook != "" && t.Rulebook != f.Rulebook: // not what was asked about
		case f.Region != "" && t.Region != f.Region:
			counts["in another region: "+t.Region] += t.N
		case t.Sort == "hidden":
			counts["found by code only"] += t.N
		case f.Free > 0 && t.Sort == "closed":
			counts["closed to newcomers"] += t.N
		case f.Free > 0 && t.Sort == "full":
			counts["full"] += t.N
		case f.Practice != nil && *f.Practice != (t.Sort == "practice"):
			counts[map[bool]string{true: "not for practice", false: "for practice"}[*f.Practice]] += t.N
		case f.State == "gathering" && t.Sort == "playing":
			counts["playing"] += t.N
		}
	}
	if f.Free > 1 {
		narrow := *f
		narrow.Free = 0
		var n int64
		q := wanted(s.DB.WithContext(c.r.Context()), &narrow).Where("open and free between 1 and ?", f.Free-1).Model(&store.Lobby{})
		if err := s.DB.WithContext(c.r.Context()).Table("(?) few", q.Select("1").Limit(fewCounted)).Count(&n).Error; err != nil {
			return nil, err
		}
		if n > 0 {
			counts["with too few free places"] = n
		}
	}
	out := []LeftOut{}
	for _, why := range slices.Sorted(maps.Keys(counts)) {
		out = append(out, LeftOut{why, counts[why]})
	}
	return out, nil
}
