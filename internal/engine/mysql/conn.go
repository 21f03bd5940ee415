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
	closed atomic.Pointer[func()] // called when it is
}

func (b *buffered) Close() error {
	if closed := b.closed.Load(); closed != nil {
		(*closed)()
	}
	return b.Conn.Close()
}

func (b *buffered) Read(p []byte) (int, error) { return b.reader.Read(p) }

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
