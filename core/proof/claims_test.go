package proof_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/evaluate"
	"pikegate/core/proof"
)

// TestClaims: whatever is proved of random criteria holds for every record of a
// grid on which all their bounds lie, with blanks.
func TestClaims(t *testing.T) {
	calendar := civil.Calendar{Zone: civil.UTC, WeekStart: time.Monday}
	worker := evaluate.New(calendar, func(c *criteria.Column, row []any) any {
		return row[slices.Index([]string{"x", "y", "lock", "open", "d"}, c.Name)]
	})
	day := func(n int) any { return catalog.Stamp{At: (civil.DateOf(2026, 3, 1) + civil.Date(n)).Midnight()} }
	var grid [][]any
	for _, x := range []any{nil, 0, 1, 2, 3, 4} {
		for _, y := range []any{"0.5", "1", "1.5", "2", "3"} {
			for _, lock := range []any{"", "A", "AB", "B", "a"} {
				for _, d := range []any{nil, day(-1), day(0), day(1), day(2), day(40)} {
					row := []any{x, decimal.RequireFromString(y.(string)), lock, len(grid)%2 == 0, d}
					if n, ok := x.(int); ok {
						row[0] = decimal.New(int64(n), 0)
					}
					grid = append(grid, row)
				}
			}
		}
	}
	random := rand.New(rand.NewPCG(7, 7))
	pick := func(of ...string) string { return of[random.IntN(len(of))] }
	op := func() string { return pick("=", "<>", "<", "<=", ">", ">=") }
	var condition func(depth int) string
	condition = func(depth int) string {
		if depth > 0 && random.IntN(3) > 0 {
			terms := []string{condition(depth - 1), condition(depth - 1), condition(depth - 1)}
			text := "(" + strings.Join(terms[:2+random.IntN(2)], pick(" and ", " or ")) + ")"
			return pick("", "", "not ") + text
		}
		switch random.IntN(9) {
		case 0, 1:
			return "x " + op() + " " + pick("0", "1", "2", "3", "1.5")
		case 2:
			return "y " + op() + " " + pick("1", "1.5", "2")
		case 3:
			return "x " + pick("", "not ") + "between " + pick("0", "1", "2") + " and " + pick("1", "2", "3")
		case 4:
			return "lock " + pick("=", "<>", "<", ">=") + " '" + pick("A", "AB", "B") + "'"
		case 5:
			return pick("lock starts with 'A'", "lock in ('A', 'B')", "lock not in ('A', 'AB')", "lock = 'a' ignoring case", "lock starts with 'a' ignoring case")
		case 6:
			return pick("open", "not open", "open = true", "x is blank", "x is not blank", "d is blank", "x < y", "y <= x", "x * 2 > 3")
		case 7:
			return "d " + op() + " '2026-03-0" + pick("1", "2", "3") + "'"
		}
		return pick("d within '2026-03'", "d not within '2026-03-01/2026-03-02'", "month(d) = 3", "year(d) = 2026", "d + 1 day > '2026-03-02'")
	}
	found := map[proof.Kind]int{}
	for range 1200 {
		text := condition(3)
		e, problems := criteria.Parse(text)
		require.Empty(t, problems, text)
		require.Empty(t, criteria.ResolveCondition(text, e, scope), text)
		simple, findings := proof.Open(e, proof.Questions{})
		holds := func(e criteria.Expr, row []any) bool {
			ok, known := worker.Holds(e, row)
			return ok && known
		}
		for _, f := range findings {
			found[f.Kind]++
			rest := criteria.Map(simple, func(e criteria.Expr) criteria.Expr { return e })
			if l, ok := simple.(*criteria.Logic); ok {
				rest = &criteria.Logic{Or: l.Or, Terms: slices.DeleteFunc(slices.Clone(l.Terms), func(e criteria.Expr) bool { return e == f.At })}
				if len(rest.(*criteria.Logic).Terms) == len(l.Terms) {
					continue // about a part of a part
				}
			}
			for _, row := range grid {
				part, whole := holds(f.At, row), holds(simple, row)
				switch {
				case f.Kind == proof.Never && f.Whole:
					require.False(t, whole, "%s: never, but for %v it is", text, row)
				case f.Kind == proof.Never && f.With != nil:
					require.False(t, part && holds(f.With, row), "%s: %s and %s exclude each other, but not for %v", text, criteria.Print(f.At), criteria.Print(f.With), row)
				case f.Kind == proof.Never:
					require.False(t, part, "%s: %s is never true, but for %v it is", text, criteria.Print(f.At), row)
				case f.Kind == proof.Always && !slices.Contains(row, nil):
					require.True(t, part, "%s: %s is always true, but for %v it is not", text, criteria.Print(f.At), row)
				case f.Kind == proof.Redundant:
					require.Equal(t, holds(rest, row), whole, "%s: %s adds nothing, but for %v it does", text, criteria.Print(f.At), row)
				}
			}
		}
	}
	for _, kind := range []proof.Kind{proof.Never, proof.Always, proof.Redundant} {
		assert.Greater(t, found[kind], 20, kind)
	}
}
