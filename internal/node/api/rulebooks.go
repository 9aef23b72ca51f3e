package api

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/keep"
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
}

// Books are the rulebooks that are loaded.
type Books struct {
	Rulebooks []Book `json:"rulebooks"`
}

// Check is what the checker found.
type Check struct {
	OK       bool              `json:"ok"`
	Name     string            `json:"name,omitempty"`
	Version  string            `json:"version,omitempty"`
	Problems rulebook.Problems `json:"problems"`
	Records  []keep.Difference `json:"records,omitempty"` // what it means for the records that are kept now
}

var bookRoutes = []route{
	{
		method:  "GET",
		path:    "/v1/rulebooks",
		summary: "The rulebooks that are loaded",
		out:     Books{},
		do:      (*server).listBooks,
	},
	{
		method:  "POST",
		path:    "/v1/rulebooks",
		access:  operator,
		summary: "Check a rulebook (the body is the YAML or JSON) and make it the current version of its name",
		in:      "",
		out:     Check{},
		do:      (*server).loadBook,
	},
	{
		method:  "POST",
		path:    "/v1/rulebooks/check",
		access:  tokened,
		summary: "Check a rulebook (the body is the YAML or JSON) without loading it",
		looks:   true,
		in:      "",
		out:     Check{},
		do:      (*server).checkBook,
	},
	{
		method:  "GET",
		path:    "/v1/rulebooks/schema",
		summary: "The JSON Schema of rulebooks",
		out:     map[string]any{},
		do:      (*server).bookSchema,
	},
}

func (s *server) listBooks(c *call) (any, error) {
	out := Books{Rulebooks: []Book{}}
	for _, b := range s.Library.Books() {
		book := Book{
			Name:    b.Name,
			Title:   b.Title,
			About:   b.About,
			Version: b.Version,
			Boards:  []string{},
			Least:   b.Players.Least,
			Most:    b.Players.Most,
		}
		for _, x := range b.Boards {
			book.Boards = append(book.Boards, x.Name)
		}
		out.Rulebooks = append(out.Rulebooks, book)
	}
	return out, nil
}

// source reads a rulebook from the request's body.
func source(c *call) ([]byte, error) {
	src, err := io.ReadAll(http.MaxBytesReader(c.w, c.r.Body, rulebook.MaxBytes))
	if err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return nil, fault.New(code.TooLarge, "a rulebook has at most %d bytes", rulebook.MaxBytes)
		}
		return nil, fault.New(code.BadRequest, "the rulebook could not be read")
	}
	return src, nil
}

func (s *server) checkBook(c *call) (any, error) {
	if _, err := s.Guard.Take(guard.Checks, c.who.Player+c.who.Name); err != nil {
		return nil, err
	}
	src, err := source(c)
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

// differences adds what a rulebook means for the records that are kept of the version that
// is, or was, current; how many are concerned is for operators.
func (s *server) differences(c *call, current map[string]*rulebook.Book, book *rulebook.Book, out *Check) error {
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
		out.Name, out.Version = book.Name, book.Version
	}
	if out.Problems == nil {
		out.Problems = rulebook.Problems{}
	}
	return out
}

func (s *server) loadBook(c *call) (any, error) {
	src, err := source(c)
	if err != nil {
		return nil, err
	}
	before := s.Library.Current()
	book, problems, err := s.Library.Load(c.r.Context(), src)
	if err != nil {
		return nil, err
	}
	out := checked(book, problems)
	return out, s.differences(c, before, book, &out)
}

func (s *server) bookSchema(*call) (any, error) { return json.RawMessage(rulebook.Schema()), nil }
