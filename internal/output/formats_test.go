package output_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"math/big"
	"os/exec"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// writeRows writes rows in a format, and what closes groups where a row is one.
func writeRows(t *testing.T, f output.Format, h output.Header, summary output.Summary, rows ...any) ([]byte, error) {
	t.Helper()
	var out bytes.Buffer
	h.Location = time.UTC
	w, reader := f.New(&out), plan.NewReader(h.Columns, time.UTC)
	require.NoError(t, w.Begin(h))
	for _, r := range rows {
		var err error
		switch r := r.(type) {
		case []any:
			err = w.Row(reader.Read(r))
		case output.Subtotal:
			err = w.Subtotal(r)
		}
		if err != nil {
			return nil, err
		}
	}
	require.NoError(t, w.End(summary))
	return out.Bytes(), nil
}

var two = []plan.Output{
	{Name: "vessel", Label: "Vessel", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
	{Name: "toll", Label: "Toll", Type: catalog.Decimal, Column: catalog.Column{Type: catalog.Decimal, Declared: "decimal(10,2)"}, Index: 1},
}

// TestCSVSettings: delimiter, decimal mark, encoding and byte-order mark are those that were
// asked for, and whatever has the delimiter in it stands in quotes.
func TestCSVSettings(t *testing.T) {
	utf16le := func(s string) string {
		var b []byte
		for _, u := range utf16.Encode([]rune(s)) {
			b = binary.LittleEndian.AppendUint16(b, u)
		}
		return string(b)
	}
	single := func(m *charmap.Charmap, s string) string {
		b, err := m.NewEncoder().String(s)
		require.NoError(t, err)
		return b
	}
	for _, c := range []struct {
		set         catalog.CSVFormat
		want        string
		contentType string
	}{
		{catalog.CSVFormat{}, "vessel,toll\r\nZoë; 1,12.5\r\n", "text/csv; charset=utf-8; header=present"},
		{catalog.CSVFormat{Decimal: ","}, "vessel;toll\r\n\"Zoë; 1\";12,5\r\n", "text/csv; charset=utf-8; header=present"},
		{catalog.CSVFormat{Decimal: ",", Delimiter: ","}, "vessel,toll\r\nZoë; 1,\"12,5\"\r\n", ""},
		{catalog.CSVFormat{Delimiter: "tab", Mark: "yes"}, "\ufeffvessel\ttoll\r\nZoë; 1\t12.5\r\n", ""},
		{catalog.CSVFormat{Delimiter: "|", Encoding: "windows-1252"}, single(charmap.Windows1252, "vessel|toll\r\nZoë; 1|12.5\r\n"), "text/csv; charset=windows-1252; header=present"},
		{catalog.CSVFormat{Encoding: "latin-1"}, single(charmap.ISO8859_1, "vessel,toll\r\nZoë; 1,12.5\r\n"), "text/csv; charset=iso-8859-1; header=present"},
		{catalog.CSVFormat{Encoding: "utf-16"}, utf16le("\ufeffvessel,toll\r\nZoë; 1,12.5\r\n"), "text/csv; charset=utf-16; header=present"},
		{catalog.CSVFormat{Encoding: "utf-16", Mark: "no"}, utf16le("vessel,toll\r\nZoë; 1,12.5\r\n"), "text/csv; charset=utf-16le; header=present"},
	} {
		require.Empty(t, c.set.Check())
		f := output.CSV.As(output.CSVSettings{CSVFormat: c.set})
		got, err := writeRows(t, f, output.Header{Columns: two}, output.Summary{}, []any{"Zoë; 1", "12.50"})
		require.NoError(t, err)
		assert.Equal(t, c.want, string(got), "%+v", c.set)
		if c.contentType != "" {
			assert.Equal(t, c.contentType, f.ContentType)
		}
	}
	pair, err := writeRows(t, output.CSV.As(output.CSVSettings{CSVFormat: catalog.CSVFormat{Encoding: "utf-16", Mark: "no"}}), output.Header{Columns: two}, output.Summary{}, []any{"𝄞", nil})
	require.NoError(t, err)
	assert.Contains(t, string(pair), utf16le("\n𝄞,\r"))
	assert.Equal(t, output.XLSX.ContentType, output.XLSX.As(output.CSVSettings{CSVFormat: catalog.CSVFormat{Encoding: "utf-16"}}).ContentType)
}

// TestNotInEncoding: a character that an encoding does not have is not written as another one:
// the run is refused, and says where it is.
func TestNotInEncoding(t *testing.T) {
	for _, encoding := range []string{"windows-1252", "latin-1"} {
		_, err := writeRows(t, output.CSV.As(output.CSVSettings{CSVFormat: catalog.CSVFormat{Encoding: encoding}}), output.Header{Columns: two}, output.Summary{}, []any{"Zoë", "1"}, []any{"Łódź", "2"})
		var problems diag.Problems
		require.ErrorAs(t, err, &problems)
		assert.Equal(t, "not_in_encoding", problems[0].Code)
		assert.Contains(t, problems[0].Message, "Record 2, in the column vessel, has the character 'Ł'")
	}
}

// TestJSONLines: each line is an object of its own with the columns in their order.
func TestJSONLines(t *testing.T) {
	got, err := writeRows(t, output.JSONL, output.Header{Columns: columns}, output.Summary{}, rows[0].row, rows[2].row)
	require.NoError(t, err)
	assert.Equal(t, `{"text":"plain","a, b":1,"price":1.50,"day":"2026-03-31","at":"2026-07-01T22:30:00+00:00","flag":true}
{"text":"","a, b":null,"price":null,"day":null,"at":null,"flag":null}
`, string(got))
}

// TestParquet reads the file back with its schema: every type as its own, in the order of the
// columns, blanks as none.
func TestParquet(t *testing.T) {
	columns := append(append([]plan.Output{}, columns...),
		plan.Output{Name: "exact", Type: catalog.Decimal, Column: catalog.Column{Type: catalog.Decimal, Declared: "numeric(30,4)"}, Index: 6},
		plan.Output{Name: "double", Type: catalog.Decimal, Column: catalog.Column{Type: catalog.Decimal, Declared: "double precision"}, Index: 7},
		plan.Output{Name: "clock", Type: catalog.DateTime, Column: catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncLocal}, Index: 8})
	one := append(append([]any{}, rows[0].row...), "-12345678901234567890.1234", 0.1, "2026-03-31 08:30:15.000001")
	none := append(append([]any{}, rows[2].row...), nil, nil, nil)
	got, err := writeRows(t, output.Parquet, output.Header{Columns: columns, ReadBack: "All of it.", Run: 9}, output.Summary{}, one, none)
	require.NoError(t, err)
	file, err := parquet.OpenFile(bytes.NewReader(got), int64(len(got)))
	require.NoError(t, err)
	var names []string
	for _, f := range file.Schema().Fields() {
		names = append(names, f.Name()+" "+f.Type().String())
	}
	assert.Equal(t, []string{
		"text STRING", "a, b INT(64,true)", "price DECIMAL(38,2)", "day DATE", "at TIMESTAMP(isAdjustedToUTC=true,unit=MICROS)", "flag BOOLEAN",
		"exact DECIMAL(30,4)", "double DOUBLE", "clock TIMESTAMP(isAdjustedToUTC=false,unit=MICROS)",
	}, names)
	said, _ := file.Lookup("selected")
	assert.Equal(t, "All of it.", said)
	read := make([]parquet.Row, 2)
	n, err := file.RowGroups()[0].Rows().ReadRows(read)
	require.Equal(t, 2, n)
	if err != nil {
		require.ErrorIs(t, err, io.EOF)
	}
	unscaled := func(v parquet.Value) string {
		n := new(big.Int).SetBytes(v.ByteArray())
		if v.ByteArray()[0]&0x80 != 0 {
			n.Sub(n, new(big.Int).Lsh(big.NewInt(1), 128))
		}
		return n.String()
	}
	row := read[0]
	assert.Equal(t, []string{"plain", "1", "150", "20543", "1782945000000000", "true", "-123456789012345678901234", "0.1", "1774945815000001"},
		[]string{row[0].String(), row[1].String(), unscaled(row[2]), row[3].String(), row[4].String(), row[5].String(), unscaled(row[6]), row[7].String(), row[8].String()})
	assert.False(t, read[1][0].IsNull(), "an empty text is none")
	for _, v := range read[1][1:] {
		assert.True(t, v.IsNull())
	}

	for _, c := range []struct {
		at    int
		value any
		want  string
	}{
		{3, int64(20260231), `Record 1 has "20260231" in the column day, which Parquet holds as days.`},
		{4, "soon", "dates and times"},
		{4, "2026-07-01T22:30:00.0000001Z", "to the microsecond"},
		{1, "12345678901234567890", "whole numbers of 64 bits"},
		{6, "0.12345", "decimals of 30 digits, 4 of them after the point"},
		{6, "123456789012345678901234567.5", "decimals of 30 digits"},
	} {
		row := make([]any, len(columns))
		row[c.at] = c.value
		_, err := writeRows(t, output.Parquet, output.Header{Columns: columns}, output.Summary{}, row)
		var problems diag.Problems
		require.ErrorAs(t, err, &problems, "%v", c.value)
		assert.Equal(t, "not_in_format", problems[0].Code)
		assert.Contains(t, problems[0].Message, c.want)
	}
}

