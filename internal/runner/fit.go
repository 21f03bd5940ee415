package runner

import (
	"context"
	"errors"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/output"
)

// fitting lets the records of a statement pass whose dates fit, and counts the
// others.
type fitting struct {
	statement *plan.Statement
	clock     *civil.Clock
	leftOut   int64
	split     *plan.Splitter // of a union
}

func newFitting(s *plan.Statement, zone *time.Location) *fitting {
	return &fitting{statement: s, clock: civil.NewClock(zone), split: s.Splitter()}
}

// pass tells whether a record counts. The error says that a date the order
// depends on is written in another way than the catalogue knows.
func (f *fitting) pass(row []any) (bool, error) {
	s := f.statement
	if f.split != nil {
		part, own := f.split.Of(row)
		s, row = &f.statement.Union[part].Statement, own
	}
	for _, i := range s.Fit {
		if !s.Fetch[i].Column.Fits(row[i], f.clock) {
			if row[i] != nil {
				f.leftOut++
			}
			return false, nil
		}
	}
	for _, i := range s.Written {
		c := s.Fetch[i].Column
		if row[i] != nil && !catalog.HasShape(row[i], c.Shape) {
			return false, engine.WrittenOtherwise(c.Name)
		}
	}
	return true, nil
}

// through hands on the records of a statement that pass.
func (f *fitting) through(row func([]any) error) func([]any) error {
	return func(values []any) error {
		if ok, err := f.pass(values); !ok {
			return err
		}
		return row(values)
	}
}

// The limits of counting the records that were left out: where all is known of
// the columns it is soon done, or else something is known to be wrong.
const unfitLimit = 2 * time.Second

var errUncounted = errors.New("runner: what was left out could not be counted in time")

// leftOut counts the records that a run leaves out because their dates do not
// fit; nil where none can be. Of a table too large to be counted it is not known how
// many there are. Counted is how many there are where that is known already.
func leftOut(ctx context.Context, job Job, p Prepared, limit time.Duration, counted *int64) (*output.LeftOut, error) {
	out := &output.LeftOut{AtLeast: true, Source: job.Compiled.Query.Source}
	var statements []plan.Statement
	worth := true
	for _, planner := range job.planner().Parts() {
		statement, columns := planner.LeftOut(p.Values)
		if columns == nil {
			continue
		}
		statements = append(statements, statement)
		for _, ref := range columns {
			worth = worth && plan.WorthCounting(ref.Column)
			if name := planner.Query.TableOf(ref.Alias).Name + "." + ref.Column.Name; !slices.Contains(out.Columns, name) {
				out.Columns = append(out.Columns, name)
			}
		}
	}
	switch {
	case statements == nil:
		return nil, nil
	case counted != nil:
		out.Records, out.AtLeast = *counted, false
		return out.OrNone(), nil
	}
	if !worth && limit > 0 {
		return out.OrNone(), nil
	}
	if limit > 0 {
		var stop context.CancelFunc
		ctx, stop = context.WithTimeoutCause(ctx, limit, errUncounted)
		defer stop()
	}
	err := job.Source.Stream(ctx, job.Source.Dialect().WriteTogether(statements), func(row []any) error {
		out.Records, out.AtLeast = 0, false
		for _, v := range row {
			n, _ := v.(int64)
			out.Records += n
		}
		return nil
	})
	if errors.Is(err, errUncounted) {
		err = nil
	}
	return out.OrNone(), err
}

// refuseUnfit refuses a run of a report that is not to leave records out.
func refuseUnfit(ctx context.Context, job Job, p Prepared) error {
	if job.Report.Unfit != "refuse" && job.Compiled.Query.Unfit != "refuse" || p.Impossible != "" {
		return nil
	}
	found, err := leftOut(ctx, job, p, 0, nil)
	if err != nil || found == nil || found.Records == 0 {
		return err
	}
	return diag.Problems{{
		Code: "unfit_records", Message: found.Words(),
		Hint: "Have them put right in the database; " + found.Command() + " lists them.",
	}}
}
