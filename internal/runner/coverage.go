package runner

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/wire"
)

// Cover counts the records of each unit in the database, by days, months or
// years; what a calendar says is added up from days, quarters and halves from months.
func Cover(ctx context.Context, job Job, by string) (wire.Coverage, error) {
	whole, ok := period.WholeOf(by, job.Context.Calendar)
	if !ok {
		return wire.Coverage{}, diag.Problems{{
			Code: "unknown_unit", Field: "by", Message: fmt.Sprintf("%q is not a unit of time.", by),
			Hint: "There are " + strings.Join(period.WholeNames(job.Context.Calendar), ", ") + ".",
		}}
	}
	calendar := job.Context.Calendar
	question, planners := "", job.planner().Parts()
	for i, planner := range planners {
		asked, column, ok := planner.DateQuestion()
		if !ok || !plan.CanCover(column.Ref.Column, countedBy(whole.Unit, calendar)) || i > 0 && asked != question {
			return wire.Coverage{}, diag.Problems{{Code: "no_date_question", Message: "The report does not ask for the dates of a column, so there is nothing to count by " + by + "."}}
		}
		question = asked
	}
	if err := job.Problems.For("as_of").Err(); err != nil {
		return wire.Coverage{}, err
	}
	_, values, _ := job.Read() // what cannot be read narrows nothing
	out := wire.Coverage{Question: question, By: by, Zone: calendar.Zone.String(), Units: []wire.CoveredUnit{}}
	for _, planner := range planners {
		statement, problems := planner.Coverage(countedBy(whole.Unit, calendar), values)
		if err := problems.Err(); err != nil {
			return wire.Coverage{}, err
		}
		if err := cover(ctx, job, statement, whole, &out); err != nil {
			return out, err
		}
	}
	slices.SortStableFunc(out.Units, func(a, b wire.CoveredUnit) int { return strings.Compare(a.From, b.From) })
	units := out.Units[:0]
	for _, u := range out.Units { // what several queries have
		if n := len(units); n > 0 && units[n-1].From == u.From {
			units[n-1].Count += u.Count
		} else {
			units = append(units, u)
		}
	}
	out.Units = units
	return out, nil
}

// cover adds what a statement counts.
func cover(ctx context.Context, job Job, statement plan.Statement, whole period.Whole, out *wire.Coverage) error {
	calendar := job.Context.Calendar
	return job.Source.Stream(ctx, job.Source.Dialect().Write(statement), func(row []any) error {
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
		made, ok := whole.Enclosing(span, calendar)
		if !ok {
			out.Outside += count
			return nil
		}
		if n := len(out.Units); n > 0 && out.Units[n-1].From == made.FirstDay().String() {
			out.Units[n-1].Count += count
			return nil
		}
		out.Units = append(out.Units, wire.CoveredUnit{
			Period: made.Canonical(), ReadBack: made.ReadBackIn(calendar.Language), Name: whole.Name(made.FirstDay(), calendar),
			From: made.FirstDay().String(), Through: made.LastDay().String(), Count: count,
		})
		return nil
	})
}

// countedBy is the unit by which the database counts: days, months or years.
func countedBy(unit civil.Unit, c civil.Calendar) civil.Unit {
	switch {
	case unit == civil.Year:
		return unit
	case unit == civil.Month, unit == civil.Quarter, unit == civil.Half, unit.IsFiscal() && (c.Almanac == nil || c.Almanac.Weeks == nil):
		return civil.Month
	}
	return civil.Day
}
