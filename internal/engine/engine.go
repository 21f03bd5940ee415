// Package engine opens the databases that business records live in, and only
// ever reads them. One folder per engine implements Source.
package engine

import (
	"context"
	"errors"
	"fmt"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
)

// Source is an open database. It is safe for use by several goroutines.
type Source interface {
	// Catalogue reads the tables, views and columns.
	Catalogue(ctx context.Context) (catalog.Source, error)
	// Stream runs one query and hands over each row, which is valid until the
	// next one only. When the context ends, or the function returns an error,
	// the statement is stopped in the database. Values are nil, int64,
	// float64, string or []byte.
	Stream(ctx context.Context, q dialect.Query, row func(row []any) error) error
	// Plan asks the database how it would run a query.
	Plan(ctx context.Context, q dialect.Query) (Plan, error)
	// Dialect is how SQL is written for it.
	Dialect() dialect.Dialect
	Close() error
}

// Plan is how a database would run a query.
type Plan struct {
	// Text is the plan as the database tells it, line by line.
	Text []string
	// Access is how each table is reached, by the name it has in the query.
	Access map[string]Access
}

// Access is how a table is reached.
type Access struct {
	// Index is the index that is searched, empty where the table is read from
	// one end to the other. Columns are those of its columns that are searched.
	Index   string
	Columns []string
}

// Code tells what kind of failure a source met.
type Code string

// The failures.
const (
	Unreachable Code = "unreachable"
	NoSuchTable Code = "no_such_table"
	Refused     Code = "refused_by_source"
	Broken      Code = "source_failed"
)

// Failure is what went wrong in a source, fit to be shown.
type Failure struct {
	Code    Code
	Message string
	Err     error
}

func (f *Failure) Error() string { return f.Message }

func (f *Failure) Unwrap() error { return f.Err }

// Fail makes a failure of an error; a context's end stays what it is.
func Fail(ctx context.Context, code Code, what string, err error) error {
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	var f *Failure
	if errors.As(err, &f) {
		return err
	}
	return &Failure{code, fmt.Sprintf("%s: %v.", what, err), err}
}
