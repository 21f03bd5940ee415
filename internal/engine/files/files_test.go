package files_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
)

// folderOf makes a folder of files.
func folderOf(t *testing.T, contents map[string]string) string {
	t.Helper()
	folder := t.TempDir()
	for name, content := range contents {
		path := filepath.Join(folder, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(content), 0o644))
	}
	return folder
}

// opened opens a folder as a source.
func opened(t *testing.T, folder string) engine.Source {
	t.Helper()
	s, err := files.Open(engine.Address{Name: "exports", At: folder})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

// shown are the tables of a source: their columns with types, and their rows.
func shown(t *testing.T, s engine.Source) map[string]string {
	t.Helper()
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	out := map[string]string{}
	for _, table := range catalogue.Tables {
		var heads []string
		for _, c := range table.Columns {
			head := c.Name + " " + string(c.Type)
			if c.Encoding != "" {
				head += " " + string(c.Encoding)
			}
			heads = append(heads, head)
		}
		text := strings.Join(heads, ", ")
		rows, err := engine.Rows(t.Context(), s, `select * from "`+table.Name+`"`)
		require.NoError(t, err, table.Name)
		for _, row := range rows {
			line, err := json.Marshal(row)
			require.NoError(t, err)
			text += "\n" + string(line)
		}
		out[table.Name] = text
	}
	return out
}

func packed(text string) string {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, _ = z.Write([]byte(text))
	_ = z.Close()
	return b.String()
}

func squeezed(text string) string {
	z, err := zstd.NewWriter(nil)
	if err != nil {
		panic(err)
	}
	return string(z.EncodeAll([]byte(text), nil))
}

func wide16(text string) string {
	out, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(text)
	if err != nil {
		panic(err)
	}
	return out
}

// TestText: text files as they come from programs and from people.
func TestText(t *testing.T) {
	t.Parallel()
	const plain = "id,day,amount,note\n1,2025-03-01,1.50,ok\n2,2025-03-31,20,\"a, b\"\n"
	const said = "id integer, day date iso-date, amount decimal, note text\n[1,\"2025-03-01\",\"1.50\",\"ok\"]\n[2,\"2025-03-31\",\"20.00\",\"a, b\"]"
	for name, c := range map[string]struct{ file, content, want string }{
		"commas":             {"t.csv", plain, said},
		"carriage returns":   {"t.csv", strings.ReplaceAll(plain, "\n", "\r\n"), said},
		"semicolons":         {"t.csv", strings.ReplaceAll(strings.ReplaceAll(plain, ",", ";"), "a; b", "a, b"), said},
		"tabs":               {"t.tsv", strings.ReplaceAll(strings.ReplaceAll(plain, ",", "\t"), "a\t b", "a, b"), said},
		"bars":               {"t.txt", strings.ReplaceAll(strings.ReplaceAll(plain, ",", "|"), "a| b", "a, b"), said},
		"no last line end":   {"t.csv", strings.TrimSuffix(plain, "\n"), said},
		"a mark":             {"t.csv", "\ufeff" + plain, said},
		"UTF-16":             {"t.csv", wide16(plain), said},
		"gzip":               {"t.csv.gz", packed(plain), said},
		"zstd":               {"t.csv.zst", squeezed(plain), said},
		"blank lines":        {"t.csv", plain + "\n\n", said},
		"blank lines within": {"t.csv", strings.Replace(plain, "\n2", "\n\n\n2", 1), said},
		"comments":           {"t.csv", "# made on 1 April\n" + strings.Replace(plain, "\n2", "\n# what follows was read late\n#\n2", 1) + "# the end", said},
		"a lock called #3":   {"t.csv", "lock,n\n#3,1\n#4,2\n", "lock text, n integer\n[\"#3\",1]\n[\"#4\",2]"},
		"a title above":      {"t.csv", "Gauge readings of March\n\n" + plain, said},
		"Windows-1252":       {"t.csv", "name,n\nM\xfcller,1\n", "name text, n integer\n[\"Müller\",1]"},
		"one column":         {"t.csv", "n\n1\n2\n", "n integer\n[1]\n[2]"},
		"no head":            {"t.csv", "1,2025-03-01\n2,2025-03-31\n", "column1 integer, column2 date iso-date\n[1,\"2025-03-01\"]\n[2,\"2025-03-31\"]"},
		"only a head":        {"t.csv", "id,day\n", "id text, day text"},
		"empty":              {"t.csv", "", "nothing integer"},
		"a line break":       {"t.csv", "id,note\n1,\"two\nlines\"\n2,\"say \"\"ho\"\"\"\n", "id integer, note text\n[1,\"two\\nlines\"]\n[2,\"say \\\"ho\\\"\"]"},
		"heads alike":        {"t.csv", "Toll (£),Toll (p),Toll £\n1,2,3\n", "toll integer, toll_p integer, toll_2 integer\n[1,2,3]"},
		"a decimal comma":    {"t.csv", "n;m\n1,5;-0,25\n2;1.234,5\n", "n decimal, m decimal\n[\"1.5\",\"-0.25\"]\n[\"2.0\",\"1234.50\"]"},
		"comma undecided":    {"t.csv", "n;m\n1,500;1\n2,250;2\n", "n text, m integer\n[\"1,500\",1]\n[\"2,250\",2]"},
		"point undecided":    {"t.csv", "n;m\n1.500;1\n2.250;2\n", "n text, m integer\n[\"1.500\",1]\n[\"2.250\",2]"},
		"point decided":      {"t.csv", "n,m\n1.500,1\n2.250,2\n", "n decimal, m integer\n[\"1.500\",1]\n[\"2.250\",2]"},
		"words for none":     {"t.csv", "n,m\n1,NA\nn/a,2\n-,3\n", "n integer, m integer\n[1,null]\n[null,2]\n[null,3]"},
		"empty and blank":    {"t.csv", "id,s\n1,\n2,\"\"\n", "id integer, s text\n[1,null]\n[2,\"\"]"},
		"leading zeros":      {"t.csv", "id,s\n1,007\n2,010\n", "id integer, s text\n[1,\"007\"]\n[2,\"010\"]"},
		"long numbers":       {"t.csv", "id,s\n1,12345678901234567890\n2,1\n", "id integer, s decimal\n[1,\"12345678901234567890\"]\n[2,1]"},
		"not all numbers":    {"t.csv", "id,s\n1,5\n2,five\n", "id integer, s text\n[1,\"5\"]\n[2,\"five\"]"},
		"long and fine":      {"t.csv", "n,m\n12345678901234567.5,1\n0.123456,2\n", "n decimal, m integer\n[\"12345678901234567.500000\",1]\n[\"0.123456\",2]"},
		"true and false":     {"t.csv", "id,b\n1,true\n2,FALSE\n", "id integer, b yes-no\n[1,true]\n[2,false]"},
		"day first":          {"t.csv", "d\n1.3.2025\n31.03.2025\n", "d date D.M.Y\n[\"1.3.2025\"]\n[\"31.03.2025\"]"},
		"day or month":       {"t.csv", "d,n\n1/3/2025,1\n2/3/2025,2\n", "d text, n integer\n[\"1/3/2025\",1]\n[\"2/3/2025\",2]"},
		"quotes in a field":  {"t.csv", "id,s\n1,5\" pipe\n", "id integer, s text\n[1,\"5\\\" pipe\"]"},
		"JSON lines":         {"t.jsonl", "{\"id\": 1, \"x\": {\"a\": [1]}}\n{\"id\": 2, \"at\": \"2025-03-31T08:30:00\", \"y\": 2.5}\n", "id integer, x text, at date-time local, y decimal\n[1,\"{\\\"a\\\":[1]}\",null,null]\n[2,null,\"2025-03-31 08:30:00\",2.5]"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, shown(t, opened(t, folderOf(t, map[string]string{c.file: c.content})))["t"])
		})
	}
}

