package plan

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
)

// crossed is the table of a report over some rows, a line for each of its lines.
func crossed(t *testing.T, across definition.Across, groups []string, rows ...[]any) (lines []string) {
	t.Helper()
	report := &definition.Report{Across: across}
	for _, by := range groups {
		report.Groups = append(report.Groups, definition.Group{By: definition.Text{Value: by}})
	}
	s := reported(t, report)
	cross, read := s.NewCross(civil.Calendar{}), NewReader(s.Outputs, civil.UTC).Read
	for _, row := range rows {
		require.NoError(t, cross.Row(read(row)))
	}
	table := cross.End()
	var names []string
	for _, o := range table.Outputs {
		names = append(names, o.Name)
	}
	lines = []string{strings.Join(names, "|")}
	said := func(v any) string {
		if d, ok := v.(decimal.Decimal); ok {
			return d.String()
		}
		return fmt.Sprint(v)
	}
	for _, line := range table.Lines {
		var cells []string
		for _, v := range line {
			if d, ok := v.Decimal(); ok {
				cells = append(cells, d.String())
			} else {
				cells = append(cells, v.Text())
			}
		}
		lines = append(lines, strings.Join(cells, "|"))
	}
	var totals []string
	for _, total := range table.Totals {
		totals = append(totals, total.Of+"="+said(total.Value))
	}
	return append(lines, strings.Join(totals, " "))
}

// TestAcross: each cell is the total of its records, with totals both ways; what no record
// has is zero, or a gap.
func TestAcross(t *testing.T) {
	rows := [][]any{{"a", int64(100)}, {"a", int64(200)}, {"b", int64(100)}, {nil, int64(100)}, {"b", nil}, {"a", int64(100)}}
	of := func(texts ...string) (all []definition.Text) {
		for _, text := range texts {
			all = append(all, definition.Text{Value: text})
		}
		return all
	}
	by := definition.Text{Value: "toll"}
	assert.Equal(t, []string{"place|1|2|blank|total", "a|2|1|0|3", "b|1|0|1|2", "|1|0|0|1", "1=4 2=1 blank=1 total=6"},
		crossed(t, definition.Across{By: by}, []string{"place"}, rows...))
	assert.Equal(t, []string{"place|1|2|blank|total", "a|2|1||3", "b|1||1|2", "|1|||1", "1=4 2=1 blank=1 total=6"},
		crossed(t, definition.Across{By: by, Empty: "gap"}, []string{"place"}, rows...))
	assert.Equal(t, []string{"place|1 count|1 greatest of toll|2 count|2 greatest of toll|blank count|blank greatest of toll|total count|total greatest of toll", "a|2|1|1|2|0||3|2", "b|1|1|0||1||2|1", "|1|1|0||0||1|1", "1 count=4 1 greatest of toll=1 2 count=1 2 greatest of toll=2 blank count=1 blank greatest of toll=<nil> total count=6 total greatest of toll=2"},
		crossed(t, definition.Across{By: by, Of: of("count", "greatest of toll")}, []string{"place"}, rows...))
	assert.Equal(t, []string{"place|toll|a|b|blank|total", "a|1|2|0|0|2", "a|2|1|0|0|1", "b|1|0|1|0|1", "|1|0|0|1|1", "b||0|1|0|1", "a=3 b=2 blank=1 total=6"},
		crossed(t, definition.Across{By: definition.Text{Value: "place"}}, []string{"place", "toll"}, rows...))
	assert.Equal(t, []string{"place|total", "total=0"}, crossed(t, definition.Across{By: by}, []string{"place"}))
}

