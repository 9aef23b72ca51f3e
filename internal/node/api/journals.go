package api

import (
	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/ledger"
)

var journalRoutes = []route{
	{
		method: "GET", path: "/v1/journals/{lobby}", access: reading, long: true, do: (*server).journalOf,
		kinds: []string{"application/octet-stream"},
		summary: "The journal of a lobby, open or ended in the last 7 days, by its join code or ID: turnvex replay " +
			"reads it. Who was deleted is a token in it",
	},
	{
		method: "GET", path: "/v1/lobbies/{code}/journal", access: tokened, do: (*server).journalOfPractice,
		kinds: []string{"application/octet-stream"},
		summary: "The journal of a practice lobby, for who has a seat in it and for service keys: turnvex cut reads " +
			"it",
	},
}

func (s *server) journalOf(c *call) (any, error) {
	j, err := s.Ledger.Journal(c.r.Context(), c.path("lobby"))
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

func (s *server) journalOfPractice(c *call) (any, error) {
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
	j, err := s.Ledger.Journal(c.r.Context(), l.ID)
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

// sendJournal sends a journal as a file.
func (s *server) sendJournal(c *call, j *ledger.Journal) (any, error) {
	book, err := s.Library.Version(c.r.Context(), j.Rulebook, j.Version)
	if err != nil {
		return nil, err
	}
	c.w.Header().Set("Content-Type", "application/octet-stream")
	journal.Whole(c.w, journal.Head{Rulebook: book.Source, Setup: j.Setup}, j.People, j.Entries...)
	return written{}, nil
}
