// Package sqlite reads SQLite databases. Reading only is held up by the way
// the file is opened and by an authorizer that lets nothing but reading pass.
package sqlite

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/mattn/go-sqlite3"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

type source struct {
	name, given string
	path        string      // what the given one points to
	file        os.FileInfo // as it was opened
	db          *sql.DB
}

// Replaced tells whether there is another file at the path now, or none.
func (s *source) Replaced() bool {
	now, err := os.Stat(s.given)
	return err != nil || !os.SameFile(s.file, now)
}

// State is the sizes and times of the files that hold the records.
func (s *source) State() string {
	state := ""
	for _, path := range []string{s.path, s.path + "-wal"} {
		if info, err := os.Stat(path); err == nil {
			state += fmt.Sprintf("%d %d;", info.Size(), info.ModTime().UnixNano())
		}
	}
	return state
}

// Open opens a database file.
func Open(a engine.Address) (engine.Source, error) {
	name, path := a.Name, a.At
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("There is no database file at %s.", path), Err: err}
	case info.IsDir():
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s is a folder, not a database file.", path)}
	case !info.Mode().IsRegular():
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s is no file, but a device or a pipe.", path)}
	}
	absolute, err := filepath.Abs(path)
	if err == nil {
		absolute, err = filepath.EvalSymlinks(absolute) // what a link points to later is another file
	}
	if err != nil {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s cannot be reached: %v.", path, err), Err: err}
	}
	for _, folder := range []string{"/proc/", "/sys/"} {
		if strings.HasPrefix(absolute, folder) {
			return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s is not a file that records are kept in.", path)}
		}
	}
	address := url.URL{Scheme: "file", Path: absolute, RawQuery: "mode=ro&_mutex=no&_query_only=1&_stmt_cache_size=50"}
	db := sql.OpenDB(connector{address.String()})
	if a.Connections == 0 {
		a.Connections = engine.MostConnections
	}
	db.SetMaxOpenConns(a.Connections)
	db.SetMaxIdleConns(a.Connections)
	s := &source{name, path, absolute, info, db}
	if err := s.check(path); err != nil {
		db.Close()
		return nil, err
	}
	return s, nil
}

// check reads the header, so that a file of another kind is told at once.
func (s *source) check(path string) error {
	var n int
	if err := s.db.QueryRow("select count(*) from sqlite_schema").Scan(&n); err != nil {
		return &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s cannot be read as an SQLite database: %v.", path, err), Err: err}
	}
	return nil
}

// connector makes connections that can only read.
type connector struct{ address string }

func (c connector) Driver() driver.Driver { return &sqlite3.SQLiteDriver{ConnectHook: lock} }

func (c connector) Connect(context.Context) (driver.Conn, error) {
	return c.Driver().Open(c.address)
}

// The actions of sqlite3_set_authorizer that reading needs and the driver has
// no name for; source: sqlite3.h.
const actionRecursive = 33

// readable are the catalogue's own tables: functions that read pragmas.
var readable = map[string]bool{"table_list": true, "table_xinfo": true, "index_list": true, "index_xinfo": true, "foreign_key_list": true, "journal_mode": true}

// mostMemory is what SQLite may take for all statements together, in bytes.
const mostMemory = 512 << 20

// limits are what SQLite refuses to go beyond; source: sqlite3.h.
var limits = map[int]int{
	sqlite3.SQLITE_LIMIT_LENGTH:              engine.LongestCell,
	sqlite3.SQLITE_LIMIT_SQL_LENGTH:          4 << 20,
	sqlite3.SQLITE_LIMIT_COMPOUND_SELECT:     100,
	sqlite3.SQLITE_LIMIT_ATTACHED:            0,
	sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH: 1000,
	sqlite3.SQLITE_LIMIT_WORKER_THREADS:      0,
}

// lock lets nothing but reading pass on a connection. The open mode alone
// does not stop ATTACH from writing another file, nor a PRAGMA from undoing
// query_only.
func lock(c *sqlite3.SQLiteConn) error {
	// Memory is bounded for all statements of the process together, and so is what
	// one of them can make of a value.
	if _, err := c.Exec(fmt.Sprintf("pragma hard_heap_limit = %d", mostMemory), nil); err != nil {
		return err
	}
	for id, most := range limits {
		c.SetLimit(id, most)
	}
	c.RegisterAuthorizer(func(action int, first, second, _ string) int {
		switch action {
		case sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, actionRecursive:
			return sqlite3.SQLITE_OK
		case sqlite3.SQLITE_FUNCTION:
			if strings.EqualFold(second, "load_extension") {
				return sqlite3.SQLITE_DENY
			}
			return sqlite3.SQLITE_OK
		case sqlite3.SQLITE_PRAGMA:
			if pragma := strings.ToLower(first); readable[pragma] && (pragma != "journal_mode" || second == "") {
				return sqlite3.SQLITE_OK
			}
		}
		return sqlite3.SQLITE_DENY
	})
	if err := c.RegisterAggregator("decimal_add", newDecimalAdd, true); err != nil {
		return err
	}
	for name, function := range functions {
		if err := c.RegisterFunc(name, function, true); err != nil {
			return err
		}
	}
	return nil
}

