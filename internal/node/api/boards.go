package api

import (
	"math"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/board"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

type postRequest struct {
	Value  *int64 `json:"value"`
	Player string `json:"player,omitempty"` // service keys: whose
	Team   string `json:"team,omitempty"`   // service keys, of a board per team: whose
	ID     string `json:"id,omitempty"`     // a UUID: the post counts once
}

type whyRequest struct {
	Why string `json:"why"`
}

// renewal asks for a new season.
type renewal struct {
	After string `json:"after,omitempty"` // the season that it ends
	Why   string `json:"why"`
}

// Seasons are a board's, newest first.
type Seasons struct {
	Seasons []wire.Season `json:"seasons"`
	Next    string        `json:"next,omitempty"`
}

// BoardActs is what operators did to a board, newest first.
type BoardActs struct {
	Acts []board.Act `json:"acts"`
	Next string      `json:"next,omitempty"` // the cursor of the next page
}

const boardPath = "/v1/boards/{rulebook}/{board}"

var seasonParam = param{"season", "its name; default: the current one", "string"}

var boardRoutes = []route{
	{
		method: "GET",
		path:   boardPath,
		summary: "A part of a leaderboard: the top, from a rank on, around a player (me is the caller), chosen " +
			"players, players by name, or the next page; of the current season or an earlier one",
		out: wire.BoardPage{},
		params: append([]param{seasonParam,
			{"from", "from this rank on, from 1", "integer"},
			{"around", "a player's ID, or me: their entry and those around it", "string"},
			{"players", "IDs with commas between: only these, at most 100", "string"},
			{"name", "only players whose names begin with this, at most 100; only on boards per player",
				"string"}}, paging...),
		do:   by((*boards).getBoard),
		lazy: true,
	},
	{
		method: "POST",
		path:   boardPath,
		access: tokened,
		summary: "Post to a leaderboard: players for themselves, if the rulebook lets clients post; service keys " +
			"for any player or team. With an id, a post counts once and may be repeated; without one, a repeated " +
			"post counts again if the board keeps totals or counts",
		do: taking((*boards).postBoard),
	},
	{method: "GET", path: boardPath + "/seasons", summary: "A leaderboard's seasons, newest first",
		out: Seasons{}, params: paging, do: by((*boards).listSeasons)},
	{method: "POST", path: boardPath + "/seasons", access: operator,
		summary: "Start a new season of a leaderboard that is renewed by hand, with a reason. With after, the season " +
			"to end, it happens once, however often you send it", out: wire.Season{},
		do: taking((*boards).renewBoard)},
	{method: "POST", path: boardPath + "/entries/{subject}/removal", access: operator,
		summary: "Remove the entry of a player or team from a season, with a reason; the places below move up at once",
		params:  []param{seasonParam}, do: taking((*boards).removeEntry)},
	{
		method: "PUT",
		path:   boardPath + "/bars/{id}",
		access: operator,
		summary: "Bar a player from a leaderboard, with a reason: their entries in seasons that are not closed " +
			"are removed, and their posts no longer count",
		do: taking((*boards).barPlayer),
	},
	{method: "DELETE", path: boardPath + "/bars/{id}", access: operator,
		summary: "Let a barred player post to a leaderboard again",
		params:  []param{{"why", "the reason, 1 to 200 characters", "string"}}, do: by((*boards).unbarPlayer)},
	{method: "GET", path: boardPath + "/acts", access: operator,
		summary: "What operators did to a leaderboard, newest first", out: BoardActs{}, params: paging,
		do: by((*boards).boardActs)},
	{method: "GET", path: boardPath + "/comparison", access: operator,
		summary: "Compare a season in memory with the database; only posts in progress may differ",
		out:     board.Comparison{}, params: []param{seasonParam}, do: by((*boards).compareBoard)},
}

// boardOf finds the board of a request.
func (s *boards) boardOf(c *call) (*rulebook.Book, board.Ref, error) {
	book, err := s.Library.Book(c.path("rulebook"))
	if err != nil {
		return nil, board.Ref{}, err
	}
	ref, err := board.Of(book, c.path("board"))
	return book, ref, err
}

func (s *boards) getBoard(c *call) (any, error) {
	book, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	q := board.Query{Season: c.query("season"), Cursor: c.query("cursor"), Around: c.query("around"),
		Titles: board.Sides(book)}
	if q.Limit, err = c.limit(board.MaxPage, 20); err != nil {
		return nil, err
	}
	if q.Around == "me" {
		if c.who == nil || !c.who.IsPlayer() {
			return nil, fault.New(code.NoToken, "around=me needs a player's token")
		}
		q.Around = c.who.Player
	}
	if v := c.query("players"); v != "" {
		q.Players = strings.Split(v, ",")
	}
	if v := c.query("name"); v != "" {
		if q.Players, err = s.called(c, r.Board, v); err != nil {
			return nil, err
		}
	}
	if v := c.query("from"); v != "" {
		if q.From, err = strconv.Atoi(v); err != nil || q.From < 1 || q.From > math.MaxInt32 {
			return nil, fault.New(code.OutOfRange, "from is a rank from 1, not %q", v)
		}
	}
	if v, err := s.Boards.Glance(r, &q); err != nil {
		return nil, err
	} else if v != nil {
		return v, nil
	}
	c.timed(s.within())
	return s.Boards.View(c.r.Context(), r, &q)
}

// called are the players whose names begin so; where there are none, one that does not exist.
func (s *boards) called(c *call, b *rulebook.Board, name string) (ids []string, err error) {
	if b.Team || len(name) > 100 {
		return nil, fault.New(code.BadRequest, "name is what the names of players begin with, 1 to 100 bytes, on a "+
			"board of players")
	}
	c.timed(s.within())
	list, _, err := s.Accounts.Find(c.r.Context(), name, "", board.MaxPage)
	for _, p := range list {
		ids = append(ids, p.Player)
	}
	if len(ids) == 0 {
		ids = []string{uuid.Nil.String()}
	}
	return ids, err
}

func (s *boards) postBoard(c *call, in postRequest) (any, error) {
	book, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	if in.Value == nil {
		return nil, fault.New(code.BadRequest, "value is missing: an integer in the unit of the board")
	}
	post := board.Post{Ref: r, Value: *in.Value, At: s.Boards.Now(), ID: in.ID}
	if c.who.IsPlayer() {
		err = clientPost(c.who, &in, &post)
	} else {
		err = keyPost(c.who, book, &in, &post)
	}
	if err != nil {
		return nil, err
	}
	return nil, s.Boards.Post(c.r.Context(), post)
}

// clientPost checks what a player posts for themselves.
func clientPost(who *account.Who, in *postRequest, p *board.Post) error {
	switch {
	case in.Team != "" || in.Player != "" && in.Player != who.Player:
		return fault.New(code.Forbidden, "a player posts for themselves; a service key posts for anybody")
	case !p.Open:
		return fault.New(
			code.BoardClosed,
			"only the service posts to the board %s of %s; its rulebook would have to say "+
				"boards.%s.clients with bounds",
			p.Name,
			p.Rulebook,
			p.Name,
		)
	case p.Value < p.Lowest || p.Value > p.Most:
		return fault.New(code.OutOfRange, "the board %s takes values from %d to %d, not %d (boards.%s.clients)", p.Name,
			p.Lowest, p.Most, p.Value, p.Name)
	}
	p.Subject, p.Client = who.Player, true
	return nil
}

// maxPosted is the greatest value that a service key posts, and as a negative the least.
const maxPosted = 1 << 53

// keyPost checks what a service key posts for somebody.
func keyPost(who *account.Who, book *rulebook.Book, in *postRequest, p *board.Post) error {
	switch {
	case !who.Can(account.Operator) && !who.Can(account.Referee):
		return fault.New(code.Forbidden, "this needs a service key with the scope operator or referee")
	case p.Value < -maxPosted || p.Value > maxPosted:
		return fault.New(code.OutOfRange, "a value is from -2^53 to 2^53, not %d", p.Value)
	case p.Board.Team && (in.Team == "" || in.Player != "" || board.Sides(book)[in.Team] == ""):
		return fault.New(code.NoTeam, "the board %s is per team: team is one that the rulebook names, not %q", p.Name,
			in.Team)
	case !p.Board.Team && (in.Team != "" || !store.IsID(in.Player)):
		return fault.New(code.NoPlayer, "player is whose value it is, an ID; there is no player %q", in.Player)
	}
	p.Subject, p.Team = in.Player, in.Team
	if in.Team != "" {
		p.Subject = board.TeamID(p.Rulebook, in.Team)
	}
	return nil
}

func (s *boards) listSeasons(c *call) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	limit, after, err := c.numbered()
	if err != nil {
		return nil, err
	}
	list, next, err := s.Boards.Seasons(s.DB.WithContext(c.r.Context()), r, after, limit)
	return Seasons{Seasons: list, Next: numberedNext(next)}, err
}

