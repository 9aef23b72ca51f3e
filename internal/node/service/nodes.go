package service

import (
	"context"
	"encoding/hex"
	"net"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/bus"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/ledger"
	"turnvex.example/turnvex/internal/node/store"
)

// takeAtOnce is how many lobbies of a node that is dead are taken in one transaction: several nodes
// share them.
const takeAtOnce = 250

// lost drops everything that is alive here: another node has taken it over.
func (s *Service) lost() {
	if !s.up.Load() {
		return
	}
	s.Hall.Drop()
	s.Series.Give(context.Background(), "")
	s.Ledger.Forget()
}

// turn is called after each renewal of the lease.
func (s *Service) turn() {
	if !s.up.Load() {
		return
	}
	s.Hall.Resume()
	var routes []string
	for _, m := range s.Cluster.Members() {
		if m.Alive && m.Name != s.Cluster.Self.Name && m.Bus != "" {
			routes = append(routes, m.Bus)
		}
	}
	s.Bus.Routes(routes)
	s.takeUp()
}

// takeUp has the lobbies taken up that are to be alive here.
func (s *Service) takeUp() {
	select {
	case s.taking <- struct{}{}:
	default:
	}
}

// taker takes lobbies up, and gives them away, until the node stops.
func (s *Service) taker(ctx context.Context) {
	for {
		select {
		case <-s.taking:
		case <-ctx.Done():
			return
		}
		if !s.up.Load() || !s.Cluster.Lease.Holds() {
			continue
		}
		s.takeAgain(ctx)
		if err := s.takeGiven(ctx); err != nil && ctx.Err() == nil {
			s.log.Warn("lobbies that were given to this node could not be taken yet", "error", err)
		}
		dead := s.Cluster.Dead()
		if s.Cluster.Draining() && len(s.Cluster.Others(s.Cluster.Self.Region)) > 0 {
			dead = nil // others take them
		}
		for _, name := range dead {
			if err := s.takeOver(ctx, name); err != nil && ctx.Err() == nil {
				s.log.Warn("the lobbies of a node that is dead could not be taken over yet", "node", name, "error", err)
			}
		}
		if s.Cluster.Draining() {
			s.giveAway(ctx)
		}
	}
}

// takeAgain takes the lobbies up again that could not be handed over.
func (s *Service) takeAgain(ctx context.Context) {
	s.againMu.Lock()
	ids := s.again
	s.again = nil
	s.againMu.Unlock()
	if len(ids) == 0 {
		return
	}
	left, err := s.Ledger.Take(ctx, &ledger.Taking{From: s.Cluster.Self.Name, Only: ids})
	if err != nil {
		s.log.Warn("lobbies that could not be handed over wait to be taken up again", "lobbies", len(ids), "error", err)
		s.goAgain(ids...)
		return
	}
	s.restore(ctx, left)
}

// goAgain notes lobbies that are to be taken up again.
func (s *Service) goAgain(ids ...string) {
	s.againMu.Lock()
	s.again = append(s.again, ids...)
	s.againMu.Unlock() // the next renewal has them taken up
}

// takeGiven takes what other nodes have given to this one, and what was begun here under an
// earlier lease.
func (s *Service) takeGiven(ctx context.Context) error {
	self := s.Cluster.Self.Name
	var there []struct{ Given, Older bool }
	err := s.DB.WithContext(ctx).Raw(`select exists (select 1 from lobbies where node = @n and epoch = 0 and
			closed_at is null) or exists (select 1 from series where node = @n and epoch = 0 and not over) as given,
		exists (select 1 from lobbies where node = @n and epoch between 1 and @e - 1 and closed_at is null) as older`,
		map[string]any{"n": self, "e": s.Cluster.Lease.Epoch()}).Scan(&there).Error
	if err != nil || len(there) == 0 {
		return err
	}
	if there[0].Older {
		if err := s.take(ctx, &ledger.Taking{From: self}, s.Series.Given); err != nil {
			return err
		}
	} else if there[0].Given {
		return s.take(ctx, &ledger.Taking{From: self, Given: true}, s.Series.Given)
	}
	return nil
}

// take takes lobbies and series, and lets them go on.
func (s *Service) take(ctx context.Context, t *ledger.Taking, taken func(*store.Tx) ([]store.Series, error)) error {
	var rows []store.Series
	before := t.Before
	t.Before = func(tx *store.Tx) (ok bool, err error) {
		if before != nil {
			if ok, err := before(tx); !ok || err != nil {
				return ok, err
			}
		}
		rows, err = taken(tx)
		return err == nil, err
	}
	left, err := s.Ledger.Take(ctx, t)
	if err != nil {
		return err
	}
	if err := s.Series.Adopt(ctx, rows, s.open(ctx)); err != nil {
		s.log.Error("series could not be taken over", "error", err)
	}
	s.restore(ctx, left)
	return nil
}

// open returns a function that tells whether a lobby is open, on whichever node.
func (s *Service) open(ctx context.Context) func(lobbyID string) bool {
	return func(id string) bool {
		var n int64
		err := s.DB.WithContext(ctx).Model(&store.Lobby{}).Where("id = ? and closed_at is null", id).Count(&n).Error
		return err != nil || n > 0
	}
}

