package sqlite_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
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
	for i := range table.Columns[:3] {
		statement.Fetch = append(statement.Fetch, plan.Fetched{Ref: criteria.Ref{Alias: "t", Column: &table.Columns[i], Nullable: true}})
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

// TestPacked: values of every kind and size come as they are stored, in one row and over many
// messages, with those that are bound; a statement that was stopped or that failed leaves
// nothing for the next one.
func TestPacked(t *testing.T) {
	t.Parallel()
	_, source := database(t, "create table t (id integer primary key, v)")
	values := []any{nil, int64(0), int64(-1), int64(63), int64(64), int64(-65), int64(math.MaxInt64), int64(math.MinInt64), 0.5, -1e300, "", "a", "text\x00 é\xff", strings.Repeat("x", 127), strings.Repeat("x", 128), strings.Repeat("long ", 300_000), []byte{}, []byte{0, 255}}
	text := "select ?1"
	for i := range values[1:] {
		text += fmt.Sprintf(", ?%d", i+2)
	}
	for range 2 { // prepared, and again
		rows, err := engine.Rows(t.Context(), source, text, values...)
		require.NoError(t, err)
		require.Equal(t, [][]any{values}, rows)
	}
	_, err := engine.Rows(t.Context(), source, "select 1, abs(-9223372036854775807 - 1)")
	require.ErrorContains(t, err, "overflow")
	_, err = engine.Rows(t.Context(), source, "select 1; select 2")
	require.ErrorContains(t, err, "one statement")
	_, err = engine.Rows(t.Context(), source, "select ?1")
	require.ErrorContains(t, err, "0 values for 1")
	stop := errors.New("enough")
	many := "with recursive n(i) as (select 1 union all select i + 1 from n where i < 200000) select i, -i, i / 8.0, 'text ' || i, case when i % 3 then null else zeroblob(i % 5) end from n"
	require.ErrorIs(t, source.Stream(t.Context(), dialect.Query{SQL: many}, func([]any) error { return stop }), stop)
	i := int64(0)
	require.NoError(t, source.Stream(t.Context(), dialect.Query{SQL: many}, func(row []any) error {
		i++
		want := []any{i, -i, float64(i) / 8, fmt.Sprint("text ", i), nil}
		if i%3 == 0 {
			want[4] = make([]byte, i%5)
		}
		if !assert.ObjectsAreEqual(want, row) {
			require.Equal(t, want, row)
		}
		return nil
	}))
	require.EqualValues(t, 200_000, i)
	for n := range 120 { // more than stay prepared
		rows, err := engine.Rows(t.Context(), source, fmt.Sprintf("select %d -- a comment", n))
		require.NoError(t, err)
		require.Equal(t, [][]any{{int64(n)}}, rows)
	}
}
