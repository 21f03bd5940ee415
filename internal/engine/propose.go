package engine

import (
	"context"
	"fmt"

	"pikegate/core/catalog"
	"pikegate/core/plan"
)

// sample is how many values of a column the proposals look at.
const sample = 200

// ProposeDates looks at values of texts and whole numbers, and proposes how
// dates are stored in them; of dates of the engine's own it keeps an example.
func ProposeDates(ctx context.Context, s Source, out *catalog.Source) error {
	for i := range out.Tables {
		t := &out.Tables[i]
		for j, c := range t.Columns {
			t.Columns[j].Bytes = c.Bytes && !t.IsKey(c.Name)
		}
		values := make([][]any, len(t.Columns))
		err := s.Stream(ctx, s.Dialect().Write(plan.Planner{}.FirstRows(*t, t.Columns, sample).Statement), func(row []any) error {
			for j, v := range row {
				if v != nil {
					values[j] = append(values[j], v)
				}
			}
			return nil
		})
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if err != nil {
			continue // a table that cannot be read now, on a shard that is down, proposes nothing
		}
		for j, c := range t.Columns {
			if len(values[j]) > 0 {
				c.Example = fmt.Sprint(values[j][0])
			}
			isKey := t.IsKey(c.Name)
			if proposed, ok := catalog.Propose(c, values[j]); ok && !isKey && c.Encoding == "" && (c.Type == catalog.Text || c.Type == catalog.Integer) {
				c = proposed
			} else if one, other := catalog.Undecided(c, values[j]); one != "" && c.Encoding == "" && c.Type == catalog.Text {
				c.Evidence = fmt.Sprintf("could be days as %s or as %s: of %d values looked at, no day is after the 12th", one, other, len(values[j]))
			}
			t.Columns[j] = c
		}
	}
	return nil
}
