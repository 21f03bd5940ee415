package output_test

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

var columns = []plan.Output{
	{Name: "text", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 0},
	{Name: "a, b", Type: catalog.Integer, Index: 1},
	{Name: "price", Type: catalog.Decimal, Format: "money", Column: catalog.Column{Type: catalog.Decimal}, Index: 2},
	{Name: "day", Type: catalog.Date, Column: catalog.Column{Type: catalog.Date, Encoding: catalog.EncYMD}, Index: 3},
	{Name: "at", Type: catalog.DateTime, Column: catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncISOInstant}, Index: 4},
	{Name: "flag", Type: catalog.Boolean, Column: catalog.Column{Type: catalog.Boolean}, Index: 5},
}

// rows, and how each is to be printed; a nil cell is a blank.
var rows = []struct {
	row  []any
	want []any
}{
	{[]any{"plain", int64(1), 1.5, int64(20260331), "2026-07-01T22:30:00Z", int64(1)}, []any{"plain", "1", "1.50", "2026-03-31", "2026-07-01T23:30:00+01:00", true}},
	{[]any{"a \"quoted\", text\r\nof lines", int64(-9223372036854775808), 0.1, int64(20240229), "2026-10-25T01:30:00.125Z", int64(0)}, []any{"a \"quoted\", text\r\nof lines", "-9223372036854775808", "0.10", "2024-02-29", "2026-10-25T01:30:00.125+00:00", false}},
	{[]any{"", nil, nil, nil, nil, nil}, []any{"", nil, nil, nil, nil, nil}},
	{[]any{"日本 \u2028 \x01", int64(9007199254740993), int64(3), int64(20260231), "not a date", nil}, []any{"日本 \u2028 \x01", "9007199254740993", "3.00", "20260231", "not a date", nil}},
	{[]any{[]byte{1, 2, 3}, int64(0), 1e300, nil, nil, nil}, []any{"(3 bytes)", "0", "", nil, nil, nil}},
}

func write(t *testing.T, f output.Format) *bytes.Buffer {
	t.Helper()
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	var out bytes.Buffer
	w, reader := f.New(&out), plan.NewReader(columns, zone)
	require.NoError(t, w.Begin(output.Header{Run: 7, Location: zone, Columns: columns}))
	for _, r := range rows {
		require.NoError(t, w.Row(reader.Read(r.row)))
	}
	require.NoError(t, w.End(output.Summary{Outcome: "done", Count: int64(len(rows))}))
	return &out
}

// TestCSV reads the file back with the standard library's reader and looks at
// its bytes: CRLF at every end, blanks apart from empty texts.
func TestCSV(t *testing.T) {
	out := write(t, output.CSV)
	text := out.String()
	assert.True(t, bytes.HasPrefix(out.Bytes(), []byte("text,\"a, b\",price,day,at,flag\r\nplain,1,1.50,2026-03-31,2026-07-01T23:30:00+01:00,true\r\n")), text)
	assert.Contains(t, text, "\r\n\"\",,,,,\r\n")
	got, err := csv.NewReader(out).ReadAll()
	require.NoError(t, err)
	require.Len(t, got, len(rows)+1)
	for i, r := range rows[:4] {
		for j, want := range r.want {
			switch want := want.(type) {
			case nil:
				assert.Empty(t, got[i+1][j])
			case bool:
				assert.Equal(t, map[bool]string{true: "true", false: "false"}[want], got[i+1][j])
			case string:
				// The reader folds CRLF inside quotes to LF.
				assert.Equal(t, string(bytes.ReplaceAll([]byte(want), []byte("\r\n"), []byte("\n"))), got[i+1][j])
			}
		}
	}
}