// TestUnreadable: a file that cannot be read is told by its name.
func TestUnreadable(t *testing.T) {
	cut := packed(strings.Repeat("id,day\n1,2025-03-01\n", 2000))
	for name, c := range map[string]struct{ file, content, says string }{
		"cut gzip":          {"t.csv.gz", cut[:len(cut)-12], "t.csv.gz"},
		"no gzip":           {"t.csv.gz", "id\n1\n", "t.csv.gz"},
		"no Parquet":        {"t.parquet", "PAR1 not really", "t.parquet"},
		"no workbook":       {"t.xlsx", "PK not really", "t.xlsx"},
		"no JSON":           {"t.jsonl", "{\"id\": 1}\n{oops\n", "t.jsonl"},
		"a ragged row":      {"t.csv", "id,day\n1,2025-03-01\n2\n3,2025-03-03\n", "t.csv, line 3: there is 1 field instead of 2, in \"2\"."},
		"below a comment":   {"t.csv", "id,day\n1,2025-03-01\n# note\n2\n", "t.csv, line 4: there is 1 field instead of 2"},
		"a row too many":    {"t.csv", "id,day\n1,2025-03-01\n2,2025-03-02,5\n", "line 3: there are 3 fields instead of 2"},
		"an open quote":     {"t.csv", "id,day\n1,\"2025-03-01\n2,2025-03-02\n", "t.csv"},
		"heads that differ": {"t-1.csv", "id,day\n1,2025-03-01\n", "t-2.csv"},
	} {
		t.Run(name, func(t *testing.T) {
			contents := map[string]string{c.file: c.content}
			if name == "heads that differ" {
				contents["t-2.csv"] = "id,date\n1,2025-03-01\n"
			}
			contents["good.csv"] = "id\n1\n"
			s := opened(t, folderOf(t, contents))
			catalogue, err := s.Catalogue(t.Context())
			require.NoError(t, err)
			_, err = engine.Rows(t.Context(), s, `select * from "t"`)
			var failure *engine.Failure
			require.ErrorAs(t, err, &failure)
			table, ok := catalogue.Table("t")
			require.True(t, ok)
			assert.Equal(t, failure.Message, table.Evidence)
			good, err := engine.Rows(t.Context(), s, `select * from "good"`)
			require.NoError(t, err, "it holds up no other")
			assert.Len(t, good, 1)
			assert.Contains(t, failure.Message, c.says)
			assert.NotEmpty(t, failure.Hint)
		})
	}
}

