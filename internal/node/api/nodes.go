package api

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
)

// Node is a node as operators see it.
type Node struct {
	Name        string    `json:"name"`
	Address     string    `json:"address"` // for clients
	Region      string    `json:"region"`
	Version     string    `json:"version"`
	State       string    `json:"state"` // alive, overloaded, draining or gone
	Lobbies     int       `json:"lobbies"`
	Seats       int       `json:"seats"`
	Connections int       `json:"connections"`
	Started     time.Time `json:"started"`
	Lease       time.Time `json:"lease"` // until when it holds its lobbies, unless it renews it
	Here        bool      `json:"here"`  // it has answered
}

// Nodes are all nodes that were there within the hour.
type Nodes struct {
	Nodes []Node `json:"nodes"`
}

// moveRequest says where a lobby is to go.
type moveRequest struct {
	Node string `json:"node"`
}

var nodeRoutes = []route{
	{method: "GET", path: "/v1/nodes", access: reading, summary: "The nodes that share this database, and their load",
		out: Nodes{}, do: by((*nodes).listNodes)},
	{
		method:  "POST",
		path:    "/v1/nodes/{node}/drain",
		access:  operator,
		summary: "Stop a node from taking lobbies, and move its lobbies to other nodes in its region",
		do:      by(func(s *nodes, c *call) (any, error) { return nil, s.drain(c, true) }),
	},
	{
		method:  "DELETE",
		path:    "/v1/nodes/{node}/drain",
		access:  operator,
		summary: "Let a node take lobbies again",
		do:      by(func(s *nodes, c *call) (any, error) { return nil, s.drain(c, false) }),
	},
	{method: "POST", path: "/v1/lobbies/{code}/move", access: operator,
		summary: "Move a lobby to another node; its clients resume there in the same seats",
		do:      taking((*nodes).moveLobby)},
}

func (s *nodes) listNodes(c *call) (any, error) {
	out := Nodes{[]Node{}}
	for _, m := range s.Cluster.Members() {
		out.Nodes = append(out.Nodes, s.node(&m))
	}
	return out, nil
}

func (s *nodes) node(m *cluster.Member) Node {
	n := Node{Name: m.Name, Address: m.Address, Region: m.Region, Version: m.Version, State: "alive",
		Lobbies: m.Lobbies, Seats: m.Seats, Connections: m.Connections, Started: m.StartedAt.UTC(),
		Lease: m.LeaseUntil.UTC(), Here: m.Name == s.Cluster.Self.Name}
	switch {
	case !m.Alive:
		n.State = "gone"
	case m.Draining:
		n.State = "draining"
	case m.Overloaded:
		n.State = "overloaded"
	}
	return n
}

func (s *nodes) drain(c *call, on bool) error {
	m, err := s.aliveNode(c.path("node"))
	if err != nil {
		return err
	}
	err = s.DB.WithContext(c.r.Context()).Exec("update nodes set draining = ? where name = ?", on, m.Name).Error
	s.Cluster.Look()
	return err
}

func (s *server) aliveNode(name string) (cluster.Member, error) {
	m, known := s.Cluster.Member(name)
	if known && m.Alive {
		return m, nil
	}
	var names []string
	for _, m := range s.Cluster.Members() {
		if m.Alive {
			names = append(names, m.Name)
		}
	}
	return m, fault.New(code.NoNode, "no node named %.40q is alive; alive are: %s", name, strings.Join(names, ", "))
}

func (s *nodes) moveLobby(c *call, in moveRequest) (any, error) {
	m, err := s.aliveNode(in.Node)
	if err != nil {
		return nil, err
	}
	l, err := s.find(c.r, c.who, c.path("code"))
	if err != nil {
		return nil, err
	}
	switch {
	case m.Name == s.Cluster.Self.Name:
		return nil, nil // it is there
	case m.Region != s.Cluster.Self.Region:
		return nil, fault.New(code.WrongRegion, "the lobby is in the region %s, and the node %s in %s",
			s.Cluster.Self.Region, m.Name, m.Region)
	case s.Series.Plays(l.ID):
		return nil, fault.New(code.NotNow, "the lobby belongs to a series, which moves with its node: drain the node")
	}
	return nil, s.Give(c.r.Context(), l, hall.Destination{Node: m.Name, Address: m.Address})
}

// where are the lobbies in which a player has a seat, stands in line, or has a place held for them, on all nodes.
func (s *nodes) where(c *call, player string) (any, error) {
	out := Seats{[]Found{}}
	here := s.Hall.Where(player)
	for _, l := range s.Hall.HeldFor(player) {
		if !slices.Contains(here, l) {
			here = append(here, l)
		}
	}
	for _, l := range here {
		found, err := s.found(c, l.Code, false)
		if err != nil {
			continue // it has closed meanwhile
		}
		out.Lobbies = append(out.Lobbies, found.(Found))
	}
	if c.manner() == "" {
		more, err := s.whereElse(c.r.Context(), c, player)
		if err != nil {
			return nil, err
		}
		out.Lobbies = append(out.Lobbies, more...)
	}
	slices.SortFunc(out.Lobbies, func(a, b Found) int { return strings.Compare(a.Code, b.Code) })
	return out, nil
}

// whereElse asks the other nodes that have lobbies in whose journals a player stands.
func (s *nodes) whereElse(ctx context.Context, c *call, player string) (out []Found, err error) {
	if s.Cluster == nil || len(s.Cluster.Others()) == 0 {
		return nil, nil
	}
	var nodes []string
	err = s.DB.WithContext(ctx).Raw(`select distinct l.node from ledger_people p join lobbies l on l.id = p.lobby_id
		where p.text = ? and p.token like 'a%' and l.closed_at is null and l.node <> ? limit 20`, player, s.Cluster.Self.Name).Scan(&nodes).Error
	if err != nil {
		return nil, err
	}
	for _, name := range nodes {
		m, err := s.aliveNode(name)
		if err != nil {
			continue
		}
		var there Seats
		if err := s.askPeer(c, &m, asItIs, http.MethodGet, c.r.URL.Path, nil, &there); err != nil {
			return nil, err
		}
		out = append(out, there.Lobbies...)
	}
	return out, nil
}
