package oracle_test

import (
	"bytes"
	"encoding/csv"
	"flag"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/output"
	"pikegate/testing/oracle"
)

var grouped = flag.Int("grouped", 80, "how many random queries with groups are compared on every engine")

// groupQuery makes a random query of groups: what they are made by, a value made
// of each, a condition on records, one on groups and an order by a value.
func (r random) groupQuery() string {
	some := func(text string) string {
		if r.IntN(3) > 0 {
			return text
		}
		return "(" + text + " where " + pick(r, []string{"d within :period", "m > 1", "b", "z within '2025' or n = 2", "not (w < '2025-03')", "n > :none", "any r as o where o.n = r.m and o.d within :period", "e within :period - 1 year", "s = t", "month of d = '2025-03'"}) + ")"
	}
	of := func() string {
		if r.IntN(6) == 0 {
			return "(" + some("sum of n") + ")" + pick(r, []string{" - ", " + ", " / ", " * "}) + some(pick(r, []string{"sum of m", "count", "average of x", "greatest of x"}))
		}
		if r.IntN(8) == 0 {
			return "if(" + some("count") + " > 1, " + some("sum of x") + ", -1)"
		}
		if name := pick(r, []string{"sum", "average", "least", "greatest", "count distinct", "median", "percentile 90", "percentile 12.5", "percentile 50"}); r.IntN(5) > 0 {
			return some(name + " of " + pick(r, []string{"n", "m", "x", "x * 2", "m - 3", "n / 4"}))
		}
		return some(pick(r, []string{"count", "least of d", "greatest of e", "least of z", "greatest of v", "count distinct of s", "greatest of w", "least of k", "greatest of f", "sum of (count of r as o where o.n = r.n)", "median of d", "percentile 70 of v", "percentile 0.01 of e", "percentile 100 of z", "median of w", "median of 3 - m", "percentile 30 of 1 - x"}))
	}
	made, having, sort := of(), "", "c descending"
	if r.IntN(2) == 0 {
		having = " and " + some(pick(r, []string{"count", "sum of n", "sum of x", "least of m", "greatest of n", "count distinct of s", "median of m", "percentile 25 of x"})) + pick(r, []string{" > ", " <= ", " <> ", " = "}) + pick(r, []string{"1", "2", ":small", "0.5", "-3"})
	}
	if r.IntN(3) == 0 {
		having += " and " + pick(r, []string{"least of d", "greatest of e", "least of v"}) + pick(r, []string{" >= ", " < "}) + "'2025-03-30'"
	}
	if r.IntN(2) == 0 {
		sort = pick(r, []string{"v descending", "v", "v blanks first", "sum of m descending", "count", "median of n", "percentile 80 of x descending"})
	}
	by := pick(r, []string{"b", "s", "m", "month of d", "year(d)", "quarter of e", "d", "upper(t)", "date_of(v)", "week of f", "w", "count of r as o where o.m = r.m and o.d within :period", "greatest of o.e from r as o where o.n = r.m", "least of o.z from r as o where o.s = r.s"})
	counted := "count"
	if r.IntN(4) == 0 { // nothing else is made of each than values at places
		made, counted = some("median of "+pick(r, []string{"n", "x", "d", "v"})), some("percentile "+pick(r, []string{"0.01", "25", "100"})+" of "+pick(r, []string{"n", "m", "x", "z"}))
		if r.IntN(2) == 0 {
			having, sort = "", pick(r, []string{"v", "c descending"})
		}
	}
	return fmt.Sprintf("kind: query\nname: q\nsource: small\nfrom: r\nparameters:\n  - { name: period, kind: period, required: true }\n  - { name: small, kind: integer, required: true }\n  - { name: none, kind: integer }\n"+
		"columns:\n  - { name: k, value: \"%s\" }\n  - { name: v, value: \"%s\" }\n  - { name: c, value: \"%s\" }\ncriteria: \"m < 5%s\"\nsort: [%s]\n", by, made, counted, having, sort)
}

// TestGroups: groups, the values made of them, conditions on them and their
// order are the same on every engine, and those of the oracle.
func TestGroups(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 11)
	tried := 0
	for i := 0; tried < *grouped; i++ {
		r := random{Rand: rand.New(rand.NewPCG(*seed+3, uint64(i)))}
		text, in := r.groupQuery(), parameter.Inputs{"period": {Texts: []string{"2025"}}, "small": {Texts: []string{pick(r, []string{"1", "3"})}}}
		var first [][]string
		for j, b := range benches {
			rows, compiled, values, ok := b.groups(t, text, in)
			if !ok {
				break
			}
			if j == 0 {
				first = rows
				want := b.expectedGroups(compiled, values)
				got := slices.Clone(rows)
				slices.SortFunc(got, slices.Compare)
				slices.SortFunc(want, slices.Compare)
				require.Equal(t, want, got, "%s", text)
				tried++
				continue
			}
			require.Equal(t, first, rows, "%s\n%s", b.engine, text)
		}
	}
}

