package api

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
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
		summary: "Players whose names begin with a text, in any case, or the one with that ID. Names are not " +
			"unique; IDs are",
		out:    Players{},
		params: append([]param{{"name", "the beginning of the name, or an ID", "string"}}, paging...),
		do:     by((*players).findPlayers),
	},
	{method: "GET", path: "/v1/players/{id}/totals",
		summary: "Totals of a player's results, by rulebook, with the current streak", out: AllTotals{},
		params: []param{{"rulebook", "only of this rulebook", "string"}}, do: by((*players).playerTotals)},
	{method: "GET", path: "/v1/players/{id}/export", access: operator, summary: "All data about a player",
		out: keep.Person{}, do: by((*players).exportPlayer)},
	{method: "GET", path: "/v1/me/export", access: leaving,
		summary: "All data about the player, except record fields that only referees see", out: keep.Person{},
		do: by((*players).exportMe)},
	{method: "DELETE", path: "/v1/players/{id}", access: operator,
		summary: "Delete a player and all of their data; they become anonymous in the results of others",
		do:      by((*players).erasePlayer)},
	{
		method: "PUT",
		path:   "/v1/players/{id}/ban",
		access: operator,
		summary: "Ban a player from the service: their tokens become void and they cannot sign in; their data " +
			"stays. They read for how long, and what tell says; why is for the audit trail alone. With texts they " +
			"are only muted: they may play on, and what they write is not delivered",
		do: taking((*players).banPlayer),
	},
	{method: "DELETE", path: "/v1/players/{id}/ban", access: operator,
		summary: "Lift every ban of a player", do: by((*players).unbanPlayer)},
	{method: "GET", path: "/v1/players/{id}/devices", access: operator,
		summary: "The devices of a player, the most recently used first", out: Devices{}, do: by((*players).devicesOf)},
	{method: "DELETE", path: "/v1/players/{id}/devices/{device}", access: operator,
		summary: "Remove a device of a player and its tokens; the only way to sign in as the player cannot be removed",
		do:      by((*players).removeDeviceOf)},
	{
		method: "POST",
		path:   "/v1/players/{id}/recovery",
		access: operator,
		summary: "A code that lets a player who has lost all devices or the password sign in once, within a day; " +
			"earlier codes become void. Give it only to somebody you know to be the player",
		out: account.Recovery{},
		do:  by((*players).recoverPlayer),
	},
	{
		method: "POST",
		path:   "/v1/players/{id}/records/{rulebook}/put-back",
		access: operator,
		summary: "Restore a player's record to its state right after a save in its history, with a reason; later " +
			"changes stay in the history",
		out: Record{},
		do:  taking((*players).putBackRecord),
	},
}

func (s *players) findPlayers(c *call) (any, error) {
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

func (s *players) playerTotals(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	list, err := s.Keeper.Totals(c.r.Context(), p.ID, c.query("rulebook"))
	return AllTotals{list}, err
}

func (s *players) exportPlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return s.export(c, p, nil)
}

// export sends everything that is kept of a player, the journals in which they stand included, as it is read.
func (s *players) export(c *call, p *store.Player, hidden keep.Hidden) (any, error) {
	if _, err := s.Guard.Take(guard.Exports, c.who.Player+c.who.Name); err != nil {
		return nil, err
	}
	in, err := s.Journals.Of(p.ID)
	if err != nil {
		return nil, err
	}
	kept, err := s.Archive.Of(c.r.Context(), p.ID)
	if err != nil {
		return nil, err
	}
	for _, name := range kept {
		in = append(in, journal.Mention{Journal: name})
	}
	out := &answer{w: c.w, kind: "application/json"}
	if err := s.Keeper.Export(c.r.Context(), p, hidden, in, out); err != nil {
		return out.broke(s.Log, "an export of a player", err)
	}
	return written{}, nil
}

func (s *players) exportMe(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.who.Player)
	if err != nil {
		return nil, err
	}
	return s.export(c, p, func(rulebook, field string) bool {
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

func (s *players) erasePlayer(c *call) (any, error) {
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

// erased takes a player who was deleted out of the lobbies, and out of the journals that are written to their end; the
// others follow when they are.
func (s *server) erased(player string) {
	s.Hall.Removed(player)
	safe.Go("take a deleted player out of journals", func() {
		err := s.Journals.Forget(func(all []string) ([]string, error) {
			if slices.Contains(all, player) {
				return []string{player}, nil
			}
			return nil, nil
		})
		if err != nil {
			s.Log.Warn("could not take a deleted player out of all journals", "error", err)
		}
	})
}

// maxTell is the longest that a banned player is told, in characters.
const maxTell = 200

func (s *players) banPlayer(c *call, in banRequest) (any, error) {
	_, err := fault.Reason(in.Why)
	if err != nil {
		return nil, err
	}
	if in.Tell, err = fault.Line("what the player is told, tell,", in.Tell, maxTell); err != nil {
		return nil, err
	}
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	if in.Texts {
		return nil, s.Accounts.Mutes.Mute(c.r.Context(), p.ID, in.Until, in.Tell)
	}
	if err := s.Accounts.Ban(c.r.Context(), p.ID, in.Until, in.Tell); err != nil {
		return nil, err
	}
	s.Hall.Removed(p.ID)
	return nil, nil
}

func (s *players) unbanPlayer(c *call) (any, error) {
	id := c.path("id")
	if !store.IsID(id) {
		return nil, fault.New(code.NoPlayer, "there is no player %q", id)
	}
	return nil, s.Accounts.Unban(c.r.Context(), id)
}

func (s *players) recoverPlayer(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return s.Accounts.Recover(c.r.Context(), p.ID)
}

func (s *players) putBackRecord(c *call, in putBackRequest) (any, error) {
	book, p, err := s.recordOf(c)
	if err != nil {
		return nil, err
	}
	stand, err := s.Keeper.PutBack(c.r.Context(), p.ID, book, in.Lobby, in.Number, c.who.Name, in.Why)
	if err != nil {
		return nil, err
	}
	s.Hall.Stands(book.Name, p.ID, stand)
	return showRecord(c.who, p.ID, book, stand), nil
}

func (s *players) devicesOf(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	list, err := s.Accounts.Devices(c.r.Context(), &account.Who{Player: p.ID})
	return Devices{list}, err
}

func (s *players) removeDeviceOf(c *call) (any, error) {
	p, err := s.Accounts.Player(c.r.Context(), c.path("id"))
	if err != nil {
		return nil, err
	}
	return nil, s.Accounts.RemoveDevice(c.r.Context(), p.ID, c.path("device"))
}
