package mysql

import (
	"bufio"
	"context"
	"net"
	"syscall"
)

// readAhead is how many bytes are read from the server at a time: the driver by
// itself reads 4 KiB, which is most of what a large result costs.
const readAhead = 256 << 10

// buffered is a connection that is read in large pieces.
type buffered struct {
	net.Conn
	reader *bufio.Reader
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
	return &buffered{c, bufio.NewReaderSize(c, readAhead)}, nil
}
