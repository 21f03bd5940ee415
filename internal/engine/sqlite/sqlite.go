// Package sqlite reads SQLite databases. Reading only is held up by the way
// the file is opened and by an authorizer that lets nothing but reading pass.
package sqlite

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/core/sqltext"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// Engine is SQLite.
var Engine = engine.Engine{
	Name: "sqlite", Open: Open, File: true,
	Traits: catalog.Traits{Untyped: true, SQL: sqltext.Flavour{Backticks: true, Brackets: true}},
}

type source struct {
	name, given string
	path        string      // what the given one points to
	file        os.FileInfo // as it was opened
	*worker.Pool
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
	pool, err := worker.NewPool(kind, name, absolute, cmp.Or(a.Connections, engine.MostConnections), func() { makeBeside(absolute) })
	if err != nil {
		return nil, err
	}
	s := &source{name, path, absolute, info, pool}
	if _, err := engine.Rows(context.Background(), s, "select 1"); err != nil {
		_ = s.Close()
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s cannot be read as an SQLite database: %v", path, err), Err: err}
	}
	return s, nil
}

// Check tries to write.
func (s *source) Check(ctx context.Context) (engine.Inspection, error) {
	report := engine.Inspection{Zone: "none: dates are what is stored"}
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
		for _, ending := range besides {
			if unix.Access(s.path+ending, unix.R_OK|unix.W_OK) != nil || !ownerWrites(s.path+ending, owner) {
				return []string{fmt.Sprintf("The file is written ahead (WAL) and belongs to another user, who may not write %s: that user is kept from writing to the database as long as it is there. Run the service as a user of the same group, with a folder that hands its group on.", filepath.Base(s.path)+ending)}
			}
		}
	}
	return nil
}

func (s *source) Dialect() dialect.Dialect { return dialect.SQLite }

// Describe tells the columns of a query, and which piece of it is wrong.
func (s *source) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	described, err := s.Pool.Describe(ctx, q)
	return described, engine.Complain(err, q.SQL, 0)
}
