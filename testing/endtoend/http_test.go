package endtoend

import (
	"encoding/csv"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func post(t *testing.T, path, body string) *http.Response {
	t.Helper()
	response, err := http.Post(address+"/api/v1"+path, "application/json", strings.NewReader(body))
	require.NoError(t, err)
	t.Cleanup(func() { response.Body.Close() })
	return response
}

// TestHTTP asks the same over HTTP, as JSON and as CSV.
func TestHTTP(t *testing.T) {
	want := passages("2025-03-30", "2025-03-31")
	body := `{"inputs": {"period": {"start": "2025-03-30", "end": "2025-03-31"}}}`

	response := post(t, "/reports/passages-by-date/runs", body)
	require.Equal(t, 200, response.StatusCode)
	var result struct {
		Rows    [][]any
		Count   int
		First   string
		Last    string
		Outcome string
	}
	d := json.NewDecoder(response.Body)
	d.UseNumber()
	require.NoError(t, d.Decode(&result))
	assert.Equal(t, []any{"done", len(want), want[0][0], want[len(want)-1][0]}, []any{result.Outcome, result.Count, result.First, result.Last})
	require.Len(t, result.Rows, len(want))
	for i, row := range result.Rows {
		for j, cell := range row {
			switch cell := cell.(type) {
			case nil:
				assert.Empty(t, want[i][j])
			case json.Number:
				assert.Equal(t, want[i][j], cell.String())
			default:
				assert.Equal(t, want[i][j], cell)
			}
		}
	}

	response = post(t, "/reports/passages-by-date/runs?format=csv", body)
	assert.Equal(t, "text/csv; charset=utf-8; header=present", response.Header.Get("Content-Type"))
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	sameRows(t, want, rows[1:], "CSV")
	assert.Equal(t, len(rows), strings.Count(string(text), "\r\n"))

	response = post(t, "/reports/passages-by-date/runs", `{"inputs": {"period": {"start": "31 Feb 2025", "end": "2025-13-01"}, "lcks": "x"}}`)
	assert.Equal(t, 422, response.StatusCode)
	assert.Equal(t, "application/problem+json", response.Header.Get("Content-Type"))
	var problem struct {
		Errors []struct{ Code, Field string }
	}
	require.NoError(t, json.NewDecoder(response.Body).Decode(&problem))
	assert.Equal(t, []struct{ Code, Field string }{
		{"no_such_date", "period.start"}, {"no_such_date", "period.end"}, {"unknown_question", "lcks"},
	}, problem.Errors)
}
