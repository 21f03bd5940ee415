package output_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/format"
	"pikegate/core/plan"
	"pikegate/core/record"
	"pikegate/internal/output"
)

// TestPatterns: people read numbers as the pattern has them, in pages and in totals; files
// for programs have the number, and a workbook the number with a format of its own.
func TestPatterns(t *testing.T) {
	column := plan.Output{Name: "toll", Label: "Toll", Type: catalog.Decimal, Format: "'£'#,##0.00;('£'#,##0.00)", Column: catalog.Column{Type: catalog.Decimal}, Index: 1}
	share := plan.Output{Name: "share", Label: "Share", Type: catalog.Decimal, Format: "0.0%", Column: catalog.Column{Type: catalog.Decimal}, Index: 1}
	header := output.Header{Report: "tolls", Title: "Tolls", Columns: []plan.Output{two[0], column, share}}
	total := output.Total{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Format: column.Format, Value: json.Number("-1234567.125")}
	summary := output.Summary{Count: 2, Totals: []output.Total{total}}
	made := func(f output.Format) string {
		out, err := writeRows(t, f, header, summary, []any{"Coot", "-1234567.375"}, []any{"Teal", 0.25})
		require.NoError(t, err)
		return string(out)
	}
	assert.Contains(t, made(output.CSV), "Coot,-1234567.375,-1234567.375\r\n")
	assert.Contains(t, made(output.JSON), `["Coot",-1234567.375,-1234567.375]`)
	page := made(output.HTML)
	for _, text := range []string{"<td class=n>(£1,234,567.38)<td class=n>-123456737.5%\n", "<td class=n>£0.25<td class=n>25.0%\n", "<dd>(£1,234,567.13)</dd>"} {
		assert.Contains(t, page, text)
	}
	book, err := excelize.OpenReader(bytes.NewReader([]byte(made(output.XLSX))))
	require.NoError(t, err)
	for cell, want := range map[string][2]string{"B2": {"-1234567.375", `\£#,##0.00;\(\£#,##0.00\)`}, "C3": {"0.25", "0.0%"}, "B4": {"-1234567.125", `\£#,##0.00;\(\£#,##0.00\)`}} {
		raw, err := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		assert.Equal(t, want[0], raw, cell)
		assert.Equal(t, want[1], formatIn(t, book, cell), cell)
	}
	shown, err := book.GetCellValue("Records", "C3")
	require.NoError(t, err)
	assert.Equal(t, "25.0%", shown)
}

// TestDurations: people read durations, in pages and in totals; files for programs have the
// number, and a workbook what it counts durations in.
func TestDurations(t *testing.T) {
	column := plan.Output{Name: "stayed", Label: "Stayed", Type: catalog.Decimal, Format: "hours", Column: catalog.Column{Type: catalog.Decimal}, Index: 1}
	header := output.Header{Report: "stays", Title: "Stays", Columns: []plan.Output{two[0], column}}
	total := output.Total{Name: "sum of stayed", Label: "Sum of stayed", Of: "stayed", Format: "hours", Value: json.Number("29.5")}
	summary := output.Summary{Count: 2, Totals: []output.Total{total}}
	made := func(f output.Format) string {
		out, err := writeRows(t, f, header, summary, []any{"Coot", "27.75"}, []any{"Teal", 1.75})
		require.NoError(t, err)
		return string(out)
	}
	assert.Contains(t, made(output.CSV), "Coot,27.75\r\n")
	assert.Contains(t, made(output.JSON), `["Coot",27.75]`)
	page := made(output.HTML)
	for _, text := range []string{"<td class=n>27 h 45 min\n", "<td class=n>1 h 45 min\n", "<td class=n>29 h 30 min\n", "<dd>29 h 30 min</dd>"} {
		assert.Contains(t, page, text)
	}
	book, err := excelize.OpenReader(bytes.NewReader([]byte(made(output.XLSX))))
	require.NoError(t, err)
	for cell, want := range map[string]time.Duration{"B2": 27*time.Hour + 45*time.Minute, "B3": 105 * time.Minute, "B4": 29*time.Hour + 30*time.Minute} {
		raw, err := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		days, err := decimal.NewFromString(raw)
		require.NoError(t, err, cell)
		assert.InDelta(t, want.Hours()/24, days.InexactFloat64(), 1e-12, cell)
		assert.Contains(t, formatIn(t, book, cell), "[h]", cell)
	}
}

