package api

import (
	"context"
	"errors"
	"net/http"
	"os"
	"time"

	"pikegate/internal/runner"
)

// piece is how many bytes a caller has to take in the time it is given.
const piece = 16 << 10

// body is the body of a response that is long: whoever takes none of it for a
// while is not waited for, and neither is anybody when the request has ended.
type body struct {
	ctx     context.Context
	to      http.ResponseWriter
	control *http.ResponseController
	stall   time.Duration
	since   time.Time // when what is being written began
	written bool
	stop    func() bool
}

func newBody(ctx context.Context, to http.ResponseWriter, stall time.Duration) *body {
	b := &body{ctx: ctx, to: to, control: http.NewResponseController(to), stall: stall}
	b.stop = context.AfterFunc(ctx, func() { _ = b.control.SetWriteDeadline(time.Now()) }) // what is being written ends at once
	return b
}

// leaving is how long what is left may take when a response has been written; the
// next request of the connection has a time of its own.
const leaving = 10 * time.Minute

func (b *body) close() {
	if b.stop() {
		_ = b.control.SetWriteDeadline(time.Now().Add(leaving))
	}
}

func (b *body) Write(data []byte) (n int, err error) {
	for len(data) > 0 {
		part := data[:min(piece, len(data))]
		b.extend()
		m, err := b.to.Write(part)
		n += m
		b.written = b.written || m > 0
		if err != nil {
			return n, b.cause(err)
		}
		data = data[len(part):]
	}
	return n, nil
}

// FlushError sends on what was written, the head at least.
func (b *body) FlushError() error {
	b.extend()
	b.written = true
	return b.cause(b.control.Flush())
}

func (b *body) extend() {
	b.since = time.Now()
	if b.ctx.Err() != nil {
		return
	}
	deadline := time.Time{} // none: that of the server is for answers that are short
	if b.stall > 0 {
		deadline = b.since.Add(b.stall)
	}
	_ = b.control.SetWriteDeadline(deadline) // a connection that knows no deadlines has none
}

// cause tells a caller who takes nothing from one who has gone: the end of either
// ends the request's context too.
func (b *body) cause(err error) error {
	switch {
	case err == nil:
		return nil
	case b.stall > 0 && errors.Is(err, os.ErrDeadlineExceeded) && time.Since(b.since) >= b.stall:
		return runner.ErrStalled
	case b.ctx.Err() != nil:
		return context.Cause(b.ctx)
	}
	return err
}
