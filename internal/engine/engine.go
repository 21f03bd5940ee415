// Package engine opens the databases that business records live in, and only
// ever reads them. One folder per engine implements Source.
package engine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
)

// Engine is a kind of database. One folder each makes one.
type Engine struct {
	// Name is what sources say.
	Name string
	// Open opens a database; one on a server need not be connected to before the
	// first statement.
	Open func(Address) (Source, error)
	// File tells that a database is a file of this machine; others are on servers,
	// and entered with a password.
	File bool
	// Holds tells, of an engine that reads folders, whether a file is one that it reads, by
	// its name; nil for the others.
	Holds func(name string) bool
	// Traits are those of its catalogues.
	Traits catalog.Traits
}

// Source is an open database. It is safe for use by several goroutines.
type Source interface {
	// Catalogue reads the tables, views and columns.
	Catalogue(ctx context.Context) (catalog.Source, error)
	// Stream runs one query and hands over each row, which is valid until the
	// next one only. When the context ends, or the function returns an error,
	// the statement is stopped in the database. Values are nil, int64,
	// float64, bool, string or []byte; exact decimals are strings. Where rows
	// are passing (see dialect.Query) they are good until the next row only, and
	// may be catalog.Micros and catalog.InstantMicros as well.
	Stream(ctx context.Context, q dialect.Query, row func(row []any) error) error
	// Plan asks the database how it would run a query.
	Plan(ctx context.Context, q dialect.Query) (Plan, error)
	// Describe tells the columns of a hand-written query without running it.
	Describe(ctx context.Context, q dialect.Query) (Description, error)
	// Check looks at the connection: what it is, and whether it can only read.
	Check(ctx context.Context) (Inspection, error)
	// Dialect is how SQL is written for it.
	Dialect() dialect.Dialect
	Close() error
}

// Description is what a database tells of a query without running it.
type Description struct {
	Columns []catalog.Column
	// Reads is what the query reads; nil where the database does not tell.
	Reads *catalog.Reads
}

// Place is where a record stands in a file; Line counts from 1.
type Place struct {
	File string
	Line int
}

// Placed is a source that can tell where the records of a table stand in which a column of
// dates has what is none: so many of them at the most, in the order of the table; none where it
// cannot.
type Placed interface {
	Places(ctx context.Context, table string, c catalog.Column, most int) ([]Place, error)
}

// StateOf is something that is another once the records of a source have changed;
// empty where that cannot be told.
func StateOf(s Source) string {
	if stated, ok := s.(interface{ State() string }); ok {
		return stated.State()
	}
	return ""
}

// Address is where a database is and how to enter it.
type Address struct {
	// PassPerson has the database told who asks, as PersonOf says.
	PassPerson bool
	// Name is the name the source has here.
	Name string
	// At is a path, or HOST:PORT.
	At             string
	Database, User string
	// Password is never kept, logged or shown.
	Password string
	// TLS is off, on (without looking at who answers) or verify; blank means
	// on where the server offers it.
	TLS string
	// Files are how the text files of a folder are written, by table.
	Files map[string]catalog.FileFormat
	// Listed are the only files of a folder that count, by their paths in it, and the tables they
	// are of; nil has all count.
	Listed map[string]string
	// Limit is the longest one statement may take, 0 for no limit; the server
	// is told too. Connections is how many at a time.
	Limit       time.Duration
	Connections int
}

// MostConnections is how many statements one source runs at a time, where
// nothing else is said.
const MostConnections = 8

// LongestCell is how many bytes one value may have.
const LongestCell = 16 << 20

// Inspection is what a look at a connection found.
type Inspection struct {
	Version string `json:"version" doc:"The server's version"`
	// ReadOnly tells that writing was tried and refused; Proof is the answer.
	ReadOnly bool     `json:"read_only" doc:"Whether writing was tried and refused"`
	Proof    string   `json:"proof" doc:"What the database answered to the attempt"`
	Zone     string   `json:"zone" doc:"The server's own time zone"`
	Notes    []string `json:"notes,omitempty" doc:"What the login may do beyond reading its tables"`
	// Powers is what a transaction that only reads does not keep the login from.
	Powers []string `json:"powers,omitempty" doc:"What the login can do even in a transaction that only reads"`
}

// Plan is how a database would run a query.
type Plan struct {
	// Text is the plan as the database tells it, line by line.
	Text []string
	// Access is how each table is reached, by the name it has in the query.
	Access map[string]Access
	// Files says, of tables of several files, which of them are read.
	Files []string
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
	Unreachable  Code = "unreachable"
	WrongLogin   Code = "login_refused"
	NoSecret     Code = "no_secret"
	NoSuchTable  Code = "no_such_table"
	NoPermission Code = "no_permission"
	TimedOut     Code = "timed_out"
	Refused      Code = "refused_by_source"
	Broken       Code = "source_failed"
	// Changed is a file that another one took the place of while it was read.
	Changed Code = "source_changed"
	// TooLarge is a value, or a statement's work, that is larger than is taken.
	TooLarge Code = "value_too_large"
	// Rewritten is dates that are written in another way than when the source
	// was last looked at.
	Rewritten Code = "dates_rewritten"
)

// Failure is what went wrong in a source, fit to be shown.
type Failure struct {
	Code    Code
	Message string
	// Hint is a way out, may be empty.
	Hint string
	// At is a piece of the statement that the database complains of, and Nth which
	// of its occurrences, from 0; empty where it does not say.
	At  string
	Nth int
	Err error
}

// WrittenOtherwise says that dates are not written any more as they were when the
// source was last looked at.
func WrittenOtherwise(column string) *Failure {
	return &Failure{
		Code:    Rewritten,
		Message: fmt.Sprintf("The dates in %s are no longer all written alike, so their order cannot be relied on. The table has been looked at again; run the report again.", column),
	}
}

// Near is the piece of the statement that the database complains of.
func (f *Failure) Near() (text string, nth int) { return f.At, f.Nth }

func (f *Failure) Error() string { return f.Message }

func (f *Failure) Unwrap() error { return f.Err }

// Rows reads a small result whole.
func Rows(ctx context.Context, s Source, text string, args ...any) ([][]any, error) {
	var rows [][]any
	err := s.Stream(ctx, dialect.Query{SQL: text, Args: args}, func(row []any) error {
		rows = append(rows, append([]any(nil), row...))
		return nil
	})
	return rows, err
}

// Fail makes a failure of an error; a context's end stays what it is.
func Fail(ctx context.Context, code Code, what string, err error) error {
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	var f *Failure
	if errors.As(err, &f) {
		return err
	}
	return &Failure{Code: code, Message: fmt.Sprintf("%s: %v.", what, err), Err: err}
}
