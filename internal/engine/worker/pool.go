package worker

import (
	"bufio"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"sync"
	"syscall"
	"time"

	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// grace is how long a statement has to stop when it is told to, before its
// worker is killed; idle is how long a worker waits for the next statement.
const (
	grace = 250 * time.Millisecond
	idle  = time.Minute
)

// Pool is the workers that read one file.
type Pool struct {
	kind, source, path string
	ready              func()        // called before a worker starts, and when it has begun
	places             chan struct{} // full while as many work as may
	temporary          string        // the folder that their temporary files are in

	mu     sync.Mutex // guards the rest
	free   []*process
	closed bool
}

// NewPool starts no worker yet: each statement takes a free one, or starts one
// where there is none and fewer than so many work; ready is called before, and
// after its first statement.
func NewPool(kind, source, path string, most int, ready func()) (*Pool, error) {
	temporary, err := os.MkdirTemp("", "pikegate-")
	if err != nil {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("There is no room for temporary files: %v.", err), Err: err}
	}
	return &Pool{kind: kind, source: source, path: path, ready: ready, places: make(chan struct{}, most), temporary: temporary}, nil
}

// Close ends the workers; one under way ends with its statement.
func (p *Pool) Close() error {
	p.mu.Lock()
	free := p.free
	p.free, p.closed = nil, true
	p.mu.Unlock()
	for _, w := range free {
		w.end()
	}
	return os.RemoveAll(p.temporary)
}

// Stream is that of engine.Source.
func (p *Pool) Stream(ctx context.Context, q dialect.Query, row func(row []any) error) error {
	if err := q.Err(); err != nil {
		return err
	}
	arena := engine.Arena{Passing: q.Passing}
	var values []any
	return p.ask(ctx, askRows, q, func(content []byte) error {
		for len(content) > 0 {
			arena.Begin()
			width, read := binary.Uvarint(content)
			content, values = content[read:], values[:0]
			for range width {
				v, rest, err := arena.ReadValue(content)
				if err != nil {
					return err
				}
				values, content = append(values, v), rest
			}
			if err := row(values); err != nil {
				return err
			}
		}
		return nil
	})
}

// Describe is that of engine.Source.
func (p *Pool) Describe(ctx context.Context, q dialect.Query) (found engine.Description, err error) {
	err = p.ask(ctx, askColumns, q, func(content []byte) error { return json.Unmarshal(content, &found) })
	return found, err
}

// ask sends a statement to a worker and hands over what it answers. One that was
// free may have died since, or may not see a file that came into being later: the
// statement goes to a new one then, as long as nothing was answered.
func (p *Pool) ask(ctx context.Context, kind byte, q dialect.Query, take func(content []byte) error) error {
	select {
	case p.places <- struct{}{}:
		defer func() { <-p.places }()
	case <-ctx.Done():
		return context.Cause(ctx)
	}
	content := engine.AppendValue(nil, q.SQL)
	for _, v := range q.Args {
		content = engine.AppendValue(content, v)
	}
	for anew := false; ; anew = true {
		w, used, err := p.take(anew)
		if err != nil {
			return engine.Fail(ctx, engine.Unreachable, "The source "+p.source+" cannot be opened", err)
		}
		answered := false
		err = w.ask(ctx, kind, content, func(content []byte) error {
			answered = true
			return take(content)
		})
		var said *complaint
		isSaid := errors.As(err, &said)
		if used && !answered && ctx.Err() == nil && (w.dead || isSaid && said.code == engine.Unreachable) {
			w.end()
			continue
		}
		if !used {
			p.ready()
		}
		died := w.dead
		p.give(w)
		switch {
		case err == nil:
			return nil
		case isSaid && said.code == engine.Refused:
			return engine.Fail(ctx, said.code, "The source "+p.source+" only reads", said)
		case isSaid:
			return engine.Fail(ctx, said.code, "The source "+p.source+" could not answer", said)
		case died && errors.Is(err, errDied):
			return &engine.Failure{
				Code: engine.TooLarge, Message: fmt.Sprintf("The statement was ended with the process that read the source %s for it (%v).", p.source, w.how),
				Hint: "It may have needed more memory than it is given: ask for less at a time. The service's log says more.",
			}
		}
		return err
	}
}

