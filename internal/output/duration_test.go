package output_test

import (
	"bytes"
	"encoding/json"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// TestDurationText: numbers of hours and of minutes are shown with their units, rounded in
// the last one.
func TestDurationText(t *testing.T) {
	for _, c := range []struct{ number, format, text string }{
		{"27.75", "hours", "27 h 45 min"},
		{"27", "hours", "27 h"},
		{"0.75", "hours", "45 min"},
		{"0", "hours", "0 min"},
		{"-1.5", "hours", "-1 h 30 min"},
		{"0.175", "hours", "11 min"}, // 10.5
		{"-0.001", "hours", "0 min"},
		{"1.9999", "hours", "2 h"},
		{"12345.5", "hours", "12345 h 30 min"},
		{"12.5", "minutes", "12 min 30 s"},
		{"0.333333333333", "minutes", "20 s"},
		{"12.5", "money", ""},
		{"many", "hours", ""},
	} {
		text, ok := output.NumberText(c.number, c.format)
		assert.Equal(t, c.text, text, c)
		assert.Equal(t, c.text != "", ok, c)
	}
}

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
		style, err := book.GetCellStyle("Records", cell)
		require.NoError(t, err)
		of, err := book.GetStyle(style)
		require.NoError(t, err)
		require.NotNil(t, of.CustomNumFmt, cell)
		assert.Equal(t, want[1], *of.CustomNumFmt, cell)
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
		style, err := book.GetCellStyle("Records", cell)
		require.NoError(t, err)
		of, err := book.GetStyle(style)
		require.NoError(t, err)
		require.NotNil(t, of.CustomNumFmt, cell)
		assert.Contains(t, *of.CustomNumFmt, "[h]", cell)
	}
}
