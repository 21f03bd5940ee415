package mysql

import (
	"context"
	"fmt"
	"strings"

	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// Plan asks for the plan.
func (s *source) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	q.SQL = "explain " + q.SQL
	plan := engine.Plan{Access: map[string]engine.Access{}}
	// id, select_type, table, type, possible_keys, key, key_len, ref, rows, Extra
	err := s.Stream(ctx, q, func(row []any) error {
		text := func(i int) string {
			if row[i] == nil {
				return ""
			}
			return fmt.Sprint(row[i])
		}
		last := len(row) - 1
		key := 5
		if len(row) > 10 { // partitions stand before type
			key = 6
		}
		plan.Text = append(plan.Text, strings.TrimSpace(fmt.Sprintf("%s: %s %s, about %s rows %s", text(2), text(key-2), text(key), text(last-1), text(last))))
		access := engine.Access{}
		if kind := text(key - 2); kind != "ALL" && kind != "index" {
			access.Index = text(key)
		}
		plan.Access[text(2)] = access
		return nil
	})
	if err != nil {
		return plan, err
	}
	return plan, s.searched(ctx, &plan)
}

// searched fills in the columns of the indexes that are searched: the plan
// names the index only, of which the first column is sure to be.
func (s *source) searched(ctx context.Context, plan *engine.Plan) error {
	rows, err := engine.Rows(ctx, s, "select index_name, column_name from information_schema.statistics where table_schema = database() and seq_in_index = 1")
	if err != nil {
		return err
	}
	for table, access := range plan.Access {
		for _, row := range rows {
			if access.Index != "" && fmt.Sprint(row[0]) == access.Index {
				access.Columns = append(access.Columns, fmt.Sprint(row[1]))
			}
		}
		plan.Access[table] = access
	}
	return nil
}
