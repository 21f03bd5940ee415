package runner

import (
	"context"
	"fmt"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/wire"
)

// Cover counts the records of each unit in the database, by days, months or
// years; weeks are added up from days, quarters and halves from months.
func Cover(ctx context.Context, job Job, by string) (wire.Coverage, error) {
	unit, ok := parameter.WholeUnits[by]
	if !ok {
		return wire.Coverage{}, diag.Problems{{Code: "unknown_unit", Field: "by", Message: fmt.Sprintf("%q is not a unit of time.", by), Hint: "Write day, week, month, quarter, half or year."}}
	}
	planner := job.planner()
	question, column, ok := planner.DateQuestion()
	if !ok || !plan.CanCover(column.Ref.Column, unit) {
		return wire.Coverage{}, diag.Problems{{Code: "no_date_question", Message: "The report does not ask for the dates of a column, so there is nothing to count by " + by + "."}}
	}
	if err := job.Problems.For("as_of").Err(); err != nil {
		return wire.Coverage{}, err
	}
	_, values, _ := job.Read() // what cannot be read narrows nothing
	counted := unit
	switch unit {
	case civil.Week:
		counted = civil.Day
	case civil.Quarter, civil.Half:
		counted = civil.Month
	}
	calendar := planner.Calendar
	statement, problems := planner.Coverage(counted, values)
	if err := problems.Err(); err != nil {
		return wire.Coverage{}, err
	}
	out := wire.Coverage{Question: question, By: by, Zone: calendar.Zone.String(), Units: []wire.CoveredUnit{}}
	err := job.Source.Stream(ctx, job.Source.Dialect().Write(statement), func(row []any) error {
		blank, _ := row[0].(int64)
		count, _ := row[2].(int64)
		out.Total += count
		text, _ := row[1].(string)
		span, problems := period.Read(text, calendar)
		switch {
		case blank == 1:
			out.Blank += count
			return nil
		case len(problems) > 0:
			out.Unfit += count
			return nil
		}
		whole := span.Enclosing(unit, calendar)
		if n := len(out.Units); n > 0 && out.Units[n-1].From == whole.FirstDay().String() {
			out.Units[n-1].Count += count
			return nil
		}
		out.Units = append(out.Units, wire.CoveredUnit{Period: whole.Canonical(), ReadBack: whole.ReadBack(), From: whole.FirstDay().String(), Through: whole.LastDay().String(), Count: count})
		return nil
	})
	return out, err
}