// TestLanguage: a report in a language has its dates and numbers as that writes them, in pages
// and totals; a workbook has formats of its own for them, and files for programs have the
// values.
func TestLanguage(t *testing.T) {
	column := func(name string, kind catalog.Type, form string, at int) plan.Output {
		c := catalog.Column{Type: kind}
		if kind.IsDate() {
			c.Encoding = map[catalog.Type]catalog.Encoding{catalog.Date: catalog.EncISODate, catalog.DateTime: catalog.EncISOInstant}[kind]
		}
		return plan.Output{Name: name, Label: name, Type: kind, Format: form, Column: c, Index: at}
	}
	flag := column("open", catalog.Boolean, "", 4)
	flag.Words = &format.Words{Yes: "offen", No: "zu", Blank: "?"}
	header := output.Header{Report: "r", Title: "R", Language: "de", Columns: []plan.Output{
		column("day", catalog.Date, "", 0), column("short", catalog.Date, "EEE d. MMM", 0), column("at", catalog.DateTime, "", 1), column("toll", catalog.Decimal, "money", 2), column("tons", catalog.Decimal, "", 3), flag,
	}}
	summary := output.Summary{Count: 2, First: "2025-03-09T08:30:15+00:00", Last: "2025-03-10T00:00:00+00:00", Totals: []output.Total{
		{Name: "sum of toll", Label: "Sum of toll", Of: "toll", Type: catalog.Decimal, Format: "money", Value: json.Number("1234567.5")},
		{Name: "greatest of short", Label: "Last", Of: "short", Type: catalog.Date, Format: "EEE d. MMM", Value: "2025-03-10"},
	}}
	made := func(f output.Format) string {
		out, err := writeRows(t, f, header, summary, []any{"2025-03-09", "2025-03-09T08:30:15Z", "1234567.5", "12.25", int64(1)}, []any{"2025-03-10", "2025-03-10T00:00:00Z", "-0.5", nil, nil})
		require.NoError(t, err)
		return string(out)
	}
	page := made(output.HTML)
	assert.Contains(t, page, "<tr><td>09.03.2025<td>So. 9. März<td>09.03.2025 08:30:15<td class=n>1.234.567,50<td class=n>12,25<td>offen\n")
	assert.Contains(t, page, "<tr><td>10.03.2025<td>Mo. 10. März<td>10.03.2025 00:00:00<td class=n>-0,50<td class=n><td>?\n")
	assert.Contains(t, page, "<td>Mo. 10. März<td><td class=n>1.234.567,50")
	assert.Contains(t, page, "<dt>First</dt><dd>09.03.2025 08:30:15</dd>")
	assert.Contains(t, made(output.CSV), "2025-03-09,2025-03-09,2025-03-09T08:30:15+00:00,1234567.50,12.25,true\r\n")
	shown, err := writeRows(t, output.CSV.As(output.CSVSettings{CSVFormat: catalog.CSVFormat{Values: "shown"}}), header, summary, []any{"2025-03-09", "2025-03-09T08:30:15Z", "1234567.5", "12.25", int64(0)})
	require.NoError(t, err)
	assert.Contains(t, string(shown), "\r\n09.03.2025,So. 9. März,09.03.2025 08:30:15,\"1.234.567,50\",\"12,25\",zu\r\n")
	book, err := excelize.OpenReader(bytes.NewReader([]byte(made(output.XLSX))))
	require.NoError(t, err)
	for cell, want := range map[string][2]string{
		"A2": {"45725", `dd\.mm\.yyyy`}, "B2": {"45725", `[$-407]ddd\ d\.\ mmm`}, "B4": {"45726", `[$-407]ddd\ d\.\ mmm`}, "C2": {"45725.354340277780", `dd\.mm\.yyyy\ hh\:mm\:ss`}, "D2": {"1234567.5", "#,##0.00"}, "F2": {"offen", ""},
	} {
		assert.Equal(t, want[1], formatIn(t, book, cell), cell)
		raw, err := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		assert.Equal(t, want[0][:min(len(want[0]), 12)], raw[:min(len(raw), 12)], cell)
	}
}

