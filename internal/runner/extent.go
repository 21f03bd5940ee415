package runner

import (
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/wire"
)

// Extents asks what each column of a table holds, in one statement.
func Extents(ctx context.Context, source engine.Source, rows plan.Rows, t catalog.Table, zone *time.Location) ([]wire.ColumnExtent, error) {
	statement, statistics := tables(rows, zone).Statistics(t)
	out := make([]wire.ColumnExtent, len(t.Columns))
	err := source.Stream(ctx, source.Dialect().Write(statement), func(row []any) error {
		number := func(place int) int64 {
			if place < 0 {
				return 0
			}
			n, _ := row[place].(int64)
			return n
		}
		for i, c := range t.Columns {
			at := &statistics[i]
			text := func(place int) string {
				if place < 0 || row[place] == nil {
					return ""
				}
				if c.Encoding != "" {
					return dateText(row[place], at.Read, zone)
				}
				return cellText(row[place])
			}
			out[i] = wire.ColumnExtent{
				Column: c.Name, Earliest: text(at.Least), Latest: text(at.Greatest),
				Blank: number(0) - number(at.Present), Distinct: number(at.Distinct), Records: number(0),
			}
		}
		return nil
	})
	return out, err
}