// TestAcrossEmphasis: a cell stands out by what its records come to, whether that is shown or
// not; the first condition that holds counts, and neither totals nor empty cells stand out.
func TestAcrossEmphasis(t *testing.T) {
	highlight := func(when, as string) definition.Highlight {
		return definition.Highlight{When: definition.Text{Value: when}, As: as}
	}
	s := reported(t, &definition.Report{
		Groups: []definition.Group{{By: definition.Text{Value: "place"}}},
		Across: definition.Across{By: definition.Text{Value: "toll"}, Emphasis: definition.Highlights{highlight("sum of toll >= 4 and count >= 2", "good"), highlight("count >= 2", "warning"), highlight("count = 0", "bad")}},
	})
	cross, read := s.NewCross(civil.Calendar{}), NewReader(s.Outputs, civil.UTC).Read
	for _, row := range [][]any{{"a", int64(100)}, {"a", int64(100)}, {"a", int64(200)}, {"b", int64(200)}, {"b", int64(200)}} {
		require.NoError(t, cross.Row(read(row)))
	}
	table := cross.End()
	var marks [][]string
	for _, line := range table.Lines {
		var of []string
		for _, v := range line {
			of = append(of, v.Emphasis.String())
		}
		marks = append(marks, of)
	}
	assert.Equal(t, [][]string{{"", "warning", "", ""}, {"", "", "good", ""}}, marks)
	assert.Len(t, table.Outputs, 4, "what emphasis depends on has no column")
}

// TestAcrossAddsUp: whatever the records, the cells of each line and of each column add up to
// its total, and all of them to the number of records.
func TestAcrossAddsUp(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	for range 50 {
		var rows [][]any
		for range random.IntN(200) {
			rows = append(rows, []any{string(rune('a' + random.IntN(6))), int64(random.IntN(8) * 100)})
		}
		lines := crossed(t, definition.Across{By: definition.Text{Value: "toll"}}, []string{"place"}, rows...)
		whole := 0
		for _, line := range lines[1 : len(lines)-1] {
			cells, sum, total := strings.Split(line, "|")[1:], 0, 0
			for i, cell := range cells {
				var n int
				_, err := fmt.Sscan(cell, &n)
				require.NoError(t, err)
				if i == len(cells)-1 {
					total = n
				} else {
					sum += n
				}
			}
			require.Equal(t, total, sum)
			whole += total
		}
		require.Equal(t, len(rows), whole)
		require.True(t, strings.HasSuffix(lines[len(lines)-1], fmt.Sprint("total=", len(rows))))
	}
}

// TestAcrossIsBounded: a table that would be too large is refused instead of kept.
func TestAcrossIsBounded(t *testing.T) {
	s := reported(t, &definition.Report{Groups: []definition.Group{{By: definition.Text{Value: "place"}}}, Across: definition.Across{By: definition.Text{Value: "toll"}}})
	read := NewReader(s.Outputs, civil.UTC).Read
	wide, long := s.NewCross(civil.Calendar{}), s.NewCross(civil.Calendar{})
	for i := range MaxAcross {
		require.NoError(t, wide.Row(read([]any{"a", int64(i)})))
	}
	require.ErrorIs(t, wide.Row(read([]any{"a", int64(MaxAcross)})), ErrAcross)
	require.NoError(t, wide.Row(read([]any{"b", int64(1)})))
	for i := range MaxAcrossLines {
		require.NoError(t, long.Row(read([]any{fmt.Sprint(i), int64(1)})))
	}
	require.ErrorIs(t, long.Row(read([]any{"new", int64(1)})), ErrAcross)
}

// TestUnits: months without records have their places, from the first to the last and in
// what was asked for, but not beyond today.
func TestUnits(t *testing.T) {
	calendar := civil.Calendar{Zone: civil.UTC, Now: civil.Instant(civil.DateOf(2025, 6, 15).Midnight())}
	u := units{name: "month", calendar: calendar}
	assert.Equal(t, []any{"2025-02", "2025-03"}, u.missing([]any{"2025-04", "2025-01", nil}))
	assert.Empty(t, u.missing([]any{"2025-04"}))
	assert.Empty(t, u.missing(nil))
	u.asked.From, u.asked.Until = civil.DateOf(2025, 2, 10).Midnight(), civil.DateOf(2025, 6, 16).Midnight()
	assert.Equal(t, []any{"2025-02", "2025-03", "2025-05", "2025-06"}, u.missing([]any{"2025-04"}))
	assert.Empty(t, u.missing([]any{"spring"}), "what is no month")
	quarters := units{name: "quarter", calendar: calendar}
	assert.Equal(t, []any{"2024-Q4", "2025-Q1"}, quarters.missing([]any{"2024-Q3", "2025-Q2"}))
	assert.Empty(t, units{name: "day", calendar: calendar}.missing([]any{"0001-01-01", "9999-12-31"}), "too long an axis")
	assert.Empty(t, units{}.missing([]any{"2025-01", "2025-04"}))
}
