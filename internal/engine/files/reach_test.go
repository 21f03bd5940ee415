package files_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/core/civil"
	"pikegate/core/dialect"
	"pikegate/core/plan"
	"pikegate/internal/engine"
)

// asking is a statement of the product's own on a table, for the days from one on and before
// another.
func asking(t *testing.T, s engine.Source, table, column string, from, until civil.Date, blank bool) dialect.Query {
	t.Helper()
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	found, ok := catalogue.Table(table)
	require.True(t, ok, table)
	c, ok := found.Column(column)
	require.True(t, ok, column)
	return dialect.Query{
		SQL:   fmt.Sprintf(`select count(*) from %q`, table),
		Reach: []plan.Reach{{Table: table, Column: c, From: from.Midnight(), Until: until.Midnight(), Blank: blank}},
	}
}

// filesRead says which files a statement reads.
func filesRead(t *testing.T, s engine.Source, q dialect.Query) string {
	t.Helper()
	p, err := s.Plan(t.Context(), q)
	require.NoError(t, err)
	require.Len(t, p.Files, 1)
	return p.Files[0]
}

var march, may = civil.DateOf(2025, 3, 1), civil.DateOf(2025, 5, 1)

// TestFilesRead: of many files only those are read that hold something of the stretch of time
// that is asked for, whatever they are called, and all where something is not known.
func TestFilesRead(t *testing.T) {
	t.Parallel()
	contents := map[string]string{}
	for n := range 400 {
		year, month := 1992+n/12, n%12+1
		contents[fmt.Sprintf("passages-%d-%02d.csv", year, month)] = fmt.Sprintf("id;day\n1;%02d.%02d.%d\n2;28.%02[2]d.%[3]d\n", 13, month, year)
	}
	s := opened(t, folderOf(t, contents))
	assert.Equal(t, "passages: 2 of 400 files read: passages-2025-03.csv, passages-2025-04.csv", filesRead(t, s, asking(t, s, "passages", "day", march, may, false)))
	assert.Equal(t, "passages: 0 of 400 files read", filesRead(t, s, asking(t, s, "passages", "day", civil.DateOf(2031, 1, 1), civil.DateOf(2032, 1, 1), false)))
	rows, err := engine.Rows(t.Context(), s, asking(t, s, "passages", "day", march, may, false).SQL)
	require.NoError(t, err)
	assert.Equal(t, int64(800), rows[0][0], "a statement of somebody's own reads all")
	q := asking(t, s, "passages", "day", march, may, false)
	q.SQL = `select (select count(*) from "passages") from "passages"`
	assert.Equal(t, "passages: 400 of 400 files read", filesRead(t, s, q), "a table that is read twice")

	const march25, april25 = "id,day\n1,2025-03-31\n", "id,day\n1,2025-04-30\n"
	for name, c := range map[string]struct {
		files map[string]string
		blank bool
		want  string
	}{
		"an empty one":                   {map[string]string{"a-1.csv": march25, "a-2.csv": "id,day\n"}, false, "a: 1 of 2 files read: a-1.csv"},
		"only blanks":                    {map[string]string{"a-1.csv": march25, "a-2.csv": "id,day\n1,\n"}, false, "a: 1 of 2 files read: a-1.csv"},
		"only blanks, which count":       {map[string]string{"a-1.csv": "id,day\n1,2024-01-01\n", "a-2.csv": "id,day\n1,\n"}, true, "a: 1 of 2 files read: a-2.csv"},
		"one with what is no date":       {map[string]string{"a-1.csv": march25, "a-2.csv": "id,day\n1,2024-01-01\n2,2024-02-31\n"}, false, "a: 2 of 2 files read"},
		"the last day":                   {map[string]string{"a-1.csv": april25, "a-2.csv": "id,day\n1,2025-05-01\n"}, false, "a: 1 of 2 files read: a-1.csv"},
		"date-times":                     {map[string]string{"a-1.csv": "id,at\n1,2025-04-30 23:59:59.9\n", "a-2.csv": "id,at\n1,2025-05-01T00:00:00\n"}, false, "a: 1 of 2 files read: a-1.csv"},
		"partitions":                     {map[string]string{"a/year=2024/x.csv": "id,day\n1,2024-03-01\n", "a/year=2025/x.csv": march25}, false, "a: 1 of 2 files read: a/year=2025/x.csv"},
		"names that say something else":  {map[string]string{"a-2025-03.csv": "id,day\n1,2024-03-01\n", "a-2024-03.csv": march25}, false, "a: 1 of 2 files read: a-2024-03.csv"},
		"JSON lines":                     {map[string]string{"a-1.jsonl": "{\"day\":\"2025-03-01\"}\n", "a-2.jsonl": "{\"day\":\"2024-03-01\"}\n"}, false, "a: 1 of 2 files read: a-1.jsonl"},
		"an encoding that is transcoded": {map[string]string{"a-1.csv": wide16(march25), "a-2.csv": wide16("id,day\n1,2024-03-01\n")}, false, "a: 1 of 2 files read: a-1.csv"},
	} {
		s := opened(t, folderOf(t, c.files))
		column := map[bool]string{true: "at", false: "day"}[name == "date-times"]
		assert.Equal(t, c.want, filesRead(t, s, asking(t, s, "a", column, march, may, c.blank)), name)
	}
}

