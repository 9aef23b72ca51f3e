package api

import (
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
)

func (s *server) openLobby(c *call) (any, error) {
	in, err := read[openRequest](c)
	if err != nil {
		return nil, err
	}
	book, o, err := s.opening(c, &in)
	if err != nil {
		return nil, err
	}
	back, err := s.mayOpen(c)
	if err != nil {
		return nil, err
	}
	l, err := s.Hall.Open(c.r.Context(), book, o)
	if err != nil {
		back()
		return nil, err
	}
	return s.found(c, l.Code, true)
}

func (s *server) opening(c *call, in *openRequest) (*rulebook.Book, hall.Opening, error) {
	book, err := s.Library.Version(c.r.Context(), in.Rulebook, in.Version)
	if err == nil {
		err = playable(book)
	}
	return book, hall.Opening{
		Name:      in.Name,
		Title:     in.Title,
		Capacity:  in.Capacity,
		Practice:  in.Practice,
		Hidden:    in.Hidden,
		Closed:    in.Closed,
		Password:  in.Password,
		Watchers:  in.WatchMost,
		Region:    in.Region,
		Reserve:   in.Reserve,
		ReserveMS: in.ReserveMS,
		Options:   in.Options,
	}, err
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
	back, err := s.mayOpen(c)
	if err != nil {
		return nil, err
	}
	joinCode, opened, err := s.Hall.OpenOrJoin(c.r.Context(), book, o)
	if !opened {
		back()
	}
	if err != nil {
		return nil, err
	}
	return s.found(c, joinCode, opened)
}

// playable refuses games, of which a lobby runs a rulebook.
func playable(book *rulebook.Book) error {
	if strings.HasPrefix(book.Name, rulebook.GamePrefix) {
		return fault.New(code.NoRulebook, "%s is a game, which rulebooks share; a lobby runs one of them", book.Name)
	}
	return nil
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
	if err := playable(book); err != nil {
		return nil, err
	}
	party := []string{c.who.Player}
	for _, p := range in.Party {
		if _, err := s.Accounts.Player(c.r.Context(), p); err != nil {
			return nil, err
		}
		party = append(party, p)
	}
	back, err := s.mayOpen(c)
	if err != nil {
		return nil, err
	}
	l, opened, err := s.Hall.Quick(
		c.r.Context(),
		book,
		party,
		hall.Opening{Capacity: in.Capacity, Region: in.Region, Options: in.Options},
	)
	if !opened {
		back()
	}
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, opened)
}

// mayOpen counts a lobby that a player opens. It is given back where none is opened.
func (s *server) mayOpen(c *call) (giveBack func(), err error) {
	if !c.who.IsPlayer() {
		return func() {}, nil
	}
	return s.Guard.Take(guard.Opened, c.who.Player)
}
