package sqlite

import (
	"context"
	"regexp"
	"strings"

	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// step is a line of the plan that reaches a table: SEARCH passages USING INDEX
// passages_passed_at (passed_at>? AND passed_at<?); source: SQLite's
// documentation of EXPLAIN QUERY PLAN.
var (
	step       = regexp.MustCompile(`^(SEARCH|SCAN) (\S+)(?: USING (?:AUTOMATIC )?(?:PARTIAL )?(?:COVERING )?(?:INDEX (\S+)|INTEGER (PRIMARY KEY))(?: \((.*)\))?)?`)
	comparison = regexp.MustCompile(`([^\s()<>=]+)[<>=]+\?`)
)

// Plan asks for the query plan.
func (s *source) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	plan := engine.Plan{Access: map[string]engine.Access{}}
	q.SQL = "explain query plan " + q.SQL
	depth := map[int64]int{}
	err := s.Stream(ctx, q, func(row []any) error {
		id, _ := row[0].(int64)
		parent, _ := row[1].(int64)
		detail, _ := row[3].(string)
		depth[id] = depth[parent] + 1
		plan.Text = append(plan.Text, strings.Repeat("  ", depth[id]-1)+detail)
		m := step.FindStringSubmatch(detail)
		if m == nil {
			return nil
		}
		access := engine.Access{}
		if m[1] == "SEARCH" {
			access.Index = m[3] + m[4]
			for _, c := range comparison.FindAllStringSubmatch(m[5], -1) {
				access.Columns = append(access.Columns, c[1])
			}
		}
		plan.Access[m[2]] = access
		return nil
	})
	return plan, err
}
