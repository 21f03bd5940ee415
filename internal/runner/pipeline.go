package runner

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"time"
)

// The sizes of the batches in which rows go from the reader to the writer: the
// first row goes at once, then twice as many each time, unless they are large. A
// row waits for others no longer than patience.
const (
	mostRows  = 256
	mostBytes = 1 << 20
	mostData  = 256 << 10 // of a file
	patience  = 100 * time.Millisecond
)

// What waits for what: a writer with nothing to do for idle sends on what it has;
// a reader that cannot get rid of its rows for slow leaves the database to others.
const (
	idle = 10 * time.Millisecond
	slow = 300 * time.Millisecond
)

// beginning is how long a format that cannot say how it ended keeps its head back
// while there is no row: until then, what goes wrong is told in its place.
const beginning = 5 * time.Second

// batch is rows one after the other, or a piece of a file.
type batch struct {
	cells []any
	width int
	bytes int // of texts and bytes in them
	data  []byte
}

// sink takes rows in, or the pieces of a file. Flush sends on what it was given so far; head is
// how long it is not called while there is no row.
type sink struct {
	write func(row []any) error
	data  io.Writer
	flush func() error
	head  time.Duration
}

// pipeline reads on this goroutine and writes on another, so that the database
// is read on while rows are written. It holds a few batches. Where the other
// side is slow, the rows go by a file in the folder, so that the database is
// done at its own speed; without a folder it is held up. It returns when both
// have ended. The context ends the writer.
func pipeline(ctx context.Context, folder string, read func(row func([]any) error) error, to sink) error {
	return transport(ctx, folder, func(r *reader) error {
		err := read(r.row)
		if len(r.current.cells) > 0 && !errors.Is(err, errStopped) { // what came before a failure is written
			if failure := r.send(); err == nil {
				err = failure
			}
		}
		return err
	}, to)
}

// transport is the pipeline, whatever is read.
func transport(ctx context.Context, folder string, read func(*reader) error, to sink) error {
	r := &reader{ctx: ctx, folder: folder, full: make(chan *batch, 1), free: make(chan *batch, 2), stopped: make(chan struct{}), current: &batch{}, size: 1, last: time.Now()}
	ended := make(chan error, 1)
	go func() {
		defer close(r.stopped)
		defer func() {
			if v := recover(); v != nil {
				ended <- &Panicked{v, debug.Stack()}
			}
		}()
		ended <- r.writeAll(to)
	}()
	defer func() { // whatever ends the reader ends the writer too
		r.end()
		<-r.stopped
		if r.spool != nil {
			r.spool.remove()
		}
	}()
	err := read(r)
	r.end()
	if failure := <-ended; failure != nil {
		return failure
	}
	return err
}

// reader is the side of a pipeline that the database is read on.
type reader struct {
	ctx     context.Context
	folder  string
	current *batch
	size    int // how many rows it takes in
	last    time.Time
	// full is closed at the end, or when the rows that follow go by the file.
	full, free chan *batch
	spool      *spool
	closed     bool
	// stopped is closed when the writer has ended.
	stopped chan struct{}
}

func (r *reader) row(row []any) error {
	b := r.current
	b.width = len(row)
	b.cells = append(b.cells, row...)
	for _, v := range row {
		switch v := v.(type) {
		case string:
			b.bytes += len(v)
		case []byte:
			b.bytes += len(v)
		}
	}
	if b.bytes > mostBytes {
		return r.send()
	}
	if n := len(b.cells) / b.width; n >= r.size || n%16 == 0 && time.Since(r.last) > patience {
		return r.send()
	}
	return nil
}

// send hands over what was read.
func (r *reader) send() error {
	b := r.current
	defer func() { r.size, r.last = min(2*r.size, mostRows), time.Now() }()
	if r.spool == nil {
		select {
		case r.full <- b:
			r.renew()
			return nil
		default:
		}
		var late <-chan time.Time // never, where there is no file
		if r.folder != "" {
			timer := time.NewTimer(slow)
			defer timer.Stop()
			late = timer.C
		}
		select {
		case r.full <- b:
			r.renew()
			return nil
		case <-r.stopped:
			return errStopped
		case <-late:
		}
		s, err := newSpool(r.folder)
		if err != nil {
			return err
		}
		r.spool = s
		r.close()
	}
	err := r.spool.put(r.ctx, b, r.stopped)
	b.clear()
	return err
}

// renew takes another batch.
func (r *reader) renew() {
	select {
	case r.current = <-r.free:
	default:
		r.current = &batch{}
	}
}

func (r *reader) close() {
	if !r.closed {
		r.closed = true
		close(r.full)
	}
}

// end says that nothing more comes.
func (r *reader) end() {
	r.close()
	if r.spool != nil {
		r.spool.end()
	}
}

// errStopped ends the reading when the writer has failed; it is never told.
var errStopped = errors.New("runner: the writer stopped")

// Panicked is a fault of ours that a run met.
type Panicked struct {
	Value any
	Stack []byte
}

func (p *Panicked) Error() string { return fmt.Sprintf("a run panicked: %v", p.Value) }

// clear makes room for others.
func (b *batch) clear() {
	clear(b.cells)
	b.cells, b.bytes, b.data = b.cells[:0], 0, b.data[:0]
}

// writeAll writes what comes until there is no more: first by the channel, then
// by the file. It sends on what it has written when there is nothing to do.
func (r *reader) writeAll(to sink) error {
	wait := to.head // until something is sent on; 0 where all was
	write := func(b *batch) error {
		for at := 0; at < len(b.cells); at += b.width {
			if err := to.write(b.cells[at : at+b.width]); err != nil {
				return err
			}
		}
		if len(b.data) > 0 {
			if _, err := to.data.Write(b.data); err != nil {
				return err
			}
		}
		b.clear()
		wait = idle
		return nil
	}
	flush := func() error {
		wait = 0
		return to.flush()
	}
	for {
		b, ok, err := r.next(wait)
		switch {
		case err != nil:
			return err
		case b != nil:
			if err := write(b); err != nil {
				return err
			}
			select {
			case r.free <- b:
			default:
			}
		case ok: // nothing came for a while
			if err := flush(); err != nil {
				return err
			}
		case r.spool != nil: // set before the channel was closed
			return r.spool.each(r.ctx, write, flush)
		default:
			return nil
		}
	}
}

// next waits for a batch, for a while where one is given; not ok means that no
// more come.
func (r *reader) next(while time.Duration) (b *batch, ok bool, err error) {
	select {
	case b, ok = <-r.full:
		return b, ok, nil
	default:
	}
	var passed <-chan time.Time
	if while > 0 {
		timer := time.NewTimer(while)
		defer timer.Stop()
		passed = timer.C
	}
	select {
	case b, ok = <-r.full:
		return b, ok, nil
	case <-passed:
		return nil, true, nil
	case <-r.ctx.Done():
		return nil, false, context.Cause(r.ctx)
	}
}
