package runner

import (
	"context"
	"slices"

	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

// maxChoices is how many values of a column are offered.
const maxChoices = 1000

// Choices lists what a question's answer is chosen from.
func Choices(ctx context.Context, job Job, q parameter.Parameter) ([]parameter.Choice, error) {
	if q.Choices.Column == "" {
		return q.Choices.Listed, nil
	}
	ref, ok := choiceRef(job.Compiled, q.Choices.Column)
	if !ok {
		return nil, nil
	}
	values, err := distinct(ctx, job, ref, nil)
	choices := make([]parameter.Choice, len(values))
	for i, v := range values {
		choices[i] = parameter.Choice{Value: v}
	}
	return choices, err
}

// choiceRef finds the column that choices come from among the query's tables.
func choiceRef(c *definition.Compiled, text string) (criteria.Ref, bool) {
	column, ok := definition.ChoiceColumn(text)
	if !ok {
		return criteria.Ref{}, false
	}
	tables := []criteria.Table{c.From}
	for _, j := range c.Joins {
		tables = append(tables, j.Table)
	}
	_, problems := criteria.Resolve(text, column, criteria.Scope{Tables: tables})
	return column.Ref, len(problems) == 0
}

// distinct reads the values that occur in a column, of those wanted or of all.
func distinct(ctx context.Context, job Job, ref criteria.Ref, wanted []string) ([]string, error) {
	table := ""
	if job.Compiled.From.Alias == ref.Alias {
		table = job.Compiled.From.Table.Name
	}
	for _, j := range job.Compiled.Joins {
		if j.Alias == ref.Alias {
			table = j.Table.Table.Name
		}
	}
	column := plan.Column{Ref: ref}
	s := plan.Statement{
		Fetch: []criteria.Ref{ref}, From: plan.Table{Name: table, Alias: ref.Alias}, Distinct: true, Limit: maxChoices,
		Where: []plan.Condition{{Expr: plan.Not{X: plan.IsBlank{X: column}}}}, Sort: []plan.SortKey{{Expr: column}},
	}
	if wanted != nil {
		in := plan.In{X: column}
		for _, w := range wanted {
			in.Values = append(in.Values, w)
		}
		s.Where = append(s.Where, plan.Condition{Expr: in})
		s.Limit = len(wanted)
	}
	var values []string
	err := job.Source.Stream(ctx, job.Source.Dialect().Write(s), func(row []any) error {
		if text, ok := row[0].(string); ok {
			values = append(values, text)
		}
		return nil
	})
	return values, err
}

// offered refuses answers that do not occur in the column they are chosen from.
func offered(ctx context.Context, job Job, questions []parameter.Parameter, values parameter.Values) (diag.Problems, error) {
	var problems diag.Problems
	for _, q := range questions {
		typed := values[q.Name].Texts
		if q.Choices.Column == "" || len(typed) == 0 {
			continue
		}
		ref, ok := choiceRef(job.Compiled, q.Choices.Column)
		if !ok {
			continue
		}
		there, err := distinct(ctx, job, ref, typed)
		if err != nil {
			return nil, err
		}
		if len(there) == len(typed) {
			continue
		}
		all, err := distinct(ctx, job, ref, nil)
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
