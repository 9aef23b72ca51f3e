package api

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
)

// place is where a page of a list in order of time ended.
type place struct {
	T  time.Time `json:"t"`
	ID string    `json:"i"`
}

// cursorOf writes where a page ended as a cursor.
func cursorOf(place any) string {
	raw, _ := json.Marshal(place)
	return base64.RawURLEncoding.EncodeToString(raw)
}

func readCursor(cursor string, place any) error {
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, place)
}

func readPlace(cursor string) (p place, err error) {
	if err = readCursor(cursor, &p); err != nil || !store.IsID(p.ID) {
		return p, fault.New(code.BadCursor, "this cursor was not given out by this list")
	}
	return p, nil
}

func show(m *store.Match) Match { return Match{m.ID, m.Code, m.EndedAt.UTC(), m.Result} }

// sees is a query of results that lets through what the caller may see: results of lobbies that were not listed are for
// who took part, and for service keys.
func (c *call) sees() keep.Query {
	if c.who != nil && !c.who.IsPlayer() {
		return keep.Query{}
	}
	q := keep.Query{Public: true}
	if c.who != nil {
		q.Seer = c.who.Player
	}
	return q
}

// matchQuery reads what a list of matches is asked for with.
func (s *server) matchQuery(c *call) (q keep.Query, err error) {
	q = c.sees()
	q.Rulebook, q.Lobby, q.Player = c.query("rulebook"), c.query("lobby"), c.query("player")
	if q.Since, err = c.moment("since"); err != nil {
		return q, err
	}
	if q.Before, err = c.moment("before"); err != nil {
		return q, err
	}
	if v := c.query("cursor"); v != "" {
		p, err := readPlace(v)
		if err != nil {
			return q, err
		}
		q.Before, q.BeforeID = p.T, p.ID
	}
	return q, nil
}

// moment reads a moment that a list is asked for with; the zero time if it is not given.
func (c *call) moment(name string) (at time.Time, err error) {
	if v := c.query(name); v != "" {
		if at, err = time.Parse(time.RFC3339, v); err != nil {
			return at, fault.New(code.BadRequest, "%s is a time such as 2026-11-26T08:00:00Z, not %q", name, v)
		}
	}
	return at, nil
}

func (s *results) listMatches(c *call) (any, error) {
	q, err := s.matchQuery(c)
	if err != nil {
		return nil, err
	}
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	q.Limit = limit + 1
	rows, err := s.Keeper.Matches(c.r.Context(), q)
	if err != nil {
		return nil, err
	}
	out := Matches{Matches: []Match{}}
	if len(rows) > limit {
		rows = rows[:limit]
		out.Next = cursorOf(place{rows[limit-1].EndedAt, rows[limit-1].ID})
	}
	for i := range rows {
		out.Matches = append(out.Matches, show(&rows[i]))
	}
	return out, nil
}

func (s *results) getMatch(c *call) (any, error) {
	row, err := s.Keeper.Match(c.r.Context(), c.path("id"), c.sees())
	if err != nil {
		return nil, err
	}
	return show(&row), nil
}

// mayRead tells whether somebody may read a field of a player's record: keys that see all read everything, players
// their own but for what is for referees, and others what is for everyone.
func mayRead(who *account.Who, player string, f *sheet.Field) bool {
	switch {
	case f.See == sheet.Everyone:
		return true
	case f.See == sheet.Hidden || who == nil:
		return false
	case who.Can(account.Read) || who.Can(account.Referee) || who.Can(account.Grants):
		return true
	}
	return who.Player == player && f.See != sheet.RefereesOnly
}

// getRecord shows a record: all of it to its owner and to operators, otherwise what everyone may see.
func (s *results) getRecord(c *call) (any, error) {
	book, p, err := s.recordOf(c)
	if err != nil {
		return nil, err
	}
	return s.recordFor(c.r.Context(), c.who, p.ID, book)
}

// recordFor is a player's record, as far as somebody may read it.
func (s *server) recordFor(ctx context.Context, who *account.Who, player string, book *rulebook.Book) (Record, error) {
	stand, err := s.Keeper.Record(ctx, player, book)
	return showRecord(who, player, book, stand), err
}

// showRecord shows how a player's record stands, as far as somebody may read it.
func showRecord(who *account.Who, player string, book *rulebook.Book, stand keep.Standing) Record {
	out := Record{Player: player, Rulebook: book.Name, Revision: stand.Version, Fields: stand.Fields.Shown(book)}
	for _, r := range book.Record {
		if !mayRead(who, player, r.Field) {
			delete(out.Fields, r.Field.Name)
		}
	}
	return out
}

// recordOf finds the rulebook and the player of a request for a record.
func (s *server) recordOf(c *call) (*rulebook.Book, *store.Player, error) {
	book, err := s.Library.Book(c.path("rulebook"))
	if err != nil {
		return nil, nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	return book, p, err
}

// correctRecord lets an operator change a record, and tells the lobbies that hold it.
func (s *results) correctRecord(c *call, in keep.Correction) (any, error) {
	book, p, err := s.recordOf(c)
	if err != nil {
		return nil, err
	}
	stand, err := s.Keeper.Correct(c.r.Context(), p.ID, book, &in, c.who.Name, c.query("id"))
	if err != nil {
		return nil, err
	}
	s.Hall.Stands(book.Name, p.ID, stand)
	return showRecord(c.who, p.ID, book, stand), nil
}

// numbered reads what a page is asked for with of a list whose cursors are numbers; 0 is from its beginning.
func (c *call) numbered() (limit int, before int64, err error) {
	if limit, err = c.limit(100, 20); err != nil {
		return 0, 0, err
	}
	if v := c.query("cursor"); v != "" {
		if before, err = strconv.ParseInt(v, 10, 64); err != nil || before == 0 {
			return 0, 0, fault.New(code.BadCursor, "this cursor was not given out by this list")
		}
	}
	return limit, before, nil
}

// numberedNext writes where the next page of such a list begins; 0 is nowhere.
func numberedNext(n int64) string {
	if n == 0 {
		return ""
	}
	return strconv.FormatInt(n, 10)
}

func (s *results) recordHistory(c *call) (any, error) {
	book, p, err := s.recordOf(c)
	if err != nil {
		return nil, err
	}
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	var before keep.Place
	if v := c.query("cursor"); v != "" {
		if err := readCursor(v, &before); err != nil || !store.IsID(before.Lobby) {
			return nil, fault.New(code.BadCursor, "this cursor was not given out by this list")
		}
	}
	rows, err := s.Keeper.History(c.r.Context(), p.ID, book.Name, before, limit+1)
	if err != nil {
		return nil, err
	}
	out := History{Changes: append([]keep.Change{}, rows...)} // an empty list, never none
	if len(rows) > limit {
		out.Changes = rows[:limit]
		out.Next = cursorOf(rows[limit-1].Place())
	}
	return out, nil
}
