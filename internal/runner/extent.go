package runner

import (
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/plan"
	"pikegate/internal/engine"
)

// Extent is what a date column holds.
type Extent struct {
	Column   string `json:"column"`
	Earliest string `json:"earliest,omitempty"`
	Latest   string `json:"latest,omitempty"`
	Blank    int64  `json:"blank" doc:"How many records are blank there"`
	Records  int64  `json:"records" doc:"How many records the table has"`
}

// Extents asks for the earliest and the latest value of each date column of a
// table, and its blanks, in one statement.
func Extents(ctx context.Context, source engine.Source, t catalog.Table, zone *time.Location) ([]Extent, error) {
	statement := plan.Statement{From: plan.Table{Name: t.Name, Alias: t.Name}, DateIndex: -1, Aggregates: []plan.Expr{plan.Aggregate{Name: "count"}}}
	var columns []catalog.Column
	for _, c := range t.Columns {
		if c.Encoding == "" {
			continue
		}
		column := plan.Column{Ref: criteria.Ref{Alias: t.Name, Column: c}}
		columns = append(columns, c)
		for _, name := range []string{"least", "greatest", "present"} {
			statement.Aggregates = append(statement.Aggregates, plan.Aggregate{Name: name, X: column})
		}
	}
	out := []Extent{}
	if len(columns) == 0 {
		return out, nil
	}
	err := source.Stream(ctx, source.Dialect().Write(statement), func(row []any) error {
		records, _ := row[0].(int64)
		for i, c := range columns {
			present, _ := row[3*i+3].(int64)
			out = append(out, Extent{c.Name, dateText(row[3*i+1], &c, zone), dateText(row[3*i+2], &c, zone), records - present, records})
		}
		return nil
	})
	return out, err
}
