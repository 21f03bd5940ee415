package service_test

import (
	"database/sql"
	"io"
	"log/slog"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/parameter"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// onFile is a service with a source on an SQLite file that the statements make.
func onFile(t *testing.T, statements string) (*service.Service, *sql.DB) {
	t.Helper()
	folder := t.TempDir()
	db, err := sql.Open("sqlite3", filepath.Join(folder, "business.db"))
	require.NoError(t, err)
	_, err = db.Exec(statements)
	require.NoError(t, err)
	own, err := store.Open(filepath.Join(folder, "pikegate.db"), nil)
	require.NoError(t, err)
	s, err := service.New(t.Context(), service.Config{
		Store: own, Engines: []engine.Engine{sqlite.Engine}, Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday},
		Now: time.Now, TimeLimit: time.Minute, Log: slog.New(slog.DiscardHandler), Spool: folder,
	})
	require.NoError(t, err)
	t.Cleanup(func() {
		assert.NoError(t, s.Close())
		assert.NoError(t, own.Close())
		assert.NoError(t, db.Close())
	})
	_, err = s.AddSource(t.Context(), anybody(t, s), wire.SourceInfo{Name: "business", Engine: "sqlite", Address: filepath.Join(folder, "business.db")}, false)
	require.NoError(t, err)
	return s, db
}

// TestRelied: a run of groups goes by what is known of dates; where the file was
// changed while it ran, it is looked at again, and the run fails if that does not
// hold any more.
func TestRelied(t *testing.T) {
	s, db := onFile(t, "create table t (id integer primary key, at text not null); insert into t values (1, '2025-03-01T10:00:00Z'), (2, '2025-03-31T23:30:00Z')")
	_, err := s.Push(t.Context(), anybody(t, s), "kind: query\nname: months\nsource: business\nfrom: t\nparameters: [{name: period, kind: period}]\ncolumns: [{name: month, value: month of at}, {name: n, value: count}]\ncriteria: at within :period\n---\nkind: report\nname: months\nquery: months\n", wire.Keeping{})
	require.NoError(t, err)
	_, err = s.Publish(t.Context(), anybody(t, s), "months")
	require.NoError(t, err)
	run := func(meanwhile string) wire.RunRecord {
		record, err := s.Run(t.Context(), anybody(t, s), service.Request{Report: "months", Inputs: parameter.Inputs{"period": parameter.Typed("2025")}}, output.CSV, func(wire.RunRecord, output.Format) output.Writer {
			_, err := db.Exec(meanwhile)
			require.NoError(t, err)
			return output.CSV.New(io.Discard)
		})
		require.NoError(t, err)
		return record
	}
	record := run("select 1")
	assert.Equal(t, "done", record.Outcome)
	assert.NotContains(t, record.SQL, "is_date", "what is known is not looked at for each record")
	assert.Equal(t, "done", run("insert into t values (3, '2025-04-01T00:00:00Z')").Outcome, "a date like the others changes nothing")
	assert.NotContains(t, run("select 1").SQL, "is_date", "and it was looked at again")
	record = run("insert into t values (4, '2025-02-30T00:00:00Z')")
	assert.Equal(t, "failed", record.Outcome, record.SQL)
	assert.Contains(t, record.Problem, "t.at")
	record = run("select 1")
	assert.Equal(t, "done", record.Outcome, "the next one looks at each date")
	assert.Contains(t, record.SQL, "is_date")
	assert.Contains(t, record.LeftOut, "1 record")

	// A file that is written to is looked at again, on the side.
	_, err = db.Exec("delete from t where id = 4")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return !strings.Contains(run("select 1").SQL, "is_date") }, time.Minute, 50*time.Millisecond)
}