func (s *boards) renewBoard(c *call, in renewal) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	return s.Boards.Renew(s.DB.WithContext(c.r.Context()), r, in.After, c.who.Name, in.Why)
}

func (s *boards) removeEntry(c *call, in whyRequest) (any, error) {
	book, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	subject := c.path("subject")
	if board.Sides(book)[subject] != "" {
		subject = board.TeamID(book.Name, subject)
	}
	return nil, s.Boards.Remove(s.DB.WithContext(c.r.Context()), r, c.query("season"), subject, c.who.Name, in.Why)
}

func (s *boards) barPlayer(c *call, in whyRequest) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return nil, s.Boards.Bar(s.DB.WithContext(c.r.Context()), r, p.ID, c.who.Name, in.Why)
}

func (s *boards) unbarPlayer(c *call) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return nil, s.Boards.Unbar(s.DB.WithContext(c.r.Context()), r, p.ID, c.who.Name, c.query("why"))
}

func (s *boards) boardActs(c *call) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	limit, before, err := c.numbered()
	if err != nil {
		return nil, err
	}
	list, next, err := s.Boards.Acts(s.DB.WithContext(c.r.Context()), r, before, limit)
	return BoardActs{Acts: list, Next: numberedNext(next)}, err
}

func (s *boards) compareBoard(c *call) (any, error) {
	_, r, err := s.boardOf(c)
	if err != nil {
		return nil, err
	}
	if err := s.Feed.Look(c.r.Context()); err != nil { // what others have posted
		return nil, err
	}
	return s.Boards.Compare(c.r.Context(), r, c.query("season"))
}
