package oracle_test

import (
	"bytes"
	"encoding/csv"
	"flag"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/core/record"
	"pikegate/internal/output"
	"pikegate/testing/oracle"
)

var crossed = flag.Int("crossed", 50, "how many random tables across, and as many reports whose records stand out, are tried on every engine")

const crossQuery = "kind: query\nname: q\nsource: small\nfrom: r\nparameters: [{ name: period, kind: period, required: true }]\ncolumns: [id, n, m, x, s, t, b, d, e, v]\ncriteria: \"(m < 5 and (%s)) or (m = 9 and d within :period)\"\n"

// conditions of records and of what records come to.
var (
	ofRecords = []string{"n > m", "x >= 0.5 or n is blank", "not (m = 2)", "s = t", "s starts with 'a'", "d >= '2025-03-30'", "month of d = '2025-03'", "b", "not b", "e within '2025-03'", "n + m > 3 and s is not blank", "v within '2025'", "d is blank or x * 2 < m", "day(d) > 15"}
	ofTotals  = []string{"sum of x > 1", "count >= 2", "count = 0", "least of n < m_least and count > 1", "(greatest of m) - (least of m) > 1", "count distinct of s > 1 or sum of n is blank", "not (sum of x > 0)", "average of m >= 2", "greatest of d >= '2025-03-30'"}
	marks     = []string{"strong", "quiet", "good", "warning", "bad"}
)

// highlights writes some conditions, and what stands out where they hold.
func (r random) highlights(from []string) (text string, conditions, as []string) {
	for range 1 + r.IntN(3) {
		condition := strings.ReplaceAll(pick(r, from), "m_least", "2")
		conditions, as = append(conditions, condition), append(as, pick(r, marks))
		text += fmt.Sprintf("  - { when: \"%s\", as: %s }\n", condition, as[len(as)-1])
	}
	return text, conditions, as
}

// condition compiles a condition on records, or on groups of them, as those of a query.
func (b *bench) condition(t *testing.T, text string, ofGroups bool) criteria.Expr {
	t.Helper()
	columns := "[id]"
	if ofGroups {
		columns = "[{ name: v, value: count }]"
	}
	documents, problems := definition.Decode("", []byte("kind: query\nname: c\nsource: small\nfrom: r\ncolumns: "+columns+"\ncriteria: \""+text+"\"\n"))
	require.Empty(t, problems, text)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	require.False(t, problems.Failed(), "%s: %v", text, problems)
	return compiled.Criteria
}

// report runs a report on a query, whose records are handed over, and gives those of the
// oracle that meet its criteria.
func (b *bench) report(t *testing.T, query, report string) (s plan.Selection, rows func(func(record.Record)), w oracle.World, records []oracle.Record) {
	t.Helper()
	documents, problems := definition.Decode("", []byte(query+"---\n"+report))
	require.Empty(t, problems, report)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	require.False(t, problems.Failed(), "%s: %v", query, problems)
	values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{"period": {Texts: []string{"2025"}}}, parameter.Context{Calendar: b.ctx})
	require.Empty(t, problems)
	view, problems := compiled.View(documents[1].(*definition.Report))
	require.False(t, problems.Failed(), "%s: %v", report, problems)
	s, problems = b.planner(compiled, b.ctx).Records(view, values)
	require.NoError(t, problems.Err(), report)
	w = oracle.World{Calendar: b.ctx, Answers: values, Tables: b.tables()}
	for _, id := range b.ids {
		if r := b.records[id]; w.Condition(compiled.Criteria, r) == oracle.True {
			records = append(records, r)
		}
	}
	return s, func(take func(record.Record)) {
		reader := s.NewReader(london)
		require.NoError(t, b.source.Stream(t.Context(), b.source.Dialect().Write(s.Statement), func(row []any) error {
			if fitting(s.Statement, row) {
				take(reader.Read(row))
			}
			return nil
		}), "%s\n%s", b.engine, report)
	}, w, records
}

