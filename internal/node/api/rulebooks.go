package api

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
)

// Book is a rulebook as lists show it.
type Book struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	About   string   `json:"about"`
	Version string   `json:"version"`
	Boards  []string `json:"boards"`
	Least   int      `json:"least"`
	Most    int      `json:"most"`
	Game    string   `json:"game,omitempty"` // to which it belongs
}

// BookGame is a game as lists show it.
type BookGame struct {
	Game    string   `json:"game"`
	Title   string   `json:"title"`
	Version string   `json:"version"`
	Boards  []string `json:"boards"`
}

// Books are the rulebooks and games that are loaded.
type Books struct {
	Rulebooks []Book     `json:"rulebooks"`
	Games     []BookGame `json:"games"`
}

// Check is what the checker found.
type Check struct {
	OK       bool              `json:"ok"`
	Name     string            `json:"name,omitempty"`
	Version  string            `json:"version,omitempty"`
	Problems rulebook.Problems `json:"problems"`
	Records  []keep.Difference `json:"records,omitempty"` // what it means for saved records and leaderboards

	Flow []rulebook.FlowPhase `json:"flow,omitempty"` // how its phases lead to each other
}

// Checks are what the checker found of several, in their order; behind them stand other rulebooks of the games among
// them.
type Checks struct {
	Rulebooks []Check `json:"rulebooks"`
}

var accepting = param{"accept", "yes: publish even if saved records or leaderboards read differently then", "string"}

var bookRoutes = []route{
	{method: "GET", path: "/v1/rulebooks", summary: "The rulebooks that are loaded, and the games to which they belong",
		out: Books{}, do: by((*books).listBooks)},
	{method: "POST", path: "/v1/rulebooks", access: operator,
		summary: "Check a rulebook (the body is the YAML or JSON) and make it the current version", in: "",
		params: []param{accepting}, out: Check{}, do: by((*books).loadBook)},
	{
		method: "POST",
		path:   "/v1/rulebooks/together",
		access: operator,
		summary: "Check a game and its rulebooks (the body has them one behind another, with lines of --- between " +
			"them) and make all of them the current versions, or none; other rulebooks of the game are published again",
		params: []param{{"try", "yes: only check them, and tell what they mean for saved data", "string"}, accepting},
		in:     "",
		out:    Checks{},
		do:     by((*books).loadBooks),
	},
	{method: "POST", path: "/v1/rulebooks/check", access: tokened,
		summary: "Check a rulebook (the body is the YAML or JSON) without loading it", looks: true, in: "",
		out: Check{}, do: by((*books).checkBook)},
	{
		method: "POST",
		path:   "/v1/rulebooks/try",
		access: operator,
		summary: "Open a hidden practice lobby with a rulebook (the body is the YAML or JSON) that is not published. " +
			"Its text is kept as long as the lobby and its journal",
		looks:  true,
		in:     "",
		out:    Found{},
		status: http.StatusCreated,
		do:     by((*books).tryBook),
	},
	{
		method: "POST",
		path:   "/v1/rulebooks/rehearse",
		access: operator,
		summary: "Play matches of a rulebook (the body is the YAML or JSON) with random players for up to 8 " +
			"seconds and report the outcome, as turnvex rehearse -json does",
		params: []param{{"matches", "how many, 1 to 200; default: 60", "integer"}},
		looks:  true,
		in:     "",
		out:    map[string]any{},
		do:     by((*books).rehearse),
	},
	{method: "GET", path: "/v1/rulebooks/{name}", access: reading,
		summary: "The text of a rulebook, in the current or another version, and its newest 50 versions",
		params:  []param{{"version", "the version; default: the current one", "string"}}, out: BookText{},
		do: by((*books).bookText)},
	{method: "GET", path: "/v1/rulebooks/schema", summary: "The JSON Schema of rulebooks", out: map[string]any{},
		do: by((*books).bookSchema)},
}

