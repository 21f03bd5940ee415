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

var passages = catalog.Source{Name: "s", Engine: "sqlite", Traits: catalog.Traits{Untyped: true}, Tables: []catalog.Table{{Name: "t", Key: []string{"n"}, Columns: []catalog.Column{
	{Name: "n", Type: catalog.Integer},
	{Name: "x", Type: catalog.Decimal, Nullable: true},
	{Name: "s", Type: catalog.Text},
	{Name: "b", Type: catalog.Boolean},
	{Name: "d", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Shape: "2026-03-31"},
	{Name: "u", Type: catalog.DateTime, Encoding: catalog.EncUnixS, Stored: catalog.Integer},
}}}}

// worked takes criteria the whole way to SQL, on every engine, and tells what it
// took: the bytes that were allocated, and whether they were refused.
func worked(t *testing.T, criteria string) (bytes uint64, refused error) {
	t.Helper()
	text := "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: [n]\ncriteria: |\n  " + criteria + "\n"
	answers := parameter.Inputs{}
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
		ctx := civil.Calendar{Zone: civil.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 31).Midnight())}
		values, problems := parameter.Read(compiled.Questions, nil, answers, parameter.Context{Calendar: ctx})
		require.Empty(t, problems)
		statement, problems := plan.Planner{Query: compiled, Calendar: ctx}.Records(definition.View{}, values)
		refused = problems.Err()
		for _, d := range []dialect.Dialect{dialect.SQLite, dialect.Postgres("C.utf8"), dialect.MySQL("utf8mb4_nopad_bin")} {
			refused = cmp.Or(refused, d.Write(statement.Statement).Err())
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
	numbered := func(term string) func(n int) string {
		return func(n int) string {
			s := "n > 0"
			for i := range n {
				s += fmt.Sprintf(term, i)
			}
			return s
		}
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
		"different ands":         numbered(" and n <> %d"),
		"different ors":          numbered(" or (x > %[1]d and n < %[1]d)"),
		"periods":                joined("d within :p", " and "),
		"instants":               joined("u within :p", " or "),
		"months of instants":     joined("month of u = '2026-03'", " or "),
		"spans":                  joined("span(d, d) overlaps :p", " and "),
		"related records":        joined("(any t as o where o.n = t.n and o.d within :p)", " and "),
		"values of them":         joined("(count of t as o where o.n = t.n) > 1", " and "),
		"different values":       numbered(" and (sum of o.x from t as o where o.n = t.n and o.x > %d) > 1"),
		"one inside another": func(n int) string {
			s := "o0.x > 1"
			for i := range n {
				inner := "t"
				if i < n-1 {
					inner = fmt.Sprintf("o%d", i+1)
				}
				s = fmt.Sprintf("any t as o%d where o%d.n = %s.n and (%s)", i, i, inner, s)
			}
			return s
		},
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

// TestDocumentsGrow: a file of definitions takes a time that grows with its
// length whatever it is full of, or is refused.
func TestDocumentsGrow(t *testing.T) {
	numbered := func(format string) func(n int) string {
		return func(n int) string {
			var b strings.Builder
			for i := 0; b.Len() < n; i++ {
				fmt.Fprintf(&b, format, i)
			}
			return b.String()
		}
	}
	repeated := func(part string) func(n int) string {
		return func(n int) string { return strings.Repeat(part, n/len(part)) }
	}
	for name, shape := range map[string]func(n int) string{
		"keys": numbered("k%d: 1\n"), "keys in a flow": func(n int) string { return "a: {" + numbered("k%d: 1, ")(n) + "}" },
		"colons": repeated(":"), "colons and blanks": repeated(": "), "keys on a line": repeated("a: "), "anchors": repeated("&a "), "tags": repeated("!a "),
		"anchors on lines": repeated("&a\n"), "tags on lines": repeated("!a\n"), "aliases": func(n int) string { return "a: &x 1\n" + repeated("b: *x\n")(n) },
		"lists": repeated("- 1\n"), "questions": repeated("? a\n"), "comments": repeated("# x\n"), "documents": repeated("---\na: 1\n"), "texts": repeated("a: 'x'\n"),
	} {
		t.Run(name, func(t *testing.T) {
			took := func(n int) uint64 {
				var before, after runtime.MemStats
				text := []byte(shape(n))
				runtime.ReadMemStats(&before)
				_, _ = definition.Decode("", text)
				runtime.ReadMemStats(&after)
				return after.TotalAlloc - before.TotalAlloc
			}
			took(1000)
			once, twice := took(100_000), took(200_000)
			assert.Less(t, float64(twice), 2.6*float64(once)+5e6, "%d then %d bytes", once, twice)
			assert.Less(t, twice, uint64(600<<20))
		})
	}
}

// TestAnswersGrow: many answers, and questions made of each other, take a time
// that grows with their number.
func TestAnswersGrow(t *testing.T) {
	ctx := parameter.Context{Calendar: civil.Calendar{Zone: civil.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 31).Midnight())}}
	many := func(n int) func() {
		in := parameter.Input{}
		for i := range n {
			in.Texts = append(in.Texts, fmt.Sprintf("answer %d", i))
		}
		return func() {
			_, problems := parameter.Read([]parameter.Parameter{{Name: "a", Kind: parameter.Text, Many: true}}, nil, parameter.Inputs{"a": in}, ctx)
			assert.Equal(t, n > parameter.MaxAnswers, len(problems) > 0)
		}
	}
	chained := func(n int) func() {
		var questions []parameter.Parameter
		for i := range n { // each needs the one after it
			questions = append(questions, parameter.Parameter{Name: fmt.Sprintf("q%d", i), Kind: parameter.Integer, Derive: fmt.Sprintf(":q%d + 1", i+1)})
		}
		questions = append(questions, parameter.Parameter{Name: fmt.Sprintf("q%d", n), Kind: parameter.Integer})
		return func() {
			values, problems := parameter.Read(questions, nil, parameter.Inputs{fmt.Sprintf("q%d", n): {Texts: []string{"1"}}}, ctx)
			assert.Empty(t, problems)
			assert.Equal(t, fmt.Sprint(n+1), values["q0"].Numbers[0].String())
		}
	}
	strange := func(n int) func() {
		in := parameter.Inputs{}
		for i := range n {
			in[fmt.Sprintf("strange%d", i)] = parameter.Input{Texts: []string{"1"}}
		}
		return func() {
			_, problems := parameter.Read([]parameter.Parameter{{Name: "a", Kind: parameter.Text}}, nil, in, ctx)
			assert.NotEmpty(t, problems)
		}
	}
	for name, f := range map[string]func(n int) func(){"many": many, "chained": chained, "strange": strange} {
		once, twice := testing.AllocsPerRun(1, f(1000)), testing.AllocsPerRun(1, f(2000))
		assert.Less(t, twice, 2.6*once+1000, name)
	}
	many(40_000)() // refused
}
