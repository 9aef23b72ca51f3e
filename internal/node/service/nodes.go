package service

import (
	"context"
	"encoding/hex"
	"net"
	"os"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/bus"
	"turnvex.example/turnvex/internal/node/cluster"
)

// turn is called after each renewal of the lease.
func (s *Service) turn() {
	if !s.handover.Up() {
		return
	}
	var routes []string
	for _, m := range s.Cluster.Members() {
		if m.Alive && m.Name != s.Cluster.Self.Name && m.Bus != "" {
			routes = append(routes, m.Bus)
		}
	}
	s.Bus.Routes(routes)
	s.handover.Turn()
}

// join announces the node, and lets it renew its lease from now on.
func (s *Service) join(ctx context.Context, cfg *Config, secret string) (err error) {
	s.Bus, err = bus.Start(bus.Options{Name: cfg.Node, Listen: cfg.Messages.Listen, Outside: cfg.Messages.Server,
		Log:     cfg.Log,
		Secret:  hex.EncodeToString(account.Derived(secret, "messages between nodes")),
		Subject: hex.EncodeToString(account.Derived(secret, "subjects of messages"))[:16]})
	if err != nil {
		return err
	}
	self := cluster.Identity{Name: cfg.Node, Address: advertised(cfg, s.listener.Addr()), Bus: s.Bus.Address(),
		Region: cfg.Region, Version: Version}
	if s.Cluster, err = cluster.Join(ctx, cluster.In(s.DB), self, s.load, cfg.Log); err != nil {
		return err
	}
	for _, word := range cluster.Words {
		s.Bus.On(word, func(from, what string) { s.Cluster.Hear(word, from, what) })
	}
	s.Bus.On("given", func(_, to string) {
		if to == cfg.Node {
			s.handover.TakeUp()
		}
	})
	s.Bus.On("nodes", func(string, string) { s.Cluster.Look() })
	s.Bus.Tell("nodes", "")
	running, leave := context.WithCancel(context.Background())
	s.leave = leave
	safe.Vital(&s.done, "renew the lease", func() { s.Cluster.Run(running, s.handover.Lost, s.turn) })
	safe.Vital(&s.done, "take lobbies over", func() { s.handover.Run(running) })
	return nil
}

// advertised is the address that clients and other nodes are told.
func advertised(cfg *Config, at net.Addr) string {
	if cfg.Advertise != "" {
		return strings.TrimSuffix(cfg.Advertise, "/")
	}
	tcp, is := at.(*net.TCPAddr)
	if is && tcp.IP.IsUnspecified() {
		if name, err := os.Hostname(); err == nil {
			return "http://" + net.JoinHostPort(name, strconv.Itoa(tcp.Port))
		}
	}
	return "http://" + at.String()
}

func (s *Service) load() cluster.Load {
	if !s.handover.Up() {
		return cluster.Load{}
	}
	return cluster.Load{Lobbies: s.Hall.Lobbies(), Seats: s.Hall.Seats(), Connections: int(s.conns.Load()),
		Overloaded: s.Hall.Overloaded(), Tallies: s.Hall.Tallies.JSON()}
}

// maxOthers is how many other nodes clients are told of.
const maxOthers = 4

// otherAddresses are addresses of other nodes, for clients.
func (s *Service) otherAddresses() (out []string) {
	for _, m := range s.Cluster.Others() {
		if out = append(out, m.Address); len(out) == maxOthers {
			break
		}
	}
	return out
}
