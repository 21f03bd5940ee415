package output_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

var columns = []plan.Output{
	{Name: "text", Type: catalog.Text, Index: 0},
	{Name: "a, b", Type: catalog.Integer, Index: 1},
	{Name: "price", Type: catalog.Decimal, Format: "money", Index: 2},
	{Name: "day", Type: catalog.Date, Column: catalog.Column{Type: catalog.Date, Encoding: catalog.EncYMD}, Index: 3},
	{Name: "at", Type: catalog.DateTime, Column: catalog.Column{Type: catalog.DateTime, Encoding: catalog.EncISOInstant}, Index: 4},
	{Name: "flag", Type: catalog.Boolean, Index: 5},
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
	w := f.New(&out, zone)
	require.NoError(t, w.Begin(output.Header{Run: 7, Columns: columns}))
	for _, r := range rows {
		require.NoError(t, w.Row(r.row))
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
	w := output.CSV.New(&bytes.Buffer{}, time.UTC)
	require.NoError(t, w.Begin(output.Header{Columns: []plan.Output{columns[0], columns[1], columns[3], columns[4]}}))
	row := []any{"text", int64(12), nil, int64(20260331), "2026-07-01T22:30:00Z", nil}
	assert.LessOrEqual(t, testing.AllocsPerRun(1000, func() { _ = w.Row(row) }), 1.0)
}
