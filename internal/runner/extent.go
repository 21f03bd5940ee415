package runner

import (
	"context"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
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
	statement := plan.Statement{From: plan.Table{Name: t.Name, Alias: t.Name}, DateIndex: -1}
	add := func(name string, x plan.Expr) int {
		statement.Aggregates = append(statement.Aggregates, plan.Aggregate{Name: name, X: x})
		return len(statement.Aggregates) - 1
	}
	records := add("count", nil)
	// Where the values of each column stand in the row, -1 for what is not asked.
	type places struct{ present, distinct, least, greatest int }
	at, reads := make([]places, len(t.Columns)), make([]catalog.Column, len(t.Columns))
	for i, c := range t.Columns {
		column := plan.Column{Ref: criteria.Ref{Alias: t.Name, Column: c}}
		at[i] = places{add("present", column), -1, -1, -1}
		if c.Type != catalog.Other {
			at[i].distinct = add("count distinct", column)
		}
		if c.Encoding != "" || c.Type.IsNumber() {
			ordered, read := plan.InOrder(column.Ref)
			reads[i] = read
			at[i].least, at[i].greatest = add("least", ordered), add("greatest", ordered)
		}
	}
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
			text := func(place int) string {
				if place < 0 || row[place] == nil {
					return ""
				}
				if c.Encoding != "" {
					return dateText(row[place], &reads[i], zone)
				}
				return cellText(row[place])
			}
			out[i] = Extent{c.Name, text(at[i].least), text(at[i].greatest), number(records) - number(at[i].present), number(at[i].distinct), number(records)}
		}
		return nil
	})
	return out, err
}
