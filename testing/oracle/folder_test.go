package oracle_test

import (
	"database/sql"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	duckdb "github.com/duckdb/duckdb-go-bindings"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

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

// withoutEmpty takes the empty texts out of a record: in a workbook they are no values.
func withoutEmpty(row []any) {
	for i, v := range row {
		if v == "" && columns[i].Nullable {
			row[i] = nil
		} else if v == "" {
			row[i] = "A"
		}
	}
}

// newFolder makes the small tables as files, with types of their own. What is kept is as schedules
// keep it: files that a list names, with columns of their own behind those of the records, among
// others that do not count.
func newFolder(t *testing.T, r random, form string) *bench {
	b := newRecords()
	b.engine = form
	b.none = r.none(func(i int) any { return pick(r, []any{"0044-03-15 (BC)"}) })
	if form == "workbook" {
		b.clean = withoutEmpty
	}
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
	address := engine.Address{Name: "small", At: folder}
	parts := func(more, name, written string) {
		_, err = db.Exec("create table parted as select *, ntile(4) over (order by d, id) as part from r")
		for part := 1; part <= 4 && err == nil; part++ {
			_, err = db.Exec(fmt.Sprintf("copy (select * exclude (part)%s from parted where part = %d order by id) to '%s/%s' (format %s)", more, part, folder, fmt.Sprintf(name, part), written))
		}
	}
	switch form {
	case "workbook":
		writeWorkbook(t, db, filepath.Join(folder, "r.xlsx"))
	case "kept":
		require.NoError(t, os.Mkdir(filepath.Join(folder, "r"), 0o700))
		parts(", part as kept_run, timestamp '2026-03-30 06:00' as kept_as_of, date '2026-03-29' as kept_from, null::date as kept_through", "r/%d.parquet", "parquet")
		require.NoError(t, os.Link(filepath.Join(folder, "r", "1.parquet"), filepath.Join(folder, "r", "replaced.parquet")))
		address.Listed = map[string]string{"r/1.parquet": "r", "r/2.parquet": "r", "r/3.parquet": "r", "r/4.parquet": "r"}
	default: // in files of a stretch of days each, so that some need not be read
		parts("", "r-%d."+form, form+map[string]string{"csv": ", header"}[form])
	}
	require.NoError(t, err)
	b.source, err = files.Open(address)
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	b.catalog, err = b.source.Catalogue(t.Context())
	require.NoError(t, err)
	require.Len(t, b.catalog.Tables, 1)
	require.NoError(t, b.catalog.SetEncoding("r.f", catalog.EncYMD))
	for i, c := range columns {
		if c.Encoding != "" && (i > 12 || form == "csv" || form == "workbook") {
			require.NoError(t, b.catalog.SetEncoding("r."+c.Name, c.Encoding))
		}
	}
	require.NoError(t, b.catalog.SetEncoding("r.u", catalog.EncUnixS))
	b.catalog.Tables[0].Key = []string{"id"}
	b.survey(t)
	for i, c := range b.catalog.Tables[0].Columns[:len(columns)] {
		require.Equal(t, columns[i].Type, c.Type, "%s: %s", form, c.Name)
	}
	return b
}

// writeWorkbook writes the small table as a sheet, its dates as text.
func writeWorkbook(t *testing.T, db *duck, path string) {
	var result duckdb.Result
	defer duckdb.DestroyResult(&result)
	csvPath := filepath.Join(t.TempDir(), "r.csv")
	_, err := db.Exec("copy r to '" + csvPath + "' (format csv, header)")
	require.NoError(t, err)
	file, err := os.Open(csvPath)
	require.NoError(t, err)
	defer file.Close()
	records, err := csv.NewReader(file).ReadAll()
	require.NoError(t, err)
	book := excelize.NewFile()
	defer book.Close()
	for i, record := range records {
		cells := make([]any, len(record))
		for j, v := range record {
			if cells[j] = v; v == "" {
				cells[j] = nil
			}
			if n, err := strconv.ParseInt(v, 10, 64); err == nil && i > 0 && columns[j].Stored != catalog.Text && columns[j].Type != catalog.Text {
				cells[j] = n
			}
		}
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &cells))
	}
	require.NoError(t, book.SaveAs(path))
}
