package api

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
)

// Players are people as lists show them.
type Players struct {
	Players []account.Found `json:"players"`
	Next    string          `json:"next,omitempty"` // the cursor of the next page
}

// AllTotals are what a player's results come to.
type AllTotals struct {
	Totals []keep.Totals `json:"totals"`
}

type putBackRequest struct {
	Lobby  string `json:"lobby"`  // of the save, as the history tells it
	Number int64  `json:"number"` // of the save
	Why    string `json:"why"`
}

var playerRoutes = []route{
	{
		method: "GET",
		path:   "/v1/players",
		access: reading,
		summary: "Players whose names begin with a text, whatever the case, or the one with that ID. Names are not " +
			"unique: the ID says who it is",
		out:    Players{},
		params: append([]param{{"name", "what the name begins with", "string"}}, paging...),
		do:     (*server).findPlayers,
	},
	{
		method:  "GET",
		path:    "/v1/players/{id}/totals",
		summary: "What a player's results come to, by rulebook, with the present streak",
		out:     AllTotals{},
		params:  []param{{"rulebook", "only of this rulebook", "string"}},
		do:      (*server).playerTotals,
	},
	{
		method:  "GET",
		path:    "/v1/players/{id}/export",
		access:  operator,
		summary: "Everything that is kept of a player",
		out:     keep.Person{},
		do:      (*server).exportPlayer,
	},
	{
		method:  "GET",
		path:    "/v1/me/export",
		access:  signedIn,
		summary: "Everything that is kept of the player, but for fields of records that only referees see",
		out:     keep.Person{},
		do:      (*server).exportMe,
	},
	{
		method: "DELETE",
		path:   "/v1/players/{id}",
		access: operator,
		summary: "Delete a player with everything that is kept of them; in the results of others nobody is named in " +
			"their place",
		do: (*server).erasePlayer,
	},
	{
		method: "PUT",
		path:   "/v1/players/{id}/ban",
		access: operator,
		summary: "Keep a player out of the service, with a reason that they are told: their tokens are void, " +
			"and they cannot " +
			"sign in; what is kept of them stays",
		in: banRequest{},
		do: (*server).banPlayer,
	},
	{
		method:  "DELETE",
		path:    "/v1/players/{id}/ban",
		access:  operator,
		summary: "Let a player in again",
		do:      (*server).unbanPlayer,
	},
	{
		method:  "GET",
		path:    "/v1/players/{id}/devices",
		access:  operator,
		summary: "The devices that a player signs in with, the one seen last first",
		out:     Devices{},
		do:      (*server).devicesOf,
	},
	{
		method: "DELETE",
		path:   "/v1/players/{id}/devices/{device}",
		access: operator,
		summary: "Remove a device of a player, with the tokens of its sign-ins; not the only way back to the player, " +
			"who comes back by recovery",
		do: (*server).removeDeviceOf,
	},
	{
		method: "POST",
		path:   "/v1/players/{id}/recovery",
		access: operator,
		summary: "A code with which a player who has lost all devices or the password comes back, once, within " +
			"a day; one " +
			"made before is good no more. Give it to nobody whom you do not know to be the player",
		out: account.Recovery{},
		do:  (*server).recoverPlayer,
	},
	{
		method: "POST",
		path:   "/v1/players/{id}/records/{rulebook}/put-back",
		access: operator,
		summary: "Let a player's record stand as it did right after a save of its history, with a reason; what was " +
			"done since stays in the history",
		in:  putBackRequest{},
		out: Record{},
		do:  (*server).putBackRecord,
	},
}

func (s *server) findPlayers(c *call) (any, error) {
	limit, err := c.limit(100, 20)
	if err != nil {
		return nil, err
	}
	name := c.query("name")
	if name == "" || len(name) > 100 {
		return nil, fault.New(code.BadRequest, "name is what the players' names begin with, 1 to 100 bytes")
	}
	list, next, err := s.Accounts.Find(c.r.Context(), name, c.query("cursor"), limit)
	return Players{list, next}, err
}

func (s *server) playerTotals(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	list, err := s.Keeper.Totals(c.r.Context(), p.ID, c.query("rulebook"))
	return AllTotals{list}, err
}

func (s *server) exportPlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return s.person(c, p)
}

// person is everything that is kept of a player, the journals in which they stand included.
func (s *server) person(c *call, p *store.Player) (*keep.Person, error) {
	out, err := s.Keeper.Person(c.r.Context(), p)
	if err != nil {
		return nil, err
	}
	if out.Journals, err = s.Journals.Of(p.ID); err != nil {
		return nil, err
	}
	kept, err := s.Ledger.Of(c.r.Context(), p.ID)
	for _, name := range kept {
		out.Journals = append(out.Journals, journal.Mention{Journal: name})
	}
	return out, err
}

func (s *server) exportMe(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.who.Player)
	if err != nil {
		return nil, err
	}
	out, err := s.person(c, p)
	if err != nil {
		return nil, err
	}
	return out, out.Without(func(rulebook, field string) bool {
		book, err := s.Library.Book(rulebook)
		if err != nil {
			return true // nobody says who may see it
		}
		for _, r := range book.Record {
			if name, _, _ := strings.Cut(field, ":"); r.Stored() == name || r.Field.Name == name {
				return !mayRead(c.who, p.ID, r.Field)
			}
		}
		return true
	})
}

func (s *server) erasePlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	if err := s.Accounts.Delete(c.r.Context(), p.ID); err != nil {
		return nil, err
	}
	s.erased(p.ID)
	return nil, nil
}

// erased takes a player who was deleted out of the lobbies, and out of the journals that are
// written to their end; the others follow when they are.
func (s *server) erased(player string) {
	s.Hall.Removed(player)
	go func() {
		err := s.Journals.Forget(func(all []string) ([]string, error) {
			if slices.Contains(all, player) {
				return []string{player}, nil
			}
			return nil, nil
		})
		if err != nil {
			s.Log.Warn("could not take a deleted player out of all journals", "error", err)
		}
	}()
}

func (s *server) banPlayer(c *call) (any, error) {
	in, err := read[banRequest](c)
	if err != nil {
		return nil, err
	}
	if in.Why, err = fault.Reason(in.Why); err != nil {
		return nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	if err := s.Accounts.Ban(c.r.Context(), p.ID, in.Until, in.Why); err != nil {
		return nil, err
	}
	s.Hall.Removed(p.ID)
	return nil, nil
}

func (s *server) unbanPlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.Unban(c.r.Context(), p.ID)
}

func (s *server) recoverPlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return s.Accounts.Recover(c.r.Context(), p.ID)
}

func (s *server) putBackRecord(c *call) (any, error) {
	book, p, err := s.recordOf(c)
	if err != nil {
		return nil, err
	}
	in, err := read[putBackRequest](c)
	if err != nil {
		return nil, err
	}
	stand, err := s.Keeper.PutBack(c.r.Context(), p.ID, book, in.Lobby, in.Number, c.who.Name, in.Why)
	if err != nil {
		return nil, err
	}
	s.Hall.Stands(book.Name, p.ID, stand)
	return Record{Player: p.ID, Rulebook: book.Name, Fields: stand.Fields.Shown(book)}, nil
}

func (s *server) devicesOf(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	list, err := s.Accounts.Devices(c.r.Context(), &account.Who{Player: p.ID})
	return Devices{list}, err
}

func (s *server) removeDeviceOf(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.RemoveDevice(c.r.Context(), p.ID, c.path("device"))
}
