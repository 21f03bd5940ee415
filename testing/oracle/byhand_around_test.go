package oracle_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

// around are queries in SQL by hand that return the date that they ask for, and the same
// in the structured form.
var around = []struct{ name, byHand, structured string }{
	{
		"braces",
		"sql: select p.id, p.passed_at from passages p where { p.passed_at within :period } and { p.direction = 'upstream' } and { p.toll_pence > :least }\ncolumns: [id, {value: passed_at, encoding: iso-instant}]\n",
		"from: passages\ncolumns: [id, passed_at]\ncriteria: passed_at within :period and direction = 'upstream' and toll_pence > :least\n",
	},
	{
		"the slot, in a common table expression",
		"sql: with p as (select q.id, q.passed_at from passages q where criteria()) select id, passed_at from p\ncriteria: direction = 'upstream' and passed_at >= :period.from and passed_at < :period.until and toll_pence > :least\ncolumns: [id, {value: passed_at, encoding: iso-instant}]\n",
		"from: passages\ncolumns: [id, passed_at]\ncriteria: direction = 'upstream' and passed_at >= :period.from and passed_at < :period.until and toll_pence > :least\n",
	},
	{
		"a day kept as a number, with others in a part",
		"sql: select j.id, j.done_on, case when { j.cost_pence > :least } then 1 else 0 end as dear from maintenance_jobs j join locks l on l.id = j.lock_id where { j.done_on within :period }\ncolumns: [id, {value: done_on, encoding: ymd}, dear]\n",
		"from: maintenance_jobs\njoins: [{table: locks, on: maintenance_jobs.lock_id = locks.id}]\ncolumns: [maintenance_jobs.id, done_on]\ncriteria: done_on within :period\n",
	},
}

// TestAroundByHand: the nearest records, the counts by day and how many each condition
// leaves are told of SQL by hand as of the same query in the structured form.
func TestAroundByHand(t *testing.T) {
	benches, _ := navigations(t)
	for _, c := range around {
		for _, period := range []string{"2025-03-10/2025-03-20", "2024-06/2025-08", "1999"} {
			in := parameter.Inputs{"period": parameter.Typed(period), "least": parameter.Typed("600")}
			for _, b := range benches {
				told := func(text string) (edges, covered [][]any, words []string, all int64, alone, left []int64) {
					compiled, problems := compileAt(t, b, text+"sort: [id]\n"+byHandQuestions)
					for _, p := range problems {
						require.NotEqual(t, "dates_unknown", p.Code, "%s: %s: %v", c.name, b.engine, p)
					}
					values, problems := parameter.Read(compiled.Questions, compiled.Rules, in, parameter.Context{Calendar: b.ctx})
					require.Empty(t, problems)
					planner := b.planner(compiled, b.ctx)
					statement, problems := planner.Records(definition.View{}, values)
					require.NoError(t, problems.Err())
					assert.GreaterOrEqual(t, statement.DateIndex, 0, "the dates of the result are not followed")
					around, ok := planner.Edges(statement.Statement)
					require.True(t, ok, "%s: %s", c.name, b.engine)
					for _, s := range []*plan.Statement{around.Before, around.After} {
						edges = append(edges, b.values(t, *s)...)
					}
					for i, s := range []*plan.Statement{around.NearBefore, around.NearAfter} {
						if s == nil { // those in the structured form are quick
							continue
						}
						if near := b.values(t, *s); len(near) > 0 {
							assert.Contains(t, edges, near[0], "%s: %d", c.name, i)
						}
					}
					question, column, ok := planner.DateQuestion()
					require.True(t, ok)
					assert.Equal(t, "period", question)
					require.True(t, plan.CanCover(column.Ref.Column, civil.Month))
					counted, problems := planner.Coverage(civil.Month, values)
					require.NoError(t, problems.Err())
					covered = b.values(t, counted)
					if compiled.SQL == nil {
						all, words, alone, left = countsOf(b, t, planner.Why(values))
						return edges, covered, words, all, alone, left
					}
					r := planner.WhyByHand(values)
					number := func(s plan.Statement) int64 { return b.values(t, s)[0][0].(int64) }
					for i := range r.Conditions {
						words, alone, left = append(words, r.Conditions[i].Words), append(alone, number(r.Alone[i])), append(left, number(r.Left[i]))
					}
					return edges, covered, words, number(r.All), alone, left
				}
				edges, covered, words, all, alone, left := told(c.byHand)
				wantEdges, wantCovered, wantWords, wantAll, wantAlone, wantLeft := told(c.structured)
				at := c.name + ", " + period + ", " + b.engine
				assert.Equal(t, wantEdges, edges, at)
				assert.NotEmpty(t, edges, at)
				assert.Equal(t, wantCovered, covered, at)
				assert.NotEmpty(t, covered, at)
				assert.Equal(t, wantWords, words, at)
				assert.Equal(t, wantAll, all, at)
				assert.Equal(t, wantAlone, alone, at)
				assert.Equal(t, wantLeft, left, at)
			}
		}
	}
}

// countsOf adds up what Why groups by the sides of its conditions.
func countsOf(b *bench, t *testing.T, r plan.Reasons) (all int64, words []string, alone, left []int64) {
	n := len(r.Conditions)
	alone, left = make([]int64, n), make([]int64, n)
	for _, c := range r.Conditions {
		words = append(words, c.Words)
	}
	for _, row := range b.values(t, r.Sides) {
		count, still := row[n].(int64), true
		all += count
		for i := range n {
			meets := row[i] == plan.Meets
			if still = still && meets; meets {
				alone[i] += count
			}
			if still {
				left[i] += count
			}
		}
	}
	return all, words, alone, left
}

// values are the rows of a statement as the database gives them.
func (b *bench) values(t *testing.T, s plan.Statement) (rows [][]any) {
	t.Helper()
	q := b.source.Dialect().Write(s)
	require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
		rows = append(rows, append([]any(nil), row...))
		return nil
	}), "%s\n%s", b.engine, q.SQL)
	return rows
}

// TestDatesUnknownByHand: a check says why nothing can be told of what lies around a period.
func TestDatesUnknownByHand(t *testing.T) {
	benches, _ := navigations(t)
	for sql, want := range map[string]string{
		"select p.lock_id, count(*) as n from passages p where { p.passed_at within :period } group by p.lock_id":     "The SQL does not return passed_at as a date",
		"select p.id, p.passed_at from passages p where { p.passed_at within :period }":                               "The SQL does not return passed_at as a date", // its encoding is not said
		"select j.id from maintenance_jobs j where { j.done_on within :period } and j.done_on < :period.until as ymd": "The SQL uses :period for more than done_on",
		"select i.id from dues_invoices i where { i.issued_on within :period } and { i.paid_on within :period }":      "The SQL uses :period for more than issued_on",
		"select j.id from maintenance_jobs j where { j.cost_pence > :least }":                                         "",
	} {
		compiled, problems := compileAt(t, benches[0], "sql: \""+sql+"\"\n"+byHandQuestions)
		told := ""
		for _, p := range problems {
			if p.Code == "dates_unknown" {
				told = p.Message
			}
		}
		if want == "" {
			assert.Empty(t, told, sql)
		} else {
			assert.Contains(t, told, want, sql)
		}
		_, _, ok := benches[0].planner(compiled, benches[0].ctx).DateQuestion()
		assert.False(t, ok, sql)
	}
}
