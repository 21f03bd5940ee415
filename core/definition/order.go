package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/diag"
)

// Order reads keys of an order over the columns that a report shows: a column,
// then ascending or descending.
func (out *Compiled) Order(r *Report, keys []string) ([]SortKey, diag.Problems) {
	var sort []SortKey
	var problems diag.Problems
	var names []string
	for _, col := range out.Columns {
		if len(r.Columns) == 0 || slices.Contains(r.Columns, col.Name) {
			names = append(names, col.Name)
		}
	}
	for _, key := range keys {
		name, direction, _ := strings.Cut(strings.TrimSpace(key), " ")
		at := slices.IndexFunc(out.Columns, func(col CompiledColumn) bool { return col.Name == name })
		if at < 0 || !slices.Contains(names, name) || direction != "" && direction != "ascending" && direction != "descending" {
			problems = append(problems, diag.Problem{
				Code: "unknown_order", Field: "sort", Message: fmt.Sprintf("%q is not an order of this report.", key),
				Hint: "Write a column, then perhaps descending. " + nearOr(name, names),
			})
			continue
		}
		sort = append(sort, SortKey{Expr: out.Columns[at].Expr, Descending: direction == "descending"})
	}
	return sort, problems
}
