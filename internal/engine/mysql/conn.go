package mysql

import (
	"bufio"
	"context"
	"database/sql/driver"
	"net"
	"sync"
	"sync/atomic"
	"syscall"
)

// readAhead is how many bytes are read from the server at a time: the driver by
// itself reads 4 KiB, which is most of what a large result costs.
const readAhead = 256 << 10

// buffered is a connection that is read in large pieces.
type buffered struct {
	net.Conn
	reader *bufio.Reader
	left   int                    // how many bytes of a packet were not read yet
	spoken bool                   // whether anything was sent
	opaque bool                   // whether it is encrypted
	closed atomic.Pointer[func()] // called when it is
}

func (b *buffered) Close() error {
	if closed := b.closed.Load(); closed != nil {
		(*closed)()
	}
	return b.Conn.Close()
}

// Read hands over one packet at the most: what follows is not the driver's alone. Behind TLS
// there are none to be seen.
func (b *buffered) Read(p []byte) (int, error) {
	if b.opaque {
		return b.reader.Read(p)
	}
	if b.left == 0 {
		head, err := b.reader.Peek(packetHead)
		if err != nil {
			return 0, err
		}
		b.left = packetHead + lengthOf(head)
	}
	n, err := b.reader.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

// Write takes note of a connection that is encrypted from then on: the first that is said is
// to ask for it, in a packet that is shorter than any other first one; source: MariaDB's
// documentation, "SSLRequest Packet".
func (b *buffered) Write(p []byte) (int, error) {
	if !b.spoken {
		b.spoken, b.opaque = true, len(p) == packetHead+32
	}
	return b.Conn.Write(p)
}

// shows tells whether what comes next can be read without the driver.
func (b *buffered) shows() bool { return b != nil && !b.opaque && b.left == 0 }

// SyscallConn lets the driver look whether the server has hung up.
func (b *buffered) SyscallConn() (syscall.RawConn, error) {
	return b.Conn.(syscall.Conn).SyscallConn()
}

func dial(ctx context.Context, network, address string) (net.Conn, error) {
	var d net.Dialer
	c, err := d.DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	socket := &buffered{Conn: c, reader: bufio.NewReaderSize(c, readAhead)}
	if made, ok := ctx.Value(socketKey{}).(**buffered); ok {
		*made = socket
	}
	return socket, nil
}

type socketKey struct{}

// connector makes connections whose sockets are known: a server that hangs takes
// no notice of being told to stop, and only its socket can be given up.
type connector struct {
	driver.Connector
	sockets *sync.Map // by driver.Conn
}

func (c connector) Connect(ctx context.Context) (driver.Conn, error) {
	var socket *buffered
	conn, err := c.Connector.Connect(context.WithValue(ctx, socketKey{}, &socket))
	if err != nil {
		return nil, err
	}
	if socket != nil {
		c.sockets.Store(conn, socket)
		closed := func() { c.sockets.Delete(conn) }
		socket.closed.Store(&closed)
	}
	return conn, nil
}
