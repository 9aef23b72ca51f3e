package api

import (
	"bufio"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/playback"
)

var journalRoutes = []route{
	{
		method: "GET", path: "/v1/journals/{lobby}", access: reading, long: true, do: by((*stories).journalOf),
		kinds: []string{"application/octet-stream"},
		summary: "The journal of a lobby, open or ended within 7 days, by its join code or ID, for turnvex " +
			"replay. Deleted players appear as tokens. If a piece is missing, the file ends there, and the " +
			"header Turnvex-Missing gives the ticks before and after the gap",
	},
	{
		method: "GET", path: "/v1/journals/{lobby}/view", access: reading, do: by((*stories).playback),
		kinds: []string{"application/jsonl"}, params: viewParams,
		summary: "What happened in a lobby, open or ended within 7 days, between two ticks: the messages that a " +
			"live connection with this view would have received, one per line. If the last line has more, " +
			"request the rest from its tick on, or from missing on if a piece in between is missing",
	},
	{method: "GET", path: "/v1/lobbies/{code}/journal", access: tokened, do: by((*stories).journalOfPractice),
		kinds:   []string{"application/octet-stream"},
		summary: "The journal of a practice lobby, for its players and for service keys, for turnvex cut"},
}

func (s *stories) journalOf(c *call) (any, error) {
	j, err := s.Archive.Journal(c.r.Context(), c.path("lobby"))
	if err == nil && j == nil {
		err = fault.New(code.NoLobby, "no journal of a lobby %.40q is kept", c.path("lobby"))
	}
	if err != nil {
		return nil, err
	}
	return s.sendJournal(c, j)
}

// maxPractice is the most bytes of what was played in a practice lobby that players are sent.
const maxPractice = 8 << 20

func (s *stories) journalOfPractice(c *call) (any, error) {
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	if len(c.who.Scopes) == 0 && !l.HasSeat(c.r.Context(), c.who.Player) {
		return nil, fault.New(code.Forbidden, "this needs a seat in the lobby, or a service key")
	}
	info, err := l.Info(c.r.Context())
	if err == nil && !info.Practice {
		err = fault.New(code.NotPractice, "only practice lobbies show what was played in them")
	}
	if err != nil {
		return nil, err
	}
	if err := l.Kept(c.r.Context()); err != nil {
		return nil, err
	}
	j, err := s.Archive.Journal(c.r.Context(), l.ID)
	if err == nil && j.Missing != 0 {
		err = fault.New(code.NotFound, "ticks %d to %d are not in the journal: the database was unavailable for "+
			"too long; open another practice lobby", j.Until, j.Missing)
	}
	if err != nil {
		return nil, err
	}
	size := 0
	for _, e := range j.Entries {
		size += len(e)
	}
	if size > maxPractice {
		return nil, fault.New(code.TooLarge, "more than %d MiB were played in this lobby", maxPractice>>20)
	}
	at, err := l.Tick(c.r.Context())
	if err != nil {
		return nil, err
	}
	j.Entries = append(j.Entries, journal.Until(at))
	return s.sendJournal(c, j)
}

// missingHeader says which ticks are not kept, as FROM-TO; the file ends at the first of them.
const missingHeader = "Turnvex-Missing"

// sendJournal sends a journal as a file.
func (s *stories) sendJournal(c *call, j *ledger.Journal) (any, error) {
	book, err := s.Library.Version(c.r.Context(), j.Rulebook, j.Version)
	if err != nil {
		return nil, err
	}
	c.w.Header().Set("Content-Type", "application/octet-stream")
	if j.Missing != 0 {
		c.w.Header().Set(missingHeader, fmt.Sprintf("%d-%d", j.Until, j.Missing))
	}
	journal.Whole(c.w, journal.Head{Rulebook: book.Source, Setup: j.Setup}, j.People, j.Entries...)
	return written{}, nil
}

// The most of a playback: bytes, and how many are made at the same time.
const (
	maxPlayback = 8 << 20
	playbacks   = 2
)

var viewParams = []param{
	{"from", "the first tick; default: 0", "integer"},
	{"to", "the last tick; default: the end", "integer"},
	{"as", "only what this seat sees; default: everything", "integer"},
}

// playback sends what happened in a lobby, as a live connection would have been told.
func (s *stories) playback(c *call) (any, error) {
	q := playback.Query{To: 1 << 40, View: replica.View{All: true}, Most: maxPlayback}
	var as sheet.Tick
	for name, into := range map[string]*sheet.Tick{"from": &q.From, "to": &q.To, "as": &as} {
		text := c.query(name)
		if text == "" {
			continue
		}
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < 0 || n > 1<<40 {
			return nil, fault.New(code.OutOfRange, "%s is a whole number, at least 0, not %.40q", name, text)
		}
		*into = sheet.Tick(n)
	}
	if q.To < q.From {
		return nil, fault.New(code.OutOfRange, "to is %d, and from is %d: nothing lies between", q.To, q.From)
	}
	if as != 0 {
		q.View = replica.View{Seats: []sheet.ID{sheet.ID(as)}}
	}
	select {
	case s.playing <- struct{}{}:
		defer func() { <-s.playing }()
	case <-c.r.Context().Done():
		return nil, c.r.Context().Err()
	}
	j, err := s.Archive.JournalFrom(c.r.Context(), c.path("lobby"), int64(q.From))
	if err == nil && j == nil {
		err = fault.New(code.NoLobby, "no journal of a lobby %.40q is kept", c.path("lobby"))
	}
	if err != nil {
		return nil, err
	}
	book, err := s.Library.Version(c.r.Context(), j.Rulebook, j.Version)
	if err != nil {
		return nil, err
	}
	until := max(sheet.Tick(j.Until), sheet.Tick(j.Age*time.Duration(book.Rate)/time.Second))
	c.w.Header().Set("Content-Type", "application/jsonl")
	out := bufio.NewWriter(c.w)
	err = playback.Play(c.r.Context(), out, &playback.Source{Book: book, Setup: j.Setup, State: j.State,
		People: j.People, Entries: slices.Concat(j.Entries...), Until: until,
		Missing: sheet.Tick(j.Missing), GoesOn: j.GoesOn}, &q)
	if err != nil { // the answer has begun: an end that is cut off is all that can be told
		s.Log.Warn("a playback broke off", "lobby", j.Code, "error", err)
		panic(http.ErrAbortHandler)
	}
	out.Flush()
	return written{}, nil
}