// TestTables: which files make one table, and what it is called.
func TestTables(t *testing.T) {
	const row = "id,day\n1,2025-03-01\n"
	s := opened(t, folderOf(t, map[string]string{
		"passages-2025-01.csv": row, "passages-2025-02.csv": row, "Lock list (new).csv": row, "old/locks.csv": row, ".hidden.csv": row, "~$lock.csv": row,
		"tolls/year=2024/a.csv": row, "tolls/year=2025/b.csv": row, "notes.md": "# no data", "2025.csv": row,
	}))
	got := shown(t, s)
	assert.Equal(t, "id integer, day date iso-date\n[1,\"2025-03-01\"]\n[1,\"2025-03-01\"]", got["passages"])
	assert.Equal(t, "id integer, day date iso-date, year integer\n[1,\"2025-03-01\",2024]\n[1,\"2025-03-01\",2025]", got["tolls"], "what the folders are called is a column")
	names := []string{}
	for name := range got {
		names = append(names, name)
	}
	assert.ElementsMatch(t, []string{"passages", "lock_list_new", "old_locks", "tolls", "n2025"}, names)
}

// TestWorkbooks: sheets with titles, dates by their format, both day systems, formulas.
func TestWorkbooks(t *testing.T) {
	folder := t.TempDir()
	book := func(name string, fill func(b *excelize.File)) {
		b := excelize.NewFile()
		fill(b)
		require.NoError(t, b.SaveAs(filepath.Join(folder, name)))
		require.NoError(t, b.Close())
	}
	row := func(b *excelize.File, sheet string, at int, cells ...any) {
		require.NoError(t, b.SetSheetRow(sheet, fmt.Sprintf("A%d", at), &cells))
	}
	book("stoppages.xlsx", func(b *excelize.File) {
		require.NoError(t, b.SetSheetName("Sheet1", "2024"))
		_, err := b.NewSheet("2025")
		require.NoError(t, err)
		days, err := b.NewStyle(&excelize.Style{NumFmt: 14})
		require.NoError(t, err)
		custom := `"on" dd/mm/yyyy hh:mm`
		times, err := b.NewStyle(&excelize.Style{CustomNumFmt: &custom})
		require.NoError(t, err)
		for _, sheet := range []string{"2024", "2025"} {
			row(b, sheet, 1, "Stoppages, as told to the board")
			row(b, sheet, 3, "Lock", "From", "Noted at", "Days", "Cost")
			row(b, sheet, 4, "Upper Sill", 45717, 45717.354166666664, 3, 12.5)
			row(b, sheet, 5, "Lower Sill", 45747, 45747.5, nil, 100)
			require.NoError(t, b.SetCellStyle(sheet, "B4", "B5", days))
			require.NoError(t, b.SetCellStyle(sheet, "C4", "C5", times))
		}
	})
	book("early.xlsx", func(b *excelize.File) {
		yes := true
		require.NoError(t, b.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &yes}))
		days, err := b.NewStyle(&excelize.Style{NumFmt: 14})
		require.NoError(t, err)
		row(b, "Sheet1", 1, "day", "sum")
		row(b, "Sheet1", 2, 45717-1462)
		require.NoError(t, b.SetCellStyle("Sheet1", "A2", "A2", days))
	})
	got := shown(t, opened(t, folder))
	const sheet = "lock text, from date iso-date, noted_at date-time iso-local, days integer, cost decimal\n" +
		`["Upper Sill","2025-03-01","2025-03-01T08:30:00",3,"12.5"]` + "\n" + `["Lower Sill","2025-03-31","2025-03-31T12:00:00",null,"100.0"]`
	head, rows, _ := strings.Cut(sheet, "\n")
	assert.Equal(t, head+"\n"+rows+"\n"+rows, got["stoppages"], "two sheets of one shape")
	assert.Equal(t, "day date iso-date, sum text\n[\"2025-03-01\",null]", got["early"])
	book("unreckoned.xlsx", func(b *excelize.File) {
		row(b, "Sheet1", 1, "day", "sum")
		require.NoError(t, b.SetCellFormula("Sheet1", "B2", "1+1"))
	})

	book("wider.xlsx", func(b *excelize.File) {
		for i := range 300 {
			row(b, "Sheet1", i+1, "a", "b")
		}
		row(b, "Sheet1", 301, 1, 2, "a note")
	})
	_, err := engine.Rows(t.Context(), opened(t, folder), "select * from unreckoned")
	assert.ErrorContains(t, err, "unreckoned.xlsx cannot be read: the sheet Sheet1: the formula in cell B2 has no value kept with it")
	_, err = engine.Rows(t.Context(), opened(t, folder), "select * from wider")
	assert.ErrorContains(t, err, "row 301 has something in column 3", "nothing is left out without a word")

	locked := excelize.NewFile()
	require.NoError(t, locked.SaveAs(filepath.Join(folder, "secret.xlsx"), excelize.Options{Password: "sluice"}))
	require.NoError(t, locked.Close())
	_, err = engine.Rows(t.Context(), opened(t, folder), "select * from secret")
	assert.ErrorContains(t, err, "secret.xlsx")
	assert.ErrorContains(t, err, "password")
}

