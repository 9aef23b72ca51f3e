package api

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"

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

func (p place) String() string {
	raw, _ := json.Marshal(p)
	return base64.RawURLEncoding.EncodeToString(raw)
}

func readPlace(cursor string) (p place, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	if err == nil {
		err = json.Unmarshal(raw, &p)
	}
	if err != nil || uuid.Validate(p.ID) != nil {
		return p, fault.New(code.BadCursor, "this cursor was not given out by this list")
	}
	return p, nil
}

// endedMatch is a match with its lobby's join code.
type endedMatch struct {
	store.Match
	Code string
}

func (m *endedMatch) show() Match { return Match{m.ID, m.Code, m.EndedAt, m.Result} }

func (s *server) matches(c *call) *store.Tx {
	return s.DB.WithContext(c.r.Context()).Table("matches m").Select("m.*, l.code as code").Joins("join lobbies l on l.id = m.lobby_id")
}

func (s *server) listMatches(c *call) (any, error) {
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	q := s.matches(c)
	if v := c.query("rulebook"); v != "" {
		q = q.Where("m.rulebook = ?", v)
	}
	if v := c.query("lobby"); v != "" {
		q = q.Where("l.code = ?", strings.ToUpper(v))
	}
	if v := c.query("player"); v != "" {
		if uuid.Validate(v) != nil {
			return nil, fault.New(code.NoPlayer, "there is no player %q", v)
		}
		q = q.Where("exists (select 1 from match_players mp where mp.match_id = m.id and mp.player_id = ?)", v)
	}
	if v := c.query("cursor"); v != "" {
		p, err := readPlace(v)
		if err != nil {
			return nil, err
		}
		q = q.Where("(m.ended_at, m.id) < (?, ?::uuid)", p.T, p.ID)
	}
	var rows []endedMatch
	if err := q.Order("m.ended_at desc, m.id desc").Limit(limit + 1).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := Matches{Matches: []Match{}}
	if len(rows) > limit {
		rows = rows[:limit]
		out.Next = place{rows[limit-1].EndedAt, rows[limit-1].ID}.String()
	}
	for i := range rows {
		out.Matches = append(out.Matches, rows[i].show())
	}
	return out, nil
}

func (s *server) getMatch(c *call) (any, error) {
	id := c.path("id")
	var row endedMatch
	if uuid.Validate(id) == nil {
		if err := s.matches(c).Where("m.id = ?", id).Take(&row).Error; err == nil {
			return row.show(), nil
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
	}
	return nil, fault.New(code.NoMatch, "there is no match %q", id)
}

// getRecord shows a record: all of it to its owner and to operators, otherwise
// what everyone may see.
func (s *server) getRecord(c *call) (any, error) {
	book, err := s.Library.Book(c.path("rulebook"))
	if err != nil {
		return nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	kept, err := keep.LoadRecord(c.r.Context(), s.DB, p.ID, book.Name)
	if err != nil {
		return nil, err
	}
	out := Record{Player: p.ID, Rulebook: book.Name, Fields: keep.Fields{}}
	own := c.who != nil && (c.who.Player == p.ID || c.who.Can(account.Read))
	for _, r := range book.Record {
		if v, ok := kept[r.Field.Name]; ok && (own || r.Field.See == sheet.Everyone) {
			out.Fields[r.Field.Name] = v
		}
	}
	return out, nil
}

func (s *server) boardOf(c *call) (*rulebook.Book, *rulebook.Board, error) {
	book, err := s.Library.Book(c.path("rulebook"))
	if err != nil {
		return nil, nil, err
	}
	b := book.Board(c.path("board"))
	if b == nil {
		return nil, nil, fault.New(code.NoBoard, "the rulebook %s has no board %q", book.Name, c.path("board"))
	}
	return book, b, nil
}

func (s *server) getBoard(c *call) (any, error) {
	book, b, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	limit, err := c.limit(keep.MaxPage, 20)
	if err != nil {
		return nil, err
	}
	return keep.Top(c.r.Context(), s.DB, b, book.Name, limit, c.query("cursor"))
}

func (s *server) postBoard(c *call) (any, error) {
	book, b, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	var in postRequest
	if err := body(c.w, c.r, &in); err != nil {
		return nil, err
	}
	if !b.Open {
		return nil, fault.New(code.BoardClosed, "only the service posts to the board %s of %s; its rulebook would have to say boards.%s.clients with bounds", b.Name, book.Name, b.Name)
	}
	if in.Value < b.Lowest || in.Value > b.Most {
		return nil, fault.New(code.OutOfRange, "the board %s takes values from %d to %d, not %d", b.Name, b.Lowest, b.Most, in.Value)
	}
	return nil, keep.Post(s.DB.WithContext(c.r.Context()), b, book.Name, c.who.Player, in.Value)
}
