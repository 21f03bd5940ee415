package engine

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/plan"
)

// surveyLimit is how long all values of a table may be looked at before a
// sample has to do, and surveySample how large that is.
const (
	surveyLimit  = time.Second
	surveySample = 2000
)

var errEnough = errors.New("engine: the survey took too long")

// Survey holds the dates of a table that are kept as text or number against
// their encodings, and puts what it finds into the columns: all of them where
// that takes less than a second, else a random sample, or, in a table without a
// key of whole numbers, those that came first.
func Survey(ctx context.Context, s Source, t *catalog.Table) error {
	var places []int
	var columns []catalog.Column
	for i, c := range t.Columns {
		if c.Encoding != "" && !c.Encoding.IsNative() && !c.Known {
			places, columns = append(places, i), append(columns, c)
		}
	}
	if places == nil {
		return nil
	}
	statement := plan.Planner{}.FirstRows(*t, columns, 0).Statement
	look := func(ctx context.Context, q plan.Statement) ([]*catalog.Survey, int64, error) {
		surveys := make([]*catalog.Survey, len(places))
		for i, place := range places {
			surveys[i] = catalog.NewSurvey(t.Columns[place])
		}
		records := int64(0)
		err := s.Stream(ctx, s.Dialect().Write(q), func(row []any) error {
			records++
			for i, survey := range surveys {
				survey.See(row[i])
			}
			return nil
		})
		return surveys, records, err
	}
	apply := func(surveys []*catalog.Survey, what string, whole bool) {
		for i, place := range places {
			c := &t.Columns[place]
			surveys[i].Apply(c, fmt.Sprintf(what, surveys[i].Seen))
			c.Whole = whole
		}
	}
	limited, stop := context.WithTimeoutCause(ctx, surveyLimit, errEnough)
	defer stop()
	surveys, records, err := look(limited, statement)
	switch {
	case err == nil:
		apply(surveys, "all %d values", true)
		return nil
	case !errors.Is(err, errEnough):
		return err
	}
	sampled, ok, err := sampleOf(ctx, s, *t, statement)
	if err != nil {
		return err
	}
	if ok {
		if random, n, err := look(ctx, sampled); err != nil {
			return err
		} else if n > 0 {
			apply(random, "a random sample of %d values", false)
			return nil
		}
	}
	apply(surveys, fmt.Sprintf("the first %%d values, of %d records", records), false)
	return nil
}

// sampleOf is the statement for some records at random, by a key of whole
// numbers; false where the table has none.
func sampleOf(ctx context.Context, s Source, t catalog.Table, of plan.Statement) (plan.Statement, bool, error) {
	if len(t.Key) != 1 {
		return of, false, nil
	}
	column, ok := t.Column(t.Key[0])
	if !ok || column.Type != catalog.Integer {
		return of, false, nil
	}
	var least, greatest int64
	err := s.Stream(ctx, s.Dialect().Write(plan.Planner{}.Ends(t, column)), func(row []any) error {
		least, _ = row[0].(int64)
		greatest, _ = row[1].(int64)
		return nil
	})
	if err != nil || greatest-least <= 0 {
		return of, false, err
	}
	keys := make([]any, surveySample)
	for i := range keys {
		keys[i] = least + rand.Int64N(greatest-least+1)
	}
	return of.RowsOf(column, keys), true, nil
}