// TestClosedIn: statements reach nothing but the folder, and only read.
func TestClosedIn(t *testing.T) {
	outside := folderOf(t, map[string]string{"out.csv": "id\n1\n"})
	folder := folderOf(t, map[string]string{"t.csv": "id\n1\n"})
	require.NoError(t, os.Symlink(filepath.Join(outside, "out.csv"), filepath.Join(folder, "link.csv")))
	s := opened(t, folder)
	assert.NotContains(t, shown(t, s), "link", "a link that leads out is no table")
	for _, statement := range []string{
		"select * from read_text('/etc/passwd')", "select * from read_csv('" + outside + "/out.csv')", "select * from read_csv('" + folder + "/../../etc/passwd')", "select * from '" + folder + "/link.csv'",
		"copy (select 1) to '" + folder + "/made.csv'", "create table x (id int)", "attach '" + folder + "/x.db'", "install httpfs", "load httpfs",
		"set memory_limit = '8GB'", "set enable_external_access = true", "pragma memory_limit = '8GB'", "call duckdb_settings()", "select 1; copy (select 1) to '" + folder + "/made.csv'",
		"select * from read_csv('https://example.org/x.csv')", "export database '" + folder + "'", "insert into t values (2)",
	} {
		err := s.Stream(t.Context(), dialect.Query{SQL: statement}, func([]any) error { return nil })
		assert.Error(t, err, statement)
	}
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, entries, 2, "nothing was written")
	inspection, err := s.Check(t.Context())
	require.NoError(t, err)
	assert.True(t, inspection.ReadOnly)
	for _, refused := range []string{"/", "/proc/self", folder + "/t.csv", folder + "/none"} {
		_, err := files.Open(engine.Address{Name: "x", At: refused})
		assert.Error(t, err, refused)
	}
}

// TestChanges: what changed in the folder is seen; a file that changes while it is read spoils
// the run.
func TestChanges(t *testing.T) {
	t.Parallel()
	var rows strings.Builder
	rows.WriteString("id,day\n")
	for i := range 300_000 {
		fmt.Fprintf(&rows, "%d,2025-03-%02d\n", i, i%28+1)
	}
	folder := folderOf(t, map[string]string{"t.csv": rows.String()})
	s := opened(t, folder)
	_, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	replaced := s.(interface{ Replaced() bool })
	assert.False(t, replaced.Replaced())
	n := 0
	err = s.Stream(t.Context(), dialect.Query{SQL: `select * from "t"`}, func([]any) error {
		if n++; n == 10 {
			file, err := os.OpenFile(filepath.Join(folder, "t.csv"), os.O_APPEND|os.O_WRONLY, 0)
			require.NoError(t, err)
			_, err = file.WriteString("300000,2025-03-01\n")
			require.NoError(t, errors.Join(err, file.Close()))
		}
		return nil
	})
	var failure *engine.Failure
	require.ErrorAs(t, err, &failure)
	assert.Equal(t, engine.Changed, failure.Code)
	assert.True(t, replaced.Replaced())
	require.NoError(t, os.WriteFile(filepath.Join(folder, "u.csv"), []byte("id\n5\n"), 0o644))
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	assert.Len(t, catalogue.Tables, 2)
	got, err := engine.Rows(t.Context(), s, `select count(*) from "t"`)
	require.NoError(t, err)
	assert.Equal(t, int64(300_001), got[0][0])
}

