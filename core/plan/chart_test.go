package plan

import (
	"fmt"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
)

// drawing binds a report with a chart over a small table.
func drawing(t *testing.T, chart definition.Chart) Selection {
	t.Helper()
	return reported(t, &definition.Report{Chart: chart})
}

// reported binds a report over a small table.
func reported(t *testing.T, report *definition.Report) Selection {
	t.Helper()
	source := catalog.Source{Name: "s", Tables: []catalog.Table{{Name: "t", Key: []string{"id"}, Columns: []catalog.Column{
		{Name: "id", Type: catalog.Integer}, {Name: "place", Type: catalog.Text, Nullable: true}, {Name: "pence", Type: catalog.Integer, Nullable: true},
	}}}}
	query := &definition.Query{Head: definition.Head{Kind: "query", Name: "q"}, Source: "s", From: "t", Columns: []definition.Column{
		{Name: "place", Value: definition.Text{Value: "place"}}, {Name: "toll", Value: definition.Text{Value: "pence / 100"}, Format: "money"},
	}}
	compiled, problems := definition.Compile(query, &source, definition.Library{})
	require.Empty(t, problems)
	view, problems := compiled.View(report)
	require.Empty(t, problems)
	s, problems := Planner{Query: compiled}.Records(view, parameter.Values{})
	require.Empty(t, problems)
	return s
}

// TestChart: the points stand in order, blanks last, each the exact total of
// its records.
func TestChart(t *testing.T) {
	s := drawing(t, definition.Chart{Kind: "bars", X: definition.Text{Value: "place"}, Y: definition.Text{Value: "sum of toll"}})
	assert.Equal(t, []string{"Place", "Sum of toll", "money"}, []string{s.Chart.X.Label, s.Chart.Ys[0].Label, s.Chart.Ys[0].Format})
	tally, read := s.NewTally(civil.Calendar{}), NewReader(s.Outputs, civil.UTC).Read
	for _, row := range [][]any{{"b", int64(10)}, {"a", int64(1)}, {nil, int64(5)}, {"b", int64(20)}, {"c", nil}} {
		tally.Row(read(row))
	}
	points, leftOut := tally.Chart()
	var shown []string
	for _, p := range points {
		shown = append(shown, fmt.Sprint(p.X, " ", p.Ys[0].Value))
	}
	assert.Equal(t, []string{"a 0.01", "b 0.3", "c <nil>", "<nil> 0.05"}, shown)
	assert.Zero(t, leftOut)
}

// TestPartialTotals: totals of some of the records, in groups and of all; a sum of none is
// 0, whatever else is made of none blank.
func TestPartialTotals(t *testing.T) {
	texts := []string{"count where toll > 0.05", "sum of toll where toll > 0.05", "sum of toll where place = 'z'", "average of toll where place = 'b'", "least of toll where place <> 'b' or toll is blank", "count distinct of place where toll is not blank", "greatest of place where toll is blank", "count"}
	report := &definition.Report{Groups: []definition.Group{{By: definition.Text{Value: "place"}}}}
	for _, text := range texts {
		report.Totals = append(report.Totals, definition.Text{Value: text})
	}
	report.Groups[0].Totals = report.Totals
	s := reported(t, report)
	var labels []string
	for _, total := range s.Totals {
		labels = append(labels, total.Label)
		assert.Equal(t, total.Name != "count", total.Partial(), total.Name)
	}
	assert.Equal(t, []string{"Records where toll > 0.05", "Sum of toll where toll > 0.05", "Sum of toll where place = 'z'", "Average of toll where place = 'b'", "Least toll where place <> 'b' or toll is blank", "Different place where toll is not blank", "Greatest place where toll is blank", "Records"}, labels)
	tally, read := s.NewTally(civil.Calendar{}), NewReader(s.Outputs, civil.UTC).Read
	said := func(totals []TotalValue) string {
		text := ""
		for _, v := range totals {
			text += fmt.Sprint(v.Value, " ")
		}
		return text
	}
	var groups []string
	for _, row := range [][]any{{"a", int64(1)}, {"b", int64(10)}, {"b", int64(20)}, {"b", nil}, {"c", nil}} {
		ended, _ := tally.Row(read(row))
		for _, closed := range ended {
			groups = append(groups, fmt.Sprint(closed.Value, ": ", said(closed.Totals)))
		}
	}
	closed, all := tally.End()
	groups = append(groups, fmt.Sprint(closed[0].Value, ": ", said(closed[0].Totals)))
	assert.Equal(t, []string{
		"a: 0 0 0 <nil> 0.01 1 <nil> 1 ",
		"b: 2 0.3 0 0.15 <nil> 1 b 3 ",
		"c: 0 0 0 <nil> <nil> 0 c 1 ",
	}, groups)
	assert.Equal(t, "2 0.3 0 0.15 0.01 2 c 5 ", said(all))
}

// TestChartIsBounded: a chart keeps so many points, and counts what it leaves out.
func TestChartIsBounded(t *testing.T) {
	s := drawing(t, definition.Chart{Kind: "lines", X: definition.Text{Value: "place"}, Y: definition.Text{Value: "count"}, Split: definition.Text{Value: "toll"}})
	tally, read := s.NewTally(civil.Calendar{}), NewReader(s.Outputs, civil.UTC).Read
	for i := range MaxPoints + 10 {
		tally.Row(read([]any{fmt.Sprintf("%05d", i/2), int64(i % 2)}))
		tally.Row(read([]any{"00000", int64(0)}))
	}
	points, leftOut := tally.Chart()
	assert.Len(t, points, MaxPoints)
	assert.EqualValues(t, 10, leftOut)
	assert.True(t, points[0].Ys[0].Value.(decimal.Decimal).Equal(decimal.New(MaxPoints+11, 0)))
	assert.Equal(t, []any{"00000", "0"}, []any{points[0].X, fmt.Sprint(points[0].Split)})
}

// TestIdentify: what tells records apart is fetched besides, once.
func TestIdentify(t *testing.T) {
	s := drawing(t, definition.Chart{})
	compiled := &definition.Compiled{Query: &definition.Query{}}
	compiled.From.Alias, compiled.From.Table = "t", catalog.Table{Name: "t", Key: []string{"id"}, Columns: []catalog.Column{{Name: "id"}}}
	before := len(s.Fetch)
	assert.Equal(t, []int{before}, Planner{Query: compiled}.Identify(&s.Statement))
	assert.Equal(t, []int{before}, Planner{Query: compiled}.Identify(&s.Statement), "no column is fetched twice")
	assert.Len(t, s.Fetch, before+1)
	compiled.From.Table.Key = []string{"hidden"}
	assert.Nil(t, Planner{Query: compiled}.Identify(&s.Statement), "a key that may not be read tells nothing apart")
	ordered, problems := Planner{Query: compiled}.Records(definition.View{}, parameter.Values{})
	assert.Empty(t, problems)
	assert.Empty(t, ordered.Sort, "nor is anything ordered by it")
	compiled.From.Table.Key = nil
	assert.Nil(t, Planner{Query: compiled}.Identify(&s.Statement), "a table without a key has nothing")
	grouped := Statement{GroupBy: []Expr{Value{}, Value{}}}
	assert.Equal(t, []int{0, 1}, Planner{Query: &definition.Compiled{Grouped: true}}.Identify(&grouped))
}
