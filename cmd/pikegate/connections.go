package main

import (
	"net"
	"net/http"
	"sync"
)

// mostConnections is how many connections callers may hold at a time; mostIdle
// how many of them may wait for a next request.
const (
	mostConnections = 2000
	mostIdle        = 500
)

// connections closes the idle connection that has waited longest when there are
// too many: one caller cannot hold what all need by doing nothing.
type connections struct {
	mu   sync.Mutex
	idle []net.Conn // the one that has waited longest first
}

// changed is http.Server's ConnState.
func (c *connections) changed(conn net.Conn, state http.ConnState) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for i, other := range c.idle {
		if other == conn {
			c.idle = append(c.idle[:i], c.idle[i+1:]...)
			break
		}
	}
	if state != http.StateIdle {
		return
	}
	c.idle = append(c.idle, conn)
	if len(c.idle) > mostIdle {
		_ = c.idle[0].Close()
		c.idle = c.idle[1:]
	}
}

// limited is a listener that lets no more than mostConnections be open: one more
// is closed at once, so that its caller is told and does not wait.
type limited struct {
	net.Listener
	open chan struct{}
}

func limit(l net.Listener) *limited {
	return &limited{l, make(chan struct{}, mostConnections)}
}

func (l *limited) Accept() (net.Conn, error) {
	for {
		conn, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		select {
		case l.open <- struct{}{}:
			return &counted{Conn: conn, done: sync.OnceFunc(func() { <-l.open })}, nil
		default:
			_ = conn.Close() // its caller sees that it is
		}
	}
}

type counted struct {
	net.Conn
	done func()
}

func (c *counted) Close() error {
	c.done()
	return c.Conn.Close()
}