// TestStops: a statement ends with its context, and a new one is answered.
func TestStops(t *testing.T) {
	s := opened(t, folderOf(t, map[string]string{"t.csv": "id\n1\n"}))
	ctx, stop := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer stop()
	start := time.Now()
	err := s.Stream(ctx, dialect.Query{SQL: "select count(*) from range(100000000) a, range(1000000) b where a.range * b.range = 7"}, func([]any) error { return nil })
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.Less(t, time.Since(start), 20*time.Second)
	rows, err := engine.Rows(t.Context(), s, "select 1")
	require.NoError(t, err)
	assert.Equal(t, int64(1), rows[0][0])
}

// TestManyColumns: 2,000 columns are read.
func TestManyColumns(t *testing.T) {
	t.Parallel()
	var head, row []string
	for i := range 1000 {
		head, row = append(head, fmt.Sprintf("c%d", i)), append(row, fmt.Sprint(i))
	}
	s := opened(t, folderOf(t, map[string]string{"t.csv": strings.Join(head, ",") + "\n" + strings.Join(row, ",") + "\n"}))
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	require.Len(t, catalogue.Tables[0].Columns, 1000, catalogue.Tables[0].Evidence)
	assert.Equal(t, catalog.Integer, catalogue.Tables[0].Columns[999].Type)
}

// TestNothingLeft: what is said of files has to leave something of them.
func TestNothingLeft(t *testing.T) {
	s, err := files.Open(engine.Address{Name: "exports", At: folderOf(t, map[string]string{"t.csv": "a,b\n1,2\n"}), Files: map[string]catalog.FileFormat{"t": {Skip: "9"}}})
	require.NoError(t, err)
	defer s.Close()
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	assert.Empty(t, catalogue.Tables[0].Columns)
	assert.Equal(t, "t.csv cannot be read: read as it was said, nothing is left of it.", catalogue.Tables[0].Evidence)
}

// TestEvidence: what tells how a column is read, and of which values.
func TestEvidence(t *testing.T) {
	s := opened(t, folderOf(t, map[string]string{"t.csv": "d,e,n,k,m\n1.3.2025,2025-03-01,1,1,2025-03-01\n31.03.2025,2025-03-02,NA,2,2025-03-02\n1.4.2025,2025-03-32,3,x,2025-03-03\n" + "2.4.2025,2025-03-02,4,about 5,2025-03-04\n" + strings.Repeat("2.4.2025,2025-03-02,4,4,31.03.2025\n", 10) + strings.Repeat("2.4.2025,2025-03-02,4,4,2025-03-31\n", 20)}))
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	said := []string{}
	for _, c := range catalogue.Tables[0].Columns {
		said = append(said, c.Evidence)
	}
	assert.Equal(t, []string{
		"D.M.Y: all 34 values fit; of those looked at first, 1 of them is no date the other way round",
		"text, YYYY-MM-DD, real days: of all 34 values, 1 does not fit", "whole numbers: all 33 values; NA for none", `text: of 34 values, 2 are none of whole numbers: "about 5" and "x", say`,
		"dates of several layouts, none of which nine of ten values have",
	}, said)
	assert.Equal(t, int64(1), catalogue.Tables[0].Columns[1].Unfit)
}