// TestParquetGroups: a long result is written in groups, so that it is not held.
func TestParquetGroups(t *testing.T) {
	var out bytes.Buffer
	w := output.Parquet.New(&out)
	require.NoError(t, w.Begin(output.Header{Columns: two, Location: time.UTC}))
	reader := plan.NewReader(two, time.UTC)
	for i := range 250_000 {
		require.NoError(t, w.Row(reader.Read([]any{fmt.Sprint(i), "1.5"})))
	}
	assert.NotZero(t, out.Len(), "something is written before the end")
	require.NoError(t, w.End(output.Summary{}))
	file, err := parquet.OpenFile(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	assert.Len(t, file.RowGroups(), 3)
	assert.EqualValues(t, 250_000, file.NumRows())
}

// grouped are records of two groups, with what closes them.
var grouped = []any{
	[]any{"<i>Heron & co</i>", "1.50"},
	[]any{"Teal", "2.25"},
	output.Subtotal{Label: "Reach", Value: "Upper", Count: 2, Totals: []output.Total{
		{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Value: json.Number("3.75")}, {Name: "average of toll", Label: "Average of toll", Of: "toll", Value: json.Number("1.875")},
	}},
	[]any{"Coot", nil},
	output.Subtotal{Label: "Reach", Value: nil, Count: 1, Totals: []output.Total{
		{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Value: nil}, {Name: "average of toll", Label: "Average of toll", Of: "toll", Value: nil},
	}},
}

var groupedHeader = output.Header{
	Run: 3, Report: "tolls", Title: `Tolls "<b>"`, Version: 2, ReadBack: "All & sundry.", Zone: "Europe/London", Columns: two, Groups: []output.Grouping{{Label: "Reach"}},
	Answers: []output.Answered{{Question: "Which \"days\"?", ReadBack: "Mon 3 Mar 2025"}, {Question: "Vessel"}},
}

var groupedSummary = output.Summary{Outcome: "done", Count: 3, Totals: []output.Total{
	{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Value: json.Number("3.75")}, {Name: "count", Label: "Count", Value: json.Number("3")}, {Name: "count distinct of lock", Label: "Locks", Value: json.Number("2")},
}}

// TestXML: the document is valid by its description, and what it holds is what was written,
// whatever is in it.
func TestXML(t *testing.T) {
	rows := append(append([]any{}, grouped...), []any{"a\r\nb\x01]]>\t", "-0.5"})
	got, err := writeRows(t, output.XML, groupedHeader, groupedSummary, rows...)
	require.NoError(t, err)
	lint := exec.Command("xmllint", "--noout", "--schema", "../../docs/result.xsd", "-")
	lint.Stdin = bytes.NewReader(got)
	said, err := lint.CombinedOutput()
	require.NoError(t, err, "%s\n%s", said, got)
	var read struct {
		About struct {
			Selected string `xml:"selected"`
			Answers  []struct {
				Question string `xml:"question,attr"`
				Text     string `xml:",chardata"`
			} `xml:"answer"`
		} `xml:"about"`
		Records []struct {
			Values []string `xml:"value"`
		} `xml:"records>record"`
		Groups []struct {
			Value  string   `xml:"value,attr"`
			Totals []string `xml:"total"`
		} `xml:"records>group"`
	}
	require.NoError(t, xml.Unmarshal(got, &read))
	assert.Equal(t, "<i>Heron & co</i>", read.Records[0].Values[0])
	assert.Equal(t, []string{"a\r\nb\ufffd]]>\t", "-0.5"}, read.Records[3].Values)
	assert.Equal(t, []string{"3.75", "1.875"}, read.Groups[0].Totals)
	assert.Equal(t, `Which "days"?`, read.About.Answers[0].Question)

	broken, err := writeRows(t, output.XML, groupedHeader, output.Summary{Problem: "The source went away."}, grouped...)
	require.NoError(t, err)
	require.Error(t, xml.Unmarshal(broken, &read), "half a result is no document")
}

// TestHTML: the page needs nothing else, shows what is in the records as text, and each total
// under its column.
func TestHTML(t *testing.T) {
	got, err := writeRows(t, output.HTML, groupedHeader, groupedSummary, grouped...)
	require.NoError(t, err)
	text := string(got)
	for _, want := range []string{
		"<title>Tolls &#34;&lt;b&gt;&#34;</title>", "<p>All &amp; sundry.</p>", "default-src 'none'",
		"<tr><td>&lt;i&gt;Heron &amp; co&lt;/i&gt;<td class=n>1.5\n",
		"<tr class=sub><th scope=row>Reach Upper<td class=n>3.75\n", "<tr class=sub><th scope=row>Average of toll<td class=n>1.875\n",
		"<tr class=sub><th scope=row>Reach blank<td class=n>blank\n",
		"<tr class=all><th scope=row>All records (Locks 2, 3 records)<td class=n>3.75\n",
		"<dt>Which &#34;days&#34;?</dt><dd>Mon 3 Mar 2025</dd>", "<dt>Vessel</dt><dd>any</dd>", "</html>",
	} {
		assert.Contains(t, text, want)
	}
	for _, from := range []string{"<script", "src=", "http:", "https:", "@import", "url("} {
		assert.NotContains(t, text, from)
	}
	broken, err := writeRows(t, output.HTML, groupedHeader, output.Summary{Problem: "The source went away."}, grouped...)
	require.NoError(t, err)
	assert.NotContains(t, string(broken), "</html>")
}

// TestXLSXTotals: each total is a number with the formula that makes it, under its column,
// and another library works the same out; what no formula makes stands as a number alone.
func TestXLSXTotals(t *testing.T) {
	columns := append(append([]plan.Output{}, two...), plan.Output{Name: "day", Label: "Day", Type: catalog.Date, Column: catalog.Column{Type: catalog.Date, Encoding: catalog.EncDate}, Index: 2})
	header := groupedHeader
	header.Columns, header.Groups = columns, []output.Grouping{{Label: "Reach"}, {Label: "Lock"}}
	total := func(name, of string, value any) output.Total {
		kind := catalog.Decimal
		if _, isText := value.(string); isText {
			kind = catalog.Date
		}
		return output.Total{Name: name, Label: name, Of: of, Type: kind, Value: value}
	}
	number := func(s string) json.Number { return json.Number(s) }
	closing := func(level int, label, sum, count, last string) output.Subtotal {
		return output.Subtotal{Level: level, Label: label, Value: "x", Totals: []output.Total{total("sum of toll", "toll", number(sum)), total("count", "", number(count)), total("greatest of day", "day", last)}}
	}
	got, err := writeRows(t, output.XLSX, header, output.Summary{Outcome: "done", Count: 3, Totals: []output.Total{total("sum of toll", "toll", number("7.75")), total("average of toll", "toll", number("2.5833")), total("count", "", number("3"))}},
		[]any{"Teal", "1.50", "2025-03-01"}, []any{"Coot", "2.25", "2025-03-02"}, closing(1, "Lock", "3.75", "2", "2025-03-02"),
		[]any{"Heron", "4", "2025-03-03"}, closing(1, "Lock", "4", "1", "2025-03-03"), closing(0, "Reach", "7.75", "3", "2025-03-03"))
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(got))
	require.NoError(t, err)
	for cell, want := range map[string][2]string{ // the formula, and what is shown
		"A4": {"", "  Lock x: greatest of day (2 records)"}, "B4": {"SUBTOTAL(9,B2:B3)", "3.75"}, "C4": {"SUBTOTAL(4,C2:C3)", "2025-03-02"},
		"B6": {"SUBTOTAL(9,B5:B5)", "4"}, "B7": {"SUBTOTAL(9,B2:B6)", "7.75"}, "C7": {"SUBTOTAL(4,C2:C6)", "2025-03-03"},
		"B8": {"SUBTOTAL(9,B2:B7)", "7.75"}, "B9": {"SUBTOTAL(1,B2:B7)", "2.5833"}, "A9": {"", "average of toll"},
	} {
		formula, err := book.GetCellFormula("Records", cell)
		require.NoError(t, err)
		shown, err := book.GetCellValue("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, [2]string{formula, shown}, cell)
	}
	for cell, want := range map[string]string{"C8": "SUBTOTAL(3,B2:B7)"} {
		formula, err := book.GetCellFormula("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, formula)
	}
	about, err := book.GetRows("About")
	require.NoError(t, err)
	assert.Contains(t, about, []string{"Which \"days\"?", "Mon 3 Mar 2025"})
	assert.Contains(t, about, []string{"Selected", "All & sundry."})
	sheet, err := zipPart(got, "xl/worksheets/sheet1.xml")
	require.NoError(t, err)
	assert.Contains(t, sheet, `state="frozen"`)
	assert.Contains(t, sheet, "<autoFilter ref=")
}

// TestXLSXNoFormulas: where what stands in the cells does not add up to the total, there is no
// formula that says so.
func TestXLSXNoFormulas(t *testing.T) {
	sums := func(value string) output.Subtotal {
		return output.Subtotal{Label: "Reach", Value: "x", Totals: []output.Total{{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Value: json.Number(value)}}}
	}
	for name, rows := range map[string][]any{
		"a number of more digits than a cell keeps": {[]any{"Teal", "1234567890123456.25"}, sums("1234567890123456.25")},
		"a total of more digits":                    {[]any{"Teal", "1"}, sums("1234567890123456.25")},
	} {
		header := groupedHeader
		got, err := writeRows(t, output.XLSX, header, output.Summary{Outcome: "done", Count: 1, Totals: sums("1").Totals}, rows...)
		require.NoError(t, err)
		sheet, err := zipPart(got, "xl/worksheets/sheet1.xml")
		require.NoError(t, err)
		assert.NotContains(t, sheet, "<f>", name)
	}
}