// TestJSON reads both JSON forms back, numbers to their last digit.
func TestJSON(t *testing.T) {
	var whole struct {
		Run     int
		Rows    [][]any
		Outcome string
		Count   int
	}
	d := json.NewDecoder(write(t, output.JSON))
	d.UseNumber()
	require.NoError(t, d.Decode(&whole))
	assert.Equal(t, []any{7, "done", len(rows)}, []any{whole.Run, whole.Outcome, whole.Count})

	lines := bytes.Split(bytes.TrimSpace(write(t, output.NDJSON).Bytes()), []byte("\n"))
	require.Len(t, lines, len(rows)+2)
	for i, r := range rows {
		var line []any
		d := json.NewDecoder(bytes.NewReader(lines[i+1]))
		d.UseNumber()
		require.NoError(t, d.Decode(&line), "%s", lines[i+1])
		assert.Equal(t, whole.Rows[i], line)
		for j, want := range r.want {
			if n, ok := line[j].(json.Number); ok {
				line[j] = n.String()
			}
			if want != "" {
				assert.Equal(t, want, line[j], "row %d, %s", i, columns[j].Name)
			}
		}
	}
}

// TestCSVAllocations: writing a row allocates nothing that is kept.
func TestCSVAllocations(t *testing.T) {
	w := output.CSV.New(&bytes.Buffer{})
	some := []plan.Output{columns[0], columns[1], columns[3], columns[4]}
	reader := plan.NewReader(some, time.UTC)
	require.NoError(t, w.Begin(output.Header{Columns: some}))
	row := []any{"text", int64(12), nil, int64(20260331), "2026-07-01T22:30:00Z", nil}
	assert.LessOrEqual(t, testing.AllocsPerRun(1000, func() { _ = w.Row(reader.Read(row)) }), 1.0)
}