// TestPlacesOfAll: medians and percentiles of a whole table, beside each other and of some of
// its records, are those of the oracle; of none they are blank.
func TestPlacesOfAll(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	for _, b := range onEveryEngine(t, 12) {
		for _, of := range []string{"n", "m", "3 - x", "d", "v", "n where m > 1", "x where m > 1000000"} {
			text := "kind: query\nname: q\nsource: small\nfrom: r\ncolumns:\n"
			for i, made := range []string{"median", "percentile 90", "percentile 0.01", "percentile 100", "greatest"} {
				text += fmt.Sprintf("  - { name: v%d, value: \"%s of %s\" }\n", i, made, of)
			}
			rows, compiled, values, ok := b.groups(t, text, nil)
			require.True(t, ok, text)
			w := oracle.World{Calendar: b.ctx, Answers: values, Tables: b.tables()}
			var want []string
			for _, column := range compiled.Columns {
				want = append(want, shown(w.Value(oracle.Made(w, column.Expr, w.Tables["r"]), oracle.Record{})))
			}
			assert.Equal(t, [][]string{want}, rows, "%s\n%s", b.engine, text)
		}
	}
}

func (b *bench) groups(t *testing.T, text string, in map[string]parameter.Input) (rows [][]string, compiled *definition.Compiled, values parameter.Values, ok bool) {
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems, text)
	compiled, problems = definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	for _, p := range problems {
		if p.Code == "unused_parameter" || p.Severity == "warning" || p.Code == "never_true" {
			continue
		}
		if p.Code == "type_mismatch" { // of types that do not go together
			return nil, nil, nil, false
		}
		require.Fail(t, p.Message, text)
	}
	values, problems = parameter.Read(compiled.Questions, nil, in, parameter.Context{Calendar: b.ctx})
	require.Empty(t, problems, text)
	statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
	require.NoError(t, problems.Err(), text)
	return b.rows(t, statement), compiled, values, true
}

// rows are those of a statement, as CSV has them.
func (b *bench) rows(t *testing.T, statement plan.Selection) [][]string {
	t.Helper()
	var out bytes.Buffer
	w, reader := output.CSV.New(&out), statement.NewReader(london)
	require.NoError(t, w.Begin(output.Header{Location: london, Columns: statement.Outputs}))
	q := b.source.Dialect().Write(statement.Statement)
	require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
		if !fitting(statement.Statement, row) {
			return nil
		}
		return w.Row(reader.Read(row))
	}), "%s\n%s", b.engine, q.SQL)
	require.NoError(t, w.End(output.Summary{}))
	rows, err := csv.NewReader(strings.NewReader(out.String())).ReadAll()
	require.NoError(t, err)
	return rows[1:]
}

// expectedGroups works the groups out from the records.
func (b *bench) expectedGroups(c *definition.Compiled, values parameter.Values) [][]string {
	w := oracle.World{Calendar: b.ctx, Answers: values, Tables: b.tables()}
	groups := map[string][]oracle.Record{}
	terms := criteria.Conditions(c.Criteria)
	for _, id := range b.ids {
		r := b.records[id]
		if w.Condition(terms[0], r) != oracle.True {
			continue
		}
		v := w.Unit(c.Columns[0].Expr, r)
		key := shown(v)
		if v == nil {
			key = "\x00"
		}
		groups[key] = append(groups[key], r)
	}
	rows := [][]string{}
	for key, records := range groups {
		if slices.ContainsFunc(terms[1:], func(e criteria.Expr) bool {
			return w.Condition(oracle.Made(w, e, records), oracle.Record{}) != oracle.True
		}) {
			continue
		}
		row := []string{strings.Trim(key, "\x00")}
		for _, column := range c.Columns[1:] {
			row = append(row, shown(w.Value(oracle.Made(w, column.Expr, records), oracle.Record{})))
		}
		rows = append(rows, row)
	}
	return rows
}

