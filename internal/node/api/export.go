package api

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/store"
)

// written says that a handler has sent its answer itself.
type written struct{}

// exportPage is how many matches are read at once.
const exportPage = 500

// exportMatches sends all matches that fit, page by page as they are read.
func (s *stories) exportMatches(c *call) (any, error) {
	q, err := s.matchQuery(c)
	if err != nil {
		return nil, err
	}
	var lines func(io.Writer) func([]store.Match) error
	kind := ""
	switch format := c.query("format"); format {
	case "", "jsonl":
		kind, lines = "application/jsonl", jsonLines
	case "csv":
		kind, lines = "text/csv; charset=utf-8", csvLines
	default:
		return nil, fault.New(code.BadRequest, "the format is jsonl or csv, not %q", format)
	}
	q.Limit = exportPage
	if _, err := s.Guard.Take(guard.Exports, c.who.Player+c.who.Name); err != nil {
		return nil, err
	}
	out := &answer{w: c.w, kind: kind}
	write := lines(out)
	for {
		rows, err := s.Keeper.Matches(c.r.Context(), q)
		if err == nil {
			out.begin()
			err = write(rows)
		}
		switch {
		case err != nil:
			return out.broke(s.Log, "an export of matches", err)
		case len(rows) < exportPage:
			return written{}, nil
		}
		last := &rows[len(rows)-1]
		q.Before, q.BeforeID = last.EndedAt, last.ID
	}
}

// answer is one that begins with its first byte: until then it may still turn out to be a refusal.
type answer struct {
	w     http.ResponseWriter
	kind  string
	begun bool
}

func (l *answer) begin() {
	if !l.begun {
		l.begun = true
		l.w.Header().Set("Content-Type", l.kind)
		l.w.WriteHeader(http.StatusOK)
	}
}

func (l *answer) Write(data []byte) (int, error) {
	l.begin()
	return l.w.Write(data)
}

// broke answers with an error; where the answer has begun, an end that is cut off is all that can be told.
func (l *answer) broke(log *slog.Logger, what string, err error) (any, error) {
	if !l.begun {
		return nil, err
	}
	log.Warn(what+" broke off", "error", err)
	panic(http.ErrAbortHandler)
}

func jsonLines(w io.Writer) func([]store.Match) error {
	e := json.NewEncoder(w)
	return func(rows []store.Match) error {
		for i := range rows {
			if err := e.Encode(show(&rows[i])); err != nil {
				return err
			}
		}
		return nil
	}
}

// csvLines writes a line for each player of each match.
func csvLines(to io.Writer) func([]store.Match) error {
	w := csv.NewWriter(to)
	head := []string{"match", "ended", "lobby", "number", "rulebook", "version", "because", "millis", "player", "name",
		"team", "outcome", "place", "fields"}
	return func(rows []store.Match) error {
		if head != nil {
			w.Write(head)
			head = nil
		}
		for i := range rows {
			m := &rows[i]
			var r step.Result
			if err := json.Unmarshal(m.Result, &r); err != nil {
				return fmt.Errorf("the result of %s: %w", m.ID, err)
			}
			for _, p := range r.Players {
				fields, err := json.Marshal(p.Fields)
				if err != nil {
					return err
				}
				w.Write(
					[]string{m.ID, m.EndedAt.UTC().Format(time.RFC3339Nano), m.Code, strconv.FormatInt(m.Number, 10),
						m.Rulebook, m.Version, plainCell(r.Because), strconv.FormatInt(m.Millis, 10), p.Account,
						plainCell(p.Name), p.Team, p.Outcome, strconv.FormatInt(p.Place, 10), string(fields)},
				)
			}
		}
		w.Flush()
		return w.Error()
	}
}

// plainCell keeps a text that somebody wrote from being taken for a formula.
func plainCell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}
