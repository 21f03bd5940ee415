package oracle_test

import (
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/testing/oracle"
)

var inOrder = flag.Int("inorder", 70, "how many random queries whose values depend on the order are compared on every engine")

// orderedQuery makes a random query with values that other records give, or of groups with
// such values, perhaps of which the first records are left; sort is its order.
func (r random) orderedQuery(groups bool) (head, columns, criteria, first string) {
	values := []string{
		"running sum of n", "running sum of x * 2 by b", "running count by s", "running count", "running average of m by month of d", "running least of d", "running greatest of e by b", "running sum of if(b, n, blank)",
		"previous n", "n - previous n by b", "previous (m + 1) by (b, s)", "previous e", "previous t by s", "previous d by (m, b)", "running sum of (n - previous n)", "if(n > previous n, 'up', 'down')", "running count by w",
		"rank of n", "rank of x ascending by b", "rank of d by s", "rank of t", "rank of z by b", "rank of s ascending", "rank of n + m by (b, m)", "rank of month of d",
		"share of m", "share of x in b", "share of n + 1 in month of d", "round(100 * share of m in b, 2)", "share of m * 2 in (b, s)", "running sum of rank of n", "rank of (count of r as o where o.n = r.n)", "running sum of (count of r as o where o.n = r.n) by b",
	}
	firsts := []string{"first 2 by b", "first 3", "greatest 1 of n by s", "least 2 of d by (b, s)", "first :small by month of d", "greatest 2 of z by b", "first :none by b", "greatest 3 of x - n", "least 1 of t by m"}
	sorts := []string{"id", "n, id", "d descending", "b, m descending", "s blanks first", "z", "x"}
	head = "kind: query\nname: q\nsource: small\nfrom: r\nparameters:\n  - { name: period, kind: period, required: true }\n  - { name: small, kind: integer, required: true }\n  - { name: none, kind: integer }\nsort: ["
	columns = "columns:\n  - id\n"
	if groups {
		values = []string{
			"running sum of (sum of n)", "running count", "running count by b", "(sum of n) - previous sum of n", "previous count by b", "previous b", "running greatest of (least of d)", "running average of count by b",
			"rank of sum of x", "rank of count by b", "rank of least of d ascending", "rank of m", "share of count", "share of sum of n in b", "share of sum of x * 2", "running sum of rank of count", "rank of greatest of t by b", "share of (count where n > 1) in b",
			"median of n", "rank of median of x by b", "running greatest of (percentile 75 of x)", "(percentile 30 of d) - least of d",
		}
		firsts = []string{"first 1 by b", "first 4", "greatest 2 of sum of n", "greatest 1 of count by b", "least 3 of least of d", "first :small by m", "greatest 2 of median of n"}
		sorts = []string{"b, m", "count descending", "sum of n", "m descending, b", "v"}
		columns = "columns:\n  - b\n  - m\n  - { name: c, value: count }\n"
	}
	if r.IntN(4) > 0 {
		sorts = sorts[:len(sorts)-1]
	}
	sort := pick(r, sorts)
	for i := range 1 + r.IntN(3) {
		value := pick(r, values)
		if sort == "v" && i == 0 { // the order is by it
			value = "rank of count"
		}
		columns += fmt.Sprintf("  - { name: %c, value: \"%s\" }\n", 'v'-rune(i), value)
	}
	criteria = pick(r, []string{"m < 5", "m < 5 and z within '2025'", "d within :period or n > 0", "w < '2025-03' or m > 1"})
	if r.IntN(2) == 0 && sort != "v" {
		first = " and " + pick(r, firsts)
	}
	if strings.Contains(criteria, " or ") {
		criteria = "(" + criteria + ")"
	}
	return head + sort + "]\n", columns, criteria, first
}

// TestInOrder: values that other records of a result give, of records and of groups, and the
// first of them, are the same on every engine, and those of the oracle.
func TestInOrder(t *testing.T) {
	plainNative = true
	defer func() { plainNative = false }()
	benches := onEveryEngine(t, 17)
	for i := range *inOrder {
		r := random{Rand: rand.New(rand.NewPCG(*seed+9, uint64(i)))}
		groups := i%3 == 0
		head, columns, conditions, first := r.orderedQuery(groups)
		in := parameter.Inputs{"period": {Texts: []string{"2025"}}, "small": {Texts: []string{pick(r, []string{"1", "3"})}}}
		whole := head + columns + "criteria: \"" + conditions + "\"\n"
		text := head + columns + "criteria: \"" + conditions + first + "\"\n"
		var want [][]string
		for j, b := range benches {
			compiled, values, statement := b.asked(t, text, in)
			rows := b.rows(t, statement)
			if j > 0 {
				require.Equal(t, want, rows, "%s\n%s\n%s", b.engine, text, b.source.Dialect().Write(statement.Statement).SQL)
				continue
			}
			_, _, unlimited := b.asked(t, whole, in)
			w := oracle.World{Calendar: b.ctx, Answers: values, Tables: b.tables()}
			var records []oracle.Record
			for _, id := range b.ids {
				records = append(records, b.records[id])
			}
			want = resultOf(w, compiled, records, b.rows(t, unlimited), map[bool]int{true: 2, false: 1}[groups])
			require.Equal(t, want, rows, "%s\n%s", text, b.source.Dialect().Write(statement.Statement).SQL)
		}
	}
}

// resultOf works a query out from records whose values depend on the order they come in,
// which that of a result without a limit gives: its first columns tell them apart.
func resultOf(w oracle.World, c *definition.Compiled, records []oracle.Record, order [][]string, keys int) [][]string {
	conditions, firsts := criteria.TakeFirst(c.Criteria)
	cells := func(r oracle.Record, columns []definition.CompiledColumn) (row []string) {
		for _, column := range columns {
			row = append(row, shown(w.Unit(column.Expr, r)))
		}
		return row
	}
	byKey := map[string][]oracle.Record{}
	for _, r := range records {
		if r = maps.Clone(r); conditions == nil || w.Condition(conditions, r) == oracle.True {
			key := strings.Join(cells(r, c.Columns[:keys]), "|")
			byKey[key] = append(byKey[key], r)
		}
	}
	var all []oracle.Record
	for _, row := range order {
		if members := byKey[strings.Join(row[:keys], "|")]; c.Grouped {
			all = append(all, oracle.Grouped(members))
		} else {
			all = append(all, members[0])
		}
	}
	stays := func(oracle.Record) bool { return true }
	if firsts != nil {
		stays = w.First(firsts[0], all)
	}
	rows := [][]string{}
	for _, r := range oracle.Result(all, stays) {
		rows = append(rows, cells(r, c.Columns))
	}
	return rows
}