// TestSheetsRead: of a workbook's sheets those are read that hold something.
func TestSheetsRead(t *testing.T) {
	folder := t.TempDir()
	book := excelize.NewFile()
	for _, year := range []string{"2023", "2024", "2025"} {
		_, err := book.NewSheet(year)
		require.NoError(t, err)
		for i, row := range [][]any{{"Lock", "Day"}, {"Upper Sill", year + "-03-01"}} {
			require.NoError(t, book.SetSheetRow(year, fmt.Sprintf("A%d", i+1), &row))
		}
	}
	require.NoError(t, book.DeleteSheet("Sheet1"))
	require.NoError(t, book.SaveAs(filepath.Join(folder, "closings.xlsx")))
	s := opened(t, folder)
	assert.Equal(t, "closings: 1 of 3 sheets read", filesRead(t, s, asking(t, s, "closings", "day", march, may, false)))
}

// TestFilesChange: what was noted of a file holds as long as it is the same one, and of the
// others for a folder that is opened anew.
func TestFilesChange(t *testing.T) {
	folder := folderOf(t, map[string]string{"a-1.csv": "id,day\n1,2025-03-31\n", "a-2.csv": "id,day\n1,2024-01-01\n"})
	s := opened(t, folder)
	assert.Equal(t, "a: 1 of 2 files read: a-1.csv", filesRead(t, s, asking(t, s, "a", "day", march, may, false)))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "a-2.csv"), []byte("id,day\n1,2024-01-01\n2,2025-04-01\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "a-3.csv"), []byte("id,day\n1,2026-01-01\n"), 0o644))
	again := opened(t, folder)
	q := asking(t, again, "a", "day", march, may, false)
	assert.Equal(t, "a: 2 of 3 files read: a-1.csv, a-2.csv", filesRead(t, again, q))
	n := int64(0)
	require.NoError(t, again.Stream(context.Background(), q, func(row []any) error { n = row[0].(int64); return nil }))
	assert.Equal(t, int64(3), n)
}

// TestNamesTell: whether the names of files tell what is in them is said, and which do not.
func TestNamesTell(t *testing.T) {
	day := func(text string) string { return "id,day,seen\n1," + text + ",1999-01-01\n" }
	for want, contents := range map[string]map[string]string{
		"The names tell the month of day.":  {"a-2025-03.csv": day("2025-03-31"), "a-2025-04.csv": day("2025-04-01")},
		"The names tell the day of day.":    {"a 2025_03_31.csv": day("2025-03-31"), "a 2025_04_01.csv": day("2025-04-01")},
		"The names tell the year of day.":   {"a/year=2024/x.csv": day("2024-12-31"), "a/year=2025/x.csv": day("2025-01-01")},
		"The names tell the month of day. ": {"a/year=2025/month=3/x.csv": day("2025-03-31"), "a/year=2025/month=4/x.csv": day("2025-04-01")},
		"The names tell the month of day, but not of all: a-2025-04.csv holds day from 2025-05-01 through 2025-05-01, which is not all in 2025-04. Files are read by what they hold, whatever they are called.": {"a-2025-03.csv": day("2025-03-31"), "a-2025-04.csv": day("2025-05-01")},
		"":  {"a-1.csv": day("2025-03-31"), "a-2.csv": day("2025-05-01")},
		" ": {"a-2025-03.csv": day("2024-03-31"), "a-2025-04.csv": day("2024-05-01")},
	} {
		catalogue, err := opened(t, folderOf(t, contents)).Catalogue(t.Context())
		require.NoError(t, err)
		table, ok := catalogue.Table("a")
		require.True(t, ok)
		_, told, _ := strings.Cut(table.Evidence, "The names")
		if told != "" {
			told = "The names" + told
		}
		assert.Equal(t, strings.TrimSpace(want), told, "%v", contents)
	}
}
