package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"

	"pikegate/core/record"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// Linked is what a link for a spreadsheet leads to: the records as they are now, and a
// mark that is the same as long as they are. It is to be closed.
type Linked struct {
	io.ReadSeekCloser
	Mark   string
	Record wire.RunRecord
	// Type is the content type of the records as they are written.
	Type string
}

// Linked runs the report that the actor's link is for, with its answers, into a file that
// nobody else sees. An error means that there is nothing.
func (s *Service) Linked(ctx context.Context, who identity.Actor, format output.Format) (Linked, error) {
	report, _, ok := who.Narrowed()
	if !ok {
		return Linked{}, identity.Nobody()
	}
	if err := s.mayRun(ctx, who, Request{Report: report}); err != nil {
		return Linked{}, err
	}
	file, err := unnamed(s.Spool)
	if err != nil {
		return Linked{}, err
	}
	marked := sha256.New()
	written := format
	record, err := s.Run(ctx, who, Request{Report: report}, format, func(_ wire.RunRecord, format output.Format) output.Writer {
		written = format
		return both{format.New(file), output.CSV.New(marked)}
	})
	if err == nil && record.Problem != "" {
		err = ended(record)
	}
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		_ = file.Close()
		return Linked{}, err
	}
	return Linked{file, hex.EncodeToString(marked.Sum(nil))[:32], record, written.ContentType}, nil
}

// unnamed makes a file that is gone when it is closed, whatever happens.
func unnamed(folder string) (*os.File, error) {
	file, err := os.CreateTemp(folder, "link-*")
	if err != nil {
		return nil, err
	}
	return file, os.Remove(file.Name())
}

// both writes two forms of a result: one to be read, and one without the number of the
// run in it, which tells whether the records are the same.
type both struct{ shown, marked output.Writer }

func (b both) each(do func(output.Writer) error) error {
	if err := do(b.shown); err != nil {
		return err
	}
	return do(b.marked)
}

func (b both) Begin(h output.Header) error {
	return b.each(func(w output.Writer) error { return w.Begin(h) })
}

func (b both) Row(r record.Record) error {
	return b.each(func(w output.Writer) error { return w.Row(r) })
}

func (b both) Subtotal(s output.Subtotal) error {
	return b.each(func(w output.Writer) error { return w.Subtotal(s) })
}

func (b both) Opening(g output.Opening) error {
	return b.each(func(w output.Writer) error { return w.Opening(g) })
}

func (b both) Flush() error { return b.each(output.Writer.Flush) }

func (b both) End(s output.Summary) error {
	return b.each(func(w output.Writer) error { return w.End(s) })
}

// Ended says how a run went wrong after it had begun.
type Ended struct{ Record wire.RunRecord }

func (e *Ended) Error() string { return e.Record.Problem }

func ended(r wire.RunRecord) error {
	if r.Outcome == runner.Done || r.Outcome == runner.Empty {
		return nil
	}
	return &Ended{r}
}
