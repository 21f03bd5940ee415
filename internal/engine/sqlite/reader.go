package sqlite

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/mattn/go-sqlite3"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// kind is the name under which this binary becomes a reader of SQLite files.
const kind = "pikegate-sqlite"

// processLimits are those of a process that reads: a sort goes to files.
var processLimits = worker.Limits{Memory: 512 << 20, File: 4 << 30, Beside: besides}

func init() { worker.Main(kind, processLimits, openReader) }

// reader is a database file within a worker.
type reader struct {
	conn *sqlite3.SQLiteConn
	seen *seen
	packer
}

// seen is what the statements that are prepared read, while it is asked for.
type seen struct {
	reads *catalog.Reads
	asked int
}

func (s *seen) read(table, column string) {
	if s.reads == nil {
		return
	}
	if !slices.Contains(s.reads.Tables, table) {
		s.reads.Tables = append(s.reads.Tables, table)
	}
	if name := table + "." + column; column != "" && !slices.Contains(s.reads.Columns, name) {
		s.reads.Columns = append(s.reads.Columns, name)
	}
}

// openReader opens a file for reading only, and reads its header, so that a file
// of another kind is told at once.
func openReader(path string) (worker.Reader, error) {
	address := url.URL{Scheme: "file", Path: path, RawQuery: "mode=ro&_mutex=no&_query_only=1&_stmt_cache_size=50"}
	if err := extend(); err != nil {
		return nil, err
	}
	seen := &seen{}
	conn, err := (&sqlite3.SQLiteDriver{ConnectHook: seen.lock}).Open(address.String())
	if err != nil {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: err.Error(), Err: err}
	}
	r := &reader{conn: conn.(*sqlite3.SQLiteConn), seen: seen, packer: newPacker()}
	if _, err := r.conn.Exec("select count(*) from sqlite_schema", nil); err != nil {
		_ = conn.Close()
		return nil, &engine.Failure{Code: engine.Unreachable, Message: err.Error(), Err: err}
	}
	return r, nil
}

// Describe asks for the columns without a record, and what is read for them. A type is
// known where the column is one of a table. What is read is told while a statement is
// prepared, so that each is another.
func (r *reader) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	r.seen.asked++
	r.seen.reads = &catalog.Reads{}
	defer func() { r.seen.reads = nil }()
	text := fmt.Sprintf("select * from (\n%s\n) limit 0 -- %d", q.SQL, r.seen.asked)
	args := make([]driver.NamedValue, len(q.Args))
	for i := range args {
		args[i].Ordinal = i + 1
	}
	rows, err := r.conn.QueryContext(ctx, text, args)
	if err != nil {
		return engine.Description{}, failureOf(err)
	}
	defer rows.Close()
	types := rows.(driver.RowsColumnTypeDatabaseTypeName)
	names := rows.Columns()
	columns := make([]catalog.Column, len(names))
	for i, name := range names {
		declared := strings.ToLower(types.ColumnTypeDatabaseTypeName(i))
		columns[i] = catalog.Column{Name: name, Declared: declared, Nullable: true}
		if declared != "" { // of an expression nothing is known before its values
			if columns[i].Type = typeOf(declared, nil); columns[i].Type.IsDate() {
				columns[i].Type = catalog.Text // how they are stored is known of tables only
			}
		}
	}
	return engine.Description{Columns: columns, Reads: r.seen.reads}, nil
}

func failureOf(err error) error {
	var se sqlite3.Error
	_ = errors.As(err, &se) // or the code is 0
	return &engine.Failure{Code: codeOf(se.Code, err.Error()), Message: err.Error(), Err: err}
}

func codeOf(code sqlite3.ErrNo, message string) engine.Code {
	switch {
	case code == sqlite3.ErrTooBig, code == sqlite3.ErrNomem, code == sqlite3.ErrFull:
		return engine.TooLarge
	case code == sqlite3.ErrCantOpen, code == sqlite3.ErrReadonly: // a file beside it that the process does not see
		return engine.Unreachable
	case strings.Contains(message, "no such table"):
		return engine.NoSuchTable
	case code == sqlite3.ErrAuth:
		return engine.Refused
	}
	return engine.Broken
}

// The actions of sqlite3_set_authorizer that reading needs and the driver has
// no name for; source: sqlite3.h.
const actionRecursive = 33

// readable are the catalogue's own tables: functions that read pragmas.
var readable = map[string]bool{"table_list": true, "table_xinfo": true, "index_list": true, "index_xinfo": true, "foreign_key_list": true, "journal_mode": true}

// mostMemory is what SQLite may take in one worker, in bytes.
const mostMemory = 256 << 20

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
func (s *seen) lock(c *sqlite3.SQLiteConn) error {
	// The limit of the process would end it; this one is an error of the statement.
	if _, err := c.Exec(fmt.Sprintf("pragma hard_heap_limit = %d", mostMemory), nil); err != nil {
		return err
	}
	for id, most := range limits {
		c.SetLimit(id, most)
	}
	c.RegisterAuthorizer(func(action int, first, second, _ string) int {
		switch action {
		case sqlite3.SQLITE_READ:
			s.read(first, second)
			return sqlite3.SQLITE_OK
		case sqlite3.SQLITE_SELECT, actionRecursive:
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
	if err := c.RegisterAggregator("percentile_of", newPercentile, true); err != nil {
		return err
	}
	for name, function := range functions {
		if err := c.RegisterFunc(name, function, true); err != nil {
			return err
		}
	}
	return nil
}
