package api

import (
	"net"
	"sync"

	"turnvex.example/turnvex/internal/node/guard"
)

// Listener is a listener whose connections are counted by address, before anything has come over them: one too many is
// closed at once. Those of proxies are not counted.
func Listener(l net.Listener, cfg Config) net.Listener {
	return &listener{l, &server{Config: cfg}, guard.Sockets}
}

type listener struct {
	net.Listener
	s     *server
	limit *guard.Limit
}

func (l *listener) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		host, _, err := net.SplitHostPort(c.RemoteAddr().String())
		if err != nil || l.s.isProxy(host) {
			return c, nil
		}
		back, err := l.s.Guard.Take(l.limit, host)
		if err != nil {
			c.Close()
			continue
		}
		if tcp, is := c.(*net.TCPConn); is {
			return &counted{TCPConn: tcp, back: back}, nil
		}
		back()
		return c, nil
	}
}

// counted is a connection that gives its place back when it closes.
type counted struct {
	*net.TCPConn
	once sync.Once
	back func()
}

func (c *counted) Close() error {
	c.once.Do(c.back)
	return c.TCPConn.Close()
}