// TestSaid: what somebody says of files counts instead of what would be found.
func TestSaid(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		content string
		said    catalog.FileFormat
		want    string
	}{
		"a delimiter":       {"a;b,c\n1;2,5\n", catalog.FileFormat{Delimiter: ","}, "a_b text, c integer\n[\"1;2\",5]"},
		"another mark":      {"a~b\n1~2\n", catalog.FileFormat{Delimiter: "~"}, "a integer, b integer\n[1,2]"},
		"tabs":              {"a,b\tc\n1,5\t2\n", catalog.FileFormat{Delimiter: "tab", Decimal: ","}, "a_b decimal, c integer\n[\"1.5\",2]"},
		"decimals":          {"n;m\n1,500;1\n2,250;2\n", catalog.FileFormat{Decimal: ","}, "n decimal, m integer\n[\"1.500\",1]\n[\"2.250\",2]"},
		"points part":       {"n;m\n1.500;1\n2.250;2\n", catalog.FileFormat{Decimal: ","}, "n decimal, m integer\n[1500,1]\n[2250,2]"},
		"points mark":       {"n;m\n1.500;1\n2.250;2\n", catalog.FileFormat{Decimal: "."}, "n decimal, m integer\n[\"1.500\",1]\n[\"2.250\",2]"},
		"thousands":         {"n;m\n1,500;1\n2,250.5;2\n", catalog.FileFormat{Decimal: "."}, "n decimal, m integer\n[\"1500.0\",1]\n[\"2250.5\",2]"},
		"no head":           {"a,b\nc,d\n", catalog.FileFormat{Header: "no"}, "column1 text, column2 text\n[\"a\",\"b\"]\n[\"c\",\"d\"]"},
		"a head of numbers": {"2024,2025\n1,2\n", catalog.FileFormat{Header: "yes"}, "n2024 integer, n2025 integer\n[1,2]"},
		"lines before":      {"x,y\nz,w\na,b\n1,2\n", catalog.FileFormat{Skip: "2"}, "a integer, b integer\n[1,2]"},
		"an encoding":       {"name\nM\xc3\xbcller\n", catalog.FileFormat{Encoding: "latin-1"}, "name text\n[\"MÃ¼ller\"]"},
		"no words":          {"n,m\nNA,1\n5,2\n", catalog.FileFormat{Header: "yes", Blank: []string{}}, "n integer, m integer\n[null,1]\n[5,2]"},
		"comments":          {"a,b\n%x,y\n1,2\n3,\"x\n%y\"\n", catalog.FileFormat{Comment: "%"}, "a integer, b text\n[1,\"2\"]\n[3,\"x\\n%y\"]"},
		"dates":             {"d,n\n1/3/2025,1\n2/3/2025,2\n", catalog.FileFormat{Dates: "D/M/Y"}, "d date D/M/Y, n integer\n[\"1/3/2025\",1]\n[\"2/3/2025\",2]"},
		"dates of none":     {"d,n\nx,1\ny,2\n", catalog.FileFormat{Dates: "D/M/Y"}, "d text, n integer\n[\"x\",1]\n[\"y\",2]"},
		"words for none":    {"n,m\n-999,1\n5,missing\n", catalog.FileFormat{Blank: []string{"-999", "missing"}}, "n integer, m integer\n[null,1]\n[5,null]"},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := files.Open(engine.Address{Name: "exports", At: folderOf(t, map[string]string{"t.csv": c.content}), Files: map[string]catalog.FileFormat{"t": c.said}})
			require.NoError(t, err)
			defer s.Close()
			assert.Equal(t, c.want, shown(t, s)["t"])
			catalogue, err := s.Catalogue(t.Context())
			require.NoError(t, err)
			assert.Contains(t, catalogue.Tables[0].Evidence, "as it was said of it")
		})
	}
}

// TestChosen: which files, which sheet and which cells a table is made of can be said.
func TestChosen(t *testing.T) {
	t.Parallel()
	folder := folderOf(t, map[string]string{"a.csv": "id\n1\n", "old/a-2019.csv": "id\n2\n", "old/a-x.csv": "id\n3\n", "old/b.csv": "id\n4\n"})
	for i, name := range []string{"x.xlsx", "y.xlsx"} {
		book := excelize.NewFile()
		_, err := book.NewSheet("Stop pages")
		require.NoError(t, err)
		for at, row := range map[string][]any{"A1": {"A title"}, "B3": {"Lock", "Day", "", "Sum"}, "B4": {"Upper Sill", "2025-03-01", 1 + i, "x"}, "B5": {"Lower Sill", "2025-03-02"}, "B8": {"Total", "", 3}, "G1": {"k", "v"}, "G2": {1, 2}} {
			require.NoError(t, book.SetSheetRow("Stop pages", at, &row))
		}
		require.NoError(t, book.AddTable("Stop pages", &excelize.Table{Range: "G1:H2", Name: "pairs"}))
		require.NoError(t, book.SetDefinedName(&excelize.DefinedName{Name: "stops", RefersTo: "'Stop pages'!$B$3:$C$5"}))
		require.NoError(t, book.SaveAs(filepath.Join(folder, name)))
	}
	for _, c := range []struct {
		said catalog.FileFormat
		want string // rows, or what is wrong
	}{
		{catalog.FileFormat{Files: "old/a-*.csv"}, "id integer\n[2]\n[3]"},
		{catalog.FileFormat{Files: "*/a-?.csv"}, "id integer\n[3]"},
		{catalog.FileFormat{Files: "new/*.csv"}, "No file of the folder is one of new/*.csv."},
		{catalog.FileFormat{Files: "*.*"}, "a.csv is CSV, and x.xlsx is workbook."},
		{catalog.FileFormat{Files: "x.xlsx", Sheet: "Stop pages", Range: "B3:D5"}, "lock text, day date iso-date, unnamed integer\n[\"Upper Sill\",\"2025-03-01\",1]\n[\"Lower Sill\",\"2025-03-02\",null]"},
		{catalog.FileFormat{Files: "x.xlsx", Range: "pairs"}, "k integer, v integer\n[1,2]"},
		{catalog.FileFormat{Files: "?.xlsx", Range: "STOPS"}, "lock text, day date iso-date\n[\"Upper Sill\",\"2025-03-01\"]\n[\"Lower Sill\",\"2025-03-02\"]\n[\"Upper Sill\",\"2025-03-01\"]\n[\"Lower Sill\",\"2025-03-02\"]"},
		{catalog.FileFormat{Files: "x.xlsx", Range: "others"}, "x.xlsx cannot be read: it has no table or range called others; it has pairs, stops."},
		{catalog.FileFormat{Files: "x.xlsx", Sheet: "Stops"}, "x.xlsx cannot be read: it has no sheet Stops; it has Sheet1, Stop pages."},
		{catalog.FileFormat{Files: "x.xlsx", Sheet: "Stop pages", Range: "K1:L9"}, "x.xlsx cannot be read: the sheet Stop pages, K1:L9 is empty."},
	} {
		s, err := files.Open(engine.Address{Name: "exports", At: folder, Files: map[string]catalog.FileFormat{"t": c.said}})
		require.NoError(t, err)
		catalogue, err := s.Catalogue(t.Context())
		require.NoError(t, err)
		table, ok := catalogue.Table("t")
		require.True(t, ok)
		if len(table.Columns) == 0 {
			assert.Equal(t, c.want, table.Evidence)
		} else {
			assert.Equal(t, c.want, shown(t, s)["t"])
		}
		require.NoError(t, s.Close())
	}
	s, err := files.Open(engine.Address{Name: "exports", At: folder, Files: map[string]catalog.FileFormat{"x": {Range: "pairs"}}})
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, "k integer, v integer\n[1,2]", shown(t, s)["x"], "of the workbook that the table is called after")
}

