package oracle_test

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"flag"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/testing/oracle"
)

var queries = flag.Int("queries", 70, "how many random queries are written out by every engine")

// query makes a random definition.
func (r random) query() string {
	var b strings.Builder
	b.WriteString("kind: query\nname: q\nsource: small\nfrom: r\nparameters:\n")
	for _, q := range questions {
		fmt.Fprintf(&b, "  - { name: %s, kind: %s, required: %v, many: %v, when_blank: %s, include_blanks: %v", q.Name, q.Kind, q.Required, q.Many, cmp.Or(q.WhenBlank, "skip"), q.IncludeBlanks)
		if q.Kind == parameter.Period {
			fmt.Fprintf(&b, ", limits: { ends: %s }", q.Limits.Ends)
		}
		b.WriteString(" }\n")
	}
	b.WriteString("columns:\n  - id\n")
	n := 2 + r.IntN(4)
	for i := range n {
		value := ""
		for value == "" || strings.Contains(value, ":") {
			switch r.IntN(5) {
			case 4: // what is asked of other records can ask questions
				value = pick(r, []string{"count of r as o", "any r as o", "at least 2 r as o", "sum of o.x from r as o", "if(no r as o, 'none', s)", "greatest of o.e from r as o"})
				if at := strings.Index(value, "r as o"); at >= 0 {
					others := r.others(1)
					if strings.Contains(value, "least") || value[:3] == "any" || value[:2] == "if" {
						others = strings.TrimPrefix(others, "all ")
					}
					value = value[:at] + others + value[at+6:]
				}
				value = strings.ReplaceAll(value, ":", "\x00")
			case 0:
				value = r.number(0)
			case 1:
				value = r.text(0)
			case 2:
				value = r.date(0)
			case 3:
				value = pick(r, []string{"n", "x", "s", "t", "b", "d", "f", "e", "u", "l", "z", "v", "w", "y", "k"})
			}
		}
		fmt.Fprintf(&b, "  - { name: c%d, value: \"%s\" }\n", i, strings.ReplaceAll(value, "\x00", ":"))
	}
	condition := r.condition(1)
	if r.IntN(3) == 0 { // nothing is asked of the records themselves
		condition = r.ofRelated(0) + pick(r, []string{" >= ", " < ", " <> "}) + pick(r, []string{"1", ":small", r.ofRelated(0)})
	}
	if r.IntN(8) == 0 { // a text that may be shown is read as a date
		condition = "(" + condition + ") and date_in(" + pick(r, []string{"s", "t"}) + ", 'D.M.Y')" + pick(r, []string{" >= ", " < ", " within "}) + r.stretch()
	}
	fmt.Fprintf(&b, "criteria: \"%s\"\nsort:\n", condition)
	for range 1 + r.IntN(2) {
		fmt.Fprintf(&b, "  - c%d%s%s\n", r.IntN(n), pick(r, []string{"", " descending"}), pick(r, []string{"", " blanks first"}))
	}
	return b.String()
}

// written is what an engine returns for a query, as CSV and as JSON; ok is
// false for what does not go together.
func (b *bench) written(t *testing.T, text string, in map[string]parameter.Input) (asCSV, asJSON string, compiled *definition.Compiled, values parameter.Values, ok bool) {
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems, text)
	compiled, problems = definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	for _, p := range problems {
		if p.Severity != "warning" && p.Code != "unused_parameter" && p.Code != "never_true" {
			return "", "", nil, nil, false
		}
	}
	values, problems = parameter.Read(compiled.Questions, nil, in, parameter.Context{Calendar: b.ctx})
	require.Empty(t, problems, text)
	statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
	if problems.Failed() {
		return "", "", nil, nil, false
	}
	var first, second bytes.Buffer
	writers := []output.Writer{output.CSV.New(&first), output.JSON.New(&second)}
	for _, w := range writers {
		require.NoError(t, w.Begin(output.Header{Location: london, Columns: statement.Outputs}))
	}
	reader := statement.NewReader(london)
	q := b.source.Dialect().Write(statement.Statement)
	require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
		if !fitting(statement.Statement, row) {
			return nil
		}
		record := reader.Read(row)
		for _, w := range writers {
			if err := w.Row(record); err != nil {
				return err
			}
		}
		return nil
	}), "%s\n%s\n%s", b.engine, text, q.SQL)
	for _, w := range writers {
		require.NoError(t, w.End(output.Summary{}))
	}
	return first.String(), second.String(), compiled, values, true
}

// TestEnginesAgree: random queries are written out byte for byte alike by every
// engine, and the rows and their order are those of the oracle.
func TestEnginesAgree(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	agree(t, onEveryEngine(t, 7))
}