// Check tries to write.
func (s *source) Check(ctx context.Context) (engine.Report, error) {
	report := engine.Report{Zone: "none: dates are what is stored"}
	err := s.Stream(ctx, dialect.Query{SQL: "select sqlite_version()"}, func(row []any) error {
		report.Version = fmt.Sprintf("SQLite %v", row[0])
		return nil
	})
	if err != nil {
		return report, err
	}
	err = s.Stream(ctx, dialect.Query{SQL: "create table pikegate_tries_to_write (x)"}, func([]any) error { return nil })
	var failure *engine.Failure
	if errors.As(err, &failure) {
		report.ReadOnly, report.Proof = failure.Code == engine.Refused, failure.Message
	}
	report.Notes = append(report.Notes, s.locks(ctx)...)
	return report, nil
}

// locks tells how reading may get in the way of who writes the file.
func (s *source) locks(ctx context.Context) (notes []string) {
	rows, err := engine.Rows(ctx, s, "select journal_mode from pragma_journal_mode")
	if err != nil || len(rows) == 0 {
		return nil
	}
	if mode := fmt.Sprint(rows[0][0]); mode != "wal" {
		return []string{"The file has a rollback journal (" + mode + "): while a report reads it, its writers wait. With pragma journal_mode = wal they need not."}
	}
	if owner, ok := s.file.Sys().(*syscall.Stat_t); ok && os.Geteuid() != 0 && int(owner.Uid) != os.Geteuid() {
		return []string{fmt.Sprintf("The file is written ahead (WAL) and belongs to another user: the files %s-wal and -shm that reading makes may keep its owner from writing. Run the service as a user of the same group, with a folder that hands its group on.", filepath.Base(s.path))}
	}
	return nil
}

// Describe asks for the columns without a record. A type is known where the
// column is one of a table.
func (s *source) Describe(ctx context.Context, q dialect.Query) ([]catalog.Column, error) {
	rows, err := s.db.QueryContext(ctx, "select * from (\n"+q.SQL+"\n) limit 0", make([]any, len(q.Args))...)
	if err != nil {
		return nil, engine.Complain(engine.Fail(ctx, codeOf(err), "The source "+s.name+" could not answer", err), q.SQL, 0)
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return nil, err
	}
	columns := make([]catalog.Column, len(types))
	for i, t := range types {
		declared := strings.ToLower(t.DatabaseTypeName())
		columns[i] = catalog.Column{Name: t.Name(), Declared: declared, Nullable: true}
		if declared != "" { // of an expression nothing is known before its values
			if columns[i].Type = typeOf(declared, nil); columns[i].Type.IsDate() {
				columns[i].Type = catalog.Text // how they are stored is known of tables only
			}
		}
	}
	return columns, rows.Err()
}

func (s *source) Dialect() dialect.Dialect { return dialect.SQLite }

func (s *source) Close() error { return s.db.Close() }

// Stream hands over the driver's own rows: the values are not scanned into
// variables first, which would cost more than reading them.
func (s *source) Stream(ctx context.Context, q dialect.Query, row func([]any) error) error {
	if err := q.Err(); err != nil {
		return err
	}
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return engine.Fail(ctx, engine.Unreachable, "The source "+s.name+" cannot be opened", err)
	}
	defer conn.Close()
	var stopped error
	err = conn.Raw(func(raw any) error {
		args := make([]driver.NamedValue, len(q.Args))
		for i, v := range q.Args {
			args[i] = driver.NamedValue{Ordinal: i + 1, Value: v}
		}
		rows, err := raw.(driver.QueryerContext).QueryContext(ctx, q.SQL, args)
		if err != nil {
			return err
		}
		defer rows.Close()
		values := make([]driver.Value, len(rows.Columns()))
		out := make([]any, len(values))
		for {
			if err := rows.Next(values); err != nil {
				if errors.Is(err, io.EOF) {
					return nil
				}
				return err
			}
			for i, v := range values {
				out[i] = v
			}
			if stopped = row(out); stopped != nil {
				return nil
			}
		}
	})
	if stopped != nil {
		return stopped
	}
	if err != nil {
		return engine.Fail(ctx, codeOf(err), "The source "+s.name+" could not answer", err)
	}
	return nil
}

func codeOf(err error) engine.Code {
	var se sqlite3.Error
	switch {
	case errors.As(err, &se) && se.Code == sqlite3.ErrTooBig:
		return engine.TooLarge
	case errors.As(err, &se) && se.Code == sqlite3.ErrNomem:
		return engine.TooLarge
	case strings.Contains(err.Error(), "no such table"):
		return engine.NoSuchTable
	case errors.As(err, &se) && (se.Code == sqlite3.ErrAuth || se.Code == sqlite3.ErrReadonly):
		return engine.Refused
	}
	return engine.Broken
}
