package api

import (
	"errors"
	"net/http"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/hall"
)

func (s *lobbies) openLobby(c *call, in openRequest) (any, error) {
	return s.openFor(c, &in)
}

// openFor opens a lobby, at another node where that is better.
func (s *lobbies) openFor(c *call, in *openRequest) (any, error) {
	book, o, err := s.opening(c, in)
	if err != nil {
		return nil, err
	}
	if out, err := s.openThere(c, "/v1/lobbies", book, regionsOf(in.Region, in.Regions), in); out != nil || err != nil {
		return out, err
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

// regionsOf are the regions that are asked for; any, if there are none.
func regionsOf(one string, several []string) []string {
	if one != "" {
		return append([]string{one}, several...)
	}
	return several
}

// mostRegions is how many regions may be asked for.
const mostRegions = 20

// openThere has another node open a lobby where that is better; nil if this node is to do it.
func (s *lobbies) openThere(c *call, path string, book *rulebook.Book, regions []string, in any) (any, error) {
	if len(regions) > mostRegions {
		return nil, fault.New(code.OutOfRange, "at most %d regions can be asked for", mostRegions)
	}
	if c.manner() != "" {
		return nil, nil
	}
	if len(regions) == 0 {
		regions = book.Regions
	}
	nodes, err := s.chosen(regions)
	for _, to := range nodes {
		if to == nil {
			return nil, nil
		}
		var out Found
		if err = s.askPeer(c, to, asItIs, http.MethodPost, path, in, &out); err == nil {
			return out, nil
		}
		if fault.CodeOf(err) == code.Overloaded { // another one may have room
			continue
		}
		if !errors.Is(err, errUnreached) {
			return nil, err
		}
		err = comesBack("the node %s does not answer; try again in a moment", to.Name)
	}
	return nil, err
}

func (s *lobbies) opening(c *call, in *openRequest) (*rulebook.Book, hall.Opening, error) {
	book, err := s.Library.Version(c.r.Context(), in.Rulebook, in.Version)
	if err == nil {
		err = playable(book)
	}
	return book, hall.Opening{Name: in.Name, Title: in.Title, Capacity: in.Capacity, Practice: in.Practice,
		Hidden: in.Hidden, Closed: in.Closed, By: c.who.Player, Password: in.Password, Watchers: in.WatchMost,
		Regions: regionsOf(in.Region, in.Regions), Reserve: in.Reserve, ReserveMS: in.ReserveMS,
		Options: in.Options}, err
}

func (s *lobbies) openOrJoin(c *call, in openRequest) (any, error) {
	if strings.TrimSpace(in.Name) == "" {
		return nil, fault.New(code.BadRequest, "the name of the lobby is missing")
	}
	book, o, err := s.opening(c, &in)
	if err != nil {
		return nil, err
	}
	return s.openNamed(c, book, &in, o)
}

func (s *lobbies) openNamed(c *call, book *rulebook.Book, in *openRequest, o hall.Opening) (any, error) {
	joinCode, err := s.Directory.Named(c.r.Context(), book.Name, o.Name)
	if err != nil {
		return nil, err
	}
	if joinCode == "" {
		out, err := s.openThere(c, "/v1/lobbies/named", book, regionsOf(in.Region, in.Regions), in)
		if out != nil || err != nil {
			return out, err
		}
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
	return s.foundAnywhere(c, joinCode, opened)
}

// foundAnywhere tells of a lobby as it is at this moment, on whichever node.
func (s *lobbies) foundAnywhere(c *call, joinCode string, opened bool) (any, error) {
	to, err := s.elsewhere(c.r, nil, joinCode)
	if err != nil || to == nil {
		if err != nil {
			return nil, err
		}
		return s.found(c, joinCode, opened)
	}
	var out Found
	return out, s.askPeer(c, to, asItIs, http.MethodGet, "/v1/lobbies/"+joinCode, nil, &out)
}

// playable refuses games, of which a lobby runs a rulebook.
func playable(book *rulebook.Book) error {
	if strings.HasPrefix(book.Name, rulebook.GamePrefix) {
		return fault.New(code.NoRulebook, "%s is a game, which rulebooks share; a lobby runs one of them", book.Name)
	}
	return nil
}

func (s *lobbies) quick(c *call, in quickRequest) (any, error) {
	book, err := s.Library.Book(in.Rulebook)
	if err != nil {
		return nil, err
	}
	if err := playable(book); err != nil {
		return nil, err
	}
	party, err := s.partyOf(c, in.Party)
	if err != nil {
		return nil, err
	}
	regions := regionsOf(in.Region, in.Regions)
	o := hall.Opening{Capacity: in.Capacity, Regions: regions, Options: in.Options}
	l, err := s.holds.find(party, func() (*hall.Lobby, error) {
		return s.Hall.FindQuick(c.r.Context(), book, party, o)
	})
	if l != nil || err != nil {
		if err != nil {
			return nil, err
		}
		return s.found(c, l.Code, false)
	}
	if c.manner() == findOnly {
		return nil, fault.New(code.NoLobby, "no lobby here has room")
	}
	if c.manner() == "" {
		if out, err := s.quickThere(c, book, len(party), regions, in); out != nil || err != nil {
			return out, err
		}
	}
	back, err := s.mayOpen(c)
	if err != nil {
		return nil, err
	}
	opened := false
	l, err = s.holds.find(party, func() (l *hall.Lobby, err error) {
		l, opened, err = s.Hall.Quick(c.r.Context(), book, party, o)
		return l, err
	})
	if !opened {
		back()
	}
	if err != nil {
		return nil, err
	}
	return s.found(c, l.Code, opened)
}

// maxParty is how many a player may bring along.
const maxParty = 31

// partyOf is the player who asks, with those whose passes they have.
func (s *lobbies) partyOf(c *call, passes []string) ([]string, error) {
	if len(passes) > maxParty {
		return nil, fault.New(code.OutOfRange, "a party has at most %d other players, not %d", maxParty, len(passes))
	}
	party := []string{c.who.Player}
	for _, pass := range passes {
		p, err := s.Accounts.PassedBy(c.r.Context(), pass)
		if err != nil {
			return nil, err
		}
		if !slices.Contains(party, p) {
			party = append(party, p)
		}
	}
	return party, nil
}

// quickThere looks for a lobby with room on other nodes, and has one opened by another where that is better; nil if
// this node is to open it.
func (s *lobbies) quickThere(c *call, book *rulebook.Book, size int, regions []string, in any) (any, error) {
	if s.Cluster == nil {
		return nil, nil
	}
	nodes, err := s.Directory.Roomy(c.r.Context(), book.Name, book.Version, size, regions, s.Cluster.Self.Name)
	if err != nil {
		return nil, err
	}
	for _, name := range nodes {
		m, err := s.aliveNode(name)
		if err != nil {
			continue
		}
		var out Found
		if err := s.askPeer(c, &m, findOnly, http.MethodPost, "/v1/quick", in, &out); err == nil {
			return out, nil
		}
	}
	return s.openThere(c, "/v1/quick", book, regions, in)
}

// mayOpen counts a lobby that a player opens. It is given back where none is opened.
func (s *lobbies) mayOpen(c *call) (giveBack func(), err error) {
	if !c.who.IsPlayer() {
		return func() {}, nil
	}
	return s.Guard.Take(guard.Opened, c.who.Player)
}