// takeOver takes the lobbies of a node that is dead, as long as there are some.
func (s *Service) takeOver(ctx context.Context, name string) error {
	began, n := time.Now(), 0
	for first := true; ; first = false {
		alive := false
		t := &ledger.Taking{From: name, Most: takeAtOnce}
		t.Before = func(tx *store.Tx) (bool, error) {
			ok, err := s.Cluster.Fell(tx, name)
			alive = !ok
			return ok, err
		}
		taken := func(*store.Tx) ([]store.Series, error) { return nil, nil }
		if first { // series, with the lobbies in which they are played
			taken = func(tx *store.Tx) (rows []store.Series, err error) {
				if rows, err = s.Series.TakeFrom(tx, name); len(rows) > 0 {
					t.First = s.Series.Lobbies(rows)
				}
				return rows, err
			}
		}
		before := s.Hall.Lobbies()
		if err := s.take(ctx, t, taken); err != nil {
			return err
		}
		n += max(s.Hall.Lobbies()-before, 0)
		if alive || t.Taken < takeAtOnce {
			break
		}
	}
	if n > 0 {
		s.meter.TookOver(n)
		s.log.Info("the lobbies of a node that is dead go on here", "node", name, "lobbies", n, "took",
			time.Since(began))
	}
	return nil
}

// giveAtOnce is how many lobbies are being handed over at the same time.
const giveAtOnce = 8

// giveAway hands the lobbies of this node to others of its region, if there are any, those with
// the fewest first; series go together with their lobbies to one node.
func (s *Service) giveAway(ctx context.Context) {
	others := s.Cluster.Others(s.Cluster.Self.Region)
	all := s.Hall.All()
	if len(others) == 0 || len(all) == 0 {
		return
	}
	s.log.Info("the lobbies are handed to other nodes", "lobbies", len(all), "nodes", len(others))
	to := func(m cluster.Member) hall.Destination { return hall.Destination{Node: m.Name, Address: m.Address} }
	turns := make(chan struct{}, giveAtOnce)
	var under sync.WaitGroup
	for i, l := range all {
		dest := others[i%len(others)]
		if s.Series.Plays(l.ID) {
			dest = others[0]
		}
		turns <- struct{}{}
		under.Go(func() {
			defer func() { <-turns }()
			if err := s.give(ctx, l, to(dest)); err != nil {
				s.log.Warn("a lobby could not be handed over", "lobby", l.Code, "to", dest.Name, "error", err)
			}
		})
		if ctx.Err() != nil {
			break
		}
	}
	under.Wait()
	if err := s.Series.Give(ctx, others[0].Name); err != nil {
		s.log.Warn("the series could not be handed over", "to", others[0].Name, "error", err)
	}
	s.Bus.Tell("given", others[0].Name)
}

// give hands one lobby to another node.
func (s *Service) give(ctx context.Context, l *hall.Lobby, to hall.Destination) error {
	err := l.Give(ctx, to)
	if err == nil {
		s.Bus.Tell("given", to.Node)
	}
	return err
}

// join announces the node, and lets it renew its lease from now on.
func (s *Service) join(ctx context.Context, cfg *Config, secret string) (err error) {
	s.Bus, err = bus.Start(bus.Options{
		Name: cfg.Node, Listen: cfg.MessagesAt, Outside: cfg.Messages, Log: cfg.Log,
		Secret:  hex.EncodeToString(account.Derived(secret, "messages between nodes")),
		Subject: hex.EncodeToString(account.Derived(secret, "subjects of messages"))[:16],
	})
	if err != nil {
		return err
	}
	self := cluster.Self{Name: cfg.Node, Address: advertised(cfg, s.listener.Addr()), Bus: s.Bus.Address(),
		Region: cfg.Region, Version: Version}
	if s.Cluster, err = cluster.Join(ctx, s.DB, self, s.load, cfg.Log); err != nil {
		return err
	}
	s.Cluster.OnAway(func() { s.Bus.Tell("away", "") })
	s.Bus.On("away", func(from, _ string) { s.Cluster.Away(from) })
	s.Bus.On("given", func(_, to string) {
		if to == cfg.Node {
			s.takeUp()
		}
	})
	s.Bus.On("nodes", func(string, string) { s.Cluster.Look() })
	s.Bus.Tell("nodes", "")
	running, leave := context.WithCancel(context.Background())
	s.leave = leave
	s.done.Go(func() { s.Cluster.Run(running, s.lost, s.turn) })
	s.done.Go(func() { s.taker(running) })
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
	if !s.up.Load() {
		return cluster.Load{}
	}
	return cluster.Load{Lobbies: s.Hall.Lobbies(), Seats: s.Hall.Seats(), Connections: int(s.conns.Load()),
		Tallies: s.Hall.Tallies.JSON()}
}

// stopGiving hands the lobbies of a node that stops to others, if there are any; what is left goes on
// at the next start, or where it is taken over.
func (s *Service) stopGiving() {
	ctx, over := context.WithTimeout(context.Background(), giveWithin)
	defer over()
	err := s.DB.WithContext(ctx).Exec("update nodes set draining = true where name = ? and epoch = ?",
		s.Cluster.Self.Name, s.Cluster.Lease.Epoch()).Error
	if err != nil {
		s.log.Warn("the node could not say that it stops", "error", err)
		return
	}
	s.Hall.Drain()
	s.giveAway(ctx)
}

// giveWithin is the time in which a node that stops hands its lobbies to others.
const giveWithin = 20 * time.Second

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