// TestAcross: each cell of a table across is what the oracle makes of its records, and stands
// out as the first of the conditions says that they meet, on every engine; so do the totals
// both ways.
func TestAcross(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 13)
	by := []string{"s", "b", "m", "month of d", "month of e", "year(d)", "n", "upper(t)"}
	for i := range *crossed {
		r := random{Rand: rand.New(rand.NewPCG(*seed+5, uint64(i)))}
		left, top, of := pick(r, by), pick(r, by), pick(r, []string{"count", "sum of x", "least of m", "greatest of n", "count distinct of s", "greatest of d", "average of m"})
		emphasis, conditions, as := r.highlights(ofTotals)
		query := fmt.Sprintf(crossQuery, pick(r, append(ofRecords, "d within :period", "e within :period")))
		report := fmt.Sprintf("kind: report\nname: q\nquery: q\ngroups: [\"%s\"]\nacross:\n  by: \"%s\"\n  of: [\"%s\"]\n  empty: gap\n  emphasis:\n%s", left, top, of, strings.ReplaceAll(emphasis, "  - ", "    - "))
		for _, b := range benches {
			s, rows, w, records := b.report(t, query, report)
			value := func(text string, r oracle.Record) string {
				v := w.Unit(b.columnOf(t, text), r)
				if v == nil {
					return "\x00"
				}
				return shown(v)
			}
			cells := map[[2]string][]oracle.Record{}
			for _, r := range records {
				for _, key := range [][2]string{{value(left, r), value(top, r)}, {value(left, r), "total"}, {"total", value(top, r)}, {"total", "total"}} {
					cells[key] = append(cells[key], r)
				}
			}
			made := b.columnOf(t, of)
			expected := func(key [2]string) string {
				if len(cells[key]) == 0 {
					return ""
				}
				return shown(w.Value(oracle.Made(w, made, cells[key]), oracle.Record{}))
			}
			cross := s.NewCross(b.ctx)
			rows(func(r record.Record) { require.NoError(t, cross.Row(r)) })
			table := cross.End()
			written, emphases := printed(t, table)
			where := fmt.Sprintf("%s\n%s%s", b.engine, query, report)
			seen := 0
			for at, line := range written {
				key := [2]string{line[0], ""}
				if key[0] == "" && table.Lines[at][0].Kind() == record.Blank {
					key[0] = "\x00"
				}
				for i := 1; i < len(line); i++ {
					if key[1] = "total"; table.IsTop[i] {
						key[1] = topText(table.Tops[i], table.Top)
					}
					require.Equal(t, expected(key), line[i], "%q %s", key, where)
					if table.IsTop[i] && len(cells[key]) > 0 {
						seen++
						want := ""
						for c, condition := range conditions {
							if w.Condition(oracle.Made(w, b.condition(t, condition, true), cells[key]), oracle.Record{}) == oracle.True {
								want = as[c]
								break
							}
						}
						require.Equal(t, want, emphases[at][i].String(), "%q %s", key, where)
					}
				}
			}
			apart := 0
			for key := range cells {
				if key[0] != "total" && key[1] != "total" {
					apart++
				}
			}
			require.Equal(t, apart, seen, where)
			for _, total := range table.Totals {
				for i, o := range table.Outputs {
					if o.Name == total.Of {
						key := [2]string{"total", "total"}
						if table.IsTop[i] {
							key[1] = topText(table.Tops[i], table.Top)
						}
						require.Equal(t, expected(key), totalText(total), "%q %s", key, where)
					}
				}
			}
		}
	}
}

// topText is a value along the top as the oracle's are shown.
func topText(v any, column catalog.Column) string {
	if v == nil {
		return "\x00"
	}
	if yes, ok := v.(bool); ok {
		return fmt.Sprint(yes)
	}
	return output.Answer(v, column)
}

// totalText is a total as the oracle's values are shown.
func totalText(total plan.TotalValue) string {
	v := output.TotalsOf([]plan.TotalValue{total})[0].Value
	if v == nil {
		return ""
	}
	return fmt.Sprint(v)
}

// printed are the lines of a table as CSV has them, and how their cells stand out.
func printed(t *testing.T, table plan.CrossTable) (lines [][]string, emphases [][]record.Emphasis) {
	t.Helper()
	var out bytes.Buffer
	w := output.CSV.New(&out)
	require.NoError(t, w.Begin(output.Header{Location: london, Columns: table.Outputs}))
	for _, line := range table.Lines {
		require.NoError(t, w.Row(line))
		var of []record.Emphasis
		for _, v := range line {
			of = append(of, v.Emphasis)
		}
		emphases = append(emphases, of)
	}
	require.NoError(t, w.End(output.Summary{}))
	lines, err := csv.NewReader(strings.NewReader(out.String())).ReadAll()
	require.NoError(t, err)
	return lines[1:], emphases
}

// TestEmphasis: each record stands out as the first of the conditions says that it meets, on
// every engine.
func TestEmphasis(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 14)
	for i := range *crossed {
		r := random{Rand: rand.New(rand.NewPCG(*seed+6, uint64(i)))}
		emphasis, conditions, as := r.highlights(ofRecords)
		query, report := fmt.Sprintf(crossQuery, "d within :period"), "kind: report\nname: q\nquery: q\nemphasis:\n"+emphasis
		for _, b := range benches {
			_, rows, w, records := b.report(t, query, report)
			want := map[string]string{}
			for _, r := range records {
				id := shown(w.Value(b.columnOf(t, "id"), r))
				want[id] = ""
				for c, condition := range conditions {
					if w.Condition(b.condition(t, condition, false), r) == oracle.True {
						want[id] = as[c]
						break
					}
				}
			}
			got := map[string]string{}
			rows(func(r record.Record) { got[fmt.Sprint(r[0].Int())] = r[0].Emphasis.String() })
			require.Equal(t, want, got, "%s\n%s", b.engine, report)
		}
	}
}

// columnOf compiles a column of a query.
func (b *bench) columnOf(t *testing.T, text string) criteria.Expr {
	t.Helper()
	documents, problems := definition.Decode("", []byte("kind: query\nname: c\nsource: small\nfrom: r\ncolumns: [{ name: w, value: \""+text+"\" }]\n"))
	require.Empty(t, problems, text)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	require.False(t, problems.Failed(), "%s: %v", text, problems)
	return compiled.Columns[0].Expr
}
