package sqlite_test

import (
	"context"
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/dialect"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
)

// database makes a file with the statements and opens it as a source.
func database(t *testing.T, statements string) (path string, source engine.Source) {
	t.Helper()
	path = filepath.Join(t.TempDir(), "business.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	_, err = db.Exec(statements)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	source, err = sqlite.Open(engine.Address{Name: "business", At: path})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, source.Close()) })
	return path, source
}

// TestNothingCanBeWritten tries every door there is to change a database, or
// to make another file.
func TestNothingCanBeWritten(t *testing.T) {
	path, source := database(t, "create table t (a); create index i on t (a); insert into t values (1)")
	before, err := os.ReadFile(path)
	require.NoError(t, err)
	other := filepath.Join(t.TempDir(), "other.db")
	for _, text := range []string{
		"insert into t values (2)", "update t set a = 2", "delete from t", "delete from t returning a", "drop table t",
		"create table u (a)", "create temp table u (a)", "alter table t add b", "vacuum", "vacuum into '" + other + "'",
		"attach '" + other + "' as x", "pragma query_only = 0", "pragma journal_mode = wal", "pragma writable_schema = 1",
		"begin immediate", "reindex", "analyze", "select load_extension('x')",
		"select a from t; delete from t", "select a from t; attach '" + other + "' as x; create table x.u (a)",
		"with gone as (select a from t) delete from t where a in (select a from gone)",
	} {
		err := source.Stream(t.Context(), dialect.Query{SQL: text}, func([]any) error { return nil })
		assert.Error(t, err, text)
	}
	after, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	assert.NoFileExists(t, other)
	n := 0
	require.NoError(t, source.Stream(t.Context(), dialect.Query{SQL: "select a from t"}, func([]any) error { n++; return nil }))
	assert.Equal(t, 1, n)
	report, err := source.Check(t.Context())
	require.NoError(t, err)
	assert.True(t, report.ReadOnly)
	assert.Contains(t, report.Proof, "only reads: not authorized")
}

const endless = "with recursive n(i) as (select 1 union all select i + 1 from n) select count(*) from n"

// TestCancelled: a statement that would never end stops when its context does.
func TestCancelled(t *testing.T) {
	_, source := database(t, "create table t (a)")
	gone := errors.New("gone")
	ctx, cancel := context.WithTimeoutCause(t.Context(), 50*time.Millisecond, gone)
	defer cancel()
	err := source.Stream(ctx, dialect.Query{SQL: endless}, func([]any) error { return nil })
	require.ErrorIs(t, err, gone)
}

// TestStoppedByTheReader: an error of the row function ends the reading.
func TestStoppedByTheReader(t *testing.T) {
	_, source := database(t, "create table t (a)")
	stop := errors.New("enough")
	rows := 0
	err := source.Stream(t.Context(), dialect.Query{SQL: "with recursive n(i) as (select 1 union all select i + 1 from n) select i from n"}, func([]any) error {
		if rows++; rows == 10 {
			return stop
		}
		return nil
	})
	require.ErrorIs(t, err, stop)
	assert.Equal(t, 10, rows)
}

func TestCatalogue(t *testing.T) {
	_, source := database(t, `
		create table t (id integer primary key, name varchar(20) not null, price numeric, on_day date, at text, local datetime, code integer, number integer, flag boolean, blob blob);
		insert into t values (1, 'a', 1.5, '2026-03-31', '2026-03-31T08:30:00Z', '2026-03-31 08:30:00', 20260331, 12345678, 1, x'00');
		insert into t values (2, 'b', null, null, '2026-04-01T08:30:00.125Z', null, 20260401, 99999999, 0, null);
		create table empty (day date, moment timestamp);
		create view v as select name, code from t;`)
	c, err := source.Catalogue(t.Context())
	require.NoError(t, err)
	require.Equal(t, []string{"empty", "t", "v"}, c.TableNames())
	table, _ := c.Table("T")
	assert.Equal(t, []string{"id"}, table.Key)
	for name, want := range map[string]string{
		"id": "integer ", "name": "text ", "price": "decimal ", "on_day": "date iso-date", "at": "date-time iso-instant",
		"local": "date-time iso-local", "code": "date ymd", "number": "integer ", "flag": "yes-no ", "blob": "other ",
	} {
		column, ok := table.Column(name)
		require.True(t, ok)
		assert.Equal(t, want, string(column.Type)+" "+string(column.Encoding), name)
	}
	id, _ := table.Column("id")
	name, _ := table.Column("name")
	price, _ := table.Column("price")
	assert.Equal(t, []bool{false, false, true}, []bool{id.Nullable, name.Nullable, price.Nullable})
	empty, _ := c.Table("empty")
	assert.Equal(t, []catalog.Encoding{catalog.EncISODate, catalog.EncISOLocal}, []catalog.Encoding{empty.Columns[0].Encoding, empty.Columns[1].Encoding})
	view, _ := c.Table("v")
	assert.True(t, view.View)
	assert.Equal(t, catalog.EncYMD, view.Columns[1].Encoding)
}

func TestOpenRefuses(t *testing.T) {
	folder := t.TempDir()
	text := filepath.Join(folder, "text.db")
	require.NoError(t, os.WriteFile(text, []byte("this is not a database, but long enough to be one"), 0o600))
	for _, path := range []string{filepath.Join(folder, "missing.db"), folder, text} {
		_, err := sqlite.Open(engine.Address{Name: "s", At: path})
		var failure *engine.Failure
		require.ErrorAs(t, err, &failure, path)
		assert.Equal(t, engine.Unreachable, failure.Code)
		assert.NoFileExists(t, filepath.Join(folder, "missing.db"), "opening makes no file")
	}
}

// TestCollations: texts are compared by code point, whatever the table says.
func TestCollations(t *testing.T) {
	_, source := database(t, "create table t (id integer primary key, name text collate nocase); insert into t values (1, 'a'), (2, 'A'), (3, 'b'); create table u (name text)")
	tables, err := source.Catalogue(t.Context())
	require.NoError(t, err)
	named, _ := tables.Table("t")
	plain, _ := tables.Table("u")
	column, _ := named.Column("name")
	assert.True(t, column.Collated)
	assert.False(t, plain.Columns[0].Collated)
	ref := plan.Column{Ref: criteria.Ref{Alias: "t", Column: column}}
	statement := plan.Statement{
		Fetch: []plan.Fetched{{Ref: ref.Ref}}, From: plan.Table{Name: "t", Alias: "t"},
		Where: []plan.Condition{{Expr: plan.Compare{Op: "<>", Left: ref, Right: plan.Value{V: "a"}}}},
		Sort:  []plan.SortKey{{Expr: ref}},
	}
	var names []any
	require.NoError(t, source.Stream(t.Context(), source.Dialect().Write(statement), func(row []any) error {
		names = append(names, row[0])
		return nil
	}))
	assert.Equal(t, []any{"A", "b"}, names)
}

// TestBytes: what is larger than a cell may be is looked at and shown by its
// length; bytes that are a key are read.
func TestBytes(t *testing.T) {
	_, source := database(t, "create table t (id blob primary key, file blob, loose, note text); insert into t values (x'0102', zeroblob(20000000), zeroblob(30000000), 'a'), (x'0103', 'as text', x'0102030405', 'b'), (x'0104', null, null, replace(hex(zeroblob(9000000)), '0', 'y'))")
	tables, err := source.Catalogue(t.Context())
	require.NoError(t, err)
	table := tables.Tables[0]
	statement := plan.Statement{From: plan.Table{Name: "t", Alias: "t"}}
	for _, c := range table.Columns[:3] {
		statement.Fetch = append(statement.Fetch, plan.Fetched{Ref: criteria.Ref{Alias: "t", Column: c, Nullable: true}})
	}
	statement.Sort = []plan.SortKey{{Expr: plan.Column{Ref: statement.Fetch[0].Ref}}}
	var rows [][]any
	require.NoError(t, source.Stream(t.Context(), source.Dialect().Write(statement), func(row []any) error {
		rows = append(rows, append([]any(nil), row...))
		return nil
	}))
	assert.Equal(t, [][]any{
		{[]byte{1, 2}, "(20000000 bytes)", "(30000000 bytes)"}, {[]byte{1, 3}, "as text", "(5 bytes)"}, {[]byte{1, 4}, nil, nil},
	}, rows)
}