// TestXLSX reads the workbook back with a library of its own: days are days,
// numbers are numbers, and digits that a cell would lose are text.
func TestXLSX(t *testing.T) {
	book, err := excelize.OpenReader(write(t, output.XLSX))
	require.NoError(t, err)
	defer book.Close()
	assert.Equal(t, []string{"Records", "About"}, book.GetSheetList())
	got, err := book.GetRows("Records")
	require.NoError(t, err)
	require.Len(t, got, len(rows)+1)
	assert.Equal(t, []string{"plain", "1", "1.50", "2026-03-31", "2026-07-01 23:30:00", "TRUE"}, got[1])
	assert.Equal(t, []string{"a \"quoted\", text\r\nof lines", "-9223372036854775808", "0.10", "2024-02-29", "2026-10-25 01:30:00", "FALSE"}, got[2])
	assert.Equal(t, []string{"日本 \u2028 \uFFFD", "9007199254740993", "3.00", "20260231", "not a date"}, got[4])
	for cell, want := range map[string]string{"B2": "1", "C2": "1.5", "D2": "46112", "B3": "-9223372036854775808"} {
		raw, err := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		assert.Equal(t, want, raw, cell)
	}
	for cell, want := range map[string]excelize.CellType{"D2": excelize.CellTypeUnset, "B3": excelize.CellTypeInlineString, "F2": excelize.CellTypeBool} {
		kind, err := book.GetCellType("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, kind, cell)
	}
	about, err := book.GetRows("About")
	require.NoError(t, err)
	assert.Contains(t, about, []string{"Run", "7"})
	assert.Contains(t, about, []string{"Records", fmt.Sprint(len(rows))})
}

// TestXLSXSheets: more records than a sheet can hold go on on another one.
func TestXLSXSheets(t *testing.T) {
	var out bytes.Buffer
	w := output.XLSX.New(&out)
	require.NoError(t, w.Begin(output.Header{Columns: columns[1:2]}))
	row := plan.NewReader(columns[1:2], time.UTC).Read([]any{nil, int64(5)})
	for range 1<<20 + 5 {
		require.NoError(t, w.Row(row))
	}
	require.NoError(t, w.End(output.Summary{Outcome: "done"}))
	parts, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	count := func(name string) int {
		file, err := parts.Open("xl/worksheets/" + name)
		require.NoError(t, err)
		content, err := io.ReadAll(file)
		require.NoError(t, err)
		require.NoError(t, file.Close())
		return bytes.Count(content, []byte("<row>"))
	}
	assert.Equal(t, []int{1 << 20, 7}, []int{count("sheet1.xml"), count("sheet2.xml")})
}

// TestPDF: pages of the paper the report names, each with its number; more
// records than one can hold are refused with a way out.
func TestPDF(t *testing.T) {
	var out bytes.Buffer
	begin := func(page definition.Page) output.Writer {
		out.Reset()
		w := output.PDF.New(&out)
		require.NoError(t, w.Begin(output.Header{Title: "Tolls", Columns: columns, Page: output.PaperOf(page)}))
		return w
	}
	for _, c := range []struct {
		page definition.Page
		rows int
		want []string // the size in points, and how many pages
	}{
		{definition.Page{}, 0, []string{"595.28 841.89", "1"}},
		{definition.Page{Size: "A4", Landscape: true}, 100, []string{"841.89 595.28", "6"}},
		{definition.Page{Size: "letter"}, 500, []string{"612.00 792.00", "26"}},
	} {
		w, reader := begin(c.page), plan.NewReader(columns, time.UTC)
		for i := range c.rows {
			require.NoError(t, w.Row(reader.Read(rows[i%len(rows)].row)))
		}
		require.NoError(t, w.End(output.Summary{Outcome: "done", Count: int64(c.rows)}))
		boxes := regexp.MustCompile(`/MediaBox \[0 0 ([\d. ]+)\]`).FindAllSubmatch(out.Bytes(), -1)
		require.NotEmpty(t, boxes)
		pages := regexp.MustCompile(`/Type /Pages\n/Kids \[[^\]]*\]\n/Count (\d+)`).FindSubmatch(out.Bytes())
		require.NotNil(t, pages)
		assert.Equal(t, c.want, []string{string(boxes[0][1]), string(pages[1])})
	}
	w, reader := begin(definition.Page{}), plan.NewReader(columns, time.UTC)
	var err error
	for i := 0; i <= output.MaxPDFRows && err == nil; i++ {
		err = w.Row(reader.Read(rows[0].row))
	}
	require.ErrorContains(t, err, "CSV or XLSX")
}

// TestWidePDF: thirty columns go on beside each other on sheets of their own,
// each with the first column; nothing is cut, on any of the lines.
func TestWidePDF(t *testing.T) {
	var many []plan.Output
	for i := range 30 {
		many = append(many, plan.Output{Name: fmt.Sprintf("c%d", i), Label: fmt.Sprintf("Column number %d", i), Type: catalog.Text, Index: i})
	}
	var out bytes.Buffer
	w := output.PDF.New(&out)
	require.NoError(t, w.Begin(output.Header{Title: "Tolls", Columns: many, Page: output.PaperOf(definition.Page{})}))
	for line := range 300 {
		row := make([]any, len(many))
		for i := range row {
			row[i] = fmt.Sprintf("line %d cell %d", line, i)
		}
		require.NoError(t, w.Row(plan.NewReader(many, time.UTC).Read(row)))
	}
	require.NoError(t, w.End(output.Summary{Outcome: "done", Count: 300}))
	written := pdfText(t, out.Bytes())
	assert.NotContains(t, written, "…")
	for i := range many {
		assert.Contains(t, written, fmt.Sprintf("Column number %d)", i))
		for _, line := range []int{0, 60, 299} {
			assert.Contains(t, written, fmt.Sprintf("line %d cell %d)", line, i))
		}
	}
	assert.Greater(t, strings.Count(written, "line 0 cell 0)"), 3, "the first column stands on every sheet")
	assert.Regexp(t, `Columns, part 2 of \d`, written)
}

// placed is a text on a page, and where it begins, in points from the left and from below.
type placed struct {
	x, y float64
	text string
}

// pdfPlaces are the texts of the pages of a PDF in their order.
func pdfPlaces(t *testing.T, file []byte) (all []placed) {
	t.Helper()
	for _, found := range regexp.MustCompile(`(?s)BT ([\d.]+) ([\d.]+) Td \((.*?)\) ?Tj`).FindAllStringSubmatch(pdfText(t, file), -1) {
		x, err := strconv.ParseFloat(found[1], 64)
		require.NoError(t, err)
		y, err := strconv.ParseFloat(found[2], 64)
		require.NoError(t, err)
		all = append(all, placed{x, y, strings.ReplaceAll(found[3], `\`, "")})
	}
	return all
}

// TestPaperLines: totals stand beneath their columns, what they belong to at the left and
// across columns without any; a long text goes on beneath, and nothing is cut.
func TestPaperLines(t *testing.T) {
	long := strings.TrimSpace(strings.Repeat("through the upper gate and the lower one ", 12)) + " " + strings.Repeat("x", 300)
	of := []plan.Output{
		{Name: "lock", Label: "Lock", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
		{Name: "toll", Label: "Toll", Type: catalog.Decimal, Format: "#,##0.00", Column: catalog.Column{Type: catalog.Decimal}, Index: 1},
		{Name: "note", Label: "Note", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 2},
		{Name: "tons", Label: "Tons", Type: catalog.Integer, Column: catalog.Column{Type: catalog.Integer}, Index: 3},
	}
	var out bytes.Buffer
	w := output.PDF.New(&out)
	require.NoError(t, w.Begin(output.Header{Title: "Tolls", Columns: of, Groups: []output.Grouping{{Label: "Lock"}}, Page: output.PaperOf(definition.Page{})}))
	reader := plan.NewReader(of, time.UTC)
	for _, row := range [][]any{{"Mossgill", "1234.5", long, int64(70)}, {"Mossgill", "0.25", "short", int64(8)}} {
		require.NoError(t, w.Row(reader.Read(row)))
	}
	sum := func(name, value string) output.Total {
		return output.Total{Name: "sum of " + name, Label: "Sum of " + name, Of: name, Format: map[string]string{"toll": "#,##0.00"}[name], Value: json.Number(value)}
	}
	count := output.Total{Name: "count", Label: "Count", Value: json.Number("2")}
	require.NoError(t, w.Subtotal(output.Subtotal{Label: "Lock", Value: "Mossgill", Count: 2, Totals: []output.Total{sum("toll", "1234.75"), sum("tons", "78"), count}}))
	require.NoError(t, w.End(output.Summary{Outcome: "done", Count: 2, Totals: []output.Total{sum("tons", "78"), {Name: "average of toll", Label: "Average of toll with a long name that has no room before it", Of: "toll", Format: "#,##0.00", Value: json.Number("617.375")}}}))

	texts := pdfPlaces(t, out.Bytes())
	find := func(text string) placed {
		t.Helper()
		at := slices.IndexFunc(texts, func(p placed) bool { return p.text == text })
		require.GreaterOrEqual(t, at, 0, "%s\n%v", text, texts)
		return texts[at]
	}
	toll, tons := find("1,234.50"), find("70")
	group := find("Lock Mossgill")
	assert.InDelta(t, find("Mossgill").x, group.x, 0.1)
	for text, above := range map[string]placed{"1,234.75": toll, "78": tons} {
		assert.InDelta(t, group.y, find(text).y, 0.1, text)
		assert.InDelta(t, above.x, find(text).x, 4, "%s stands beneath its column", text)
	}
	assert.InDelta(t, group.y, find("2 records").y, 0.1)
	average := find("617.38")
	assert.InDelta(t, toll.x, average.x, 8)
	said := find("All records: Average of toll with a long name that has no room before it")
	assert.Greater(t, said.y, average.y, "it has a line of its own, above")

	whole := ""
	for _, p := range texts {
		if note := find("short"); math.Abs(p.x-note.x) < 0.5 && p.y < toll.y+1 && p.y > note.y+1 {
			whole += p.text + " "
		}
	}
	assert.Equal(t, strings.ReplaceAll(long, " ", ""), strings.ReplaceAll(whole, " ", ""))
	assert.NotContains(t, pdfText(t, out.Bytes()), "…")
}

// pdfText is what the pages of a PDF write: the strings of its streams, each
// ended by a parenthesis.
func pdfText(t *testing.T, file []byte) string {
	t.Helper()
	var text strings.Builder
	for _, part := range bytes.Split(file, []byte("stream\n"))[1:] {
		r, err := zlib.NewReader(bytes.NewReader(part))
		if err != nil {
			continue
		}
		content, err := io.ReadAll(r)
		if err != nil || !bytes.Contains(content, []byte("Tj")) {
			continue
		}
		text.Write(bytes.ReplaceAll(content, []byte{0}, nil))
	}
	return strings.ReplaceAll(text.String(), " &", "…")
}

// TestGuard: what a spreadsheet would work out stays as it is, unless it is to be
// marked; numbers are never touched.
func TestGuard(t *testing.T) {
	columns := []plan.Output{{Name: "text", Type: catalog.Text}, {Name: "n", Type: catalog.Integer, Index: 1}}
	for _, c := range []struct {
		guard      bool
		text, want string
	}{
		{false, "=1+1", "=1+1"},
		{true, "=1+1", "'=1+1"},
		{true, `=cmd|"/c x",A1`, `"'=cmd|""/c x"",A1"`},
		{true, "+44 20", "'+44 20"},
		{true, "-", "'-"},
		{true, "@sum(a)", "'@sum(a)"},
		{true, "\tx", "'\tx"},
		{true, "a=1", "a=1"},
		{true, "", `""`},
	} {
		var out bytes.Buffer
		w := output.CSV.As(output.CSVSettings{Guard: c.guard}).New(&out)
		require.NoError(t, w.Begin(output.Header{Location: time.UTC, Columns: columns}))
		require.NoError(t, w.Row(plan.NewReader(columns, time.UTC).Read([]any{c.text, int64(-5)})))
		require.NoError(t, w.End(output.Summary{}))
		assert.Equal(t, "text,n\r\n"+c.want+",-5\r\n", out.String(), "%+v", c)
	}
}

// TestLongCells: a cell that no paper holds is cut before it is measured.
func TestLongCells(t *testing.T) {
	took := func(n int) float64 {
		return testing.AllocsPerRun(1, func() {
			w := output.PDF.New(io.Discard)
			one := []plan.Output{{Name: "text", Type: catalog.Text}}
			require.NoError(t, w.Begin(output.Header{Location: time.UTC, Columns: one, Page: output.PaperOf(definition.Page{})}))
			require.NoError(t, w.Row(plan.NewReader(one, time.UTC).Read([]any{strings.Repeat("wide ", n)})))
			require.NoError(t, w.End(output.Summary{}))
		})
	}
	assert.Less(t, took(160_000), 1.5*took(16_000))
}

// TestRounding: money is rounded as round() rounds, halves away from zero, from
// the digits that a number has.
func TestRounding(t *testing.T) {
	column := []plan.Output{{Name: "m", Type: catalog.Decimal, Format: "money", Column: catalog.Column{Type: catalog.Decimal}}}
	for _, c := range []struct {
		stored any
		want   string
	}{
		{"0.125", "0.13"},
		{"-0.125", "-0.13"},
		{"0.135", "0.14"},
		{2.675, "2.68"},
		{"0.1249", "0.12"},
		{int64(7), "7.00"},
		{"-0.001", "0.00"},
	} {
		var out bytes.Buffer
		w := output.CSV.New(&out)
		require.NoError(t, w.Begin(output.Header{Location: time.UTC, Columns: column}))
		require.NoError(t, w.Row(plan.NewReader(column, time.UTC).Read([]any{c.stored})))
		require.NoError(t, w.End(output.Summary{}))
		assert.Equal(t, "m\r\n"+c.want+"\r\n", out.String(), "%v", c.stored)
	}
}

// zipPart is a file of a package.
func zipPart(file []byte, name string) (string, error) {
	parts, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		return "", err
	}
	part, err := parts.Open(name)
	if err != nil {
		return "", err
	}
	content, err := io.ReadAll(part)
	return string(content), errors.Join(err, part.Close())
}
