package client

import (
	"context"
	"net/http"
	"net/url"
	"time"
)

// Node is one of the nodes that run a service.
type Node struct {
	Name        string    `json:"name"`        // unique
	Address     string    `json:"address"`     // for clients
	Region      string    `json:"region"`      // where it is
	Version     string    `json:"version"`     // of the service
	State       string    `json:"state"`       // alive, draining or gone
	Lobbies     int       `json:"lobbies"`     // that are alive there
	Seats       int       `json:"seats"`       // taken, and places in line
	Connections int       `json:"connections"` // live ones
	Started     time.Time `json:"started"`     // when
	Lease       time.Time `json:"lease"`       // until when it holds its lobbies, unless it renews the lease
	Here        bool      `json:"here"`        // it has answered
}

// Nodes returns the nodes that were there within the hour, by name. Service keys only.
func (s Service) Nodes(ctx context.Context) ([]Node, error) {
	var out struct{ Nodes []Node }
	return out.Nodes, s.Call(ctx, http.MethodGet, "/v1/nodes", nil, &out)
}

// Drain lets a node take no more lobbies and hand those that it has to others of its region; with false it takes
// lobbies again. Why stands in the audit trail. Operators only.
func (s Service) Drain(ctx context.Context, node string, on bool, why string) error {
	method := http.MethodPost
	if !on {
		method = http.MethodDelete
	}
	return s.Call(ctx, method, "/v1/nodes/"+url.PathEscape(node)+"/drain"+because(why), nil, nil)
}

// Move hands a lobby to another node of its region. It returns when it is there; its clients come back by themselves.
// Operators only.
func (s Service) Move(ctx context.Context, code, node, why string) error {
	return s.Call(ctx, http.MethodPost, "/v1/lobbies/"+url.PathEscape(code)+"/move"+because(why),
		map[string]string{"node": node}, nil)
}

func because(why string) string {
	if why == "" {
		return ""
	}
	return "?" + url.Values{"why": {why}}.Encode()
}
