package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/proof"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// Why tells why a run would find what it finds.
func (s *Service) Why(ctx context.Context, who identity.Actor, r Request) (wire.Why, error) {
	job, err := s.asks(ctx, who, r)
	if err != nil {
		return wire.Why{}, err
	}
	p, err := runner.Prepare(ctx, job)
	if err != nil {
		return wire.Why{}, err
	}
	return runner.FindWhy(ctx, job, p)
}

// WhyRun tells it of a run that was made, with its version, answers and day.
func (s *Service) WhyRun(ctx context.Context, who identity.Actor, id uint) (wire.Why, error) {
	record, err := s.RunRecord(ctx, who, id)
	if err != nil {
		return wire.Why{}, err
	}
	request, err := requestOf(record)
	if err != nil {
		return wire.Why{}, err
	}
	return s.Why(ctx, who, request)
}

// approach says what a plan means for the date criterion.
func approach(job runner.Job, p runner.Prepared, plan engine.Plan) *wire.QueryPlan {
	out := &wire.QueryPlan{Advice: []string{}, Steps: plan.Text}
	for i, part := range job.Compiled.Parts {
		own, one := job, p
		if own.Compiled, one.Edges = part, p.Edges.Parts[i]; one.Edges.Column == nil {
			continue
		}
		for _, said := range approach(own, one, plan).Advice {
			if !slices.Contains(out.Advice, said) {
				out.Advice = append(out.Advice, said)
			}
		}
	}
	if len(out.Advice) > 0 {
		return out
	}
	column := p.Edges.Column
	if column == nil {
		out.Advice = append(out.Advice, "The run has no date criterion on one column, so no index is looked for.")
		return out
	}
	table := job.Compiled.TableOf(column.Ref.Alias).Name
	name := table + "." + column.Ref.Column.Name
	access, reached := plan.Access[column.Ref.Alias]
	switch {
	case job.Compiled.Traits.Scanned:
		out.Advice = append(out.Advice, fmt.Sprintf("The date criterion on %s is tested on every record of %s that is read: files have no index.", name, table))
	case isView(column.Ref.Alias, job):
		out.Advice = append(out.Advice, fmt.Sprintf("%s is a view, and has no index of its own. %s", table, behind(plan, job)))
	case reached && slices.ContainsFunc(access.Columns, func(c string) bool { return strings.EqualFold(c, column.Ref.Column.Name) }):
		out.Advice = append(out.Advice, fmt.Sprintf("The date criterion on %s is looked up in the index %s: only the records of the period are read.", name, access.Index))
	case reached && access.Index != "":
		out.Advice = append(out.Advice, fmt.Sprintf("The database reaches %s through the index %s (%s) instead of the dates, and tests the date criterion on what it finds there.", table, access.Index, strings.Join(access.Columns, ", ")))
	default:
		out.Advice = append(out.Advice, fmt.Sprintf("The date criterion on %s uses no index: every record of %s is read. %s", name, table, remedy(column, table, job)))
	}
	return out
}

func isView(alias string, job runner.Job) bool {
	t := job.Compiled.Aliased(alias)
	return t != nil && t.Table.View
}

// behind says how the tables are reached that the query's views are made of:
// those of the plan that the query does not name itself.
func behind(plan engine.Plan, job runner.Job) string {
	var searched, read []string
	for _, name := range slices.Sorted(maps.Keys(plan.Access)) {
		named := job.Compiled.Aliased(name) != nil
		switch access := plan.Access[name]; {
		case named:
		case access.Index != "":
			searched = append(searched, fmt.Sprintf("%s through the index %s", name, access.Index))
		default:
			read = append(read, name)
		}
	}
	var said []string
	if len(searched) > 0 {
		said = append(said, "Of the tables it is made of, the database searches "+strings.Join(searched, " and ")+".")
	}
	if len(read) > 0 {
		said = append(said, "It reads every record of "+strings.Join(read, " and ")+": an index there, on what the view selects by, would help.")
	}
	if len(said) == 0 {
		return "The plan does not tell the tables it is made of."
	}
	return strings.Join(said, " ")
}

// remedy names the index that would help.
func remedy(column *criteria.Column, table string, job runner.Job) string {
	if c := column.Ref.Column; !c.Compares() {
		said := fmt.Sprintf("No index on it can help, since texts as %s do not sort by time.", c.Encoding)
		if text, ok := job.Source.Dialect().InOrder(c); ok {
			kind := catalog.EncISODate
			if c.Type == catalog.DateTime {
				kind = catalog.EncISOLocal
			}
			said += fmt.Sprintf(" A generated column with an index would: %s, which is %s; ask about that one instead.", text, kind)
		}
		return said
	}
	for _, t := range job.Compiled.Tables() {
		for _, index := range t.Table.Indexes {
			if t.Alias == column.Ref.Alias && strings.EqualFold(index.Columns[0], column.Ref.Column.Name) {
				return fmt.Sprintf("There is the index %s on it, but the database expects to read too much of the table for it to help.", index.Name)
			}
		}
	}
	return fmt.Sprintf("An index on %s (%s) would help.", table, column.Ref.Column.Name)
}

// findings are the facts about the criteria with the answers of a run.
func findings(job runner.Job, p runner.Prepared) diag.Problems {
	var terms []criteria.Expr
	for _, c := range p.Selection.Where {
		if c.Bare != nil {
			terms = append(terms, criteria.Conditions(c.Bare)...)
		}
	}
	if len(terms) == 0 {
		return nil
	}
	problems := proof.CheckValues(job.Compiled.CriteriaText, &criteria.Logic{Pos: job.Compiled.Criteria.At(), Terms: terms})
	for i := range problems {
		problems[i].Field, problems[i].Source = "criteria", job.Compiled.CriteriaText
	}
	return problems
}