func (s *books) listBooks(c *call) (any, error) {
	out := Books{Rulebooks: []Book{}, Games: []BookGame{}}
	all := s.Library.Current()
	for _, name := range slices.Sorted(maps.Keys(all)) {
		b := all[name]
		boards := []string{}
		for _, x := range b.Boards {
			boards = append(boards, x.Name)
		}
		if game, is := strings.CutPrefix(name, rulebook.GamePrefix); is {
			out.Games = append(out.Games, BookGame{Game: game, Title: b.Title, Version: b.Version, Boards: boards})
			continue
		}
		out.Rulebooks = append(out.Rulebooks, Book{Name: b.Name, Title: b.Title, About: b.About, Version: b.Version,
			Boards: boards, Least: b.Players.Least, Most: b.Players.Most, Game: b.Game})
	}
	return out, nil
}

// rehearseFor is how long matches may begin in a rehearsal. One is played at a time.
const rehearseFor = 8 * time.Second

func (s *books) rehearse(c *call) (any, error) {
	if s.Rehearse == nil {
		return nil, fault.New(code.NotFound, "this service does not run rehearsals; use turnvex rehearse")
	}
	matches := 60
	if text := c.query("matches"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 || n > 200 {
			return nil, fault.New(code.OutOfRange, "matches is from 1 to 200, not %.40q", text)
		}
		matches = n
	}
	src, err := source(c, 1)
	if err != nil {
		return nil, err
	}
	book, problems := s.Library.Compile(src)
	if book == nil {
		return nil, fault.New(code.BadRequest, "the rulebook has errors: %s", problems.Errors()[0].Message)
	}
	select {
	case s.rehearsing <- struct{}{}:
		defer func() { <-s.rehearsing }()
	case <-c.r.Context().Done():
		return nil, c.r.Context().Err()
	}
	ctx, over := context.WithTimeout(c.r.Context(), rehearseFor)
	defer over()
	return s.Rehearse(ctx, book, matches)
}

// BookText is a version of a rulebook, with its text.
type BookText struct {
	Name     string        `json:"name"`
	Title    string        `json:"title"`
	Version  string        `json:"version"`
	Source   string        `json:"source"`
	Versions []BookVersion `json:"versions"` // the newest first
}

// BookVersion is a version of a rulebook.
type BookVersion struct {
	Version string    `json:"version"`
	Made    time.Time `json:"made"` // when it was published first
	Current bool      `json:"current"`
}

func (s *books) bookText(c *call) (any, error) {
	name, version := c.path("name"), c.query("version")
	if version == "" {
		book, err := s.Library.Book(name)
		if err != nil {
			return nil, err
		}
		version = book.Version
	}
	book, err := s.Library.Version(c.r.Context(), name, version)
	if err != nil {
		return nil, err
	}
	out := BookText{Name: book.Name, Title: book.Title, Version: book.Version, Source: string(book.Source)}
	if out.Versions, err = s.bookVersions(c.r.Context(), name); err != nil {
		return nil, err
	}
	return out, nil
}

func (s *books) bookVersions(ctx context.Context, name string) ([]BookVersion, error) {
	var rows []store.Rulebook
	err := s.DB.WithContext(ctx).Select("version", "created_at", "current").Order("created_at desc").Limit(50).
		Find(&rows, "name = ? and not tried", name).Error
	out := []BookVersion{}
	for i := range rows {
		out = append(out, BookVersion{rows[i].Version, rows[i].CreatedAt.UTC(), rows[i].Current})
	}
	return out, err
}

// source reads rulebooks from the request's body: as many bytes as so many may have.
func source(c *call, times int64) ([]byte, error) {
	src, err := io.ReadAll(http.MaxBytesReader(c.w, c.r.Body, times*rulebook.MaxBytes))
	if err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return nil, fault.New(code.TooLarge, "the rulebooks of a request have at most %d bytes", large.Limit)
		}
		return nil, fault.New(code.BadRequest, "the rulebook could not be read")
	}
	return src, nil
}

