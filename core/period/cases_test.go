package period_test

import (
	"bufio"
	"encoding/json"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// contextAt is the context on a day in a zone.
func contextAt(t testing.TB, zone, asOf string) civil.Calendar {
	t.Helper()
	loc, err := time.LoadLocation(zone)
	require.NoError(t, err)
	day, err := time.Parse(time.DateOnly, asOf)
	require.NoError(t, err)
	y, m, d := day.Date()
	return civil.Calendar{
		Zone:      loc,
		Now:       civil.InstantOf(civil.DateOf(y, int(m), d).Midnight(), loc),
		WeekStart: time.Monday,
	}
}

// boundText prints a bound as the cases do: a date at midnight, empty where open.
func boundText(t civil.DateTime) string {
	switch {
	case t == civil.Start || t == civil.End:
		return ""
	case t.IsMidnight():
		return t.Date().String()
	}
	return t.String()
}

// TestCases reads the samples that were worked out independently of this package.
func TestCases(t *testing.T) {
	file, err := os.Open("testdata/cases.jsonl")
	require.NoError(t, err)
	defer file.Close()
	weekdays := map[string]time.Weekday{"": time.Monday, "monday": time.Monday, "sunday": time.Sunday, "saturday": time.Saturday}
	lines := bufio.NewScanner(file)
	count := 0
	for lines.Scan() {
		var c struct {
			Expr         string  `json:"expr"`
			AsOf         string  `json:"as_of"`
			Zone         string  `json:"zone"`
			WeekStart    string  `json:"week_start"`
			FiscalStart  int     `json:"fiscal_start"`
			DateOrder    string  `json:"date_order"`
			From         string  `json:"from"`
			Until        string  `json:"until"`
			FromInstant  string  `json:"from_instant"`
			UntilInstant string  `json:"until_instant"`
			Error        *string `json:"error"`
		}
		require.NoError(t, json.Unmarshal(lines.Bytes(), &c))
		count++
		refused := strings.Contains(lines.Text(), `"error"`)
		calendar := contextAt(t, c.Zone, c.AsOf)
		calendar.WeekStart, calendar.FiscalStart, calendar.Order = weekdays[c.WeekStart], c.FiscalStart, civil.DateOrder(c.DateOrder)
		span, problems := period.Read(c.Expr, calendar)
		if refused {
			if assert.NotEmpty(t, problems, c.Expr) && c.Error != nil {
				assert.Equal(t, *c.Error, problems[0].Code, c.Expr)
			}
			continue
		}
		require.Empty(t, problems, c.Expr)
		assert.Equal(t, c.From, boundText(span.From), c.Expr)
		assert.Equal(t, c.Until, boundText(span.Until), c.Expr)
		if !span.OpenStart() {
			assert.Equal(t, c.FromInstant, civil.InstantOf(span.From, calendar.Zone).String(), c.Expr)
		}
		if !span.OpenEnd() {
			assert.Equal(t, c.UntilInstant, civil.InstantOf(span.Until, calendar.Zone).String(), c.Expr)
		}
	}
	require.NoError(t, lines.Err())
	assert.Greater(t, count, 250)
}