// formatIn is the number format of a cell.
func formatIn(t *testing.T, book *excelize.File, cell string) string {
	t.Helper()
	style, err := book.GetCellStyle("Records", cell)
	require.NoError(t, err)
	of, err := book.GetStyle(style)
	require.NoError(t, err)
	if of.CustomNumFmt == nil {
		return ""
	}
	return *of.CustomNumFmt
}

// TestEmphasis: what stands out has a weight or a mark as well as a colour, in every form
// that people read; files for programs have the values alone, and JSON says it beside them.
func TestEmphasis(t *testing.T) {
	columns := []plan.Output{
		{Name: "vessel", Label: "Vessel", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
		{Name: "toll", Label: "Toll", Type: catalog.Decimal, Format: "money", Column: catalog.Column{Type: catalog.Decimal}, Index: 1},
		{Name: "paid", Label: "Paid", Type: catalog.Date, Column: catalog.Column{Type: catalog.Date, Encoding: catalog.EncISODate}, Index: 2},
	}
	header := output.Header{Title: "Tolls", Columns: columns, Page: output.PaperOf(definition.Page{})}
	ways := []record.Emphasis{record.Strong, record.Quiet, record.Good, record.Warning, record.Bad, 0}
	made := func(f output.Format) string {
		var out bytes.Buffer
		w, reader := f.New(&out), plan.NewReader(columns, time.UTC)
		require.NoError(t, w.Begin(header))
		for _, way := range ways {
			r := reader.Read([]any{"Coot", "1.5", "2025-03-09"})
			for i := range r {
				r[i].Emphasis = way
			}
			require.NoError(t, w.Row(r))
		}
		require.NoError(t, w.End(output.Summary{Count: int64(len(ways))}))
		return out.String()
	}
	page := made(output.HTML)
	for _, row := range []string{
		`<td class=strong>Coot<td class="n strong">1.50<td class=strong>2025-03-09`, `<td class=quiet>Coot<td class="n quiet">1.50`, `<td class=good>✓ Coot<td class="n good">✓ 1.50<td class=good>✓ 2025-03-09`,
		`<td class=warning>! Coot`, `<td class=bad>✗ Coot`, "<tr><td>Coot<td class=n>1.50<td>2025-03-09\n",
	} {
		assert.Contains(t, page, row)
	}
	for class := range strings.FieldsSeq("strong quiet good warning bad") {
		assert.Contains(t, page, ".records ."+class, "the page has a style for it")
	}
	assert.Contains(t, made(output.JSON), `{"emphasis":{"vessel":"strong","toll":"strong","paid":"strong"}},`+"\n"+`["Coot",1.50,"2025-03-09"],`)
	var whole output.Result
	require.NoError(t, json.Unmarshal([]byte(made(output.JSON)), &whole))
	assert.Len(t, whole.Rows, len(ways)+len(ways)-1)
	assert.Contains(t, made(output.NDJSON), `{"emphasis":{"vessel":"bad","toll":"bad","paid":"bad"}}`+"\n"+`["Coot",1.50,"2025-03-09"]`+"\n"+`["Coot",1.50`)
	assert.Equal(t, strings.Repeat("Coot,1.50,2025-03-09\r\n", len(ways)), strings.TrimPrefix(made(output.CSV), "vessel,toll,paid\r\n"))
	book, err := excelize.OpenReader(bytes.NewReader([]byte(made(output.XLSX))))
	require.NoError(t, err)
	for cell, want := range map[string]string{"A2": "", "A4": `\✓\ @`, "B4": `\✓\ #,##0.00`, "C5": `\!\ yyyy\-mm\-dd`, "B6": `\✗\ #,##0.00`, "B7": "#,##0.00"} {
		assert.Equal(t, want, formatIn(t, book, cell), cell)
	}
	for cell, bold := range map[string]bool{"A2": true, "B3": false, "C4": true, "B7": false} {
		style, err := book.GetCellStyle("Records", cell)
		require.NoError(t, err)
		of, err := book.GetStyle(style)
		require.NoError(t, err)
		assert.Equal(t, bold, of.Font != nil && of.Font.Bold, cell)
	}
	written := pdfText(t, []byte(made(output.PDF)))
	assert.Regexp(t, `q 0\.659 0\.125 0\.102 rg BT [\d. ]+ Td \(.. ?Coot\) Tj`, written, "a mark and a colour")
	assert.Regexp(t, `ET\nBT [\d. ]+ Td \(Vessel\) Tj`, written, "and what is not emphasised has none")
}

// TestLinks: a column leads to another report, in every form that people follow links in;
// what has no value leads nowhere, and what is typed there cannot break out of its address.
func TestLinks(t *testing.T) {
	columns := []plan.Output{
		{Name: "lock", Label: "Lock", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
		{Name: "at", Label: "At", Type: catalog.DateTime, Column: catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncISOInstant}, Index: 1},
		{Name: "toll", Label: "Toll", Type: catalog.Decimal, Column: catalog.Column{Type: catalog.Decimal}, Format: "money", Index: 2},
	}
	header := output.Header{Title: "Tolls", Base: "https://gate.example", Columns: columns, Page: output.PaperOf(definition.Page{}), Links: []output.Link{
		{On: "lock", Report: "by date", Set: map[string]output.LinkValue{"locks": {Column: "lock"}, "period": {Column: "at"}, "region": {Texts: []string{"a", "b"}}}},
		{On: "at", Report: "day", Set: map[string]output.LinkValue{"period": {Column: "at"}}},
		{On: "toll", Report: "toll", Set: map[string]output.LinkValue{"lock": {Column: "lock"}}},
	}}
	made := func(f output.Format) []byte {
		out, err := writeRows(t, f, header, output.Summary{Count: 3}, []any{`"><&= x`, "2025-03-09T08:30:15Z", "12.5"}, []any{nil, nil, nil}, []any{strings.Repeat("long ", 60), nil, "7"})
		require.NoError(t, err)
		return out
	}
	const address = "https://gate.example/#/reports/by%20date?locks=%22%3E%3C%26%3D+x&period=2025-03-09&region=a&region=b"
	page := string(made(output.HTML))
	assert.Contains(t, page, `<td><a href="`+strings.ReplaceAll(address, "&", "&amp;")+`">"&gt;&lt;&amp;= x</a><td><a href="https://gate.example/#/reports/day?period=2025-03-09">2025-03-09`)
	assert.Contains(t, page, "<tr><td><td><td class=n>\n")
	assert.Contains(t, string(made(output.PDF)), "/URI ("+address+")")
	assert.Contains(t, string(made(output.Pages)), `<a href="`+strings.ReplaceAll(address, "&", "&amp;")+`"><text`)
	book, err := excelize.OpenReader(bytes.NewReader(made(output.XLSX)))
	require.NoError(t, err)
	formula, err := book.GetCellFormula("Records", "A2")
	require.NoError(t, err)
	assert.Equal(t, `HYPERLINK("`+address+`","""><&= x")`, formula)
	for cell, want := range map[string]string{"A2": `"><&= x`, "B2": "2025-03-09 08:30:15", "C2": "12.50", "A3": "", "C3": "", "A4": strings.Repeat("long ", 60), "C4": "7.00"} {
		value, err := book.GetCellValue("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, value, cell)
	}
	for cell, want := range map[string]string{
		"B2": `HYPERLINK("https://gate.example/#/reports/day?period=2025-03-09",45725.35434027778)`, "C2": `HYPERLINK("https://gate.example/#/reports/toll?lock=%22%3E%3C%26%3D+x",12.5)`,
		"A4": "", "C4": "", // longer than an address in a formula may be
	} {
		formula, err := book.GetCellFormula("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, formula, cell)
	}
	assert.NotContains(t, string(made(output.CSV)), "gate.example")
	header.Base = ""
	assert.NotContains(t, string(made(output.HTML)), "<a href=\"/#", "where the service is not known")
}

// TestGroupLinks: the line of a group leads to another report with what its records have in
// common, and with nothing of a record of its own.
func TestGroupLinks(t *testing.T) {
	header := output.Header{Title: "Tolls", Base: "https://gate.example", Columns: layout{}.columns(), Groups: []output.Grouping{{Label: "Passed", Of: "passed", Head: true}, {Label: "Lock", Of: "lock", Head: true}}, Page: output.PaperOf(definition.Page{}), Links: []output.Link{
		{On: "lock", Report: "other", Set: map[string]output.LinkValue{"locks": {Column: "lock"}, "day": {Column: "passed"}, "toll": {Column: "toll"}, "region": {Texts: []string{"North"}}}},
	}}
	made := func(f output.Format) string {
		var out bytes.Buffer
		w := f.New(&out)
		require.NoError(t, w.Begin(header))
		day := output.Opening{Level: 0, Label: "Passed", Of: "passed", Type: catalog.Date, Value: "2025-03-09"}
		lock := output.Opening{Level: 1, Label: "Lock", Of: "lock", Type: catalog.Text, Value: "Mossgill"}
		require.NoError(t, w.Opening(day))
		require.NoError(t, w.Opening(lock))
		require.NoError(t, w.Row(plan.NewReader(header.Columns, time.UTC).Read([]any{"Mossgill", "2025-03-09", "5"})))
		require.NoError(t, w.Subtotal(output.Subtotal{Level: 1, Label: "Lock", Of: "lock", Type: catalog.Text, Value: "Mossgill", Count: 1}))
		blank := lock
		blank.Value = nil
		require.NoError(t, w.Opening(blank))
		require.NoError(t, w.Subtotal(output.Subtotal{Level: 0, Label: "Passed", Of: "passed", Type: catalog.Date, Value: "2025-03-09", Count: 1}))
		require.NoError(t, w.End(output.Summary{Outcome: "done", Count: 1}))
		return out.String()
	}
	const address = "https://gate.example/#/reports/other?day=2025-03-09&locks=Mossgill&region=North"
	page := made(output.HTML)
	leads := `<a href="` + strings.ReplaceAll(address, "&", "&amp;") + `">  Lock Mossgill`
	assert.Equal(t, 2, strings.Count(page, leads), "the head and the totals")
	assert.Contains(t, page, ">  Lock blank\n", "what has no value leads nowhere")
	assert.Contains(t, page, "colspan=3>Passed 2025-03-09\n", "nor what has no link")
	assert.Equal(t, 2, strings.Count(made(output.PDF), "/URI ("+address+")"))
	book, err := excelize.OpenReader(strings.NewReader(made(output.XLSX)))
	require.NoError(t, err)
	for cell, want := range map[string]string{"A2": "", "A3": `HYPERLINK("` + address + `","  Lock Mossgill")`, "A5": `HYPERLINK("` + address + `","  Lock Mossgill")`, "A6": ""} {
		formula, err := book.GetCellFormula("Records", cell)
		require.NoError(t, err)
		shown, err := book.GetCellValue("Records", cell)
		require.NoError(t, err)
		assert.Equal(t, want, formula, "%s %s", cell, shown)
	}
}

// TestWorkbookPaper: a workbook prints on the report's paper, with the heads of its columns and
// its foot on every page.
func TestWorkbookPaper(t *testing.T) {
	for _, c := range []struct {
		page        definition.Page
		size        int
		orientation string
		foot        string
	}{
		{definition.Page{}, 9, "portrait", "&L&R&P / &N"},
		{definition.Page{Size: "A3", Landscape: true, Footer: "Tarn & Wold {period}"}, 8, "landscape", "&LTarn && Wold 1 &&P Mar&R&P / &N"},
		{definition.Page{Size: "letter", Footer: "{page} of {pages}, {zone}"}, 1, "portrait", "&L&P of &N, Europe/London"},
		{definition.Page{Size: "legal", Landscape: true}, 5, "landscape", "&L&R&P / &N"},
		{definition.Page{Size: "A5"}, 11, "portrait", "&L&R&P / &N"},
	} {
		got, err := writeRows(t, output.XLSX, output.Header{Columns: two, Zone: "Europe/London", Page: output.PaperOf(c.page), Filled: map[string]string{"period": "1 &P Mar"}}, output.Summary{Count: 1}, []any{"Coot", "1"})
		require.NoError(t, err)
		book, err := excelize.OpenReader(bytes.NewReader(got))
		require.NoError(t, err)
		layout, err := book.GetPageLayout("Records")
		require.NoError(t, err)
		assert.Equal(t, []any{c.size, c.orientation}, []any{*layout.Size, *layout.Orientation})
		foot, err := book.GetHeaderFooter("Records")
		require.NoError(t, err)
		assert.Equal(t, c.foot, foot.OddFooter)
		names := book.GetDefinedName()
		require.Len(t, names, 1)
		assert.Equal(t, "'Records'!$1:$1", names[0].RefersTo)
	}
}