// TestExactSums: sums of decimals are the decimals, and those of large whole
// numbers do not run over, on every engine.
func TestExactSums(t *testing.T) {
	t.Parallel()
	values := []string{"0.1", "0.2", "177.41", "0.1", "-0.01"}
	want := new(big.Rat)
	for _, v := range values {
		r, _ := new(big.Rat).SetString(v)
		want.Add(want, r)
	}
	for kind, c := range map[string]struct{ table, insert string }{
		"sqlite":     {"create table r (id integer primary key, x real, n integer)", "insert into r values (?, ?, ?)"},
		"postgresql": {"create table r (id int primary key, x double precision, n bigint)", "insert into r values ($1, $2::text::float8, $3)"},
		"mysql":      {"create table r (id int primary key, x double, n bigint)", "insert into r values (?, ?, ?)"},
	} {
		t.Run(kind, func(t *testing.T) {
			b, db := newEmpty(t, kind, c.table)
			for i, v := range values {
				_, err := db.Exec(c.insert, i, v, int64(1)<<62)
				require.NoError(t, err)
			}
			require.NoError(t, db.Close())
			b.open(t)
			text := "kind: query\nname: q\nsource: small\nfrom: r\ncolumns: [{ name: x, value: sum of x }, { name: n, value: sum of n }, { name: a, value: average of x }]\ncriteria: sum of x > 177.79 and sum of n > 23058430092136930000\nsort: [sum of n]\n"
			rows, _, _, ok := b.groups(t, text, nil)
			require.True(t, ok)
			require.Equal(t, [][]string{{shown(want), "23058430092136939520", shown(new(big.Rat).Quo(want, big.NewRat(5, 1)))}}, rows)
		})
	}
}

// TestDistinct: each different row is returned once, whatever is shown of the
// query, with how many records it stands for, on every engine.
func TestDistinct(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 13)
	// A blank and an empty text are different values that CSV, read back, does not distinguish.
	keys := []string{"b", "concat('x', s)", "m", "month of d", "year(d)", "quarter of e", "d", "upper(concat('x', t))", "date_of(v)", "w", "n / 2", "k"}
	for i := range 60 {
		r := random{Rand: rand.New(rand.NewPCG(*seed+5, uint64(i)))}
		count, wanted := "", []string{"p", "q"}
		if r.IntN(2) == 0 {
			count, wanted = ", { name: c, value: count }", []string{"p", "q", "c"}
		}
		if count != "" && r.IntN(3) == 0 { // a report shows some of the columns
			wanted = append([]string{"q"}, wanted[2:]...)
		}
		text := fmt.Sprintf("kind: query\nname: q\nsource: small\nfrom: r\ndistinct: true\ncolumns:\n  [{ name: p, value: \"%s\" }, { name: q, value: \"%s\" }%s]\ncriteria: m < %d\nsort: [p descending, q]\n", pick(r, keys), pick(r, keys), count, r.IntN(6))
		var first [][]string
		for j, b := range benches {
			documents, problems := definition.Decode("", []byte(text))
			require.Empty(t, problems, text)
			compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
			require.NoError(t, problems.Err(), text)
			statement, problems := b.planner(compiled, b.ctx).Records(definition.View{Columns: wanted}, nil)
			require.NoError(t, problems.Err(), text)
			assert.Contains(t, plan.ReadBack(statement.Statement), "Each different row once.")
			rows := b.rows(t, statement)
			if j > 0 {
				require.Equal(t, first, rows, "%s\n%s", b.engine, text)
				continue
			}
			first = rows
			w, counts := oracle.World{Calendar: b.ctx}, map[string]int{}
			for _, id := range b.ids {
				record := b.records[id]
				if w.Condition(compiled.Criteria, record) != oracle.True {
					continue
				}
				var cells []string
				for _, c := range compiled.Columns {
					if _, aggregate := c.Expr.(*criteria.Aggregate); !aggregate && slices.Contains(wanted, c.Name) {
						cells = append(cells, shown(w.Unit(c.Expr, record)))
					}
				}
				counts[strings.Join(cells, "|")]++
			}
			got := map[string]int{}
			for _, row := range rows {
				n := counts[strings.Join(row[:min(len(row), len(wanted)-strings.Count(count, "count"))], "|")]
				if count != "" {
					require.Equal(t, fmt.Sprint(n), row[len(row)-1], "%s\n%v", text, row)
					row = row[:len(row)-1]
				}
				key := strings.Join(row, "|")
				require.NotContains(t, got, key, "%s: twice", text)
				got[key] = n
			}
			require.Equal(t, counts, got, text)
		}
	}
}