func (s *books) checkBook(c *call) (any, error) {
	if _, err := s.Guard.Take(guard.Checks, c.who.Player+c.who.Name); err != nil {
		return nil, err
	}
	src, err := source(c, 1)
	if err != nil {
		return nil, err
	}
	book, problems, err := s.compile(c.r.Context(), src)
	if err != nil {
		return nil, err
	}
	out := checked(book, problems)
	return out, s.differences(c, s.Library.Current(), book, &out)
}

// differences adds what a rulebook means for the records that are kept of the version that is, or was, current; how
// many are concerned is for operators.
func (s *books) differences(c *call, current map[string]*rulebook.Book, book *rulebook.Book, out *Check) error {
	if book == nil {
		return nil
	}
	old := current[book.Name]
	if old == nil { // nothing is kept
		return nil
	}
	out.Records = keep.Differences(old, book)
	if c.who == nil || !c.who.Can(account.Operator) {
		return nil
	}
	return s.Keeper.Count(c.r.Context(), book.Name, out.Records)
}

func checked(book *rulebook.Book, problems rulebook.Problems) Check {
	out := Check{OK: book != nil, Problems: problems}
	if book != nil {
		out.Name, out.Version, out.Flow = book.Name, book.Version, book.Flow
	}
	if out.Problems == nil {
		out.Problems = rulebook.Problems{}
	}
	return out
}

func (s *books) tryBook(c *call) (any, error) {
	src, err := source(c, 1)
	if err != nil {
		return nil, err
	}
	book, err := s.Library.Try(c.r.Context(), src)
	if err != nil {
		return nil, err
	}
	opener := lobbies{s.server}
	return opener.openFor(c, &openRequest{Rulebook: book.Name, Version: book.Version, Practice: true, Hidden: true})
}

func (s *books) loadBook(c *call) (any, error) {
	src, err := source(c, 1)
	if err != nil {
		return nil, err
	}
	out, err := s.publish(c, [][]byte{src}, false)
	if err != nil {
		return nil, err
	}
	return out.Rulebooks[0], nil
}

// publish checks rulebooks and games, tells what they mean for what is kept, and makes them the current versions unless
// they are only to be tried. What would read otherwise must be accepted.
func (s *books) publish(c *call, sources [][]byte, try bool) (out Checks, err error) {
	accept := c.query("accept")
	if accept != "" && accept != "yes" {
		return out, fault.New(code.BadRequest, "accept is yes, or is left out, not %.40q", accept)
	}
	all, err := s.Library.Together(sources)
	if err != nil {
		return out, err
	}
	current := s.Library.Current()
	var loses []keep.Difference
	for _, x := range all {
		one := checked(x.Book, x.Problems)
		if err := s.differences(c, current, x.Book, &one); err != nil {
			return out, err
		}
		out.Rulebooks = append(out.Rulebooks, one)
		for _, d := range one.Records {
			if d.Loses() {
				loses = append(loses, d)
			}
		}
	}
	if try {
		return out, nil
	}
	if len(loses) > 0 && accept == "" {
		f := fault.New(code.ChangesKept, "published so, what is kept would read otherwise: %s; accept=yes publishes it",
			loses[0].Means)
		f.Extra = loses
		return out, f
	}
	_, err = s.Library.LoadAll(c.r.Context(), sources)
	return out, err
}

// togetherMost is how many times as long as one rulebook several may be that are published together.
const togetherMost = 4

func (s *books) loadBooks(c *call) (any, error) {
	src, err := source(c, togetherMost)
	if err != nil {
		return nil, err
	}
	if try := c.query("try"); try != "" && try != "yes" {
		return nil, fault.New(code.BadRequest, "try is yes, or is left out, not %q", try)
	}
	return s.publish(c, rulebook.Parts(src), c.query("try") != "")
}

func (s *books) bookSchema(*call) (any, error) { return json.RawMessage(rulebook.Schema()), nil }