// take gives a worker that is free, or a new one; anew, always that.
func (p *Pool) take(anew bool) (w *process, used bool, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed {
		return nil, false, errors.New("it was closed")
	}
	if n := len(p.free); n > 0 && !anew {
		w = p.free[n-1]
		p.free = p.free[:n-1]
		w.waits.Stop()
		return w, true, nil
	}
	p.ready()
	w, err = start(p.kind, p.path, p.temporary)
	return w, false, err
}

// give takes a worker back that has done, for a while.
func (p *Pool) give(w *process) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if w.dead || p.closed {
		w.end()
		return
	}
	p.free = append(p.free, w)
	w.waits = time.AfterFunc(idle, func() { p.dismiss(w) })
}

// dismiss ends a worker that waited long enough, unless it was taken meanwhile.
func (p *Pool) dismiss(w *process) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, other := range p.free {
		if other == w {
			p.free = append(p.free[:i], p.free[i+1:]...)
			w.end()
			return
		}
	}
}

// process is one worker, seen from its parent.
type process struct {
	command *exec.Cmd
	socket  net.Conn
	in      *bufio.Reader
	waits   *time.Timer
	// dead tells that it cannot be asked any more.
	dead bool
	how  error // how it died
}

// start starts a worker of this binary.
func start(kind, path, temporary string) (*process, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_STREAM|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	ours, theirs := os.NewFile(uintptr(pair[0]), "worker"), os.NewFile(uintptr(pair[1]), "service")
	defer theirs.Close()
	defer ours.Close() // the connection has its own
	for _, end := range pair {
		_ = syscall.SetsockoptInt(end, syscall.SOL_SOCKET, syscall.SO_SNDBUF, 4*Together) // slower without
	}
	socket, err := net.FileConn(ours)
	if err != nil {
		return nil, err
	}
	// The environment holds secrets, which are not the worker's. It has one thing to
	// do at a time and little to remember: the rest is for the service.
	command := &exec.Cmd{
		Path: "/proc/self/exe", Args: []string{kind, path}, Env: []string{"TMPDIR=" + temporary, "SQLITE_TMPDIR=" + temporary, "GOMAXPROCS=1", "GOGC=400"},
		Dir: "/", Stderr: os.Stderr, ExtraFiles: []*os.File{theirs},
	}
	if err := command.Start(); err != nil {
		_ = socket.Close()
		return nil, err
	}
	return &process{command: command, socket: socket, in: bufio.NewReaderSize(socket, 2*Together)}, nil
}

// ask sends a statement and reads its answer to the end. When the context ends,
// or take returns an error, the statement is told to stop, and the worker is
// killed where it does not.
func (w *process) ask(ctx context.Context, kind byte, content []byte, take func(content []byte) error) error {
	if err := send(w.socket, kind, content); err != nil {
		w.end()
		return errDied
	}
	stop := func() {
		_ = w.socket.SetReadDeadline(time.Now().Add(grace))
		_ = send(w.socket, cancel, nil)
	}
	told := make(chan struct{})
	unwatch := context.AfterFunc(ctx, func() { stop(); close(told) })
	defer func() {
		if !unwatch() {
			<-told // so that it comes before the next statement
		}
		_ = w.socket.SetReadDeadline(time.Time{})
	}()
	var stopped error
	for {
		kind, content, err := receive(w.in)
		if err != nil {
			w.end()
			if stopped == nil && ctx.Err() != nil {
				stopped = context.Cause(ctx)
			}
			return cmp.Or(stopped, errDied)
		}
		switch {
		case kind == done, kind == failed && stopped != nil:
			return stopped
		case kind == failed:
			return complaintOf(content)
		case stopped == nil:
			if stopped = take(content); stopped != nil {
				stop()
			}
		}
	}
}

// errDied is the end of a worker in the middle of a statement.
var errDied = errors.New("worker: it died")

// complaint is what a database said.
type complaint struct {
	code    engine.Code
	message string
}

func (c *complaint) Error() string { return c.message }

func complaintOf(content []byte) error {
	var arena engine.Arena
	code, rest, err := arena.ReadValue(content)
	if err != nil {
		return err
	}
	message, _, err := arena.ReadValue(rest)
	if err != nil {
		return err
	}
	return &complaint{engine.Code(fmt.Sprint(code)), fmt.Sprint(message)}
}

// end kills the worker: it holds nothing that is not in the database.
func (w *process) end() {
	if w.dead {
		return
	}
	w.dead = true
	_ = w.socket.Close()
	_ = w.command.Process.Kill()
	w.how = w.command.Wait()
}

// Temporary is the folder of the workers' temporary files, which they read too.
func (p *Pool) Temporary() string { return p.temporary }
