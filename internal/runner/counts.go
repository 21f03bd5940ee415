package runner

import (
	"context"
	"time"

	"pikegate/core/plan"
	"pikegate/internal/wire"
)

// CountConditions counts what each condition of a job lets through, in one statement.
func CountConditions(ctx context.Context, job Job, limit time.Duration) (wire.ConditionCounts, error) {
	out := wire.ConditionCounts{Conditions: []wire.ConditionCount{}}
	p, err := Prepare(ctx, job)
	if err != nil {
		return out, err
	}
	ctx, stop := context.WithTimeoutCause(ctx, limit, timedOut(limit))
	defer stop()
	var conditions []plan.Counted
	var alone, left []int64
	for n, planner := range job.planner().Parts() {
		counts := planner.Counts(p.Values)
		if n == 0 {
			conditions, alone, left = counts.Conditions, make([]int64, len(counts.Conditions)), make([]int64, len(counts.Conditions))
		} else if len(counts.Conditions) != len(conditions) { // they are made of other ones there
			return wire.ConditionCounts{Conditions: []wire.ConditionCount{}}, nil
		}
		err = job.Source.Stream(ctx, job.Source.Dialect().Write(counts.Statement), func(row []any) error {
			n, _ := row[len(row)-1].(int64)
			out.Records += n
			remain := true
			for i, c := range counts.Conditions {
				meets := c.At < 0 || row[c.At] == plan.Meets
				if meets {
					alone[i] += n
				}
				if c.Outermost {
					if remain = remain && meets; remain {
						left[i] += n
					}
				}
			}
			return nil
		})
		if err != nil {
			return out, err
		}
	}
	for i, c := range conditions {
		condition := wire.ConditionCount{ID: c.ID, Open: c.Open}
		if c.At >= 0 {
			condition.Alone = &alone[i]
		}
		if c.Outermost {
			condition.Left = &left[i]
		}
		out.Conditions = append(out.Conditions, condition)
	}
	return out, nil
}

// MoreThan tells whether the table of a job has more than some number of records.
func MoreThan(ctx context.Context, job Job, most int) (many bool, err error) {
	ctx, stop := context.WithTimeoutCause(ctx, sampleLimit, timedOut(sampleLimit))
	defer stop()
	for _, planner := range job.planner().Parts() {
		if err == nil && !many {
			err = job.Source.Stream(ctx, job.Source.Dialect().Write(planner.AfterMany(most)), func([]any) error {
				many = true
				return nil
			})
		}
	}
	return many, err
}