// TestWorkbooksAgree: the same of a workbook, and a database in which no text is empty either.
func TestWorkbooksAgree(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	same := func() random { return random{Rand: rand.New(rand.NewPCG(*seed, 8))} }
	agree(t, []*bench{newFile(t, same(), withoutEmpty), newFolder(t, same(), "workbook")})
}

// agree tries random queries on engines that hold the same records.
func agree(t *testing.T, benches []*bench) {
	tried := 0
	for i := 0; tried < *queries; i++ {
		r := random{Rand: rand.New(rand.NewPCG(*seed+1, uint64(i)))}
		text := r.query()
		in := r.answers(text)
		firstCSV, firstJSON, compiled, values, ok := benches[0].written(t, text, in)
		if !ok {
			continue
		}
		tried++
		for _, b := range benches[1:] {
			asCSV, asJSON, _, _, ok := b.written(t, text, in)
			if b.catalog.Traits.Unplaced && (strings.Contains(text, "median of o.") || strings.Contains(text, "percentile 60 of o.")) {
				require.False(t, ok, text) // a check refuses it
				continue
			}
			require.True(t, ok, "%s\n%s", b.engine, text)
			require.Equal(t, firstCSV, asCSV, "%s\n%s", b.engine, text)
			require.Equal(t, firstJSON, asJSON, "%s\n%s", b.engine, text)
		}
		rows, err := csv.NewReader(strings.NewReader(firstCSV)).ReadAll()
		require.NoError(t, err)
		require.Equal(t, benches[0].expected(compiled, values), rows[1:], text)
	}
	assert.Equal(t, *queries, tried)
}

// expected works the rows of a query out from the records.
func (b *bench) expected(c *definition.Compiled, values parameter.Values) [][]string {
	byName := map[string]parameter.Parameter{}
	for _, q := range questions {
		byName[q.Name] = q
	}
	w := oracle.World{Calendar: b.ctx, Questions: byName, Answers: values, Tables: b.tables()}
	chosen := slices.DeleteFunc(slices.Clone(b.ids), func(id int64) bool {
		result := w.Condition(c.Criteria, b.records[id])
		return result != oracle.True && result != oracle.Absent
	})
	keys := map[int64][]any{}
	for _, id := range chosen {
		for _, key := range c.Sort {
			keys[id] = append(keys[id], w.Value(key.Expr, b.records[id]))
		}
	}
	slices.SortFunc(chosen, func(x, y int64) int {
		descending := false
		for i, key := range c.Sort {
			if len(criteria.Columns(key.Expr)) == 0 && len(criteria.RelatedTables(key.Expr)) == 0 {
				continue
			}
			a, z := keys[x][i], keys[y][i]
			order := 0
			switch descending = key.Descending; {
			case a == nil || z == nil:
				order = cmp.Compare(blankness(a), blankness(z))
				if key.BlanksFirst {
					order = -order
				}
			default:
				if order = compareValues(a, z); descending {
					order = -order
				}
			}
			if order != 0 {
				return order
			}
		}
		if descending { // the key goes the way of the last
			return cmp.Compare(y, x)
		}
		return cmp.Compare(x, y)
	})
	rows := make([][]string, 0, len(chosen))
	for _, id := range chosen {
		var row []string
		for _, col := range c.Columns {
			v := w.Value(col.Expr, b.records[id])
			if plain, ok := col.Expr.(*criteria.Column); ok {
				v = b.records[id][plain.Name]
			}
			row = append(row, shown(v))
		}
		rows = append(rows, row)
	}
	return rows
}

func blankness(v any) int {
	if v == nil {
		return 1
	}
	return 0
}

func compareValues(a, z any) int {
	switch a := a.(type) {
	case *big.Rat:
		return a.Cmp(z.(*big.Rat))
	case string:
		return strings.Compare(a, z.(string))
	case oracle.Moment:
		return a.Compare(z.(oracle.Moment))
	}
	return cmp.Compare(fmt.Sprint(a), fmt.Sprint(z)) // false before true
}

// shown is a value as CSV has it.
func shown(v any) string {
	switch v := v.(type) {
	case *big.Rat:
		return strings.TrimSuffix(strings.TrimRight(v.FloatString(12), "0"), ".")
	case oracle.Moment:
		if v.Instant != nil {
			return time.Unix(int64(*v.Instant), int64(v.Nanos)).In(london).Format("2006-01-02T15:04:05.999999999-07:00")
		}
		if v.Day {
			return v.At.Date().String()
		}
		return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%s.%09d", v.At, v.Nanos), "0"), ".")
	case oracle.Unfit:
		if f, ok := v.Stored.(float64); ok {
			return strconv.FormatFloat(f, 'f', -1, 64)
		}
		return fmt.Sprint(v.Stored)
	case nil:
		return ""
	}
	return fmt.Sprint(v)
}
