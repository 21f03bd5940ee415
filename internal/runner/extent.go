package runner

import (
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/engine"
)

// Extent is what a column holds.
type Extent struct {
	Column   string `json:"column"`
	Earliest string `json:"earliest,omitempty" doc:"The earliest date, or the least number"`
	Latest   string `json:"latest,omitempty" doc:"The latest date, or the greatest number"`
	Blank    int64  `json:"blank" doc:"How many records are blank there"`
	Distinct int64  `json:"distinct" doc:"How many different values there are; of types that cannot be asked about none are told"`
	Records  int64  `json:"records" doc:"How many records the table has"`
}

// Extents asks what each column of a table holds, in one statement.
func Extents(ctx context.Context, source engine.Source, t catalog.Table, zone *time.Location) ([]Extent, error) {
	statement, statistics := plan.Statistics(t)
	out := make([]Extent, len(t.Columns))
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
					return dateText(row[place], &at.Read, zone)
				}
				return cellText(row[place])
			}
			out[i] = Extent{c.Name, text(at.Least), text(at.Greatest), number(0) - number(at.Present), number(at.Distinct), number(0)}
		}
		return nil
	})
	return out, err
}
