// Package attacks_test tries what one person could do to stop, rob or fill the
// service for all others; each attack that once worked stays here.
package attacks_test

import (
	"cmp"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

var passages = catalog.Source{Name: "s", Engine: "sqlite", Tables: []catalog.Table{{Name: "t", Key: []string{"n"}, Columns: []catalog.Column{
	{Name: "n", Type: catalog.Integer},
	{Name: "x", Type: catalog.Decimal, Nullable: true},
	{Name: "s", Type: catalog.Text},
	{Name: "b", Type: catalog.Boolean},
	{Name: "d", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Layout: "2026-03-31"},
	{Name: "u", Type: catalog.DateTime, Encoding: catalog.EncUnixS, Stored: catalog.Integer},
}}}}

// worked takes criteria the whole way to SQL, on every engine, and tells what it
// took: the bytes that were allocated, and whether they were refused.
func worked(t *testing.T, criteria string) (bytes uint64, refused error) {
	t.Helper()
	text := "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [n]\ncriteria: |\n  " + criteria + "\n"
	answers := map[string]parameter.Input{}
	if strings.Contains(criteria, ":p") {
		text += "parameters: [{name: p, kind: period, required: true}]\n"
		answers["p"] = parameter.Input{Texts: []string{"2026-03"}}
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems, "%.200s", criteria)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &passages, definition.Library{})
	if problems.Failed() {
		refused = problems
	} else {
		ctx := civil.Context{Zone: civil.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 31).Midnight())}
		values, problems := parameter.Read(compiled.Questions, nil, answers, parameter.Context{Context: ctx})
		require.Empty(t, problems)
		statement, problems := plan.Bind(compiled, definition.View{}, values, ctx)
		refused = problems.Err()
		for _, d := range []dialect.Dialect{dialect.SQLite, dialect.Postgres("C.utf8"), dialect.MySQL("utf8mb4_nopad_bin")} {
			refused = cmp.Or(refused, d.Write(statement).Err())
		}
	}
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc, refused
}

// TestCriteriaGrow doubles criteria of every shape: what they take doubles too,
// or they are refused.
func TestCriteriaGrow(t *testing.T) {
	nested := func(before, middle, after string) func(n int) string {
		return func(n int) string { return strings.Repeat(before, n) + middle + strings.Repeat(after, n) }
	}
	joined := func(term, by string) func(n int) string {
		return func(n int) string { return strings.TrimSuffix(strings.Repeat(term+by, n), by) }
	}
	compared := func(f func(n int) string, with string) func(n int) string {
		return func(n int) string { return f(n) + with }
	}
	for name, shape := range map[string]func(n int) string{
		"a sum":                  compared(joined("n", " + "), " = 1"),
		"a sum of sums":          compared(nested("(n + ", "n", ")"), " = 1"),
		"a product":              compared(joined("x", " * "), " = 1"),
		"signs":                  compared(nested("-(", "n", ")"), " = 1"),
		"floor":                  compared(nested("floor(", "x", ")"), " = 1"),
		"ceil":                   compared(nested("ceil(", "x", ")"), " = 1"),
		"round":                  compared(nested("round(", "x / 3", ", 2)"), " = 1"),
		"not":                    nested("not (", "b", ")"),
		"not of a comparison":    nested("not (", "d within :p", ")"),
		"parentheses":            nested("(", "n = 1", ")"),
		"conditions compared":    nested("(b = ", "(n > 1)", ")"),
		"dates compared as such": nested("((d within :p) = ", "(n > 1)", ")"),
		"if in its condition":    nested("if(", "b", ", b, n > 1)"),
		"if in its values":       compared(nested("if(b, ", "n", ", 1)"), " = 1"),
		"if by dates":            compared(nested("if(d within :p, ", "n", ", 1)"), " = 1"),
		"coalesce":               compared(nested("coalesce(x, ", "n", ")"), " = 1"),
		"the start of starts":    compared(nested("start_of(half, ", "d", ")"), " within :p"),
		"weeks of starts":        compared(nested("week(start_of(week, d)) + ", "n", ""), " = 1"),
		"starts of instants":     compared(nested("coalesce(start_of(half, ", "u", "))"), " within :p"),
		"dates moved":            compared(nested("(", "d", " + 1 month)"), " = d"),
		"concat":                 compared(nested("concat(s, ", "s", ")"), " ends with 'a'"),
		"ends with":              compared(nested("concat(s, ", "s", ")"), " ends with s"),
		"between":                nested("(b = (", "n between 1 and x", "))"),
		"between in between":     nested("(", "b", " between b and b)"),
		"in in in":               nested("(", "b", " in (b, b))"),
		"lists":                  func(n int) string { return "n in (" + joined("1", ", ")(n*10) + ")" },
		"lists of others":        func(n int) string { return "n in (" + joined("n + 1", ", ")(n*5) + ")" },
		"ands":                   joined("n = 1", " and "),
		"ors":                    joined("n = 1", " or "),
		"ors of ands":            joined("(n = 1 and x = 2)", " or "),
		"ands of ors":            joined("(n = 1 or d within :p)", " and "),
		"different ands": func(n int) string {
			s := "n > 0"
			for i := range n {
				s += fmt.Sprintf(" and n <> %d", i)
			}
			return s
		},
		"different ors": func(n int) string {
			s := "n > 0"
			for i := range n {
				s += fmt.Sprintf(" or (x > %d and n < %d)", i, i)
			}
			return s
		},
		"periods":            joined("d within :p", " and "),
		"instants":           joined("u within :p", " or "),
		"months of instants": joined("month of u = '2026-03'", " or "),
		"spans":              joined("span(d, d) overlaps :p", " and "),
	} {
		t.Run(name, func(t *testing.T) {
			const n = 11
			_, refused := worked(t, shape(3)) // what is made once, such as the clocks of a zone
			require.NoError(t, refused)
			once, refusedOnce := worked(t, shape(n))
			twice, refused := worked(t, shape(2*n))
			t.Logf("%d then %d bytes, %v", once, twice, refused)
			require.NoError(t, refusedOnce)
			if refused == nil {
				assert.Less(t, float64(twice), 3*float64(once)+1e6)
			}
			assert.Less(t, twice, uint64(100<<20))
		})
	}
}
