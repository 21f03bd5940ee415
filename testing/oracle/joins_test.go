package oracle_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/testing/oracle"
)

// joinsThatAsk are conditions of a join of dues_invoices as due with passages, and what is
// read back of them with an answer.
var joinsThatAsk = map[string]string{
	"due.vessel_id = passages.vessel_id and due.issued_on <= :day":                                                            "Due where issued on is on or before Thu 15 May 2025.",
	"due.vessel_id = passages.vessel_id and due.issued_on within :period":                                                     "Due where issued on from Wed 1 Jan through Wed 31 Dec 2025 (365 days).",
	"due.vessel_id = passages.vessel_id and span(due.issued_on, due.paid_on) covers :day":                                     "Due where the time from issued on through paid on covers Thu 15 May 2025.",
	"due.vessel_id = passages.vessel_id and span(due.issued_on, due.paid_on) covers passages.passed_at":                       "All records.",
	"due.vessel_id = passages.vessel_id and passages.passed_at between due.issued_on and due.paid_on":                         "All records.",
	"due.vessel_id = passages.vessel_id and (due.amount_pence > :most or due.issued_on <= :day)":                              "Due where amount pence is more than 3000 or issued on is on or before Thu 15 May 2025.",
	"due.vessel_id = passages.vessel_id and due.issued_on >= greatest of passed_at - 60 days from all passages as p":          "All records.",
	"due.vessel_id = passages.vessel_id and not (span(due.issued_on, due.paid_on) covers date_of(passages.passed_at))":        "All records.",
	"due.vessel_id = passages.vessel_id and due.issued_on <= passages.passed_at and (due.paid_on is blank or :most is blank)": "All records.",
}

// TestJoinsThatAsk: the records of a join whose condition uses questions, or dates of both
// tables, with answers and without, are those that the oracle joins one by one.
func TestJoinsThatAsk(t *testing.T) {
	t.Parallel()
	benches, world := navigations(t)
	answered := parameter.Inputs{"day": {Texts: []string{"2025-05-15"}}, "period": {Texts: []string{"2025"}}, "most": {Texts: []string{"3000"}}}
	for on, words := range joinsThatAsk {
		for _, optional := range []string{"false", "true"} {
			for _, in := range []parameter.Inputs{answered, {}} {
				text := "kind: query\nname: q\nsource: small\nfrom: passages\njoins: [{table: dues_invoices, as: due, optional: " + optional + ", on: \"" + on + "\"}]\n" +
					"parameters: [{name: period, kind: period}, {name: day, kind: date}, {name: most, kind: integer}]\ncolumns: [{name: id, value: passages.id}, {name: due, value: due.id}]\nsort: [id, due]\n"
				var first [][]string
				for _, b := range benches {
					compiled, values, statement := b.asked(t, text, in)
					if first == nil {
						world.Answers = values
						first = joined(world, compiled)
						require.NotEmpty(t, first)
						if len(in) > 0 {
							assert.Equal(t, words, plan.ReadBack(statement.Statement), on)
						}
					}
					assert.Equal(t, first, b.rows(t, statement), "%s\n%s", b.engine, on)
				}
			}
		}
	}
}

// asked compiles a query that is sound but for questions that it does not use, and makes its
// statement.
func (b *bench) asked(t *testing.T, text string, in parameter.Inputs) (*definition.Compiled, parameter.Values, plan.Selection) {
	t.Helper()
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems, text)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	for _, p := range problems {
		require.True(t, p.Code == "unused_parameter" || p.Severity == "warning", "%s: %v\n%s", b.engine, p, text)
	}
	values, problems := parameter.Read(compiled.Questions, nil, in, parameter.Context{Calendar: b.ctx})
	require.Empty(t, problems, text)
	statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
	for _, p := range problems {
		require.Equal(t, "no_effect", p.Code, "%v\n%s", p, text)
	}
	return compiled, values, statement
}

// joined works a query with one join out from the records, in the order of both keys.
func joined(w oracle.World, c *definition.Compiled) [][]string {
	rows, join := [][]string{}, c.Joins[0]
	for _, r := range w.Tables[c.From.Table.Name] {
		matched := false
		pair := func(other oracle.Record) {
			both := r.Beside(join.Alias, other)
			if other != nil {
				if v := w.Condition(join.On, both); v != oracle.True && v != oracle.Absent {
					return
				}
			}
			matched = true
			rows = append(rows, []string{shown(w.Value(c.Columns[0].Expr, both)), shown(w.Value(c.Columns[1].Expr, both))})
		}
		for _, other := range w.Tables[join.Table.Table.Name] {
			pair(other)
		}
		if !matched && join.Optional {
			pair(nil)
		}
	}
	return rows
}

// TestColumnsLeftOut: a query that names no columns returns those of its table in their
// order, a join or not, and of hand-written SQL those that it returns.
func TestColumnsLeftOut(t *testing.T) {
	t.Parallel()
	benches, world := navigations(t)
	for _, b := range benches {
		for _, rest := range []string{
			"from: dues_invoices\n",
			"from: dues_invoices\njoins: [{table: vessels, on: vessels.id = dues_invoices.vessel_id}]\n",
			"sql: select * from dues_invoices where criteria()\ntables: {dues_invoices: dues_invoices}\n",
		} {
			text := "kind: query\nname: q\nsource: small\n" + rest + "criteria: amount_pence > 2000\nsort: [id]\n"
			documents, problems := definition.Decode("", []byte(text))
			require.Empty(t, problems, text)
			compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{Result: func(q *definition.Query) (definition.Described, error) {
				table, _ := b.catalog.Table("dues_invoices")
				table.Name = definition.Result
				return definition.Described{Table: table}, nil
			}})
			require.NoError(t, problems.Err(), text)
			statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, nil)
			require.NoError(t, problems.Err(), text)
			table, _ := b.catalog.Table("dues_invoices")
			var names []string
			var want [][]string
			for _, out := range statement.Outputs {
				names = append(names, out.Name)
			}
			for _, c := range table.Columns {
				require.Contains(t, names, c.Name)
			}
			require.Len(t, names, len(table.Columns), text)
			for _, r := range world.Tables["dues_invoices"] {
				e, _ := criteria.Parse("amount_pence > 2000")
				require.Empty(t, criteria.ResolveCondition("", e, criteria.Scope{Tables: []criteria.Table{{Alias: "dues_invoices", Table: table}}}))
				if world.Condition(e, r) != oracle.True {
					continue
				}
				var row []string
				for _, c := range table.Columns {
					row = append(row, shown(r[c.Name]))
				}
				want = append(want, row)
			}
			require.NotEmpty(t, want)
			assert.Equal(t, want, b.rows(t, statement), "%s\n%s", b.engine, text)
		}
	}
}
