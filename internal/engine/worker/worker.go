// Package worker reads a database file in processes of their own, so that a
// statement that goes wild is ended with its process: each has limits on memory
// and on the size of files, sees no other file where the kernel can hide them
// (Landlock), and is killed where it does not stop when it is told to.
//
// A worker is this same binary, started under the name of its kind; see Main.
// Its parent sends it statements by a socket, one at a time, and reads the rows.
package worker

import (
	"bufio"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"golang.org/x/sys/unix"

	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// Reader is a database as it is read within a worker. It is used by one
// goroutine at a time.
type Reader interface {
	// Stream hands over the rows of a statement; its failures are of type engine.Failure.
	Stream(ctx context.Context, q dialect.Query, to *Rows) error
	// Describe is that of engine.Source.
	Describe(ctx context.Context, q dialect.Query) (engine.Description, error)
}

// What a message is, in its first byte.
const (
	askRows    byte = 's' // a statement and its values
	askColumns byte = 'd' // the same, for its columns
	cancel     byte = 'c' // the statement under way is to stop
	someRows   byte = 'r' // rows one after the other: how wide each is, and the values
	columns    byte = 'k' // an engine.Description as JSON
	done       byte = 'e' // the statement has ended well
	failed     byte = 'f' // a code and a message
)

// Together is how many bytes of rows are sent together, and rowsWait how
// long they wait for others at the most.
const (
	Together = 128 << 10
	rowsWait = 2 * time.Millisecond
)

// largest is how many bytes a message may have: some rows of the largest cells.
const largest = 1 << 30

// send writes a message: its length, what it is, and its content.
func send(w io.Writer, kind byte, content []byte) error {
	message := make([]byte, 5, 5+len(content))
	binary.LittleEndian.PutUint32(message, uint32(len(content)+1))
	message[4] = kind
	_, err := w.Write(append(message, content...))
	return err
}

// receive reads a message into memory of its own.
func receive(r *bufio.Reader) (kind byte, content []byte, err error) {
	var head [5]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return 0, nil, err
	}
	n := int(binary.LittleEndian.Uint32(head[:])) - 1
	if n < 0 || n > largest {
		return 0, nil, fmt.Errorf("worker: a message of %d bytes", n)
	}
	content = make([]byte, n)
	_, err = io.ReadFull(r, content)
	return head[4], content, err
}

// server is the worker's side. It reads what is asked, and answers it, on one
// goroutine; a statement that lasts is looked after by another.
type server struct {
	open   func() (Reader, error)
	reader Reader // once something was asked
	socket *os.File
	in     *bufio.Reader
	rows   Rows
}

// serve answers statements until the socket is closed.
func (s *server) serve() error {
	s.in = bufio.NewReader(s.socket)
	for {
		kind, content, err := receive(s.in)
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return err
		case kind == cancel: // of a statement that has ended
			continue
		}
		if err := s.answer(kind, content); err != nil {
			return err
		}
	}
}

// answer runs a statement; an error is one of the socket.
func (s *server) answer(kind byte, content []byte) error {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	s.rows.begin()
	ended, cared := make(chan struct{}), make(chan struct{})
	care := time.AfterFunc(rowsWait, func() {
		defer close(cared)
		s.lookAfter(stop, ended)
	})
	err := s.run(ctx, kind, content)
	close(ended)
	if !care.Stop() {
		<-cared
	}
	if err == nil {
		return s.rows.end(done, nil)
	}
	code, message := engine.Broken, err.Error()
	var failure *engine.Failure
	if errors.As(err, &failure) {
		code, message = failure.Code, failure.Message
	}
	return s.rows.end(failed, engine.AppendValue(engine.AppendValue(nil, string(code)), message))
}

// lookAfter sends the rows of a statement that lasts, and stops it when it is
// told to. Nothing but that is said before the statement has ended; where the
// parent is gone, the worker goes too.
func (s *server) lookAfter(stop func(), ended <-chan struct{}) {
	ticker := time.NewTicker(rowsWait)
	defer ticker.Stop()
	for {
		select {
		case <-ended:
			return
		case <-ticker.C:
		}
		_ = s.rows.Send() // whoever adds the next row meets it
		var next [1]byte
		n, _, err := unix.Recvfrom(int(s.socket.Fd()), next[:], unix.MSG_PEEK|unix.MSG_DONTWAIT)
		switch {
		case err == nil && n == 0:
			os.Exit(0)
		case n > 0 || s.in.Buffered() > 0:
			stop()
		}
	}
}

func (s *server) run(ctx context.Context, kind byte, content []byte) error {
	var arena engine.Arena
	var values []any
	for len(content) > 0 {
		v, rest, err := arena.ReadValue(content)
		if err != nil {
			return err
		}
		values, content = append(values, v), rest
	}
	q := dialect.Query{Args: values[1:]}
	q.SQL, _ = values[0].(string)
	if s.reader == nil {
		reader, err := s.open()
		if err != nil {
			return err
		}
		s.reader = reader
	}
	if kind == askColumns {
		return s.describe(ctx, q)
	}
	return s.reader.Stream(ctx, q, &s.rows)
}

func (s *server) describe(ctx context.Context, q dialect.Query) error {
	found, err := s.reader.Describe(ctx, q)
	if err != nil {
		return err
	}
	content, err := json.Marshal(found)
	if err != nil {
		return err
	}
	return send(s.socket, columns, content)
}
