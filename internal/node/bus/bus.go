// Package bus carries hints between the nodes over one database: that something has changed, and where to look. It goes
// over NATS: a server that is part of each node, clustered with those of the others, or one that runs outside. The
// database stays the truth: a hint that is lost delays what it is about until somebody looks by themselves, and
// falsifies nothing.
package bus

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"

	"turnvex.example/turnvex/internal/live/safe"
)

// Options say how messages go. Name and Secret must be given.
type Options struct {
	Name    string // of the node
	Subject string // under which they go, of this installation alone
	Secret  string // that all nodes of an installation share; derived, and used for nothing else
	Listen  string // for the other nodes; a free port of the loopback interface if empty
	Outside string // the address of a server outside, such as nats://10.0.0.9:4222; "" for one of the node's own
	Log     *slog.Logger
}

// Bus may be used by several goroutines. A nil one carries nothing.
type Bus struct {
	own  *server.Server // nil with a server outside
	opts *server.Options
	conn *nats.Conn
	name string
	of   string // the beginning of all subjects

	mu     sync.Mutex
	routes []string // guarded by mu
}

// startWithin is the time for the node's own server to start.
const startWithin = 5 * time.Second

// Start starts to carry messages.
func Start(o Options) (*Bus, error) {
	b := &Bus{name: o.Name, of: "turnvex." + o.Subject + "."}
	with := []nats.Option{nats.Name(o.Name), nats.NoEcho(), nats.MaxReconnects(-1),
		nats.ReconnectWait(500 * time.Millisecond),
		nats.RetryOnFailedConnect(true), nats.ErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) {
			o.Log.Warn("a message between nodes failed", "error", err)
		})}
	address := o.Outside
	if address == "" {
		if err := b.serve(&o); err != nil {
			return nil, err
		}
		address = "nats://in.process"
		with = append(with, nats.InProcessServer(b.own), nats.UserInfo("node", o.Secret))
	}
	conn, err := nats.Connect(address, with...)
	if err != nil {
		b.Close()
		return nil, fmt.Errorf("messages between nodes: %w; -messages says where they go", err)
	}
	b.conn = conn
	return b, nil
}

// serve starts the node's own server. It listens for the servers of other nodes alone.
func (b *Bus) serve(o *Options) error {
	host, port := "127.0.0.1", -1
	if o.Listen != "" {
		h, p, err := net.SplitHostPort(o.Listen)
		if err == nil {
			port, err = strconv.Atoi(p)
		}
		if err != nil {
			return fmt.Errorf("%q is no address for messages between nodes; one is 10.0.0.5:7422", o.Listen)
		}
		if host = h; port == 0 {
			port = -1
		}
	}
	b.opts = &server.Options{
		// The library opens the port for other servers only behind one for clients, which nobody uses.
		ServerName: o.Name, Host: "127.0.0.1", Port: -1, Username: "node", Password: o.Secret,
		NoLog: true, NoSigs: true, NoSystemAccount: true,
		Cluster: server.ClusterOpts{Name: "turnvex", Host: host, Port: port, Username: "node", Password: o.Secret,
			PoolSize: -1, ConnectRetries: 5},
		MaxPayload: maxMessage,
	}
	own, err := server.NewServer(b.opts)
	if err != nil {
		return fmt.Errorf("messages between nodes: %w", err)
	}
	b.own = own
	own.Start()
	if !own.ReadyForConnections(startWithin) {
		own.Shutdown()
		return errors.New("messages between nodes: no port could be opened on " + host + "; choose another with " +
			"-messages-listen")
	}
	return nil
}

// maxMessage is the most bytes of a message.
const maxMessage = 4 << 10

// Address is where the other nodes' servers reach this one's; "" with a server outside.
func (b *Bus) Address() string {
	if b == nil || b.own == nil || b.own.ClusterAddr() == nil {
		return ""
	}
	return b.own.ClusterAddr().String()
}

// Routes says where the servers of the other nodes are. Of those that are there already each tells the others who has
// come.
func (b *Bus) Routes(addresses []string) {
	if b == nil || b.own == nil {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	slices.Sort(addresses)
	if slices.Equal(addresses, b.routes) {
		return
	}
	next := *b.opts
	next.Cluster.Port = b.own.ClusterAddr().Port
	if a, is := b.own.Addr().(*net.TCPAddr); is {
		next.Port = a.Port
	}
	next.Routes = nil
	for _, a := range addresses {
		next.Routes = append(next.Routes, &url.URL{Scheme: "nats", Host: a, User: url.UserPassword("node",
			b.opts.Cluster.Password)})
	}
	if b.own.ReloadOptions(&next) == nil {
		b.routes = addresses
	}
}

// Tell tells the other nodes something about a topic. Nobody learns whether it arrives.
func (b *Bus) Tell(topic, what string) {
	if b != nil {
		b.conn.Publish(b.of+topic, []byte(b.name+"\n"+what))
	}
}

// On calls a function with each message of another node about a topic, one after the other.
func (b *Bus) On(topic string, do func(from, what string)) {
	if b == nil {
		return
	}
	b.conn.Subscribe(b.of+topic, func(m *nats.Msg) {
		from, what, _ := bytes.Cut(m.Data, []byte("\n"))
		safe.Do("hear of "+topic, func() { do(string(from), string(what)) })
	})
}

// Connected tells whether messages go out, and Peers how many other nodes are reached by this one's own server.
func (b *Bus) Connected() bool { return b != nil && b.conn.IsConnected() }

// Peers is how many other nodes this one's own server is connected to.
func (b *Bus) Peers() int {
	if b == nil || b.own == nil {
		return 0
	}
	return b.own.NumRoutes()
}

// flushWithin is the time for the last words.
const flushWithin = 200 * time.Millisecond

// Close ends it.
func (b *Bus) Close() {
	if b == nil {
		return
	}
	if b.conn != nil {
		b.conn.FlushTimeout(flushWithin) // what was told last
		b.conn.Close()
	}
	if b.own != nil {
		b.own.Shutdown()
	}
}
