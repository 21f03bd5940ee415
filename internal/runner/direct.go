package runner

import (
	"context"
	"io"
	"runtime/debug"
	"sync"
	"time"

	"pikegate/core/plan"
	"pikegate/internal/output"
)

// direct has the records of a quick format written on the goroutine that the database is read
// on, so that no value has to be kept for another one: what is handed over, and waits for a
// reader who is slow, is the bytes of the file.
type direct struct {
	to io.Writer

	mu sync.Mutex // guards the rest
	// pipe takes the bytes in while records are read, nil before and after.
	pipe    *reader
	records int64
	failed  error // of sending what waited
}

// isDirect tells whether a result can be written so: each record by itself, as it was fetched.
// What is worked out of records has a goroutine of its own.
func isDirect(f output.Format, s *plan.Selection) bool {
	if !f.Quick || s.Groups != nil || s.Totals != nil || s.Judged != nil || s.Chart != nil || s.Across != nil || s.Emphasis != nil || s.Passing != nil {
		return false
	}
	for i := range s.Outputs {
		if s.Outputs[i].Formula.Is() {
			return false
		}
	}
	return true
}

// onto has what is written go to the pipeline.
func (d *direct) onto(to io.Writer) io.Writer {
	d.to = to
	return d
}

// Write takes in bytes of the file.
func (d *direct) Write(data []byte) (int, error) {
	if d.pipe == nil {
		return d.to.Write(data)
	}
	b := d.pipe.current
	if b.data = append(b.data, data...); len(b.data) >= mostData {
		if err := d.pipe.send(); err != nil {
			return 0, err
		}
	}
	return len(data), nil
}

// FlushError sends on what there is.
func (d *direct) FlushError() error {
	switch {
	case d.pipe == nil:
		return d.flush()
	case len(d.pipe.current.data) == 0:
		return nil
	}
	return d.pipe.send()
}

// flush has the other side send on what it has.
func (d *direct) flush() error {
	if f, ok := d.to.(output.Flusher); ok {
		return f.FlushError()
	}
	return nil
}

// stream reads rows and has each written; flush sends on what the format holds back.
func (d *direct) stream(ctx context.Context, folder string, head time.Duration, read func(row func([]any) error) error, write func(row []any) error, flush func() error) error {
	to := sink{data: d.to, flush: d.flush}
	return transport(ctx, folder, func(pipe *reader) error {
		d.set(pipe)
		defer d.set(nil)
		ended := make(chan struct{})
		defer close(ended)
		go d.sendOn(head, flush, ended)
		err := read(func(row []any) (err error) {
			defer func() {
				if v := recover(); v != nil { // the statement is to be stopped as after any other failure
					err = &Panicked{v, debug.Stack()}
				}
			}()
			d.mu.Lock()
			defer d.mu.Unlock()
			if d.failed != nil {
				return d.failed
			}
			d.records++
			return write(row)
		})
		if err == nil {
			d.mu.Lock()
			defer d.mu.Unlock()
			err = d.FlushError() // what is left; the format's end comes after it
		}
		return err
	}, to)
}

func (d *direct) set(pipe *reader) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.pipe = pipe
}

// sendOn sends on the first records, what is written where no more come for a while, what has
// waited for long, and the head where there are none.
func (d *direct) sendOn(head time.Duration, flush func() error, ended <-chan struct{}) {
	ticks := time.NewTicker(idle)
	defer ticks.Stop()
	began, last := time.Now(), time.Now()
	var sent, seen int64 // records
	for whole := false; ; {
		select {
		case <-ended:
			return
		case <-ticks.C:
		}
		d.mu.Lock()
		waits := d.records > sent && (sent == 0 || d.records == seen || time.Since(last) > patience)
		if d.pipe != nil && d.failed == nil && (waits || !whole && time.Since(began) > head) {
			d.failed = flush()
			sent, last, whole = d.records, time.Now(), true
		}
		seen = d.records
		d.mu.Unlock()
	}
}
