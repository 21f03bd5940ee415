package oracle_test

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	duckdb "github.com/duckdb/duckdb-go-bindings"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
)

// duck makes files: a database in memory whose tables are copied to them.
type duck struct {
	t    *testing.T
	conn duckdb.Connection
}

func newDuck(t *testing.T) *duck {
	var database duckdb.Database
	d := &duck{t: t}
	require.Equal(t, duckdb.StateSuccess, duckdb.Open(":memory:", &database))
	require.Equal(t, duckdb.StateSuccess, duckdb.Connect(database, &d.conn))
	t.Cleanup(func() {
		duckdb.Disconnect(&d.conn)
		duckdb.Close(&database)
	})
	return d
}

// Exec runs a statement whose question marks stand for values.
func (d *duck) Exec(query string, args ...any) (sql.Result, error) {
	for _, arg := range args {
		text := "null"
		switch v := arg.(type) {
		case nil:
		case string:
			text = "'" + strings.ReplaceAll(v, "'", "''") + "'"
		case float64:
			text = strconv.FormatFloat(v, 'f', -1, 64)
		default:
			text = fmt.Sprint(v)
		}
		query = strings.Replace(query, "?", strings.ReplaceAll(text, "?", "\x00"), 1)
	}
	var result duckdb.Result
	defer duckdb.DestroyResult(&result)
	if duckdb.Query(d.conn, strings.ReplaceAll(query, "\x00", "?"), &result) == duckdb.StateError {
		return nil, fmt.Errorf("%s: %s", query, duckdb.ResultError(&result))
	}
	return nil, nil
}

// newFolder makes the small tables as files, with types of their own.
func newFolder(t *testing.T, r random, form string) *bench {
	b := newRecords()
	b.engine = form
	b.none = r.none(func(i int) any { return pick(r, []any{"0044-03-15 (BC)"}) })
	db := newDuck(t)
	_, err := db.Exec("set TimeZone = 'UTC'")
	require.NoError(t, err)
	_, err = db.Exec("create table r (id bigint, world int, n smallint, m bigint, x decimal(10, 2), s text, t text, b boolean, d date, f int, e timestamptz, u bigint, l timestamp, z text, v text, w text, y text, k bigint, a text, g decimal(20, 9), c text, p text, q text, h text)")
	require.NoError(t, err)
	b.fill(t, db, "insert into r values (?"+strings.Repeat(", ?", len(columns)-1)+")", r, func(i int, v any) any {
		if columns[i].Name == "b" {
			return v == 1
		}
		return v
	})
	folder := t.TempDir()
	_, err = db.Exec("copy r to '" + filepath.Join(folder, "r.parquet") + "' (format parquet)")
	require.NoError(t, err)
	b.source, err = files.Open(engine.Address{Name: "small", At: folder})
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	b.catalog, err = b.source.Catalogue(t.Context())
	require.NoError(t, err)
	require.Len(t, b.catalog.Tables, 1)
	require.NoError(t, b.catalog.SetEncoding("r.f", catalog.EncYMD))
	for i, c := range columns {
		if i > 12 && c.Encoding != "" {
			require.NoError(t, b.catalog.SetEncoding("r."+c.Name, c.Encoding))
		}
	}
	require.NoError(t, b.catalog.SetEncoding("r.u", catalog.EncUnixS))
	b.catalog.Tables[0].Key = []string{"id"}
	b.survey(t)
	for i, c := range b.catalog.Tables[0].Columns {
		require.Equal(t, columns[i].Type, c.Type, "%s: %s", form, c.Name)
	}
	return b
}