// TestAwkward: the same records are read from text files however these are written: each
// delimiter, encoding, line end and way of quoting, with a head and without, with titles above
// and blank lines and comments within, compressed and not.
func TestAwkward(t *testing.T) {
	t.Parallel()
	contents := map[string]string{}
	records := [][]string{{"name", "day", "cost", "note"}, {"Zoë", "31.03.2025", "1.5", "a, b; c|d"}, {"Müller", "1.04.2025", "-20", "two\nlines"}, {"Ærø", "2.04.2025", "", "say \"ho\""}}
	encode := map[string]func(string) string{
		"utf8": func(s string) string { return s }, "marked": func(s string) string { return "\ufeff" + s }, "wide": wide16,
		"western": func(s string) string {
			out, err := charmap.Windows1252.NewEncoder().String(s)
			require.NoError(t, err)
			return out
		},
	}
	for delimiterName, delimiter := range map[string]string{"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|"} {
		for encoding, encoded := range encode {
			for endName, end := range map[string]string{"lf": "\n", "crlf": "\r\n"} {
				for quoting, always := range map[string]bool{"quoted": true, "bare": false} {
					for form, headed := range map[string]bool{"headed": true, "headless": false, "titled": true, "noted": true, "spaced": true} {
						var b strings.Builder
						if form == "titled" {
							b.WriteString("Costs of the year" + end + end)
						}
						for i, record := range records {
							if i == 0 && !headed {
								continue
							}
							if form == "noted" && i > 1 {
								b.WriteString("# checked" + end)
							}
							if form == "spaced" && i > 1 {
								b.WriteString(end)
							}
							for j, field := range record {
								if delimiter == ";" && j == 2 {
									field = strings.ReplaceAll(field, ".", ",")
								}
								if j > 0 {
									b.WriteString(delimiter)
								}
								if always && field != "" || strings.ContainsAny(field, "\n\""+delimiter) {
									field = `"` + strings.ReplaceAll(field, `"`, `""`) + `"`
								}
								b.WriteString(field)
							}
							b.WriteString(end)
						}
						name, content := strings.Join([]string{delimiterName, encoding, endName, quoting, form}, "_"), encoded(b.String())
						switch quoting + endName {
						case "quotedlf":
							contents[name+".csv.gz"] = packed(content)
						case "quotedcrlf":
							contents[name+".txt.zst"] = squeezed(content)
						default:
							contents[name+".csv"] = content
						}
					}
				}
			}
		}
	}
	got := shown(t, opened(t, folderOf(t, contents)))
	require.Len(t, got, 4*4*2*2*5)
	for name, rows := range got {
		columns := "name text, day date D.M.Y, cost decimal, note text"
		if strings.HasSuffix(name, "headless") {
			columns = "column1 text, column2 date D.M.Y, column3 decimal, column4 text"
		}
		want := columns + `
["Zoë","31.03.2025","1.5","a, b; c|d"]
["Müller","1.04.2025","-20.0","two\nlines"]
["Ærø","2.04.2025",null,"say \"ho\""]`
		assert.Equal(t, want, strings.ReplaceAll(rows, `\r`, ""), name)
	}
}

