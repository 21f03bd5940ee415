package runner

import (
	"context"
	"slices"
	"strconv"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/wire"
)

// MaxChoices is how many choices one page holds at the most.
const MaxChoices = 500

// Choices lists a page of what a question's answer is chosen from, under the
// other answers of the job as far as they can be read.
func Choices(ctx context.Context, job Job, q parameter.Parameter, search plan.Search) ([]parameter.Choice, error) {
	if unit := q.Limits.Whole; unit != "" {
		covered, err := Cover(ctx, job, unit)
		choices := make([]parameter.Choice, len(covered.Units))
		for i, u := range covered.Units {
			choices[i] = parameter.Choice{Value: u.Period, Label: u.ReadBack, Count: &covered.Units[i].Count}
			if u.Name != "" {
				choices[i].Label = u.Name + " · " + u.ReadBack
			}
		}
		return choices, err
	}
	if !q.Choices.FromData() {
		return q.Choices.Listed, nil
	}
	if err := job.Problems.For("as_of").Err(); err != nil {
		return nil, err
	}
	_, values, _ := job.Read() // what cannot be read narrows nothing
	statement, problems := job.planner().Choices(q.Name, values, search)
	if err := problems.Err(); err != nil {
		return nil, err
	}
	return listed(ctx, job.Source, statement, q.Choices.Query == "")
}

// Values lists a page of the values that occur in a column of a table, and how many
// records have each.
func Values(ctx context.Context, source engine.Source, rows plan.Rows, t catalog.Table, c *catalog.Column, search plan.Search, zone *time.Location) ([]parameter.Choice, error) {
	ctx, stop := context.WithTimeoutCause(ctx, sampleLimit, timedOut(sampleLimit))
	defer stop()
	return listed(ctx, source, tables(rows, zone).Values(t, c, search), true)
}

// Readings lists some values of a column as they are stored, and how each would be read if
// the column stored dates in an encoding. Up to half of them are such as would be none.
func Readings(ctx context.Context, source engine.Source, rows plan.Rows, t catalog.Table, c *catalog.Column, encoding catalog.Encoding, most int, zone *time.Location) ([]wire.StoredValue, error) {
	read := *c
	read.Encoding, read.Type, read.Example, read.Shape = encoding, encoding.Type(), "", ""
	if read.Stored = c.Stored; c.Encoding == "" {
		read.Stored = c.Type
	}
	plain := *c // as it is stored
	plain.Encoding, plain.Type, plain.Shape = "", read.Stored, ""
	stored, err := Values(ctx, source, rows, t, &plain, plan.Search{Limit: lookedAt}, zone)
	clock := civil.NewClock(zone)
	fit, unfit := []wire.StoredValue{}, []wire.StoredValue{}
	for _, s := range stored {
		one := wire.StoredValue{Stored: s.Value, Records: s.Count}
		var value any = s.Value
		if n, err := strconv.ParseInt(s.Value, 10, 64); err == nil && read.Stored == catalog.Integer {
			value = n
		}
		if stamp, ok := read.Decode(value, clock); ok {
			one.Reads = string(stamp.AppendTo(nil, &read, ' '))
			fit = append(fit, one)
		} else {
			unfit = append(unfit, one)
		}
	}
	unfit = unfit[:min(len(unfit), max(most/2, most-len(fit)))]
	return append(unfit, fit[:min(len(fit), most-len(unfit))]...), err
}

// lookedAt is how many values are read to find some that would be no dates.
const lookedAt = 200

// listed reads choices: values with how many records have them, or with what people
// read instead.
func listed(ctx context.Context, source engine.Source, statement plan.Statement, counted bool) ([]parameter.Choice, error) {
	choices := []parameter.Choice{}
	err := source.Stream(ctx, source.Dialect().Write(statement), func(row []any) error {
		c := parameter.Choice{Value: cellText(row[0])}
		count, isCount := row[1].(int64)
		if counted && isCount {
			c.Count = &count
		} else if label := cellText(row[1]); label != c.Value {
			c.Label = label
		}
		choices = append(choices, c)
		return nil
	})
	return choices, err
}

// cellText is a value as people type it.
func cellText(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return ""
}

// offered refuses answers that do not occur where they are chosen from, and
// names the nearest that do. Whether an answer goes with the others is another
// matter: a run that finds nothing tells why.
func offered(ctx context.Context, job Job, questions []parameter.Parameter, values parameter.Values) (diag.Problems, error) {
	var problems diag.Problems
	for _, q := range questions {
		typed := q.Canonical(values[q.Name])
		if !q.Choices.FromData() || len(typed) == 0 {
			continue
		}
		var wanted []any
		for _, t := range values[q.Name].Texts {
			wanted = append(wanted, t)
		}
		for _, n := range values[q.Name].Numbers {
			wanted = append(wanted, n)
		}
		there, err := occurring(ctx, job, q, plan.Search{Wanted: wanted})
		if err != nil {
			return nil, err
		}
		if len(there) == len(typed) {
			continue
		}
		all, err := nearest(ctx, job, q, values)
		if err != nil {
			return nil, err
		}
		for _, t := range typed {
			if !slices.Contains(there, t) {
				p := parameter.NotOffered(t, all)
				p.Field = q.Name
				problems = append(problems, p)
			}
		}
	}
	return problems, nil
}

// nearest lists what to offer in the place of an answer that does not occur: what
// goes with the other answers, or, where none does, what occurs.
func nearest(ctx context.Context, job Job, q parameter.Parameter, values parameter.Values) ([]string, error) {
	statement, problems := job.planner().Choices(q.Name, values, plan.Search{Limit: MaxChoices})
	if !problems.Failed() {
		offered, err := texts(ctx, job, statement)
		if err != nil || offered != nil {
			return offered, err
		}
	}
	return occurring(ctx, job, q, plan.Search{Limit: MaxChoices})
}

// occurring lists answers a question can have at all.
func occurring(ctx context.Context, job Job, q parameter.Parameter, search plan.Search) ([]string, error) {
	statement, problems := job.planner().Occurring(q.Name, search)
	if err := problems.Err(); err != nil {
		return nil, err
	}
	return texts(ctx, job, statement)
}

// Texts are the first values of the records of a job, as people type them.
func Texts(ctx context.Context, job Job) (found []string, err error) {
	prepared, err := Prepare(ctx, job)
	if err != nil {
		return nil, err
	}
	split := prepared.Selection.Splitter()
	err = job.Source.Stream(ctx, prepared.Query, func(row []any) error {
		if split != nil {
			_, row = split.Of(row)
		}
		found = append(found, cellText(row[0]))
		return nil
	})
	return found, err
}

// texts are the first values of the rows of a statement, as people type them.
func texts(ctx context.Context, job Job, s plan.Statement) ([]string, error) {
	var out []string
	err := job.Source.Stream(ctx, job.Source.Dialect().Write(s), func(row []any) error {
		out = append(out, cellText(row[0]))
		return nil
	})
	return out, err
}
