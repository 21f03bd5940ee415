package runner

import (
	"errors"
	"sync/atomic"
	"time"
)

// The sizes of the batches in which rows go from the reader to the writer: the
// first row goes at once, then twice as many each time. A row waits for others
// no longer than patience.
const (
	mostRows = 256
	patience = 100 * time.Millisecond
)

// batch is rows one after the other.
type batch struct {
	cells []any
	width int
}

// pipeline reads on one goroutine and hands the rows over on another, so that
// the database is read on while rows are written. It holds a few batches, and
// is held up when the other side is slow.
func pipeline(read func(row func([]any) error) error, write func([]any) error) error {
	full, free := make(chan *batch, 1), make(chan *batch, 3)
	for range cap(free) {
		free <- &batch{}
	}
	var failed atomic.Bool
	written := make(chan error, 1)
	go func() {
		var failure error
		for b := range full {
			for at := 0; at < len(b.cells) && failure == nil; at += b.width {
				if failure = write(b.cells[at : at+b.width]); failure != nil {
					failed.Store(true)
				}
			}
			clear(b.cells)
			b.cells = b.cells[:0]
			free <- b
		}
		written <- failure
	}()
	current, size, last := <-free, 1, time.Now()
	send := func() {
		full <- current
		current, size, last = <-free, min(2*size, mostRows), time.Now()
	}
	err := read(func(row []any) error {
		if failed.Load() {
			return errStopped
		}
		current.width = len(row)
		current.cells = append(current.cells, row...)
		if n := len(current.cells) / current.width; n >= size || n%16 == 0 && time.Since(last) > patience {
			send()
		}
		return nil
	})
	if len(current.cells) > 0 {
		full <- current
	}
	close(full)
	if failure := <-written; failure != nil {
		return failure
	}
	return err
}

// errStopped ends the reading when the writer has failed; it is never told.
var errStopped = errors.New("runner: the writer stopped")