// TestBomb: a workbook that becomes far more than it is gets no memory.
func TestBomb(t *testing.T) {
	folder := t.TempDir()
	file, err := os.Create(filepath.Join(folder, "bomb.xlsx"))
	require.NoError(t, err)
	defer file.Close()
	const chunk, times = 1 << 20, 1100
	var packed bytes.Buffer
	z, err := flate.NewWriter(&packed, flate.BestCompression)
	require.NoError(t, err)
	zeros := make([]byte, chunk)
	_, err = z.Write(zeros)
	require.NoError(t, err)
	require.NoError(t, z.Flush()) // a block that can be repeated
	sum := crc32.NewIEEE()
	for range times {
		_, _ = sum.Write(zeros)
	}
	end := []byte{3, 0}
	out := zip.NewWriter(file)
	w, err := out.CreateRaw(&zip.FileHeader{Name: "xl/worksheets/sheet1.xml", Method: zip.Deflate, CRC32: sum.Sum32(), CompressedSize64: uint64(packed.Len()*times + len(end)), UncompressedSize64: chunk * times})
	require.NoError(t, err)
	for range times {
		_, err = w.Write(packed.Bytes())
		require.NoError(t, err)
	}
	_, err = w.Write(end)
	require.NoError(t, err)
	require.NoError(t, out.Close())
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err = engine.Rows(t.Context(), opened(t, folder), "select * from bomb")
	runtime.ReadMemStats(&after)
	assert.ErrorContains(t, err, "bomb.xlsx cannot be read")
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(200<<20))
}

// TestParquetVersions: Parquet of either version of its pages and of every compression is read
// the same, in partitions as well; a file of another kind says so.
func TestParquetVersions(t *testing.T) {
	type row struct {
		ID   int64     `parquet:"id"`
		Day  int32     `parquet:"day,date"`
		At   time.Time `parquet:"at,timestamp(microsecond)"`
		Cost int64     `parquet:"cost,decimal(2:18)"`
		Lock *string   `parquet:"lock,optional"`
	}
	lock := "Upper Sill"
	rows := []row{{1, 20178, time.Date(2025, 3, 31, 8, 30, 0, 0, time.UTC), 1250, &lock}, {2, 20179, time.Date(2025, 4, 1, 0, 0, 0, 0, time.UTC), -5, nil}}
	folder := t.TempDir()
	names := map[string][]parquet.WriterOption{
		"plain": {parquet.Compression(&parquet.Uncompressed)}, "older": {parquet.DataPageVersion(1), parquet.Compression(&parquet.Snappy)}, "newer": {parquet.DataPageVersion(2), parquet.Compression(&parquet.Zstd)},
		"packed": {parquet.Compression(&parquet.Gzip)}, "brotli": {parquet.Compression(&parquet.Brotli)}, "raw": {parquet.Compression(&parquet.Lz4Raw)},
		"parts/year=2025/a": {}, "parts/year=2024/a": {},
	}
	for name, options := range names {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755))
		file, err := os.Create(filepath.Join(folder, name+".parquet"))
		require.NoError(t, err)
		w := parquet.NewGenericWriter[row](file, options...)
		_, err = w.Write(rows)
		require.NoError(t, errors.Join(err, w.Close(), file.Close()))
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "future.parquet"), []byte("PAR9 of another time PAR9"), 0o644))
	s := opened(t, folder)
	catalogue, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	table, _ := catalogue.Table("future")
	assert.Contains(t, table.Evidence, "future.parquet cannot be read")
	require.NoError(t, os.Remove(filepath.Join(folder, "future.parquet")))
	got := shown(t, opened(t, folder))
	const want = "id integer, day date date, at date-time instant, cost decimal, lock text"
	for name := range names {
		if strings.Contains(name, "/") {
			continue
		}
		assert.Equal(t, want+"\n[1,\"2025-03-31\",\"2025-03-31 08:30:00\",\"12.50\",\"Upper Sill\"]\n[2,\"2025-04-01\",\"2025-04-01 00:00:00\",\"-0.05\",null]", got[name], name)
	}
	assert.Contains(t, got["parts"], want+", year integer\n")
	assert.Contains(t, got["parts"], "\"Upper Sill\",2024]")
}
